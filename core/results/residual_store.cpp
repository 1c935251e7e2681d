#include "results/residual_store.h"
#include "base/angle.h"
#include <algorithm>

namespace ampletie {
namespace {
constexpr std::int16_t no_residual = INT16_MIN;
}

std::vector<std::uint8_t> packed_residuals(const std::vector<ResidualSample> &all, GpsTime first) {
  std::vector<std::uint8_t> out;
  out.reserve(all.size() * (10 + 2 * band_count));
  const auto put = [&](std::uint32_t v, int bytes) {
    for (int i = 0; i < bytes; ++i) out.push_back(static_cast<std::uint8_t>(v >> (8 * i)));
  };
  const auto small = [&](double v) {
    put(static_cast<std::uint16_t>(static_cast<std::int16_t>(std::clamp(std::lround(v), -32767L, 32767L))), 2);
  };
  for (const ResidualSample &r : all) {
    put(static_cast<std::uint32_t>((r.time.ns - first.ns) / 1000000), 4);
    put(static_cast<std::uint8_t>(r.sat.system), 1);
    put(static_cast<std::uint8_t>(r.sat.number), 1);
    small(degrees(static_cast<double>(r.elevation)) * 10);
    small(degrees(static_cast<double>(r.azimuth)) * 10);
    for (float x : r.residual)
      if (std::isfinite(x))
        small(static_cast<double>(x) * 1e4);
      else
        put(static_cast<std::uint16_t>(no_residual), 2);
  }
  return out;
}

std::vector<ResidualSample> unpacked_residuals(const std::vector<std::uint8_t> &bytes, GpsTime first) {
  constexpr std::size_t width = 10 + 2 * band_count;
  std::vector<ResidualSample> out(bytes.size() / width);
  std::size_t at = 0;
  const auto get = [&](int n) {
    std::uint32_t v = 0;
    for (int i = 0; i < n; ++i) v |= static_cast<std::uint32_t>(bytes[at++]) << (8 * i);
    return v;
  };
  const auto small = [&] { return static_cast<std::int16_t>(get(2)); };
  for (ResidualSample &r : out) {
    r.time.ns = first.ns + static_cast<std::int64_t>(static_cast<std::int32_t>(get(4))) * 1000000;
    r.sat.system = static_cast<char>(get(1));
    r.sat.number = static_cast<decltype(r.sat.number)>(get(1));
    r.elevation = static_cast<float>(radians(small() / 10.0));
    r.azimuth = static_cast<float>(radians(small() / 10.0));
    for (std::size_t b = 0; b < band_count; ++b)
      if (const std::int16_t x = small(); x != no_residual) r.residual[b] = static_cast<float>(x) * 1e-4F;
  }
  return out;
}

} // namespace ampletie
