#include "sky/atmosphere.h"
#include "base/angle.h"

namespace ampletie::sky {
namespace {
constexpr double earth = 6371000;

} // namespace

Troposphere::Layer::Layer(double station_height, double scale) {
  const double r0 = earth + station_height, n = static_cast<double>(nearer.size());
  for (std::size_t i = 0; i < nearer.size(); ++i)
    nearer[i] = r0 / (r0 - scale * std::log(1 - (static_cast<double>(i) + 0.5) / n));
}

double Troposphere::Layer::obliquity(double elevation) const {
  const double ce = std::cos(elevation);
  double sum = 0;
  for (const double q : nearer) sum += 1 / std::sqrt(1 - q * ce * (q * ce));
  return sum / static_cast<double>(nearer.size());
}

Troposphere::Troposphere(double height, const Noise &noise, GpsTime start, double hours, std::uint64_t seed,
                         const std::string &station)
    : dry_(height, 7900), wet_(height, 2100), tilted_(height, 5000), start_(start) {
  Random day(seed, "weather of the day"), own(seed, "weather " + station + iso(start));
  const double sea_level = 1013 + 6 * day.normal(), moisture = 0.10 + 0.04 * day.uniform();
  const double pressure = sea_level * std::exp(-height / 8430.0) * (1 - height * height * 2e-10);
  // The scenario states differences between two stations: each station carries its share, 1/√2.
  dry_zenith_ = 0.0022768 * pressure * 1.0008 + 0.25 * noise.zenith_delay * own.normal();
  wet_zenith_ = moisture * std::exp(-height / 2100.0) + 0.66 * noise.zenith_delay * own.normal();
  Random slope(seed, "gradient " + station + iso(start));
  gradient_north_ = noise.gradient * slope.normal(), gradient_east_ = noise.gradient * slope.normal();
  double w = 0;
  for (double t = 0; t <= hours * 3600 + 600; t += 60) {
    walk_.push_back(w);
    w += noise.zenith_walk * std::sqrt(60.0 / 3600 / 2) * own.normal();
  }
}

double Troposphere::slant(double elevation, double azimuth, GpsTime t) const {
  const double s = std::max(0.0, (t - start_) / 60);
  const auto k = std::min(static_cast<std::size_t>(s), walk_.size() - 2);
  const double u = s - static_cast<double>(k);
  const double wet = wet_zenith_ + walk_[k] * (1 - u) + walk_[k + 1] * u;
  // A tilted layer: the zenith delay changes with the distance at which the ray passes it.
  const double tilt = std::cos(elevation) / std::sin(elevation) * tilted_.obliquity(elevation) *
                      (gradient_north_ * std::cos(azimuth) + gradient_east_ * std::sin(azimuth));
  return dry_zenith_ * dry_.obliquity(elevation) + wet * wet_.obliquity(elevation) + tilt;
}

Ionosphere::Ionosphere(double mean, double unevenness, double lat, double lon, GpsTime start, std::uint64_t seed)
    : mean_(mean), lat_(lat), lon_(lon), start_(start) {
  Random r(seed, "ionosphere");
  grad_lat_ = -unevenness * r.uniform(0.3, 1.2) * 1.11; // TECU per degree: up to 1.2 TECU per 100 km
  grad_lon_ = unevenness * r.uniform(-0.5, 0.5);
  for (auto &w : waves_) {
    const double length_deg = r.uniform(1.2, 2.6), heading = r.uniform(0, 2 * pi);
    w = {unevenness * r.uniform(0.15, 0.45), 2 * pi / length_deg * std::cos(heading),
         2 * pi / length_deg * std::sin(heading), r.uniform(900, 2400), r.uniform(0, 2 * pi)};
  }
}

double Ionosphere::slant(const Vec3 &receiver, const Vec3 &unit, double elevation, GpsTime t, double hz) const {
  const double shell = earth + 350000, r = receiver.norm(), b = receiver.dot(unit);
  const Vec3 pierce = receiver + unit * (-b + std::sqrt(b * b + shell * shell - r * r));
  const double lat = degrees(std::asin(pierce.z() / pierce.norm())), lon = degrees(std::atan2(pierce.y(), pierce.x()));
  // Counted from the place on, so that nothing jumps at the date line and waves are as long everywhere.
  const double east = std::remainder(lon - lon_, 360);
  const double dt = t - start_;
  double v = mean_ + grad_lat_ * (lat - lat_) + grad_lon_ * east + 3 * std::sin(2 * pi * dt / 86400);
  for (const Wave &w : waves_)
    v += w.amplitude *
         std::sin(w.k_lat * lat + w.k_lon * (14 + east) * std::cos(radians(lat)) - 2 * pi * dt / w.period + w.phase);
  const double c = earth / shell * std::cos(elevation);
  return 40.3e16 * std::max(0.5, v) / std::sqrt(1 - c * c) / (hz * hz);
}

} // namespace ampletie::sky
