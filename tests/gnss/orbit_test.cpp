#include "formats/rinex_navigation.h"
#include "gnss/model/slips.h"
#include "gnss/orbit/orbit.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

namespace {
// EPH-01: satellite 06 of the RINEX 2.10 format document.
Ephemeris example() {
  Ephemeris e;
  e.sat = {'G', 6};
  e.af0 = -.839701388031e-3, e.af1 = -.165982783074e-10;
  e.crs = .934062500000e2, e.delta_n = .116040547840e-8, e.m0 = .162092304801;
  e.cuc = .484101474285e-5, e.ecc = .626740418375e-2, e.cus = .652112066746e-5, e.sqrt_a = .515365489006e4;
  e.cic = -.242143869400e-7, e.omega0 = .329237003460, e.cis = -.596046447754e-7;
  e.i0 = .111541663136e1, e.crc = .326593750000e3, e.omega = .206958726335e1, e.omega_dot = -.638312302555e-8;
  e.idot = .307155651409e-9;
  e.toe = e.toc = gps_time(1025, 409904);
  return e;
}
} // namespace

// The constant GM of the GPS interface document is used, as broadcast messages are fitted with it.
TEST_CASE("broadcast orbit and clock (EPH-01, IS-GPS-200)") {
  const Ephemeris e = example();
  const struct {
    double dt;
    Vec3 x;
    double clock;
  } rows[] = {{0, {-4237540.5365, -18156232.3155, 18685002.2951}, -839.703718},
              {3600, {-3756775.0239, -24662480.4504, 8735169.4698}, -839.770289},
              {-3600, {-8041595.7222, -8934690.1136, 23509423.2931}, -839.636509}};
  for (const auto &r : rows) {
    const SatelliteState s = evaluate(e, e.toe + r.dt);
    CHECK((s.position - r.x).norm() < 0.003);
    CHECK(s.clock * 1e6 == Approx(r.clock).margin(2e-5));
  }
}

TEST_CASE("the velocity is the derivative of the position") {
  const Ephemeris e = example();
  for (double dt : {-5000.0, 0.0, 1234.5, 6000.0}) {
    const Vec3 numeric = (evaluate(e, e.toe + dt + 0.5).position - evaluate(e, e.toe + dt + -0.5).position);
    CHECK((numeric - evaluate(e, e.toe + dt).velocity).norm() < 1e-4);
  }
}

TEST_CASE("the message closest to the epoch is used, unhealthy and old ones are not") {
  Ephemeris a = example(), b = a;
  b.toe = b.toc = a.toe + 7200.0;
  b.iode = 92;
  NavigationFile n;
  n.ephemerides = {b, a, a};
  const BroadcastOrbits orbits(n);
  CHECK(orbits.select({'G', 6}, a.toe + 1000.0)->iode == a.iode);
  CHECK(orbits.select({'G', 6}, a.toe + 5000.0)->iode == 92);
  CHECK(orbits.select({'G', 6}, a.toe + 7200.0 * 3) == nullptr);
  CHECK_FALSE(orbits.at({'G', 7}, a.toe, a.toe));
  a.health = 1;
  n.ephemerides = {a};
  CHECK_FALSE(BroadcastOrbits(n).at({'G', 6}, a.toe, a.toe));
}

TEST_CASE("precise orbits reproduce the motion between their epochs") {
  const Ephemeris e = example();
  Sp3File f;
  f.frame = "IGS20";
  for (int k = -12; k <= 12; ++k) {
    Sp3Epoch p;
    p.time = e.toe + 300.0 * k;
    const SatelliteState s = evaluate(e, p.time);
    p.position[e.sat] = s.position;
    p.clock[e.sat] = e.af0 + e.af1 * (p.time - e.toc);
    f.epochs.push_back(p);
  }
  const PreciseOrbits orbits({f});
  for (double dt : {-3000.0, -137.0, 0.0, 150.0, 2900.0}) {
    const auto s = orbits.at(e.sat, e.toe + dt, e.toe + dt);
    REQUIRE(s);
    const SatelliteState want = evaluate(e, e.toe + dt);
    CHECK((s->position - want.position).norm() < 1e-3);
    CHECK((s->velocity - want.velocity).norm() < 1e-3);
    // Two formulas for the eccentricity term: by the elements and by −2 r·v/c².
    CHECK(s->clock == Approx(want.clock).margin(2e-10));
  }
  CHECK_FALSE(orbits.at(e.sat, e.toe + 4000.0, e.toe));
  f.frame = "XYZ99";
  CHECK_THROWS(PreciseOrbits({f}));
}

