#include "judgement/datum_way.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/median.h"
#include "base/size_words.h"
#include "results/fit_record.h"
#include "results/job_results.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
using Kind = WayStation::Kind;

/// Sessions that the vectors in use were observed in, by frame.
struct Sessions {
  std::map<std::string, std::pair<double, double>> epochs; ///< code of the frame → first and last
  std::set<std::string> orbits;
};

Sessions sessions_of(const JobSnapshot &s) {
  Sessions out;
  for (const VectorResult &v : s.vectors()) {
    if (!v.error.empty() || !v.used) continue;
    const auto [it, fresh] = out.epochs.try_emplace(v.frame.code, v.epoch, v.epoch);
    it->second.first = std::min(it->second.first, v.epoch), it->second.second = std::max(it->second.second, v.epoch);
    out.orbits.insert(v.orbits);
  }
  if (out.epochs.empty()) // nothing is solved yet: what broadcast orbits would be in
    for (const Occupation &o : s.occupations())
      if (o.used) {
        const double year = decimal_year(o.start);
        const auto [it, fresh] = out.epochs.try_emplace(broadcast_frame(o.start).code, year, year);
        it->second.first = std::min(it->second.first, year), it->second.second = std::max(it->second.second, year);
      }
  return out;
}

class Way {
public:
  explicit Way(const JobSnapshot &snapshot) : s(snapshot), policy(operation_policy(s.state().settings)) {}

  std::vector<WayStation> stations() {
    try {
      datum_.emplace(job_datum(s));
      place_ = job_place(s, *datum_);
    } catch (const InputError &e) {
      out_.push_back({Kind::frame, "The job's system", s.state().settings.datum.crs, {}, "", {}, "", e.reason()});
      return std::move(out_);
    }
    if (!datum_->local()) from_orbits();
    held();
    network();
    older_datum();
    grid();
    heights();
    fits();
    issued();
    return std::move(out_);
  }

private:
  static std::string years(double from, double to) {
    return to - from < 0.005 ? fmt::format("{:.2f}", from) : fmt::format("{:.2f} to {:.2f}", from, to);
  }

  void from_orbits() {
    const Sessions sessions = sessions_of(s);
    for (const auto &[code, epochs] : sessions.epochs) {
      const Frame frame{code};
      const double epoch = (epochs.first + epochs.second) / 2;
      std::string orbits;
      for (const std::string &o : sessions.orbits) orbits += (orbits.empty() ? "" : " and ") + o;
      out_.push_back(
          {Kind::frame,
           frame_name(frame),
           fmt::format("{}orbits, observed {}", orbits.empty() ? "" : orbits + " ", years(epochs.first, epochs.second)),
           {},
           "",
           {},
           "",
           ""});
      change(frame, epoch);
      motion(epoch);
    }
  }

  void change(const Frame &frame, double epoch) {
    if (frame == datum_->frame()) return;
    WayStation w{Kind::change, "to " + frame_name(datum_->frame()), "", {}, "", {}, "", ""};
    try {
      const FrameChange &c = frame_change(frame, datum_->frame(), place_, policy);
      w.detail = c.info().name;
      w.moves_m = (c({place_, frame, epoch}).xyz - place_).norm();
      // A vector is turned only: what that makes of a kilometre.
      const double turn = (c.linear_part(epoch, place_) - Mat3::Identity()).norm() / std::sqrt(2.0);
      w.moves = fmt::format("{} absolute; {:.2f} mm on a vector of 10 km", length_words(*w.moves_m, 0), 1e7 * turn);
      w.accuracy_m = c.info().accuracy_m;
      if (!w.accuracy_m) w.accuracy = "nobody states one";
    } catch (const InputError &e) {
      w.problem = e.reason();
    }
    out_.push_back(std::move(w));
  }

