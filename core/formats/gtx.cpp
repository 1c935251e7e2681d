// The form is that which PROJ documents for its vertical grids (https://proj.org, "GTX").
#include "base/error.h"
#include "formats/geoid_grid.h"
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr std::size_t head_bytes = 40;
constexpr float no_value = -88.8888F;

template <class T> T high_byte_first(std::string_view bytes, std::size_t at) {
  using U = std::conditional_t<sizeof(T) == 8, std::uint64_t, std::uint32_t>;
  U v = 0;
  for (std::size_t i = 0; i < sizeof(T); ++i) v = v << 8 | static_cast<unsigned char>(bytes[at + i]);
  return std::bit_cast<T>(v);
}

template <class T> void put(std::string &out, T value) {
  using U = std::conditional_t<sizeof(T) == 8, std::uint64_t, std::uint32_t>;
  const U v = std::bit_cast<U>(value);
  for (std::size_t i = sizeof(T); i-- > 0;) out += static_cast<char>(v >> (8 * i) & 0xff);
}
} // namespace

bool looks_like_gtx(std::string_view bytes) {
  if (bytes.size() < head_bytes + 16) return false;
  const auto rows = high_byte_first<std::int32_t>(bytes, 32), columns = high_byte_first<std::int32_t>(bytes, 36);
  if (rows < 2 || columns < 2 || rows > 100000 || columns > 100000) return false;
  const double south = high_byte_first<double>(bytes, 0), step = high_byte_first<double>(bytes, 16);
  // A file that was cut off still has its head.
  return south >= -90.001 && south < 90 && step > 0 && step <= 30 && std::isfinite(high_byte_first<double>(bytes, 8)) &&
         high_byte_first<double>(bytes, 24) > 0;
}

HeightGrid read_gtx(std::string_view bytes) {
  if (bytes.size() < head_bytes)
    throw InputError("the head of a GTX grid has 40 bytes, the file " + std::to_string(bytes.size()));
  HeightGrid g;
  g.name = "GTX grid";
  g.south = high_byte_first<double>(bytes, 0), g.west = high_byte_first<double>(bytes, 8);
  g.step_lat = high_byte_first<double>(bytes, 16), g.step_lon = high_byte_first<double>(bytes, 24);
  g.rows = high_byte_first<std::int32_t>(bytes, 32), g.columns = high_byte_first<std::int32_t>(bytes, 36);
  check_grid_shape(g.south, g.west, g.step_lat, g.step_lon, g.rows, g.columns);
  const std::size_t nodes = static_cast<std::size_t>(g.rows) * static_cast<std::size_t>(g.columns);
  if (bytes.size() != head_bytes + 4 * nodes)
    throw InputError(fmt::format("a GTX grid of {} × {} nodes has {} bytes, the file {}: it is cut off, or something "
                                 "follows",
                                 g.rows, g.columns, head_bytes + 4 * nodes, bytes.size()));
  g.values.resize(nodes);
  for (std::size_t i = 0; i < nodes; ++i) {
    const float v = high_byte_first<float>(bytes, head_bytes + 4 * i);
    g.values[i] = std::abs(v - no_value) < 1e-3F ? NAN : v;
  }
  check_grid_values(g);
  if (g.west > 180) g.west -= 360;
  return g;
}

std::string write_gtx(const HeightGrid &g) {
  std::string out;
  out.reserve(head_bytes + 4 * g.values.size());
  for (double v : {g.south, g.west, g.step_lat, g.step_lon}) put(out, v);
  put(out, std::int32_t{g.rows});
  put(out, std::int32_t{g.columns});
  for (float v : g.values) put(out, std::isnan(v) ? no_value : v);
  return out;
}

} // namespace ampletie
