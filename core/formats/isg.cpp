// The form is that of the International Service for the Geoid (isgeoid.polimi.it, "ISG format" 1.0, 1.01, 2.0); its
// words from memory. Files write bounds as edges of their cells; those that write them as nodes are told by counting.
#include "base/error.h"
#include "base/text.h"
#include "formats/geoid_grid.h"
#include <cmath>
#include <fmt/format.h>
#include <map>

namespace ampletie {
namespace {
struct Head {
  struct Entry {
    std::string value;
    long line;
  };
  std::map<std::string, Entry> entries;
  long end = 0;

  [[noreturn]] void refuse(const std::string &key, const std::string &why) const {
    const auto it = entries.find(key);
    throw InputError({}, it == entries.end() ? end : it->second.line, why);
  }
  std::string word(const std::string &key) const {
    const auto it = entries.find(key);
    if (it == entries.end()) return {};
    const std::string v = lower(it->second.value);
    return v == "---" || v == "unknown" ? std::string() : v;
  }
  /// Decimal degrees, or degrees, minutes and seconds: 39°50'00".
  double degrees(const std::string &key) const {
    const auto it = entries.find(key);
    if (it == entries.end()) refuse(key, "the head says nothing of \"" + key + "\"");
    if (const auto v = parse_number(it->second.value)) return *v;
    std::string figures = it->second.value;
    bool negative = false;
    for (char &c : figures) {
      if (c == '-') negative = true;
      if (!std::isdigit(static_cast<unsigned char>(c)) && c != '.') c = ' ';
    }
    double out = 0, part = 1;
    int count = 0;
    for (std::string_view one : split(figures, ' ')) {
      if (one.empty()) continue;
      const auto v = parse_number(one);
      if (!v || ++count > 3) refuse(key, "\"" + it->second.value + "\" is no angle");
      out += *v * part, part /= 60;
    }
    if (count == 0) refuse(key, "\"" + it->second.value + "\" is no angle");
    return negative ? -out : out;
  }
  long count(const std::string &key) const {
    const auto it = entries.find(key);
    const auto v = it == entries.end() ? std::nullopt : parse_integer(it->second.value);
    if (!v) refuse(key, "the head needs a whole number for \"" + key + "\"");
    return *v;
  }
};

Head read_head(LineReader &lines) {
  Head h;
  std::string_view line;
  bool begun = false;
  while (lines.next(line)) {
    if (line.find("begin_of_head") != std::string_view::npos) begun = true;
    if (line.find("end_of_head") != std::string_view::npos) {
      h.end = lines.number();
      if (!begun) break;
      return h;
    }
    const auto at = line.find_first_of(":=");
    if (!begun || at == std::string_view::npos) continue;
    h.entries[lower(trimmed(line.substr(0, at)))] = {std::string(trimmed(line.substr(at + 1))), lines.number()};
  }
  throw InputError({}, lines.number(), "the head of an ISG grid has no end (\"end_of_head\")");
}

/// First node and step of an axis from its bounds, which are edges or nodes.
struct Axis {
  double first = 0, step = 0;
};
Axis axis_of(const Head &h, const char *name, long count) {
  const std::string least = std::string(name) + " min", most = std::string(name) + " max",
                    delta = std::string("delta ") + name;
  const double from = h.degrees(least), to = h.degrees(most), step = h.degrees(delta);
  const double steps = (to - from) / step;
  // Bounds are written with six decimals, or in seconds.
  const double slack = 0.05;
  if (std::abs(steps - static_cast<double>(count)) < slack)
    return {from + (to - from) / static_cast<double>(count) / 2, (to - from) / static_cast<double>(count)};
  if (std::abs(steps - static_cast<double>(count - 1)) < slack)
    return {from, (to - from) / static_cast<double>(count - 1)};
  h.refuse(delta, fmt::format("{} nodes do not fit between {:g}° and {:g}° at steps of {:g}°", count, from, to, step));
}

/// What cannot be read is refused before anything is.
double unit_of(const Head &h) {
  const auto only = [&](const char *key, std::initializer_list<const char *> words) {
    const std::string w = h.word(key);
    if (w.empty() || std::find(words.begin(), words.end(), w) != words.end()) return;
    h.refuse(key, fmt::format("{} \"{}\" is not read: only {}", key, w, *words.begin()));
  };
  only("data format", {"grid"});
  only("data ordering", {"n-to-s, w-to-e", "n-to-s,w-to-e"});
  only("coord type", {"geodetic"});
  only("coord units", {"deg", "dms", "degrees"});
  std::string unit = h.word("data units");
  const char *key = unit.empty() ? "units" : "data units";
  if (unit.empty()) unit = h.word("units");
  if (unit.empty() || unit == "meters" || unit == "metres" || unit == "m") return 1;
  if (unit == "feet") return 0.3048;
  h.refuse(key, "heights in \"" + unit + "\" are not read: metres or feet");
}
} // namespace

bool looks_like_isg(std::string_view text) {
  return text.substr(0, 8192).find("begin_of_head") != std::string_view::npos &&
         text.substr(0, 8192).find('\0') == std::string_view::npos;
}

HeightGrid read_isg(std::string_view text) {
  LineReader lines(text);
  const Head h = read_head(lines);
  const double unit = unit_of(h);
  HeightGrid g;
  const auto it = h.entries.find("model name");
  g.name = it == h.entries.end() || it->second.value.empty() ? "ISG grid" : it->second.value;
  g.surface = h.word("data type"), g.tide = h.word("tide system"), g.frame = h.word("ref frame");
  g.ellipsoid = h.word("ref ellipsoid").empty() ? h.word("reference") : h.word("ref ellipsoid");
  const long rows = h.count("nrows"), columns = h.count("ncols");
  if (rows < 2 || columns < 2 || rows > 1000000 || columns > 1000000)
    h.refuse("nrows", fmt::format("a grid of {} rows and {} columns", rows, columns));
  const Axis lat = axis_of(h, "lat", rows), lon = axis_of(h, "lon", columns);
  check_grid_shape(lat.first, lon.first, lat.step, lon.step, rows, columns);
  g.south = lat.first, g.west = lon.first > 180 ? lon.first - 360 : lon.first;
  g.step_lat = lat.step, g.step_lon = lon.step;
  g.rows = static_cast<int>(rows), g.columns = static_cast<int>(columns);
  const std::string missing = h.word("nodata");
  const auto none = missing.empty() ? std::optional<double>(-9999) : parse_number(missing);
  if (!none) h.refuse("nodata", "\"" + missing + "\" is no number");
  // A node takes two bytes at least: what promises more than there is would only fill the memory.
  const std::size_t nodes = static_cast<std::size_t>(rows) * static_cast<std::size_t>(columns);
  if (nodes > text.size())
    throw InputError({}, h.end, fmt::format("{} nodes are promised, the file has {} bytes", nodes, text.size()));
  g.values.assign(nodes, NAN);
  std::size_t count = 0;
  std::string_view line;
  while (lines.next(line))
    for (std::size_t at = line.find_first_not_of(" \t"); at != std::string_view::npos;) {
      const std::size_t end = std::min(line.find_first_of(" \t", at), line.size());
      const auto v = parse_number(line.substr(at, end - at));
      if (!v)
        throw InputError({}, lines.number(),
                         "\"" + std::string(line.substr(at, std::min<std::size_t>(end - at, 40))) + "\" is no number",
                         static_cast<long>(at) + 1);
      if (count == nodes)
        throw InputError({}, lines.number(),
                         fmt::format("more than the {} × {} values that the head promises", rows, columns));
      const std::size_t row = static_cast<std::size_t>(rows) - 1 - count / static_cast<std::size_t>(columns);
      if (std::abs(*v - *none) > 1e-3)
        g.values[row * static_cast<std::size_t>(columns) + count % static_cast<std::size_t>(columns)] =
            static_cast<float>(*v * unit);
      ++count;
      at = line.find_first_not_of(" \t", end);
    }
  if (count != nodes)
    throw InputError(
        {}, lines.number(),
        fmt::format("{} values of the {} × {} that the head promises: the file is cut off", count, rows, columns));
  check_grid_values(g);
  return g;
}

std::string write_isg(const HeightGrid &g) {
  constexpr double none = -9999;
  std::string out = "begin_of_head ================================================\n";
  const auto word = [&](const char *key, const std::string &value) {
    out += fmt::format("{:<14} : {}\n", key, value.empty() ? "---" : value);
  };
  const auto figure = [&](const char *key, double value) { out += fmt::format("{:<14} = {:>19.10f}\n", key, value); };
  word("model name", g.name);
  word("data type", g.surface);
  word("data units", "meters");
  word("data format", "grid");
  word("data ordering", "N-to-S, W-to-E");
  word("ref ellipsoid", g.ellipsoid);
  word("ref frame", g.frame);
  word("tide system", g.tide);
  word("coord type", "geodetic");
  word("coord units", "deg");
  figure("lat min", g.south - g.step_lat / 2);
  figure("lat max", g.north() + g.step_lat / 2);
  figure("lon min", g.west - g.step_lon / 2);
  figure("lon max", g.east() + g.step_lon / 2);
  figure("delta lat", g.step_lat);
  figure("delta lon", g.step_lon);
  out += fmt::format("{:<14} = {:>19}\n{:<14} = {:>19}\n{:<14} = {:>19.4f}\n{:<14} = {:>19}\n", "nrows", g.rows,
                     "ncols", g.columns, "nodata", none, "ISG format", "2.0");
  out += "end_of_head ==================================================\n";
  for (int row = g.rows - 1; row >= 0; --row)
    for (int column = 0; column < g.columns; ++column) {
      const float v = g.at(row, column);
      out +=
          fmt::format("{:.4f}{}", std::isnan(v) ? none : static_cast<double>(v), column + 1 == g.columns ? '\n' : ' ');
    }
  return out;
}

} // namespace ampletie
