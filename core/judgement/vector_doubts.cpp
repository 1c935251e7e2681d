#include "judgement/vector_doubts.h"
#include "base/size_words.h"
#include "geodesy/coast.h"
#include "geodesy/ellipsoid.h"
#include "gnss/quality/diagnosis.h"
#include "job/settings.h"
#include "judgement/height_causes.h"
#include "results/measured.h"
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
/// Height by ocean loading that a place so far from the sea may see, m: some 15 mm at an ocean's coast, falling off
/// over about 200 km (common practice after the maps in IERS Conventions 7.1.2; tidal bays see more).
double possible_loading(double to_sea) { return 0.015 * std::exp(-to_sea / 200e3); }

/// Sessions whose vectors could not be solved together.
void failed_sessions(DoubtList &list, const std::vector<VectorResult> &vectors) {
  std::set<std::string> failed; // sessions
  for (const VectorResult &v : vectors)
    if (v.used && !v.together && !v.session_due && !v.joint.failed.empty() && failed.insert(v.joint.key).second) {
      Doubt &d = list.add(DoubtKind::session_not_solved, v.session, Section::gnss, {Thing::Kind::vector, v.id},
                          "its vectors could not be solved together: " + v.joint.failed +
                              "; they enter the network as if they were independent of one another");
      d.causes.push_back("leave out the vector or the satellite that does not go with the others, and solve again");
    }
}
} // namespace

void vector_doubts(DoubtList &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  const JobSettings &set = s.state().settings;
  failed_sessions(list, vectors);
  for (const VectorResult &v : vectors) {
    if (!v.used) continue;
    const std::string name = v.from + " → " + v.to;
    if (!v.error.empty()) {
      list.add(DoubtKind::vector_not_solved, name, Section::gnss, {Thing::Kind::vector, v.id}, v.error);
      continue;
    }
    if (!v.independent) continue;
    if (v.solved->solution != Solution::fixed) {
      Doubt &d = list.add(DoubtKind::vector_not_fixed, name, Section::gnss, {Thing::Kind::vector, v.id},
                          "the integers of this vector are not settled: it is " + solution_name(v.solved->solution));
      d.value = v.solved->ratio, d.limit = set.ratio_limit, d.unit = "ratio";
      d.effect_m = std::sqrt(v.solved->cov.trace());
      if (v.solved->last - v.solved->first < 1200) d.causes.push_back("the common time is short");
      if (const auto gap = obstructed_side(*v.solved))
        d.causes.push_back(fmt::format("the sky is shut between azimuths {:.0f}° and {:.0f}°", gap->from_deg,
                                       std::fmod(gap->to_deg, 360.0)));
      if (v.solved->satellites < 8)
        d.causes.push_back(fmt::format("only {} satellites in common", v.solved->satellites));
      // Is there one satellite that stands out?
      std::map<SatId, std::pair<double, int>> square;
      for (const auto &r : v.solved->residuals) {
        const double q = static_cast<double>(r.residual[0]);
        if (!std::isfinite(q)) continue;
        square[r.sat].first += q * q;
        ++square[r.sat].second;
      }
      for (const auto &[sat, q] : square)
        if (q.second > 10 && std::sqrt(q.first / q.second) > 2.5 * v.solved->rms_m)
          d.causes.push_back("residuals of " + sat.name() + " stand out");
    }
    const double least = settings_of_vector(s.state(), v.id).ratio_limit;
    if (v.solved->solution == Solution::fixed && v.solved->ratio < least) {
      Doubt &d = list.add(DoubtKind::ratio_low, name, Section::gnss, {Thing::Kind::vector, v.id},
                          "the integers are accepted by their failure rate, but a second set is nearly as good");
      d.value = v.solved->ratio, d.limit = least, d.unit = "ratio";
      d.effect_m = (v.solved->d - v.solved->d_float).norm();
    }
    if (v.solved->rms_m > set.rms_limit_m) {
      Doubt &d = list.add(DoubtKind::vector_noisy, name, Section::gnss, {Thing::Kind::vector, v.id},
                          "the phase residuals are larger than the limit");
      d.value = v.solved->rms_m * 1000, d.limit = set.rms_limit_m * 1000, d.unit = "mm";
    }
    // What loading could do to the height between the ends, where coefficients are missing.
    std::string without;
    std::vector<double> loading;
    double nearest = 1e9;
    for (const Occupation &o : s.occupations()) {
      if (o.id != v.from_occupation && o.id != v.to_occupation) continue;
      if (!o.loading) without += (without.empty() ? "" : " and ") + o.mark;
      if (o.file->approximate.norm() < 6e6) continue;
      const Geodetic g = to_geodetic(o.file->approximate);
      const double sea = distance_to_sea(g.lat, g.lon);
      nearest = std::min(nearest, sea);
      loading.push_back(possible_loading(sea));
    }
    if (!without.empty() && loading.size() == 2) {
      // Ends at the same coast still differ by what changes along it: all of it over some 500 km.
      const double effect =
          std::abs(loading[0] - loading[1]) + std::min(loading[0], loading[1]) * std::min(1.0, v.length() / 500e3);
      if (effect > 0.002) {
        Doubt &d = list.add(DoubtKind::ocean_loading_missing, name, Section::gnss, {Thing::Kind::vector, v.id},
                            fmt::format("no ocean loading coefficients for {}: {:.0f} km from the sea the height of a "
                                        "vector of {:.0f} km may be off by some {:.0f} mm",
                                        without, nearest / 1000, v.length() / 1000, 1000 * effect));
        d.effect_m = effect;
      }
    }
    const double minutes = (v.solved->last - v.solved->first) / 60;
    if (minutes < set.min_overlap_min) {
      Doubt &d = list.add(DoubtKind::short_overlap, name, Section::gnss, {Thing::Kind::vector, v.id},
                          "the common time is shorter than the limit");
      d.value = minutes, d.limit = set.min_overlap_min, d.unit = "min";
    }
  }
}

