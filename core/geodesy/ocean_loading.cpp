#include "geodesy/ocean_loading.h"
#include "geodesy/tidal_waves.h"
#include <algorithm>
#include <cmath>
#include <complex>

namespace ampletie {
namespace {
/// Columns of a file by order and rising frequency, and where each stands among the tidal waves.
struct MainWave {
  int order;
  std::size_t column;
  std::array<int, 5> multiples;
};
constexpr MainWave main_waves[] = {{2, 2, {-1, 0, 1, 0, 0}}, {2, 0, {0, 0, 0, 0, 0}},  {2, 1, {2, -2, 0, 0, 0}},
                                   {2, 3, {2, 0, 0, 0, 0}},  {1, 7, {-2, 0, 1, 0, 0}}, {1, 5, {-1, 0, 0, 0, 0}},
                                   {1, 6, {1, -2, 0, 0, 0}}, {1, 4, {1, 0, 0, 0, 0}},  {0, 10, {0, 2, 0, 0, 0}},
                                   {0, 9, {1, 0, -1, 0, 0}}, {0, 8, {2, 0, 0, 0, 0}}};

/// What a wave is worth in terms of the file's columns: two of them, weighted.
struct Share {
  std::array<std::size_t, 2> column;
  std::array<double, 2> weight;
};

std::vector<Share> interpolate() {
  struct Node {
    double speed, amplitude;
    std::size_t column;
  };
  std::array<std::vector<Node>, 3> nodes;
  for (const MainWave &m : main_waves)
    for (const TidalWave &w : tidal_waves())
      if (w.order == m.order && w.multiples == m.multiples)
        nodes[static_cast<std::size_t>(m.order)].push_back({w.speed(), std::abs(w.amplitude), m.column});
  std::vector<Share> out;
  for (const TidalWave &w : tidal_waves()) {
    const auto &list = nodes[static_cast<std::size_t>(w.order)];
    const auto after = std::find_if(list.begin(), list.end(), [&](const Node &n) { return n.speed >= w.speed(); });
    const Node &high = after == list.end() ? list.back() : *after, &low = after == list.begin() ? high : *(after - 1);
    const double gap = high.speed - low.speed, up = gap > 0 ? std::min(1.0, (w.speed() - low.speed) / gap) : 1;
    out.push_back(
        {{low.column, high.column}, {w.amplitude * (1 - up) / low.amplitude, w.amplitude * up / high.amplitude}});
  }
  return out;
}
} // namespace

Vec3 ocean_displacement(const OceanLoading &c, GpsTime t) {
  static const std::vector<Share> shares = interpolate();
  // All waves of a column turn together: Σ weight · exp(i θ), and the file's amplitude and phase come last.
  std::array<std::complex<double>, 11> turning{};
  const TidalArguments arguments = tidal_arguments(t);
  for (std::size_t k = 0; k < shares.size(); ++k) {
    const std::complex<double> z = std::polar(1.0, tidal_waves()[k].argument(arguments));
    for (std::size_t i = 0; i < 2; ++i) turning[shares[k].column[i]] += shares[k].weight[i] * z;
  }
  std::array<double, 3> sum{};
  for (std::size_t i = 0; i < 3; ++i)
    for (std::size_t k = 0; k < 11; ++k)
      sum[i] += c.amplitude[i][k] * std::real(turning[k] * std::polar(1.0, -c.phase[i][k]));
  return {-sum[1], -sum[2], sum[0]};
}

} // namespace ampletie
