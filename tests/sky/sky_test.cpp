#include "base/error.h"
#include "base/text.h"
#include "formats/antex.h"
#include "geodesy/ellipsoid.h"
#include "sky/atmosphere.h"
#include "sky/orbits.h"
#include "sky/sky.h"
#include <Eigen/Geometry>
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;
using namespace ampletie::sky;

namespace {
const GpsTime start = gps_time(Calendar{2026, 5, 12, 8, 0, 0});
Scenario demo() { return read_scenario(read_file(AMPLETIE_SOURCE_DIR "/demo/scenario.json")); }
} // namespace

TEST_CASE("satellites move as gravity says") {
  const Orbits o(start, start + 7200.0, 3);
  REQUIRE(o.satellites().size() == 54);
  constexpr double omega = 7.2921151467e-5, mu = 3.986004415e14;
  for (std::size_t i : {std::size_t{0}, std::size_t{17}, std::size_t{40}}) {
    // Energy of the point mass is kept to the size of the oblateness: J2 (R/r)² is 6e-5 of it, twice that over a half
    // turn.
    auto energy = [&](GpsTime t) {
      const auto s = o.earth_fixed(i, t);
      const Vec3 v = s.velocity + Vec3(0, 0, omega).cross(s.position);
      return v.squaredNorm() / 2 - mu / s.position.norm();
    };
    CHECK(energy(start + 7000.0) == Approx(energy(start)).epsilon(1.5e-4));
    // The velocity is the derivative of the position, also between the integration steps.
    for (double t : {1000.0, 1013.7, 4444.4}) {
      const Vec3 numeric = o.earth_fixed(i, start + (t + 0.5)).position - o.earth_fixed(i, start + (t - 0.5)).position;
      CHECK((numeric - o.earth_fixed(i, start + t).velocity).norm() < 2e-3);
    }
    const double height = o.earth_fixed(i, start).position.norm();
    CHECK(height > 2.6e7);
    CHECK(height < 3.0e7);
  }
  CHECK(o.sun(start).norm() == Approx(1.51e11).epsilon(0.02));
  CHECK(o.moon(start).norm() == Approx(3.84e8).epsilon(0.08));
}

TEST_CASE("fitted broadcast elements miss the truth by about a metre, smoothly") {
  const Orbits o(start + -3 * 3600.0, start + 4 * 3600.0, 11);
  const Clocks c(o.satellites().size(), start + -3 * 3600.0, start + 4 * 3600.0, 11);
  double square = 0;
  int n = 0;
  for (std::size_t i = 0; i < o.satellites().size(); i += 5) {
    const Ephemeris e = fit_broadcast(o, c, i, start, 1.0, 11);
    CHECK(e.ecc > 0);
    CHECK(e.ecc < 0.05);
    // Without the deliberate error the fit itself is good to decimetres.
    const Ephemeris exact = fit_broadcast(o, c, i, start, 0.0, 11);
    CHECK(exact.sqrt_a == Approx(e.sqrt_a).epsilon(1e-5));
    square += std::pow(exact.af0 - c.offset(i, start), 2);
    ++n;
    CHECK(std::abs(e.toe - start) < 1e-9);
  }
  // One nanosecond of broadcast clock error, plus what a straight line leaves of the clock's noise.
  CHECK(std::sqrt(square / n) < 3e-9);
  CHECK(std::sqrt(square / n) > 2e-10);
}

TEST_CASE("the troposphere differs between stations and walks, by what the scenario says") {
  Noise noise;
  double square = 0, walk = 0;
  const int n = 400;
  for (int k = 0; k < n; ++k) {
    const auto seed = static_cast<std::uint64_t>(1000 + k);
    const Troposphere a(300, noise, start, 1, seed, "A"), b(300, noise, start, 1, seed, "B");
    const double at0 = a.slant(M_PI / 2, 0, start) - b.slant(M_PI / 2, 0, start);
    const double at1 = a.slant(M_PI / 2, 0, start + 3600.0) - b.slant(M_PI / 2, 0, start + 3600.0);
    square += at0 * at0;
    walk += (at1 - at0) * (at1 - at0);
  }
  CHECK(std::sqrt(square / n) == Approx(noise.zenith_delay).epsilon(0.12));
  CHECK(std::sqrt(walk / n) == Approx(noise.zenith_walk).epsilon(0.12));
  // A ray at 30 degrees is twice as long, less the Earth's curvature.
  const Troposphere t(300, noise, start, 1, 5, "A");
  const double ratio = t.slant(M_PI / 6, 0, start) / t.slant(M_PI / 2, 0, start);
  CHECK(ratio > 1.98);
  CHECK(ratio < 2.0);
  CHECK(t.slant(M_PI / 2, 0, start) > 2.1);
  CHECK(t.slant(M_PI / 2, 0, start) < 2.6);
}

