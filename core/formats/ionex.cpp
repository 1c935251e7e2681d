#include "formats/ionex.h"
#include "formats/rinex_header.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
using namespace rinex;

namespace {
std::size_t count(double first, double last, double step, long at) {
  if (step == 0 || (last - first) / step < 0 || (last - first) / step > 2000)
    throw InputError({}, at, "the grid of the maps is impossible");
  return static_cast<std::size_t>(std::lround((last - first) / step)) + 1;
}
} // namespace

IonexFile read_ionex(std::string_view text_in) {
  IonexFile f;
  LineReader in(text_in);
  std::string_view line;
  if (!in.next(line) || label(line) != "IONEX VERSION / TYPE" || field(line, 20, 1) != "I")
    throw InputError({}, 1, "not an IONEX file");
  const double version = number(line, 0, 8, 1, "the version");
  if (version < 1 || version >= 1.2)
    throw InputError({}, 1, fmt::format("IONEX {:.1f} is not read; 1.0 and 1.1 are", version));
  bool header = true, skipping = false;
  int exponent = -1;
  IonexFile::Map *map = nullptr;
  std::size_t row = 0, column = 0;
  while (in.next(line)) {
    const long at = in.number();
    const auto name = label(line);
    if (name == "COMMENT") continue;
    if (name == "EXPONENT") {
      exponent = whole(line, 0, 6, at, "the exponent");
      if (std::abs(exponent) > 6) throw InputError({}, at, "the exponent is impossible");
      continue;
    }
    if (header) {
      if (name == "MAP DIMENSION" && whole(line, 0, 6, at, "the dimension") != 2)
        throw InputError({}, at, "only maps of one shell are read");
      if (name == "BASE RADIUS") f.radius_m = 1000 * number(line, 0, 8, at, "the radius");
      if (name == "HGT1 / HGT2 / DHGT") f.height_m = 1000 * number(line, 2, 6, at, "the height");
      if (name == "LAT1 / LAT2 / DLAT") {
        f.lat_first = number(line, 2, 6, at, "the first latitude"), f.lat_step = number(line, 14, 6, at, "the step");
        f.rows = count(f.lat_first, number(line, 8, 6, at, "the last latitude"), f.lat_step, at);
      }
      if (name == "LON1 / LON2 / DLON") {
        f.lon_first = number(line, 2, 6, at, "the first longitude"), f.lon_step = number(line, 14, 6, at, "the step");
        f.columns = count(f.lon_first, number(line, 8, 6, at, "the last longitude"), f.lon_step, at);
      }
      if (name == "END OF HEADER") {
        header = false;
        if (f.rows < 2 || f.columns < 2) throw InputError({}, at, "the header does not tell the grid of the maps");
      }
      continue;
    }
    if (name == "START OF TEC MAP") {
      // Five characters stand for a value: a header that promises more than the text holds is not believed.
      if ((f.maps.size() + 1) * f.rows * f.columns > text_in.size() / 5 + f.columns)
        throw InputError({}, at, "the grid of the maps is larger than what the file holds");
      map = &f.maps.emplace_back();
      map->tecu.assign(f.rows * f.columns, NAN);
      row = f.rows, column = f.columns; // no row begun
    } else if (name == "START OF RMS MAP" || name == "START OF HEIGHT MAP") {
      skipping = true;
    } else if (name == "END OF RMS MAP" || name == "END OF HEIGHT MAP") {
      skipping = false;
    } else if (skipping) {
    } else if (name == "END OF TEC MAP") {
      map = nullptr;
    } else if (map && name == "EPOCH OF CURRENT MAP") {
      map->time = header_time(line, at); // UT in the format; 18 s do not matter to a map
      if (f.maps.size() > 1 && map->time <= f.maps[f.maps.size() - 2].time)
        throw InputError({}, at, "the map is not later than the one before it");
    } else if (map && name == "LAT/LON1/LON2/DLON/H") {
      const double k = (number(line, 2, 6, at, "the latitude") - f.lat_first) / f.lat_step;
      if (k < -0.01 || k > static_cast<double>(f.rows) - 0.99) throw InputError({}, at, "a latitude outside the grid");
      row = static_cast<std::size_t>(std::lround(k)), column = 0;
    } else if (map && row < f.rows) {
      for (std::size_t i = 0; i * 5 < line.size() && column < f.columns; ++i) {
        const auto value = field(line, 5 * i, 5);
        if (trimmed(value).empty()) break;
        const auto v = parse_integer(value);
        if (!v) throw InputError({}, at, "a value of the map is not a number", static_cast<long>(5 * i) + 1);
        if (*v != 9999)
          map->tecu[row * f.columns + column] = static_cast<float>(static_cast<double>(*v) * std::pow(10, exponent));
        ++column;
      }
    }
  }
  if (header) throw InputError({}, in.number(), "the header does not end: the file is cut off");
  if (map || f.maps.empty()) throw InputError({}, in.number(), "the file ends inside a map, or holds none");
  return f;
}

} // namespace ampletie
