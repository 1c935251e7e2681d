#include "formats/ntv2.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/shift_parts.h"
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr std::size_t ntv2_record = 16;

template <class T> T turned(T v) {
  char b[sizeof(T)];
  std::memcpy(b, &v, sizeof(T));
  std::reverse(std::begin(b), std::end(b));
  std::memcpy(&v, b, sizeof(T));
  return v;
}

class Ntv2Reader {
public:
  explicit Ntv2Reader(std::string_view bytes) : bytes_(bytes) {
    if (!looks_like_ntv2(bytes)) throw InputError("the file is no binary NTv2 grid");
    swap_ = number_at<std::int32_t>(8) != 11;
  }

  ShiftGrid read() {
    ShiftGrid out;
    long parts = 0;
    for (int i = 0; i < 11; ++i) {
      const std::string key = next_key();
      if (key == "NUM_FILE")
        parts = number_at<std::int32_t>(at_ + 8);
      else if (key == "GS_TYPE")
        unit_ = unit_of(text_at(at_ + 8));
      else if (key == "SYSTEM_F" || key == "DATUM_F")
        out.from = text_at(at_ + 8);
      else if (key == "SYSTEM_T" || key == "DATUM_T")
        out.to = text_at(at_ + 8);
      else if (key == "MAJOR_F")
        out.from_axis = number_at<double>(at_ + 8);
      at_ += ntv2_record;
    }
    if (parts < 1 || parts > 10000) throw InputError(fmt::format("the file says that it holds {} grids", parts));
    for (long i = 0; i < parts; ++i) out.parts.push_back(part());
    check_shift_parts(out.parts);
    out.name = out.from + " to " + out.to;
    return out;
  }

private:
  void need(std::size_t from, std::size_t size) const {
    if (from > bytes_.size() || size > bytes_.size() - from) throw InputError("the file is cut off");
  }
  template <class T> T number_at(std::size_t from) const {
    need(from, sizeof(T));
    T v;
    std::memcpy(&v, bytes_.data() + from, sizeof(T));
    return swap_ ? turned(v) : v;
  }
  std::string text_at(std::size_t from) const {
    need(from, 8);
    return printable(utf8_text(
        trimmed(bytes_.substr(from, 8).substr(0, std::min(bytes_.substr(from, 8).find('\0'), std::size_t{8})))));
  }
  std::string next_key() const {
    need(at_, ntv2_record);
    return text_at(at_);
  }
  static double unit_of(const std::string &name) {
    if (name == "SECONDS") return 1;
    if (name == "MINUTES") return 60;
    if (name == "DEGREES") return 3600;
    throw InputError("its shifts are in \"" + name + "\": seconds, minutes and degrees are read");
  }

  ShiftGrid::Part part() {
    ShiftGrid::Part p;
    double s = NAN, n = NAN, e = NAN, w = NAN, dlat = NAN, dlon = NAN;
    long count = -1;
    for (int i = 0; i < 11; ++i) {
      const std::string key = next_key();
      const std::pair<const char *, double *> numbers[] = {{"S_LAT", &s},  {"N_LAT", &n},      {"E_LONG", &e},
                                                           {"W_LONG", &w}, {"LAT_INC", &dlat}, {"LONG_INC", &dlon}};
      for (const auto &[name, value] : numbers)
        if (key == name) *value = number_at<double>(at_ + 8) * unit_ / 3600;
      if (key == "SUB_NAME")
        p.name = text_at(at_ + 8);
      else if (key == "PARENT")
        p.parent = text_at(at_ + 8);
      else if (key == "GS_COUNT")
        count = number_at<std::int32_t>(at_ + 8);
      at_ += ntv2_record;
    }
    if (p.parent == "NONE") p.parent.clear();
    // Longitudes of the file count to the west.
    const double rows = (n - s) / dlat + 1, columns = (w - e) / dlon + 1;
    if (!(dlat > 0 && dlon > 0 && rows >= 2 && columns >= 2 && rows < 1e5 && columns < 1e5 && s >= -90.001 &&
          n <= 90.001 && std::abs(e) <= 360.001 && std::abs(w) <= 360.001))
      throw InputError(fmt::format("the grid {} has corners or steps that cannot be", p.name));
    p.rows = static_cast<int>(std::lround(rows)), p.columns = static_cast<int>(std::lround(columns));
    if (std::abs(rows - p.rows) > 1e-3 || std::abs(columns - p.columns) > 1e-3 ||
        count != static_cast<long>(p.rows) * p.columns)
      throw InputError(fmt::format("the grid {} says that it has {} nodes, its corners and steps give {} × {}", p.name,
                                   count, p.rows, p.columns));
    nodes_ += static_cast<std::size_t>(count);
    if (nodes_ > most_shift_nodes) throw InputError("the file holds more than 16 million nodes");
    p.south = s, p.west = -w, p.step_lat = dlat, p.step_lon = dlon;
    read_nodes(p);
    return p;
  }