  void motion(double epoch) {
    const double years_on = datum_->epoch() - epoch;
    WayStation w{Kind::epoch, fmt::format("epoch {:.2f}", datum_->epoch()), "", {}, "", {}, "", ""};
    const auto v = ground_velocity(datum_->frame(), place_, datum_->motion());
    if (!v) {
      w.problem =
          std::abs(years_on) < 0.003 ? "" : "ground moves in this frame and nothing says how: say the plate (settings)";
      w.detail = "ground moves in this frame";
      if (!w.problem.empty()) out_.push_back(std::move(w));
      return;
    }
    const bool same = std::abs(years_on) < 0.005;
    w.detail = same ? "that of the observations; " + v->how
                    : fmt::format("{:+.2f} years from the observations; {}", years_on, v->how);
    if (same) {
      w.accuracy = "nothing to move";
      out_.push_back(std::move(w));
      return;
    }
    w.moves_m = (v->m_yr * years_on).norm();
    w.accuracy_m = v->sd_m_yr * std::abs(years_on);
    if (*w.accuracy_m == 0) w.accuracy_m.reset(), w.accuracy = "ground stands still in it";
    out_.push_back(std::move(w));
  }

  /// What the held marks' published coordinates went through.
  void held() {
    std::map<std::string, std::vector<std::string>> marks; // frame and epoch → names
    std::map<std::string, double> moved, published_sd;
    std::set<std::string> unstated;
    std::map<std::string, std::string> trouble;
    for (const auto &[mark, h] : s.state().holds) {
      if (h.how == Hold::none || h.how == Hold::check) continue;
      const auto p = s.published().find(mark);
      if (p == s.published().end()) {
        if (const auto b = s.benchmarks().find(mark); b != s.benchmarks().end()) {
          marks["by height"].push_back(mark);
          if (b->second.sd_height)
            published_sd["by height"] = std::max(published_sd["by height"], *b->second.sd_height);
          else
            unstated.insert("by height");
        }
        continue;
      }
      const std::string as =
          p->second.grid && !p->second.xyz && !p->second.geodetic_deg
              ? "in the job's grid"
              : fmt::format("in {}{}", p->second.frame.empty() ? frame_name(datum_->frame()) : p->second.frame,
                            p->second.epoch.empty() ? "" : " at " + p->second.epoch);
      marks[as].push_back(mark);
      try {
        const PlacedMark m = published_at(p->second, *datum_, datum_->epoch(), policy);
        if (p->second.xyz) moved[as] = std::max(moved[as], (m.point.xyz - *p->second.xyz).norm());
        if (p->second.sd_enu)
          published_sd[as] = std::max(published_sd[as], p->second.sd_enu->head<2>().maxCoeff());
        else
          unstated.insert(as);
      } catch (const InputError &e) {
        trouble[as] = e.reason();
      }
    }
    for (const auto &[as, names] : marks) {
      std::string all;
      for (std::size_t i = 0; i < names.size() && i < 6; ++i) all += (i ? ", " : "") + names[i];
      if (names.size() > 6) all += fmt::format(" and {} more", names.size() - 6);
      WayStation w{Kind::held, "held " + as, all, {}, "", {}, "", trouble[as]};
      if (const auto m = moved.find(as); m != moved.end()) {
        w.moves_m = m->second;
        w.moves = length_words(m->second, 1) + " from the published figures";
      }
      // What the way of a mark adds is in its published deviation already (results/job_results.cpp).
      if (const auto sd = published_sd.find(as); sd != published_sd.end() && !unstated.count(as))
        w.accuracy_m = sd->second;
      else
        w.accuracy = "nobody states one";
      out_.push_back(std::move(w));
    }
    if (marks.empty() && s.state().settings.mode == DatumMode::held)
      out_.push_back(
          {Kind::held, "nothing is held", "", {}, "", {}, "", "hold a published mark, or choose the free datum"});
  }

  void network() {
    WayStation w{Kind::network, "network", "", {}, "", {}, "", ""};
    if (const auto &run = s.get(network_result())) {
      std::vector<double> plan;
      for (const AdjustedMark &m : run->result.marks)
        if (m.plan_known && m.hold != Hold::full)
          plan.push_back(std::sqrt(0.5 * m.network_cov_enu.topLeftCorner<2, 2>().trace()));
      w.detail = fmt::format("{} marks, {} datum", run->result.marks.size(), datum_mode_name(run->result.mode));
      if (!plan.empty()) w.accuracy_m = median(plan);
      w.moves = plan.empty() ? "" : "accuracy: one axis in plan, the middle mark";
    } else
      w.problem = "not adjusted, or out of date";
    out_.push_back(std::move(w));
  }

