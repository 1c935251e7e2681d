// Ocean loading: the waves against the Moon and the Sun themselves, their admittances, and what is interpolated.
#include "base/angle.h"
#include "geodesy/ocean_loading.h"
#include "geodesy/tidal_waves.h"
#include "geodesy/tide.h"
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;

namespace {
/// Degree-2 potential on the meridian of Greenwich by orders, without the function of latitude, any unit.
std::array<double, 3> potential(GpsTime t) {
  const SunMoon b = sun_and_moon(t);
  std::array<double, 3> out{};
  for (const auto &[x, mass] : {std::pair(b.moon, 1 / 81.3005678), std::pair(b.sun, 332946.0487)}) {
    const double r = x.norm(), sd = x.z() / r, cd = std::sqrt(1 - sd * sd), h = -std::atan2(x.y(), x.x());
    const double k = mass / (r * r * r);
    // Order 0 without what never changes.
    out[0] -= k * (3 * sd * sd - 1) / 2, out[1] += k * 2 * sd * cd * std::cos(h),
        out[2] += k * cd * cd * std::cos(2 * h);
  }
  return out;
}

constexpr std::array<int, 11> order{2, 2, 2, 2, 1, 1, 1, 1, 0, 0, 0};
/// Cartwright and Edden (1973), from memory, in the order of a loading file.
constexpr std::array<double, 11> published{0.63192, 0.29400, 0.12099, 0.07996, 0.36878, 0.26221,
                                           0.12203, 0.05020, 0.06661, 0.03518, 0.03099};
} // namespace

TEST_CASE("tidal waves have the amplitudes of Cartwright and Edden (1973)") {
  const std::array<std::array<int, 5>, 11> multiples{{{0, 0, 0, 0, 0},
                                                      {2, -2, 0, 0, 0},
                                                      {-1, 0, 1, 0, 0},
                                                      {2, 0, 0, 0, 0},
                                                      {1, 0, 0, 0, 0},
                                                      {-1, 0, 0, 0, 0},
                                                      {1, -2, 0, 0, 0},
                                                      {-2, 0, 1, 0, 0},
                                                      {2, 0, 0, 0, 0},
                                                      {1, 0, -1, 0, 0},
                                                      {0, 2, 0, 0, 0}}};
  // Their orders are normalised each in its own way: compared within an order, with its strongest wave.
  constexpr std::array<std::size_t, 3> strongest{8, 4, 0};
  auto amplitude = [&](std::size_t k) {
    for (const TidalWave &w : tidal_waves())
      if (w.order == order[k] && w.multiples == multiples[k]) return std::abs(w.amplitude);
    return 0.0;
  };
  for (std::size_t k = 0; k < 11; ++k) {
    INFO("column " << k);
    const std::size_t first = strongest[static_cast<std::size_t>(order[k])];
    CHECK(amplitude(k) / amplitude(first) == Approx(published[k] / published[first]).epsilon(0.012));
  }
}

TEST_CASE("an ocean that answers every wave alike moves the ground as the Moon and the Sun pull") {
  // With amplitudes in proportion to the published ones, and no lag, the displacement is the potential itself.
  for (int m = 0; m < 3; ++m) {
    OceanLoading c;
    for (std::size_t k = 0; k < 11; ++k)
      if (order[k] == m) c.amplitude[0][k] = published[k];
    std::vector<double> a, b;
    for (int k = 0; k < 800; ++k) {
      const GpsTime t = gps_time(Calendar{2008, 1, 1, 0, 0, 0}) + 86400.0 * 8.1237 * k;
      const auto order_of_it = static_cast<std::size_t>(m);
      // Over four and a half days, for the years of the node belong to the potential and to no tide.
      const GpsTime later = t + 86400.0 * 4.53;
      a.push_back(ocean_displacement(c, later).z() - ocean_displacement(c, t).z());
      b.push_back(potential(later)[order_of_it] - potential(t)[order_of_it]);
    }
    double aa = 0, ab = 0, bb = 0;
    for (std::size_t k = 0; k < a.size(); ++k) {
      aa += a[k] * a[k], ab += a[k] * b[k], bb += b[k] * b[k];
    }
    INFO("order " << m);
    CHECK(std::sqrt(1 - ab * ab / (aa * bb)) < (m == 0 ? 0.05 : 0.012));
    CHECK(ab > 0);
  }
}

TEST_CASE("the node's lines make M2 beat over the years by some per cent") {
  OceanLoading c;
  c.amplitude[0][0] = 0.010;
  double least = 1, most = 0;
  for (int year = 2010; year < 2029; ++year) {
    double high = 0;
    for (int k = 0; k < 50; ++k)
      high = std::max(high, ocean_displacement(c, gps_time(Calendar{year, 3, 1, 0, 0, 0}) + 900.0 * k).z());
    least = std::min(least, high), most = std::max(most, high);
  }
  CHECK(most / least > 1.05);
  CHECK(most < 0.0125);
}

TEST_CASE("a lag in the file turns the wave back, and west and south are east and north with the other sign") {
  OceanLoading c, late;
  c.amplitude[0] = {0.012, 0.004, 0.002, 0.001, 0.003, 0.002, 0.001, 0.0004, 0.0002, 0.0001, 0.0001};
  c.amplitude[1][0] = 0.002, c.amplitude[2][0] = 0.003;
  late = c;
  for (auto &row : late.phase) row.fill(pi);
  for (int k = 0; k < 40; ++k) {
    const GpsTime t = gps_time(Calendar{2026, 5, 12, 0, 0, 0}) + 1800.0 * k;
    CHECK((ocean_displacement(c, t) + ocean_displacement(late, t)).norm() < 1e-12);
    OceanLoading only;
    only.amplitude[0][0] = 0.010, only.amplitude[1][0] = 0.002, only.amplitude[2][0] = 0.003;
    const Vec3 d = ocean_displacement(only, t);
    CHECK(d.x() == Approx(-0.2 * d.z()).margin(1e-12));
    CHECK(d.y() == Approx(-0.3 * d.z()).margin(1e-12));
  }
}
