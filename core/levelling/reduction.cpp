#include "levelling/reduction.h"
#include "base/error.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr double earth_radius = 6371e3;
constexpr double usual_sight = 40; ///< where no distance was read, m

double corrected(const LevelRun &run, const std::vector<std::size_t> &which, const LevelCorrections &c) {
  double sum = 0;
  for (std::size_t i : which) sum += run.sights[i].reading + sight_correction(run.sights[i], c);
  return sum / static_cast<double>(which.size());
}
} // namespace

double curvature_and_refraction(double d, double k) { return (1 - k) * d * d / (2 * earth_radius); }

double sight_correction(const StaffSight &s, const LevelCorrections &c) {
  double out = 0;
  if (std::isfinite(s.distance)) {
    out -= c.collimation * s.distance;
    if (c.curvature) out -= curvature_and_refraction(s.distance, c.refraction_coefficient);
  }
  const auto own = c.staff_ppm.find(s.staff);
  const double ppm = (own != c.staff_ppm.end() ? own->second : c.staff_scale_ppm) +
                     c.staff_expansion_ppm_per_k * (c.staff_temperature - c.staff_reference_temperature);
  return out + s.reading * ppm * 1e-6;
}

bool LevelBook::agrees() const {
  const double a = sum_back - sum_fore, b = sum_rise - sum_fall, c = last - first;
  return std::abs(a - b) < 1e-9 && std::abs(b - c) < 1e-9;
}

LevelBook reduce_book(const LevelRun &run, const SetupList &list, double start, const LevelCorrections &c) {
  LevelBook out;
  out.first = out.last = start;
  double height = start, along = 0;
  for (std::size_t n = 0; n < list.setups.size(); ++n) {
    const LevelSetup &s = list.setups[n];
    const double back = corrected(run, s.back, c);
    const double sight = height + back;
    // The row of the turn before takes this back sight; the first set-up opens its own.
    if (n == 0) {
      BookRow r;
      r.sight = s.back.front();
      r.mark = s.from;
      r.height = r.by_collimation = height;
      out.rows.push_back(r);
    }
    out.rows.back().back = back;
    out.rows.back().collimation = sight;
    out.sum_back += back;
    const double back_distance = std::isfinite(s.back_distance) ? s.back_distance : usual_sight,
                 fore_distance = std::isfinite(s.fore_distance) ? s.fore_distance : usual_sight;
    double before = back;
    for (std::size_t i : s.side) {
      BookRow r;
      r.sight = i, r.setup = n;
      r.mark = run.sights[i].mark;
      r.intermediate = run.sights[i].reading + sight_correction(run.sights[i], c);
      r.rise = before - r.intermediate;
      height += r.rise;
      (r.rise >= 0 ? out.sum_rise : out.sum_fall) += std::abs(r.rise);
      before = r.intermediate;
      r.height = height;
      r.by_collimation = sight - r.intermediate;
      r.distance = along + back_distance;
      out.rows.push_back(r);
    }
    BookRow r;
    r.sight = s.fore.front(), r.setup = n;
    r.mark = s.to;
    r.fore = corrected(run, s.fore, c);
    r.rise = before - r.fore;
    height += r.rise;
    (r.rise >= 0 ? out.sum_rise : out.sum_fall) += std::abs(r.rise);
    r.height = height;
    r.by_collimation = sight - r.fore;
    out.sum_fore += r.fore;
    along += back_distance + fore_distance;
    r.distance = along;
    out.rows.push_back(r);
    out.last = height;
  }
  return out;
}

const LevelPoint *ReducedRun::find(const std::string &mark) const {
  for (const LevelPoint &p : points)
    if (p.mark == mark) return &p;
  return nullptr;
}

std::map<std::string, StaffUse> staff_use(const LevelRun &run, const SetupList &list) {
  std::map<std::string, StaffUse> out;
  for (const LevelSetup &s : list.setups) {
    StaffUse &u = out[run.sights[s.back.front()].staff];
    ++u.setups;
    u.rise += s.difference();
  }
  return out;
}

