#pragma once
#include <Eigen/Core>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// Lines of a site as others drew them: what a plan shows behind its marks. No control: nothing is computed with it.
struct Linework {
  struct Line {
    std::string layer;
    std::vector<Eigen::Vector2d> points; ///< east, north; with `geographic` longitude, latitude in degrees
  };
  std::vector<Line> lines;
  std::string crs;         ///< code of the register, "EPSG:25833"; empty: the file says none, it is taken for the job's
  bool geographic = false; ///< coordinates are degrees
  double unit = 1;         ///< m, as the drawing states it; the coordinates are metres then
  bool unit_stated = false;    ///< else they are in the unit of their system
  std::size_t passed_over = 0; ///< points, texts, solids and what else is no line
};

constexpr std::size_t most_linework_points = 2'000'000;

/// Whether a text or file is a drawing (DXF as text), GeoJSON or a GeoPackage.
bool looks_like_linework(std::string_view bytes);
/// Reads lines, polylines, arcs, circles, splines and edges of areas (through GDAL, in a module that is loaded then).
/// Throws `InputError` for what cannot be read, holds no lines, or holds more than `most_linework_points`.
Linework read_linework(std::string_view bytes);

/// "412 lines on 7 layers, drawn behind the plan and used for nothing; in EPSG:25833; 30 points, texts or solids passed
/// over".
std::string linework_words(const Linework &l);

/// What the module does.
using LineworkModule = void(const char *bytes, std::size_t size, const char *driver, Linework &out);

} // namespace ampletie
