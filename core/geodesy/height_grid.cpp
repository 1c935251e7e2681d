#include "geodesy/height_grid.h"
#include "base/angle.h"
#include "base/error.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {

const char *interpolation_name(GridInterpolation how) {
  return how == GridInterpolation::bilinear ? "bilinear" : "bicubic";
}

bool HeightGrid::around() const { return columns * step_lon > 360 - 0.01 * step_lon; }

std::string HeightGrid::extent_words() const {
  return fmt::format("latitude {:.4g}° to {:.4g}°, longitude {:.5g}° to {:.5g}°", south, north(), west, east());
}

void check_grid_shape(double south, double west, double step_lat, double step_lon, long rows, long columns) {
  const auto refuse = [](const std::string &why) { throw InputError("no grid of heights: " + why); };
  if (!(step_lat > 0) || !(step_lon > 0) || step_lat > 30 || step_lon > 30)
    refuse(fmt::format("its steps would be {:g}° and {:g}°", step_lat, step_lon));
  if (rows < 2 || columns < 2) refuse(fmt::format("it has {} rows and {} columns", rows, columns));
  if (static_cast<double>(rows) * static_cast<double>(columns) > static_cast<double>(most_grid_nodes))
    throw InputError(fmt::format("a grid of {} × {} nodes is too large for a job: cut out what is needed (ample cut)",
                                 rows, columns));
  if (!(south >= -90.001) || south + static_cast<double>(rows - 1) * step_lat > 90.001)
    refuse(fmt::format("it would go from latitude {:g}° to {:g}°", south,
                       south + static_cast<double>(rows - 1) * step_lat));
  if (!(west >= -360.001) || !(west <= 360.001) || static_cast<double>(columns - 1) * step_lon > 360 + 1.001 * step_lon)
    refuse(fmt::format("it would go from longitude {:g}° to {:g}°", west,
                       west + static_cast<double>(columns - 1) * step_lon));
}

void check_grid_values(const HeightGrid &grid) {
  constexpr float most = 120;
  bool any = false;
  for (int r = 0; r < grid.rows; ++r)
    for (int c = 0; c < grid.columns; ++c) {
      const float v = grid.at(r, c);
      if (std::isnan(v)) continue;
      any = true;
      if (!(std::abs(v) <= most))
        throw InputError(fmt::format("at latitude {:g}°, longitude {:g}° it holds {:g}: no geoid lies more than {:g} m "
                                     "from the ellipsoid. A model of the ground, another unit, or a damaged file",
                                     grid.south + r * grid.step_lat, grid.west + c * grid.step_lon, v, most));
    }
  if (!any) throw InputError("none of its nodes has a value");
}

namespace {
/// Where a place lies among the nodes, in steps from the first.
struct Place {
  double row = 0, column = 0;
  bool inside = false;
};

Place place_in(const HeightGrid &g, const Geodetic &at) {
  // A hair beyond the last node is rounding, not another place.
  constexpr double hair = 1e-9;
  Place p;
  p.row = (degrees(at.lat) - g.south) / g.step_lat;
  double beyond = std::fmod(degrees(at.lon) - g.west, 360.0);
  if (beyond < -hair) beyond += 360;
  if (beyond > 360 - hair) beyond -= 360;
  p.column = beyond / g.step_lon;
  p.inside = p.row >= -hair && p.row <= g.rows - 1 + hair && (g.around() || p.column <= g.columns - 1 + hair);
  p.row = std::clamp(p.row, 0.0, g.rows - 1.0);
  p.column = std::max(p.column, 0.0);
  if (!g.around()) p.column = std::min(p.column, g.columns - 1.0);
  return p;
}

/// Columns on a whole turn: some grids repeat the first one at the end.
int turn(const HeightGrid &g) { return static_cast<int>(std::lround(360 / g.step_lon)); }

int column_of(const HeightGrid &g, int column) {
  if (!g.around()) return column;
  const int n = turn(g);
  return ((column % n) + n) % n;
}

/// Four values in a row, those beyond the edge as Keys continues them, and the weights of his kernel.
double cubic(const double (&f)[4], double t) {
  const double a = -0.5 * f[0] + 1.5 * f[1] - 1.5 * f[2] + 0.5 * f[3];
  const double b = f[0] - 2.5 * f[1] + 2 * f[2] - 0.5 * f[3];
  return ((a * t + b) * t + 0.5 * (f[2] - f[0])) * t + f[1];
}

/// Fills what lies beyond the first or the last node from the three beside it.
void go_on(double (&f)[4], bool before, bool after) {
  if (before) f[0] = after ? 2 * f[1] - f[2] : 3 * f[1] - 3 * f[2] + f[3];
  if (after) f[3] = before ? 2 * f[2] - f[1] : 3 * f[2] - 3 * f[1] + f[0];
}
} // namespace