ReducedRun reduce_run(const LevelRun &run, const SetupList &list, const LevelCorrections &c) {
  ReducedRun out;
  if (list.setups.empty()) return out;
  out.from = list.setups.front().from, out.to = list.setups.back().to;
  out.points.push_back({out.from, 0, 0, 0, true, 0});
  for (std::size_t n = 0; n < list.setups.size(); ++n) {
    const LevelSetup &s = list.setups[n];
    const double back = corrected(run, s.back, c);
    const bool measured = std::isfinite(s.back_distance) && std::isfinite(s.fore_distance);
    const double length = measured ? s.length() : 2 * usual_sight;
    out.estimated_length = out.estimated_length || !measured;
    for (std::size_t i : s.side)
      out.points.push_back({run.sights[i].mark,
                            out.difference + back - run.sights[i].reading - sight_correction(run.sights[i], c),
                            out.length + length / 2, out.setups + 1, false, n});
    out.difference += back - corrected(run, s.fore, c);
    out.raw_difference += s.difference();
    out.length += length;
    ++out.setups;
    if (measured) {
      out.unbalance += s.back_distance - s.fore_distance;
      out.largest_unbalance = std::max(out.largest_unbalance, std::abs(s.back_distance - s.fore_distance));
      out.longest_sight = std::max({out.longest_sight, s.back_distance, s.fore_distance});
    }
    out.points.push_back({s.to, out.difference, out.length, out.setups, true, n});
  }
  return out;
}

LevelRun reversed(const LevelRun &run) {
  LevelRun out = run;
  // What belongs to no set-up (one that was given up) would be taken for something else from behind.
  std::vector<bool> belongs(run.sights.size(), false);
  for (const LevelSetup &s : find_setups(run).setups)
    for (const auto *part : {&s.back, &s.fore, &s.side})
      for (std::size_t i : *part) belongs[i] = true;
  for (std::size_t i = 0; i < run.sights.size(); ++i)
    if (!belongs[i] && out.sights[i].used) out.sights[i].used = false, out.sights[i].left_out_because = "of no set-up";
  std::reverse(out.sights.begin(), out.sights.end());
  for (StaffSight &s : out.sights)
    s.kind = s.kind == SightKind::back ? SightKind::fore : s.kind == SightKind::fore ? SightKind::back : s.kind;
  return out;
}

LevelRun chained(const LevelRun &first, const LevelRun &second) {
  const SetupList a = find_setups(first), b = find_setups(second);
  if (a.setups.empty() || b.setups.empty()) throw InputError("a run without a complete set-up cannot be chained");
  if (a.setups.back().to != b.setups.front().from)
    throw InputError(fmt::format("{} ends on {}, {} begins on {}: they do not meet", first.name, a.setups.back().to,
                                 second.name, b.setups.front().from));
  LevelRun out = first;
  out.sights.insert(out.sights.end(), second.sights.begin(), second.sights.end());
  return out;
}

std::pair<LevelRun, LevelRun> split_at(const LevelRun &run, const std::string &mark) {
  const SetupList list = find_setups(run);
  for (std::size_t n = 0; n + 1 < list.setups.size(); ++n) {
    if (list.setups[n].to != mark) continue;
    // Everything before the next set-up's first back sight stays with the first part.
    std::size_t cut = run.sights.size();
    const LevelSetup &next = list.setups[n + 1];
    for (const auto *part : {&next.back, &next.fore, &next.side})
      for (std::size_t i : *part) cut = std::min(cut, i);
    std::pair<LevelRun, LevelRun> out{run, run};
    out.first.sights.assign(run.sights.begin(), run.sights.begin() + static_cast<std::ptrdiff_t>(cut));
    out.second.sights.assign(run.sights.begin() + static_cast<std::ptrdiff_t>(cut), run.sights.end());
    return out;
  }
  throw InputError("the run " + run.name + " does not turn on " + mark + " on its way");
}

PegTest two_peg_test(const PegReading &p, const PegReading &q, bool curvature) {
  auto rise = [&](const PegReading &r) {
    double d = r.reading_a - r.reading_b;
    if (curvature) d -= curvature_and_refraction(r.distance_a, 0.13) - curvature_and_refraction(r.distance_b, 0.13);
    return d;
  };
  // Apparent rise = true rise + c (distance to A − distance to B).
  const double up = p.distance_a - p.distance_b, uq = q.distance_a - q.distance_b;
  if (std::abs(up - uq) < 1)
    throw InputError("both places are balanced alike: move the instrument so that the distances to the pegs differ");
  PegTest out;
  out.collimation = (rise(q) - rise(p)) / (uq - up);
  out.difference = rise(p) - out.collimation * up;
  out.correct_a = q.reading_a - out.collimation * q.distance_a;
  out.correct_b = q.reading_b - out.collimation * q.distance_b;
  return out;
}

} // namespace ampletie
