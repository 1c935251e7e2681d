#include "publication/track_columns.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/utf8.h"
#include "geodesy/ellipsoid.h"
#include "publication/track_to_job.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <optional>

namespace ampletie {
namespace {

/// What a row is made of; what takes long is computed once and only for those who ask.
class EpochRow {
public:
  EpochRow(const TrackResult &t, TrackToJob *to_job)
      : t_(t), to_job_(to_job), base_(to_geodetic(t.base_xyz)), axes_(local_axes(base_)) {}
  void set(const TrackEpoch &e) {
    e_ = &e, geodetic_.reset(), grid_.reset();
    placed = e.state != TrackState::none || e.bridged;
    if (placed) enu = axes_ * (e.position - t_.base_xyz), cov = axes_ * e.cov * axes_.transpose();
  }
  const TrackEpoch &epoch() const { return *e_; }
  const Geodetic &geodetic() {
    if (!geodetic_) geodetic_ = to_geodetic(e_->position);
    return *geodetic_;
  }
  const Vec3 &grid() {
    if (!grid_) grid_ = TrackToJob::grid((*to_job_)(e_->position));
    return *grid_;
  }
  Vec3 velocity() const { return axes_ * e_->velocity; }
  bool placed = false;
  Vec3 enu = Vec3::Zero();
  Mat3 cov = Mat3::Zero();

private:
  const TrackResult &t_;
  TrackToJob *to_job_;
  const TrackEpoch *e_ = nullptr;
  Geodetic base_;
  Mat3 axes_;
  std::optional<Geodetic> geodetic_;
  std::optional<Vec3> grid_;
};

std::string in_metres(double v) { return std::isfinite(v) ? fmt::format("{:.4f}", v) : std::string(); }
std::string deviation_of(double v) { return in_metres(std::sqrt(std::max(0.0, v))); }

struct Column {
  EpochColumn seen;
  bool without_place; ///< has a value where the epoch has no place
  std::string (*text)(EpochRow &r);
};
const std::vector<Column> &all_columns() {
  static const std::vector<Column> columns{
      {{"time", "", "GPS time", false}, true, [](EpochRow &r) { return iso_ms(r.epoch().time); }},
      {{"time_utc", "", "UTC", false},
       true,
       [](EpochRow &r) { return iso_ms(r.epoch().time + -gps_minus_utc(r.epoch().time)) + "Z"; }},
      {{"week", "", "GPS week", false}, true, [](EpochRow &r) { return std::to_string(r.epoch().time.week()); }},
      {{"tow", "s", "seconds of the GPS week", false},
       true,
       [](EpochRow &r) { return fmt::format("{:.3f}", r.epoch().time.time_of_week()); }},
      {{"x", "m", "geocentric, orbits' frame", false},
       false,
       [](EpochRow &r) { return in_metres(r.epoch().position.x()); }},
      {{"y", "m", "geocentric, orbits' frame", false},
       false,
       [](EpochRow &r) { return in_metres(r.epoch().position.y()); }},
      {{"z", "m", "geocentric, orbits' frame", false},
       false,
       [](EpochRow &r) { return in_metres(r.epoch().position.z()); }},
      {{"lat", "°", "geodetic latitude, orbits' frame", false},
       false,
       [](EpochRow &r) { return fmt::format("{:.9f}", degrees(r.geodetic().lat)); }},
      {{"lon", "°", "geodetic longitude, orbits' frame", false},
       false,
       [](EpochRow &r) { return fmt::format("{:.9f}", degrees(r.geodetic().lon)); }},
      {{"h", "m", "ellipsoidal height, orbits' frame", false},
       false,
       [](EpochRow &r) { return in_metres(r.geodetic().h); }},
      {{"grid_east", "m", "in the job's grid, at its epoch", true},
       false,
       [](EpochRow &r) { return in_metres(r.grid().x()); }},
      {{"grid_north", "m", "in the job's grid, at its epoch", true},
       false,
       [](EpochRow &r) { return in_metres(r.grid().y()); }},
      {{"height", "m", "in the job's vertical system; ellipsoidal where it has none", true},
       false,
       [](EpochRow &r) { return in_metres(r.grid().z()); }},
      {{"from_base_east", "m", "from the base, along its local axes", false},
       false,
       [](EpochRow &r) { return in_metres(r.enu.x()); }},
      {{"from_base_north", "m", "from the base, along its local axes", false},
       false,
       [](EpochRow &r) { return in_metres(r.enu.y()); }},
      {{"from_base_up", "m", "from the base, along its local axes", false},
       false,
       [](EpochRow &r) { return in_metres(r.enu.z()); }},
      {{"sd_e", "m", "standard deviation east, of the way from the base", false},
       false,
       [](EpochRow &r) { return deviation_of(r.cov(0, 0)); }},
      {{"sd_n", "m", "standard deviation north", false}, false, [](EpochRow &r) { return deviation_of(r.cov(1, 1)); }},
      {{"sd_u", "m", "standard deviation up", false}, false, [](EpochRow &r) { return deviation_of(r.cov(2, 2)); }},
      {{"cov_en", "m²", "covariance of east and north", false},
       false,
       [](EpochRow &r) { return fmt::format("{:.4e}", r.cov(0, 1)); }},
      {{"cov_eu", "m²", "covariance of east and up", false},
       false,
       [](EpochRow &r) { return fmt::format("{:.4e}", r.cov(0, 2)); }},
      {{"cov_nu", "m²", "covariance of north and up", false},
       false,
       [](EpochRow &r) { return fmt::format("{:.4e}", r.cov(1, 2)); }},
      {{"v_east", "m/s", "velocity", false}, false, [](EpochRow &r) { return in_metres(r.velocity().x()); }},
      {{"v_north", "m/s", "velocity", false}, false, [](EpochRow &r) { return in_metres(r.velocity().y()); }},
      {{"v_up", "m/s", "velocity", false}, false, [](EpochRow &r) { return in_metres(r.velocity().z()); }},
      {{"solution", "", "fixed, partly fixed, float, code, bridged (led over a gap) or none", false},
       true,
       [](EpochRow &r) { return r.epoch().bridged ? std::string("bridged") : state_name(r.epoch().state); }},
      {{"satellites", "", "in common with the base", false},
       true,
       [](EpochRow &r) { return std::to_string(r.epoch().satellites); }},
      {{"base_has_data", "", "1: epochs of the base on both sides", false}, true, [](EpochRow &r) {
         return std::string(r.epoch().bracketed ? "1" : "0");
       }}};
  return columns;
}

std::vector<const Column *> columns_named(const std::vector<std::string> &names) {
  std::vector<const Column *> out;
  for (const std::string &name : names) {
    const auto it =
        std::find_if(all_columns().begin(), all_columns().end(), [&](const Column &c) { return name == c.seen.name; });
    if (it == all_columns().end()) {
      std::vector<std::string> known;
      for (const EpochColumn &c : epoch_columns()) known.emplace_back(c.name);
      throw InputError(
          fmt::format("epochs have no column \"{}\"; there are {}", printable(name), fmt::join(known, ", ")));
    }
    if (std::find(out.begin(), out.end(), &*it) != out.end())
      throw InputError("the column \"" + name + "\" is asked for twice");
    out.push_back(&*it);
  }
  return out;
}

} // namespace

const std::vector<EpochColumn> &epoch_columns() {
  static const std::vector<EpochColumn> seen = [] {
    std::vector<EpochColumn> out;
    for (const Column &c : all_columns()) out.push_back(c.seen);
    return out;
  }();
  return seen;
}

const std::vector<std::string> &usual_epoch_columns() {
  static const std::vector<std::string> usual{"time", "x", "y", "z", "sd_e", "sd_n", "sd_u", "solution", "satellites"};
  return usual;
}

std::string track_csv(const Job &job, const TrackResult &t, const std::vector<std::string> &columns) {
  const auto wanted = columns_named(columns.empty() ? usual_epoch_columns() : columns);
  std::optional<TrackToJob> to_job;
  std::string grid;
  if (std::any_of(wanted.begin(), wanted.end(), [](const Column *c) { return c->seen.of_grid; })) {
    to_job.emplace(job, t);
    grid = "; grid: " + to_job->named();
  }
  std::string out = fmt::format("# track of {} from {}, {} at {:.4f}, marker; metres; times are GPS time{}\n", t.rover,
                                t.base, frame_name(t.frame), t.epoch, grid);
  for (std::size_t i = 0; i < wanted.size(); ++i) out += (i ? "," : "") + std::string(wanted[i]->seen.name);
  out += '\n';
  EpochRow row(t, to_job ? &*to_job : nullptr);
  for (const TrackEpoch &e : t.solved->epochs) {
    row.set(e);
    for (std::size_t i = 0; i < wanted.size(); ++i) {
      if (i) out += ',';
      if (row.placed || wanted[i]->without_place) out += wanted[i]->text(row);
    }
    out += '\n';
  }
  return out;
}

} // namespace ampletie