void closure_doubts(DoubtList &list, const JobSnapshot &s, const LoopReport &report) {
  std::map<std::string, const Occupation *> by_setup;
  for (const Occupation &o : s.occupations()) by_setup.emplace(o.setup, &o);
  // Stops of tracks and fixes of others have set-ups too.
  std::map<std::string, std::string> others;
  for (const MeasuredVector &v : s.get(measured_result())) {
    others.emplace(v.to_setup, v.stop ? fmt::format("the stop on {} at {}", v.to, v.time.substr(11))
                                      : fmt::format("the {} of {} ({})", v.kind(), v.to, v.where()));
    others.emplace(v.from_setup, "the base " + v.from);
  }
  auto setup = [&](const std::string &id) {
    if (const auto it = by_setup.find(id); it != by_setup.end()) return occupation_name(*it->second);
    const auto it = others.find(id);
    return it == others.end() ? id : it->second;
  };
  for (const Loop &l : report.loops) {
    if (l.closes()) continue;
    const Vec3 mm = l.misclosure_enu * 1000;
    const bool propagated = !l.within_propagated();
    Doubt &d =
        list.add(l.repeated()                 ? DoubtKind::repeated_vectors_differ
                 : l.check == LoopCheck::none ? DoubtKind::session_does_not_close
                                              : DoubtKind::loop_does_not_close,
                 l.name(), Section::gnss, {Thing::Kind::loop, l.id},
                 fmt::format("{} by {} in plan and {} in height; the plain limit of {:.1f} mm {}",
                             l.repeated() ? "they differ" : "the loop misses", length_words(mm.head<2>().norm() / 1000),
                             length_words(mm.z() / 1000, 1, true), l.limit_m * 1000,
                             l.within_limit()        ? "allows that, the accuracy of the vectors does not"
                             : l.within_propagated() ? "is exceeded, the accuracy of the vectors allows it"
                                                     : "is exceeded"));
    d.value = propagated ? l.statistic : mm.norm(), d.limit = propagated ? l.statistic_limit : l.limit_m * 1000;
    d.unit = propagated ? "χ²" : "mm";
    d.effect_m = l.misclosure_enu.norm();
    if (l.check == LoopCheck::none) d.causes.push_back("a wrong or weak solution of one of its vectors");
    if (!propagated || l.check == LoopCheck::none) continue;
    // Of causes that clear the tests alike those come first whose size something explains.
    std::vector<std::string> plain;
    for (const LoopCause &c : report.causes) {
      if (c.kind == LoopCause::Kind::height) {
        std::string words = fmt::format("an antenna height of {} {:.0f} mm too {} would explain all closures",
                                        setup(c.setup), std::abs(c.size_m) * 1000, c.size_m < 0 ? "large" : "small");
        if (const auto it = by_setup.find(c.setup); it != by_setup.end()) {
          const auto why = height_causes(s.contents(), *it->second, c.size_m, c.sd_m);
          if (!why.empty()) {
            d.causes.push_back(words + ": " + why.front());
            continue;
          }
        }
        plain.push_back(std::move(words));
      } else if (c.kind == LoopCause::Kind::renamed)
        plain.push_back(fmt::format("{} stood on {}: that would explain all closures", setup(c.setup), c.other));
      else
        plain.push_back(
            fmt::format("exchanged marks of {} and {} would explain all closures", setup(c.setup), setup(c.other)));
    }
    d.causes.insert(d.causes.end(), plain.begin(), plain.end());
    if (d.causes.size() > 3) d.causes.resize(3);
  }
}

} // namespace ampletie