  void read_nodes(ShiftGrid::Part &p) {
    const auto wide = static_cast<std::size_t>(p.columns), all = wide * static_cast<std::size_t>(p.rows);
    need(at_, all * ntv2_record);
    p.lat.resize(all), p.lon.resize(all), p.accuracy.resize(all);
    bool any_accuracy = false;
    for (std::size_t i = 0; i < all; ++i, at_ += ntv2_record) {
      // From the south-east corner to the west, row by row.
      const std::size_t to = i / wide * wide + (wide - 1 - i % wide);
      float v[4];
      for (std::size_t k = 0; k < 4; ++k) v[k] = number_at<float>(at_ + 4 * k);
      for (int k = 0; k < 2; ++k)
        if (!std::isfinite(v[k]) || std::abs(static_cast<double>(v[k])) * unit_ > most_shift_s)
          throw InputError(fmt::format("the grid {} has a shift that cannot be at its node {}", p.name, i + 1));
      p.lat[to] = static_cast<float>(static_cast<double>(v[0]) * unit_),
      p.lon[to] = static_cast<float>(-static_cast<double>(v[1]) * unit_);
      // Agencies write metres or seconds there; the guide has metres. What is not stated is negative or nought.
      const double m = std::hypot(std::max(0.0, static_cast<double>(v[2])), std::max(0.0, static_cast<double>(v[3])));
      p.accuracy[to] = std::isfinite(m) && m < 100 ? static_cast<float>(m) : 0.0F;
      any_accuracy = any_accuracy || p.accuracy[to] > 0;
    }
    if (!any_accuracy) p.accuracy.clear();
  }

  std::string_view bytes_;
  bool swap_ = false;
  std::size_t at_ = 0, nodes_ = 0;
  double unit_ = 1;
};
} // namespace

bool looks_like_ntv2(std::string_view b) {
  if (b.size() < 32 || b.substr(0, 8) != "NUM_OREC") return false;
  std::int32_t n;
  std::memcpy(&n, b.data() + 8, 4);
  return n == 11 || turned(n) == 11;
}

std::optional<HeightGrid> heights_in(const ShiftGrid &grid) {
  constexpr float beyond_shifts = 20;
  if (grid.parts.size() != 1) return {};
  const ShiftGrid::Part &p = grid.parts.front();
  if (std::none_of(p.lat.begin(), p.lat.end(), [](float v) { return std::abs(v) > beyond_shifts; })) return {};
  HeightGrid out;
  out.name = grid.name;
  out.south = p.south, out.west = p.west, out.step_lat = p.step_lat, out.step_lon = p.step_lon;
  out.rows = p.rows, out.columns = p.columns, out.values = p.lat;
  check_grid_shape(out.south, out.west, out.step_lat, out.step_lon, out.rows, out.columns);
  check_grid_values(out);
  return out;
}

ShiftGrid read_ntv2(std::string_view bytes) { return Ntv2Reader(bytes).read(); }

} // namespace ampletie