TEST_CASE("of a satellite that two files of orbits cover, the first counts; the second fills what it lacks") {
  const Ephemeris e = example();
  const auto table = [&](int from, int to, double off, SatId other) {
    Sp3File f;
    f.frame = "IGS20";
    for (int k = from; k <= to; ++k) {
      Sp3Epoch p;
      p.time = e.toe + 300.0 * k;
      const SatelliteState s = evaluate(e, p.time);
      p.position[e.sat] = s.position + Vec3(off, 0, 0);
      p.clock[e.sat] = e.af0 + off * 1e-9;
      if (off > 0) p.position[other] = s.position, p.clock[other] = e.af0;
      f.epochs.push_back(p);
    }
    return f;
  };
  const SatId other{'C', 30};
  const Sp3File ripe = table(-12, 12, 0, other), raw = table(-24, 24, 0.5, other);
  const PreciseOrbits one({ripe}), both({ripe, raw}), exchanged({raw, ripe}), alone({raw});
  // Within the first file's span, a polynomial's length from its ends, nothing of the second is used.
  for (double dt : {-1400.0, 137.0, 1400.0}) {
    const GpsTime t = e.toe + dt;
    CHECK(both.at(e.sat, t, t)->position == one.at(e.sat, t, t)->position);
    CHECK(both.at(e.sat, t, t)->clock == one.at(e.sat, t, t)->clock);
    CHECK(exchanged.at(e.sat, t, t)->position == alone.at(e.sat, t, t)->position);
  }
  // Outside of it, and for satellites that the first lacks, the second serves.
  const GpsTime before = e.toe + -6900.0;
  CHECK_FALSE(one.at(e.sat, before, before));
  CHECK(both.at(e.sat, before, before));
  REQUIRE((both.at(other, e.toe, e.toe) && alone.at(other, e.toe, e.toe)));
  CHECK(both.at(other, e.toe, e.toe)->position == alone.at(other, e.toe, e.toe)->position);
}

// SIG-01: wavelengths.
TEST_CASE("carrier frequencies") {
  CHECK(speed_of_light / carrier_hz('G', '1') == Approx(0.190293673).margin(1e-9));
  CHECK(speed_of_light / carrier_hz('G', '2') == Approx(0.244210213).margin(1e-9));
  CHECK(speed_of_light / carrier_hz('E', '5') == Approx(0.254828049).margin(1e-9));
  CHECK(speed_of_light / (carrier_hz('G', '1') - carrier_hz('G', '2')) == Approx(0.8619184).margin(1e-7));
}

TEST_CASE("single receivers see slips, and are quiet without them") {
  std::mt19937_64 random(11);
  std::normal_distribution<double> n;
  const double f1 = 1575.42e6, f2 = 1227.60e6, l1 = speed_of_light / f1, l2 = speed_of_light / f2;
  int false_alarms = 0, missed = 0, slips = 0;
  for (int track = 0; track < 60; ++track) {
    SlipDetector d;
    double n1 = 0, n2 = 0;
    for (int k = 0; k < 240; ++k) {
      const double range = 2.2e7 + 600 * k, iono = 3 + 0.002 * k;
      // One cycle on both carriers, the hardest of the small ones for the geometry-free combination alone.
      const bool slip = k == 120 && track % 2;
      if (slip) n1 += 3, n2 += 1;
      SlipDetector::Epoch e;
      e.count = 2;
      e.hz = {f1, f2};
      e.phase = {range - iono + l1 * n1 + 0.003 * n(random), range - 1.647 * iono + l2 * n2 + 0.003 * n(random)};
      e.code = {range + iono + 0.4 * n(random), range + 1.647 * iono + 0.4 * n(random)};
      const bool seen = d.slipped(e, 15, 0.7) != 0;
      slips += slip;
      missed += slip && !seen;
      false_alarms += !slip && seen;
    }
  }
  CHECK(slips == 30);
  CHECK(missed == 0);
  CHECK(false_alarms == 0);
}
