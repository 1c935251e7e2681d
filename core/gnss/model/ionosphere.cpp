#include "gnss/model/ionosphere.h"
#include "base/angle.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {
constexpr double l1 = 1575.42e6, light = 299792458.0;

double in_map(const IonexFile &f, const IonexFile::Map &m, double lat, double lon) {
  const double y = (lat - f.lat_first) / f.lat_step;
  double turned = lon - f.lon_first;
  const double around = 360;
  turned -= around * std::floor(turned / around);
  double x = turned / f.lon_step;
  if (f.lon_step < 0) x = (turned - around) / f.lon_step;
  if (y < 0 || y > static_cast<double>(f.rows - 1) || x < 0 || x > static_cast<double>(f.columns - 1)) return NAN;
  const auto i = std::min(static_cast<std::size_t>(y), f.rows - 2),
             k = std::min(static_cast<std::size_t>(x), f.columns - 2);
  const double u = y - static_cast<double>(i), v = x - static_cast<double>(k);
  auto at = [&](std::size_t r, std::size_t c) { return static_cast<double>(m.tecu[r * f.columns + c]); };
  return at(i, k) * (1 - u) * (1 - v) + at(i + 1, k) * u * (1 - v) + at(i, k + 1) * (1 - u) * v +
         at(i + 1, k + 1) * u * v;
}
} // namespace

double IonexPrior::vertical(double lat, double lon, GpsTime t) const {
  for (const IonexFile &f : files_) {
    const auto next =
        std::upper_bound(f.maps.begin(), f.maps.end(), t, [](GpsTime x, const auto &m) { return x < m.time; });
    if (f.maps.size() == 1 && std::abs(t - f.maps[0].time) < 7200) return in_map(f, f.maps[0], lat, lon);
    if (next == f.maps.begin()) continue;
    if (next == f.maps.end() && t - f.maps.back().time > 1) continue;
    const auto b = next == f.maps.end() ? std::prev(next) : next, a = std::prev(b);
    const double u = (t - a->time) / (b->time - a->time), degrees_per_second = 360.0 / 86400;
    const double before = in_map(f, *a, lat, lon + (t - a->time) * degrees_per_second),
                 after = in_map(f, *b, lat, lon + (t - b->time) * degrees_per_second);
    return before * (1 - u) + after * u;
  }
  return NAN;
}

double IonexPrior::delay(double lat, double lon, double azimuth, double elevation, GpsTime t) const {
  if (files_.empty()) return 0;
  const IonexFile &f = files_.front();
  const double ratio = f.radius_m / (f.radius_m + f.height_m), sin_z = ratio * std::cos(elevation);
  const double psi = pi / 2 - elevation - std::asin(sin_z);
  const double lat_p = std::asin(std::sin(lat) * std::cos(psi) + std::cos(lat) * std::sin(psi) * std::cos(azimuth));
  const double lon_p = lon + std::asin(std::sin(psi) * std::sin(azimuth) / std::cos(lat_p));
  const double content = vertical(degrees(lat_p), degrees(lon_p), t);
  if (!std::isfinite(content)) return 0;
  return 40.3e16 * content / (l1 * l1) / std::sqrt(1 - sin_z * sin_z);
}

double BroadcastIonosphere::delay(double lat, double lon, double azimuth, double elevation, GpsTime t) const {
  if (c_.size() < 8) return 0;
  // Angles in half circles, as the document has them.
  const double e = elevation / pi, psi = 0.0137 / (e + 0.11) - 0.022;
  const double phi = std::clamp(lat / pi + psi * std::cos(azimuth), -0.416, 0.416);
  const double lambda = lon / pi + psi * std::sin(azimuth) / std::cos(phi * pi);
  const double magnetic = phi + 0.064 * std::cos((lambda - 1.617) * pi);
  double local = std::fmod(4.32e4 * lambda + t.time_of_week(), 86400.0);
  if (local < 0) local += 86400;
  double amplitude = 0, period = 0;
  for (int k = 3; k >= 0; --k) {
    amplitude = amplitude * magnetic + c_[static_cast<std::size_t>(k)];
    period = period * magnetic + c_[static_cast<std::size_t>(4 + k)];
  }
  amplitude = std::max(0.0, amplitude);
  period = std::max(72000.0, period);
  const double slant = 1 + 16 * std::pow(0.53 - e, 3), x = 2 * pi * (local - 50400) / period;
  const double vertical = std::abs(x) < 1.57 ? 5e-9 + amplitude * (1 - x * x / 2 + x * x * x * x / 24) : 5e-9;
  return light * slant * vertical;
}

} // namespace ampletie
