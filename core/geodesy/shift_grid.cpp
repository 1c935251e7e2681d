#include "geodesy/shift_grid.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/by_repetition.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr double edge = 1e-10; ///< degrees: places on the outermost line belong to it

std::string bounds(double a, double b, const char *plus, const char *minus) {
  const auto one = [&](double v) { return fmt::format("{:.2f}° {}", std::abs(v), v < 0 ? minus : plus); };
  return (a < 0) == (b < 0) ? fmt::format("{:.2f}° to {:.2f}° {}", std::abs(a), std::abs(b), a < 0 ? minus : plus)
                            : one(a) + " to " + one(b);
}
} // namespace

bool ShiftGrid::Part::holds(double lat_deg, double lon_deg) const {
  return lat_deg >= south - edge && lat_deg <= north() + edge && lon_deg >= west - edge && lon_deg <= east() + edge;
}

ShiftGrid::Cell ShiftGrid::cell(double lat, double lon) const {
  const Part *best = nullptr;
  for (const Part &p : parts)
    for (double turn : {0.0, 360.0, -360.0})
      if (p.holds(lat, lon + turn) && (!best || p.step_lat * p.step_lon < best->step_lat * best->step_lon)) best = &p;
  if (!best)
    throw InputError(
        fmt::format("the place {:.4f}, {:.4f} lies outside of {}, which holds {}", lat, lon, name, extent_words()));
  if (!best->holds(lat, lon)) lon += best->holds(lat, lon + 360) ? 360 : -360;
  const auto split = [](double v, int nodes) {
    const double i = std::clamp(std::floor(v), 0.0, static_cast<double>(nodes - 2));
    return std::pair(static_cast<std::size_t>(i), v - i);
  };
  const auto [row, y] = split((lat - best->south) / best->step_lat, best->rows);
  const auto [column, x] = split((lon - best->west) / best->step_lon, best->columns);
  const auto wide = static_cast<std::size_t>(best->columns), first = row * wide + column;
  return {
      best, {first, first + 1, first + wide, first + wide + 1}, {(1 - x) * (1 - y), x * (1 - y), (1 - x) * y, x * y}};
}

Geodetic ShiftGrid::forward(const Geodetic &at) const {
  const Cell c = cell(degrees(at.lat), degrees(at.lon));
  double lat = 0, lon = 0;
  for (int i = 0; i < 4; ++i)
    lat += c.weight[i] * static_cast<double>(c.part->lat[c.node[i]]),
        lon += c.weight[i] * static_cast<double>(c.part->lon[c.node[i]]);
  return {at.lat + lat * rad_per_arcsec, at.lon + lon * rad_per_arcsec, at.h};
}

Geodetic ShiftGrid::inverse(const Geodetic &at) const {
  if (const auto x = led_from(at, [&](const Geodetic &place) { return forward(place); })) return *x;
  throw InputError(name + " has no way back at this place: its shifts change too much there");
}

std::optional<double> ShiftGrid::accuracy_m(const Geodetic &at) const {
  const Cell c = cell(degrees(at.lat), degrees(at.lon));
  if (c.part->accuracy.empty()) return {};
  double m = 0;
  for (int i = 0; i < 4; ++i) m += c.weight[i] * static_cast<double>(c.part->accuracy[c.node[i]]);
  return m > 0 ? std::optional(m) : std::nullopt;
}

std::string ShiftGrid::extent_words() const {
  double s = 90, n = -90, w = 1e9, e = -1e9;
  for (const Part &p : parts)
    s = std::min(s, p.south), n = std::max(n, p.north()), w = std::min(w, p.west), e = std::max(e, p.east());
  return bounds(s, n, "north", "south") + ", " + bounds(w, e, "east", "west");
}

} // namespace ampletie
