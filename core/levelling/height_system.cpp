#include "levelling/height_system.h"
#include "geodesy/normal_gravity.h"

namespace ampletie {

double to_normal_orthometric(ReducedRun &run, double start, const std::map<std::string, double> &latitude) {
  std::vector<std::pair<double, double>> known; // distance, latitude
  for (const LevelPoint &p : run.points)
    if (const auto it = latitude.find(p.mark); it != latitude.end() && p.turn)
      known.emplace_back(p.distance, it->second);
  if (known.empty()) return 0;
  auto at = [&](double distance) {
    if (distance <= known.front().first) return known.front().second;
    for (std::size_t i = 1; i < known.size(); ++i)
      if (distance <= known[i].first) {
        const double whole = known[i].first - known[i - 1].first;
        const double u = whole > 0 ? (distance - known[i - 1].first) / whole : 0;
        return known[i - 1].second * (1 - u) + known[i].second * u;
      }
    return known.back().second;
  };
  if (run.points.empty()) return 0;
  double potential = mean_normal_gravity(at(0), start) * start;
  LevelPoint last = run.points.front(); // as levelled
  double corrected = 0;
  for (std::size_t i = 1; i < run.points.size(); ++i) {
    LevelPoint &p = run.points[i];
    const double lat = at(p.distance), middle_lat = at((p.distance + last.distance) / 2);
    const double dn = p.difference - last.difference;
    const double here = potential + normal_gravity(middle_lat, start + last.difference + dn / 2) * dn;
    double height = start + p.difference;
    for (int k = 0; k < 3; ++k) height = here / mean_normal_gravity(lat, height);
    const LevelPoint raw = p;
    p.difference = height - start;
    if (!p.turn) continue; // side shots hang beside the line
    potential = here;
    last = raw;
    corrected = p.difference - raw.difference;
  }
  run.difference += corrected;
  return corrected;
}

} // namespace ampletie