  /// To the datum that the grid rests on, where it is an older one.
  void older_datum() {
    const Projection &p = datum_->projection();
    if (!p.step()) return;
    WayStation w{Kind::change, "to " + p.datum(), p.step()->words() + ", in plan", {}, "", {}, "", ""};
    try {
      const Geodetic here = to_geodetic(place_), there = p.step()->forward(here);
      const double north = (there.lat - here.lat) * meridian_radius(here.lat),
                   east = std::remainder(there.lon - here.lon, 2 * pi) * prime_vertical_radius(here.lat) *
                          std::cos(here.lat);
      w.moves_m = std::hypot(east, north);
      w.moves = fmt::format("{:.1f} m in the figures of latitude and longitude", *w.moves_m);
      w.accuracy_m = p.step()->accuracy_m(here);
      if (!w.accuracy_m) w.accuracy = "nobody states one";
    } catch (const InputError &e) {
      w.problem = e.reason();
    }
    out_.push_back(std::move(w));
  }

  void grid() {
    const Projection &p = datum_->projection();
    WayStation w{Kind::grid,
                 p.name(),
                 datum_->local() ? "a plane of the site's own" : p.axes_words(),
                 {},
                 "",
                 {},
                 "exact (there and back within 0.1 mm)",
                 ""};
    try {
      const GridPoint g = p.project(to_geodetic(place_));
      w.moves = fmt::format("scale {:.7f}: {} on 100 m; convergence {}", g.scale,
                            length_words(100 * (g.scale - 1), 1, true), format_dms(degrees(g.convergence_rad), 0));
    } catch (const InputError &e) {
      w.problem = e.reason();
    }
    out_.push_back(std::move(w));
  }

  void heights() {
    if (datum_->local()) return;
    const auto &set = s.state().settings.datum;
    if (set.vertical.empty()) {
      out_.push_back({Kind::heights, "ellipsoidal heights", "no vertical system was chosen", {}, "", {}, "", ""});
      return;
    }
    const GeoidModel *g = datum_->geoid();
    WayStation w{Kind::heights,
                 g ? g->name() : set.vertical,
                 g ? g->grid_words() : "",
                 {},
                 "",
                 {},
                 "",
                 g ? "" : datum_->geoid_refusal()};
    if (g) try {
        w.moves_m = std::abs(g->undulation(to_geodetic(place_)));
        w.moves = fmt::format("{:.2f} m between ellipsoid and surface", *w.moves_m);
        w.accuracy_m = g->sd_m();
        if (!w.accuracy_m) w.accuracy = "nobody states one";
      } catch (const InputError &e) {
        w.problem = e.reason();
      }
    out_.push_back(std::move(w));
  }

  void fits() {
    for (const JobFit &f : s.get(fits_result())) {
      WayStation w{Kind::fit, "fit " + f.name, f.problem.empty() ? fit_words(f) : "", {}, "", {}, "", f.problem};
      std::vector<double> sd;
      for (const FittedMark &m : f.marks) sd.push_back(std::sqrt(0.5 * m.cov.topLeftCorner<2, 2>().trace()));
      if (!sd.empty()) w.accuracy_m = median(sd);
      if (f.problem.empty() && f.given.empty() && !agrees(f.result)) w.moves = "its marks disagree";
      out_.push_back(std::move(w));
    }
  }

  void issued() {
    const bool way = std::none_of(out_.begin(), out_.end(), [](const WayStation &w) { return !w.problem.empty(); });
    out_.push_back({Kind::issued,
                    "issued figure",
                    fmt::format("{} at {:.2f}", datum_->local() ? "the site's plane" : frame_name(datum_->frame()),
                                datum_->epoch()),
                    {},
                    "",
                    {},
                    "",
                    way ? "" : "the way is interrupted above"});
  }

  const JobSnapshot &s;
  OperationPolicy policy;
  std::optional<JobDatum> datum_;
  Vec3 place_ = Vec3::Zero();
  std::vector<WayStation> out_;
};

} // namespace

std::vector<WayStation> datum_way(const JobSnapshot &s) { return Way(s).stations(); }

const char *way_kind_name(WayStation::Kind k) {
  static constexpr const char *names[] = {"frame", "change",  "epoch", "held",  "network",
                                          "grid",  "heights", "fit",   "issued"};
  return names[static_cast<std::size_t>(k)];
}

} // namespace ampletie
