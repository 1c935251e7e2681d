#include "geodesy/coast.h"
#include "base/angle.h"
#include <bitset>
#include <cmath>
#include <limits>

namespace ampletie {
namespace {

constexpr int rows = 360, columns = 720;
constexpr double cell = 0.5 * rad_per_deg, earth_radius = 6371e3, reach = 800e3;

/// True at sea.
const std::bitset<rows * columns> &sea() {
  static const std::bitset<rows *columns> cells = [] {
    std::bitset<rows * columns> out;
    std::size_t at = 0;
    bool water = true;
    for (unsigned i = 0; i < detail::coast_run_count; ++i, water = !water)
      for (unsigned k = 0; k < detail::coast_runs[i] && at < out.size(); ++k) out[at++] = water;
    return out;
  }();
  return cells;
}

} // namespace

double distance_to_sea(double lat, double lon) {
  const auto &water = sea();
  auto at = [&](int r, int c) {
    return water[static_cast<std::size_t>(r) * columns + static_cast<std::size_t>(((c % columns) + columns) % columns)];
  };
  const int row = std::min(rows - 1, std::max(0, static_cast<int>((lat + pi / 2) / cell)));
  const int column = static_cast<int>(std::floor((std::remainder(lon, 2 * pi) + pi) / cell));
  if (at(row, column)) return 0;
  const int span = static_cast<int>(reach / (earth_radius * cell)) + 1;
  double best = std::numeric_limits<double>::infinity();
  for (int r = std::max(0, row - span); r <= std::min(rows - 1, row + span); ++r) {
    const double there = -pi / 2 + (r + 0.5) * cell;
    const int wide = std::min(columns / 2, static_cast<int>(span / std::max(0.02, std::cos(there))) + 1);
    for (int c = column - wide; c <= column + wide; ++c) {
      if (!at(r, c)) continue;
      const double dlon = -pi + (c + 0.5) * cell - lon;
      const double h =
          std::pow(std::sin((there - lat) / 2), 2) + std::cos(lat) * std::cos(there) * std::pow(std::sin(dlon / 2), 2);
      best = std::min(best, 2 * earth_radius * std::asin(std::sqrt(std::min(1.0, h))));
    }
  }
  // To the edge of the cell, not to its middle.
  return best > reach ? std::numeric_limits<double>::infinity() : std::max(0.0, best - 0.3 * cell * earth_radius);
}

} // namespace ampletie