double height_in_grid(const HeightGrid &g, const Geodetic &at, GridInterpolation how) {
  const Place p = place_in(g, at);
  const auto where = [&] { return fmt::format("{:.4f}° {:.4f}°", degrees(at.lat), degrees(at.lon)); };
  if (!p.inside) throw InputError(fmt::format("{} lies outside the grid {} ({})", where(), g.name, g.extent_words()));
  const int r = std::min(static_cast<int>(p.row), g.rows - 2);
  const int c = g.around() ? static_cast<int>(p.column) : std::min(static_cast<int>(p.column), g.columns - 2);
  const double tr = p.row - r, tc = p.column - c;
  const auto node = [&](int row, int column) -> double { return g.at(row, column_of(g, column)); };
  if (how == GridInterpolation::bicubic) {
    double rows[4] = {}, values[4] = {};
    for (int i = 0; i < 4; ++i) {
      const int row = r - 1 + i;
      if (row < 0 || row >= g.rows) continue;
      for (int k = 0; k < 4; ++k) {
        const int column = c - 1 + k;
        if (g.around() || (column >= 0 && column < g.columns)) values[k] = node(row, column);
      }
      go_on(values, !g.around() && c == 0, !g.around() && c + 2 >= g.columns);
      rows[i] = cubic(values, tc);
    }
    go_on(rows, r == 0, r + 2 >= g.rows);
    if (const double v = cubic(rows, tr); std::isfinite(v)) return v;
  }
  // A node that does not count may be missing: at the edge of a model with gaps.
  double sum = 0;
  for (int i = 0; i < 2; ++i)
    for (int k = 0; k < 2; ++k) {
      const double w = (i ? tr : 1 - tr) * (k ? tc : 1 - tc);
      if (w > 1e-12) sum += w * node(r + i, c + k);
    }
  if (!std::isfinite(sum)) throw InputError(fmt::format("the grid {} has no value at {}", g.name, where()));
  return sum;
}

double distance_to_edge(const HeightGrid &g, const Geodetic &at) {
  const double lat = degrees(at.lat);
  const double up = radians(1) * meridian_radius(at.lat);
  const double across = radians(1) * prime_vertical_radius(at.lat) * std::cos(at.lat);
  double nearest = std::min(lat - g.south, g.north() - lat) * up;
  if (!g.around()) {
    // From the middle, so that a place beyond either end is outside by the smaller of the two ways.
    const double half = (g.east() - g.west) / 2;
    const double off = std::abs(std::remainder(degrees(at.lon) - (g.west + half), 360.0));
    nearest = std::min(nearest, (half - off) * across);
  }
  return nearest;
}

HeightGrid cut_out(const HeightGrid &g, const Geodetic &centre, double radius) {
  height_in_grid(g, centre, GridInterpolation::bilinear); // throws where the place is outside
  const Place p = place_in(g, centre);
  const double north = degrees(radius / meridian_radius(centre.lat)) / g.step_lat;
  const double across = prime_vertical_radius(centre.lat) * std::cos(centre.lat);
  const double most = g.columns / 2.0;
  const double east = across > radius ? std::min(degrees(radius / across) / g.step_lon, most) : most;
  constexpr int margin = 2;
  const int first_row = std::max(0, static_cast<int>(std::floor(p.row - north)) - margin);
  const int last_row = std::min(g.rows - 1, static_cast<int>(std::ceil(p.row + north)) + margin);
  int first = static_cast<int>(std::floor(p.column - east)) - margin;
  int last = static_cast<int>(std::ceil(p.column + east)) + margin;
  if (!g.around())
    first = std::max(first, 0), last = std::min(last, g.columns - 1);
  else if (last - first + 1 >= turn(g))
    first = 0, last = g.columns - 1; // all around
  HeightGrid out = g;
  out.rows = last_row - first_row + 1, out.columns = last - first + 1;
  out.south = g.south + first_row * g.step_lat;
  out.west = g.west + first * g.step_lon;
  if (out.west < -180) out.west += 360;
  out.values.clear();
  out.values.reserve(static_cast<std::size_t>(out.rows) * static_cast<std::size_t>(out.columns));
  for (int row = first_row; row <= last_row; ++row)
    for (int column = first; column <= last; ++column) out.values.push_back(g.at(row, column_of(g, column)));
  return out;
}

double permanent_tide(double lat, bool zero) {
  constexpr double k = 0.30;
  const double s = std::sin(lat), w = 0.099 - 0.296 * s * s;
  return (zero ? k : 1 + k) * w;
}

} // namespace ampletie