TEST_CASE("the ionosphere delays by frequency squared and differs by parts per million of distance") {
  const Ionosphere io(18, 1, 46, 14, start, 4207);
  const Vec3 a = to_cartesian({0.808, 0.242, 500}), up = a.normalized();
  const double l1 = io.slant(a, up, M_PI / 2, start, 1575.42e6), l2 = io.slant(a, up, M_PI / 2, start, 1227.60e6);
  CHECK(l2 / l1 == Approx(1.646944).epsilon(1e-5));
  CHECK(l1 > 1);
  CHECK(l1 < 6);
  double largest = 0;
  for (int k = 0; k < 40; ++k) {
    const GpsTime t = start + 90.0 * k;
    const Vec3 b = to_cartesian({0.808 + 12000 / 6371000.0, 0.242, 500});
    largest = std::max(largest, std::abs(io.slant(b, b.normalized(), M_PI / 2, t, 1575.42e6) -
                                         io.slant(a, up, M_PI / 2, t, 1575.42e6)) /
                                    12000);
  }
  CHECK(largest > 0.5e-6);
  CHECK(largest < 6e-6);
}

TEST_CASE("multipath has unit variance and its correlation time") {
  Random r(1, "test");
  double square = 0, lagged = 0;
  int n = 0;
  for (int track = 0; track < 300; ++track) {
    Multipath m(300, 450, 0.1, r);
    double before = m.step(15, r);
    for (int k = 0; k < 100; ++k) {
      const double now = m.step(15, r);
      square += now * now;
      lagged += now * before;
      before = now;
      ++n;
    }
  }
  CHECK(square / n == Approx(1).epsilon(0.1));
  // exp(−15/300) × (0.9 cos(2π 15/450) + 0.1)
  CHECK(lagged / square == Approx(std::exp(-0.05) * (0.9 * std::cos(2 * M_PI * 15 / 450) + 0.1)).epsilon(0.02));
}

TEST_CASE("a campaign: files agree with the truth file where they can be compared") {
  Scenario s = demo();
  s.sessions.resize(1);
  s.sessions[0].hours = 0.2;
  s.sessions[0].setups.resize(3);
  const Campaign c = simulate(s);
  REQUIRE(c.receivers.size() == 3);
  CHECK(c.navigation.ephemerides.size() >= 54);
  CHECK(c.antennas.receivers.size() == 2);
  CHECK(c.control_csv.find("REFA,") != std::string::npos);
  CHECK(c.control_csv.find("PN1,") == std::string::npos);
  for (const auto &r : c.receivers) {
    CHECK(r.data.epochs.size() == 48);
    for (const auto &e : r.data.epochs) CHECK(e.count >= 8);
    for (const auto &rec : r.data.records) {
      const Observable &code = r.data.values[rec.first];
      CHECK(code.value > 1.9e7);
      CHECK(code.value < 3.2e7);
    }
  }
  // The calibration file tells what the signals went through: offset up at the zenith.
  const Antenna &a = c.antennas.receivers[1];
  CHECK(antenna_correction(a, a.frequencies.at("G01"), 0, M_PI / 2) ==
        Approx(-s.antennas[1].bands[0].offset.z()).margin(2e-3));
}

TEST_CASE("scenarios that cannot be are refused") {
  const std::string good = read_file(AMPLETIE_SOURCE_DIR "/demo/scenario.json");
  auto with = [&](const std::string &a, const std::string &b) {
    std::string s = good;
    s.replace(s.find(a), a.size(), b);
    return s;
  };
  CHECK_NOTHROW(read_scenario(good));
  CHECK_THROWS_AS(read_scenario(with("\"seed\"", "\"sead\"")), InputError);
  CHECK_THROWS_AS(read_scenario(with("2026-05-12T08:00:00", "yesterday")), InputError);
  CHECK_THROWS_AS(read_scenario(with("\"hours\": 1", "\"hours\": -1")), InputError);
  CHECK_THROWS_AS(read_scenario(with("\"name\": \"PN1\"", "\"name\": \"PS1\"")), InputError);
  CHECK_THROWS_AS(read_scenario(with("\"antenna\": \"TESSEL T4       NONE\"", "\"antenna\": \"NOBODY\"")), InputError);
}

TEST_CASE("a route is continuous with its velocity, and at rest where it rests") {
  ampletie::sky::Route r;
  r.points = {{0, {0, 0, 0}},     {10, {0, 0, 0}},    {30, {100, 40, 2}},
              {50, {240, 10, 1}}, {60, {240, 10, 1}}, {80, {300, 0, 0}}};
  for (double t = 0.5; t < 79; t += 0.5) {
    const ampletie::Vec3 before = (r.at(t) - r.at(t - 1e-4)) / 1e-4, after = (r.at(t + 1e-4) - r.at(t)) / 1e-4;
    CHECK((before - after).norm() < 0.02);
  }
  CHECK(r.at(7) == r.at(3));
  CHECK(r.rests(55));
  CHECK_FALSE(r.rests(40));
  CHECK(r.at(30) == ampletie::Vec3(100, 40, 2));
  CHECK(r.highest() == 2);
}
