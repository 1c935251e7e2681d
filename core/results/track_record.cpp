#include "results/track_record.h"
#include "geodesy/ellipsoid.h"
#include "time/gps_time.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::ordered_json;

ordered_json six_values(const Mat3 &c) { return {c(0, 0), c(0, 1), c(0, 2), c(1, 1), c(1, 2), c(2, 2)}; }
ordered_json finite(double v) { return std::isfinite(v) ? ordered_json(v) : ordered_json(nullptr); }

/// The base's covariance is not in it: it is that of the way from the base.
ordered_json epoch_row(const TrackEpoch &e) {
  ordered_json j{{"time", iso_ms(e.time)}};
  const bool place = e.state != TrackState::none || e.bridged;
  for (int i = 0; i < 3; ++i)
    j[std::string(1, static_cast<char>('x' + i))] = place ? ordered_json(e.position[i]) : nullptr;
  j["cov"] = place ? six_values(e.cov) : ordered_json(nullptr);
  j["solution"] = state_name(e.state);
  j["satellites"] = e.satellites;
  if (e.bridged) j["bridged"] = true;
  return j;
}

/// Longest span without a fixed epoch, and until the first one, s.
std::pair<double, double> gaps(const KinematicTrack &t) {
  double longest = 0, first = NAN;
  GpsTime last = t.epochs.empty() ? GpsTime{} : t.epochs.front().time;
  for (const TrackEpoch &e : t.epochs)
    if (e.state == TrackState::fixed) {
      if (std::isnan(first)) first = e.time - t.epochs.front().time;
      longest = std::max(longest, e.time - last);
      last = e.time;
    }
  if (!t.epochs.empty()) longest = std::max(longest, t.epochs.back().time - last);
  return {longest, first};
}

} // namespace

ordered_json stop_row(const TrackResult &t, const TrackStop &s) {
  const Vec3 x = t.base_xyz + s.d;
  const Mat3 axes = local_axes(to_geodetic(x));
  const Mat3 c = axes * s.cov * axes.transpose();
  return {{"id", s.id},
          {"name", s.name},
          {"code", s.code},
          {"mark", s.mark.empty() ? ordered_json(nullptr) : ordered_json(s.mark)},
          {"kind", stop_kind_name(s.kind)},
          {"named_by", s.named_by},
          {"start", iso_ms(s.start)},
          {"stop", iso_ms(s.stop)},
          {"x", x.x()},
          {"y", x.y()},
          {"z", x.z()},
          {"cov", six_values(s.cov)},
          {"solution", state_name(s.solution)},
          {"epochs", s.epochs},
          {"satellites", s.satellites},
          {"antenna_height_m", s.antenna_height},
          {"spread_m", s.spread_m},
          {"sd_e_m", std::sqrt(c(0, 0))},
          {"sd_n_m", std::sqrt(c(1, 1))},
          {"sd_u_m", std::sqrt(c(2, 2))},
          {"track", t.id},
          {"base", t.base},
          {"used", s.used && t.used},
          {"frame", frame_name(t.frame)},
          {"epoch", t.epoch}};
}

ordered_json track_rows(const std::vector<TrackResult> &all, bool epochs) {
  auto out = ordered_json::array();
  for (const TrackResult &t : all) {
    ordered_json j{{"id", t.id}, {"base", t.base}, {"rover", t.rover}};
    if (!t.error.empty()) {
      j["error"] = t.error;
      out.push_back(std::move(j));
      continue;
    }
    const KinematicTrack &k = *t.solved;
    const auto [gap, first] = gaps(k);
    j["start"] = k.epochs.empty() ? ordered_json(nullptr) : ordered_json(iso_ms(k.epochs.front().time));
    j["stop"] = k.epochs.empty() ? ordered_json(nullptr) : ordered_json(iso_ms(k.epochs.back().time));
    j["interval_s"] = k.interval;
    j["bases"] = {t.base};
    j["base_x"] = t.base_xyz.x(), j["base_y"] = t.base_xyz.y(), j["base_z"] = t.base_xyz.z();
    j["frame"] = frame_name(t.frame), j["epoch"] = t.epoch, j["point"] = "marker", j["orbits"] = t.orbits;
    j["count"] = k.epochs.size();
    j["fixed_share"] = t.fixed_share();
    j["partly_fixed"] = k.count(TrackState::partly_fixed), j["float"] = k.count(TrackState::floating),
    j["code"] = k.count(TrackState::code), j["none"] = k.count(TrackState::none);
    j["longest_without_fix_s"] = gap, j["first_fix_after_s"] = finite(first);
    j["epochs_without_base"] = t.without_base;
    j["longest_m"] = k.longest_m, j["noise_ratio"] = k.noise_ratio;
    j["used"] = t.used, j["stale"] = t.stale;
    j["notes"] = k.notes;
    if (epochs) {
      j["epochs"] = ordered_json::array();
      for (const TrackEpoch &e : k.epochs) j["epochs"].push_back(epoch_row(e));
    }
    j["stops"] = ordered_json::array();
    for (const TrackStop &s : t.stops) j["stops"].push_back(stop_row(t, s));
    out.push_back(std::move(j));
  }
  return out;
}

ordered_json stop_rows(const std::vector<TrackResult> &all) {
  auto out = ordered_json::array();
  for (const TrackResult &t : all)
    for (const TrackStop &s : t.stops) out.push_back(stop_row(t, s));
  return out;
}

std::string track_csv(const TrackResult &t) {
  std::string out = fmt::format("# track of {} from {}, {} at {:.4f}, marker; metres; times are GPS time\n"
                                "time,x,y,z,sd_e,sd_n,sd_u,solution,satellites\n",
                                t.rover, t.base, frame_name(t.frame), t.epoch);
  const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
  for (const TrackEpoch &e : t.solved->epochs) {
    if (e.state == TrackState::none && !e.bridged) {
      out += fmt::format("{},,,,,,,none,{}\n", iso_ms(e.time), e.satellites);
      continue;
    }
    const Mat3 c = axes * e.cov * axes.transpose();
    out += fmt::format("{},{:.4f},{:.4f},{:.4f},{:.4f},{:.4f},{:.4f},{},{}\n", iso_ms(e.time), e.position.x(),
                       e.position.y(), e.position.z(), std::sqrt(c(0, 0)), std::sqrt(c(1, 1)), std::sqrt(c(2, 2)),
                       e.bridged ? "bridged" : state_name(e.state), e.satellites);
  }
  return out;
}

} // namespace ampletie
