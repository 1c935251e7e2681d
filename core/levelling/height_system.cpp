#include "levelling/height_system.h"
#include "base/error.h"
#include "geodesy/normal_gravity.h"

namespace ampletie {
namespace {

constexpr double bouguer_plate = 1.119e-6; ///< 2πGρ of 2670 kg/m³, m/s² per m
constexpr double helmert = 4.24e-7;        ///< half the free-air gradient less the plate's, m/s² per m
constexpr double gravity_45 = 9.806199203; ///< normal gravity of GRS 80 at 45° (Moritz 2000), m/s²

/// A value of some marks of the run, linear by distance between them and kept beyond.
class AlongRun {
public:
  void add(double distance, double value) { known_.emplace_back(distance, value); }
  bool empty() const { return known_.empty(); }
  std::size_t size() const { return known_.size(); }
  double at(double distance) const {
    if (distance <= known_.front().first) return known_.front().second;
    for (std::size_t i = 1; i < known_.size(); ++i)
      if (distance <= known_[i].first) {
        const double whole = known_[i].first - known_[i - 1].first;
        const double u = whole > 0 ? (distance - known_[i - 1].first) / whole : 0;
        return known_[i - 1].second * (1 - u) + known_[i].second * u;
      }
    return known_.back().second;
  }

private:
  std::vector<std::pair<double, double>> known_;
};

} // namespace

std::string height_type_name(HeightType t) {
  return t == HeightType::normal        ? "normal"
         : t == HeightType::orthometric ? "orthometric"
         : t == HeightType::dynamic     ? "dynamic"
                                        : "normal-orthometric";
}

HeightType height_type_by_name(const std::string &name) {
  for (HeightType t :
       {HeightType::normal_orthometric, HeightType::normal, HeightType::orthometric, HeightType::dynamic})
    if (height_type_name(t) == name) return t;
  throw InputError("\"" + name + "\" is no type of height (normal-orthometric, normal, orthometric, dynamic)");
}

HeightReduction reduce_to_height_system(ReducedRun &run, double start, HeightType type, const LevelPlaces &places) {
  HeightReduction out;
  AlongRun latitude, anomaly;
  for (const LevelPoint &p : run.points)
    if (const auto it = places.latitude.find(p.mark); it != places.latitude.end() && p.turn)
      latitude.add(p.distance, it->second);
  if (latitude.empty() || run.points.empty()) return out;
  for (const LevelPoint &p : run.points)
    if (const auto it = places.gravity.find(p.mark); it != places.gravity.end() && p.turn) {
      const double h = start + p.difference;
      anomaly.add(p.distance, it->second - normal_gravity(latitude.at(p.distance), h) - bouguer_plate * h);
    }
  out.done = true;
  out.gravity_marks = static_cast<int>(anomaly.size());
  if (anomaly.empty() && type != HeightType::dynamic) type = HeightType::normal_orthometric;
  if (type == HeightType::normal_orthometric) anomaly = {};
  out.type = type;
  // Gravity at a height above a point of the line; without measurements that of the normal field.
  auto gravity = [&](double distance, double lat, double h) {
    return normal_gravity(lat, h) + (anomaly.empty() ? 0 : anomaly.at(distance) + bouguer_plate * h);
  };
  auto mean = [&](double distance, double lat, double h) {
    return type == HeightType::dynamic       ? gravity_45
           : type == HeightType::orthometric ? gravity(distance, lat, h) + helmert * h
                                             : mean_normal_gravity(lat, h);
  };
  const double first = mean(0, latitude.at(0), start) * start;
  double potential = first;
  LevelPoint last = run.points.front(); // as levelled
  for (std::size_t i = 1; i < run.points.size(); ++i) {
    LevelPoint &p = run.points[i];
    const double lat = latitude.at(p.distance), middle = (p.distance + last.distance) / 2;
    const double dn = p.difference - last.difference;
    const double here = potential + gravity(middle, latitude.at(middle), start + last.difference + dn / 2) * dn;
    double height = start + p.difference;
    for (int k = 0; k < 3; ++k) height = here / mean(p.distance, lat, height);
    const LevelPoint raw = p;
    p.difference = height - start;
    if (!p.turn) continue; // side shots hang beside the line
    potential = here;
    last = raw;
    out.correction = p.difference - raw.difference;
  }
  out.geopotential = potential - first;
  run.difference += out.correction;
  return out;
}

} // namespace ampletie
