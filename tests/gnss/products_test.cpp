// What precise products add: clock files, satellite antennas, ocean loading in the model of an occupation.
#include "base/angle.h"
#include "formats/observation_blocks.h"
#include "gnss/model/antenna_model.h"
#include "gnss/orbit/orbit.h"
#include "gnss/quality/diagnosis.h"
#include "gnss/quality/quality.h"
#include "support/strata.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

TEST_CASE("a satellite antenna seen from below, from the side, and by the Sun's side") {
  Antenna a;
  a.zenith_first = 0, a.zenith_last = 14, a.zenith_step = 1;
  AntennaFrequency f;
  f.offset_neu = {0.4, 0.1, 2.0};
  for (int k = 0; k <= 14; ++k) f.no_azimuth.push_back(0.001 * k);
  const Vec3 satellite(26.6e6, 0, 0), sun(0, 1.5e11, 0);
  // Right below: the antenna is 2 m nearer.
  CHECK(satellite_antenna_correction(a, f, satellite, Vec3(1, 0, 0), sun) == Approx(-2.0));
  // The Sun stands along +y: X points into its half space, so a line of sight with a part along y sees the X offset.
  const double nadir = radians(10);
  const Vec3 unit(std::cos(nadir), std::sin(nadir), 0);
  CHECK(satellite_antenna_correction(a, f, satellite, unit, sun) ==
        Approx(-2.0 * std::cos(nadir) + 0.4 * std::sin(nadir) + 0.010).margin(1e-6));
  // And turns with the Sun.
  CHECK(satellite_antenna_correction(a, f, satellite, unit, -sun) ==
        Approx(-2.0 * std::cos(nadir) - 0.4 * std::sin(nadir) + 0.010).margin(1e-6));
}

TEST_CASE("clock files are preferred to the clocks of the orbit file") {
  sky::Scenario s = scenario_of(stratum("long"), 41);
  const Judged j = judge(s);
  const Sp3File &orbits = j.campaign.orbits;
  const SatId sat = orbits.epochs[20].position.begin()->first;
  ClockFile clocks;
  for (const auto &e : orbits.epochs)
    if (const auto c = e.clock.find(sat); c != e.clock.end())
      clocks.satellites[sat].emplace_back(e.time, c->second + 1e-6);
  const PreciseOrbits without({orbits}), with({orbits}, {clocks});
  const GpsTime t = orbits.epochs[20].time + 70;
  const auto a = without.at(sat, t, t), b = with.at(sat, t, t);
  REQUIRE(a);
  REQUIRE(b);
  CHECK(b->clock - a->clock == Approx(1e-6).epsilon(1e-6));
  CHECK(a->position == b->position);
  // The velocity is the derivative of the position.
  const auto before = without.at(sat, t + -1.0, t), after = without.at(sat, t + 1.0, t);
  REQUIRE(before);
  REQUIRE(after);
  CHECK((a->velocity - (after->position - before->position) / 2).norm() < 1e-3);
}

TEST_CASE("on a line of hundreds of kilometres, satellite antennas and ocean loading move the vector as they should") {
  sky::Scenario s = scenario_of(stratum("long"), 42);
  const Judged j = judge(s);
  const PreciseOrbits orbits({j.campaign.orbits});
  const std::string rover = s.sessions[0].setups[1].mark;
  auto solve = [&](const ModelOptions &o, const OceanLoading *loading) {
    AntennaSetup base, other;
    other.loading = loading;
    const OccupationModel a = model_occupation(j.file("BASE", "s"), orbits, j.marker.at("BASE/s"), base, o, {}),
                          b = model_occupation(j.file(rover, "s"), orbits, j.marker.at(rover + "/s"), other, o, {});
    StaticOptions options;
    options.integers = false;
    return solve_static(a, b, orbits, options, {}, {}).d;
  };
  const Vec3 plain = solve({}, nullptr);
  const Mat3 axes = local_axes(to_geodetic(j.marker.at(rover + "/s")));
  // A constant displacement (a wave that hardly moves within hours) goes straight into the marker: observed − computed
  // shrinks by it.
  OceanLoading still;
  const GpsTime middle = s.start + 7200;
  still.amplitude[0][10] = 0.020;
  const double in_phase = ocean_displacement(still, middle).z();
  still.phase[0][10] = pi / 2;
  const double quadrature = ocean_displacement(still, middle).z(), at = std::hypot(in_phase, quadrature);
  still.phase[0][10] = std::atan2(quadrature, in_phase); // at its highest
  const Vec3 moved = axes * (solve({}, &still) - plain);
  CHECK(at > 0.015);
  CHECK(moved.z() == Approx(-at).margin(0.002));
  CHECK(moved.head<2>().norm() < 0.002);
  // Two metres towards the Earth on every satellite: seen under slightly different angles from both ends.
  std::vector<SatelliteAntenna> antennas;
  for (int n = 1; n <= 32; ++n) {
    SatelliteAntenna a;
    a.sat = {'G', static_cast<std::uint8_t>(n)};
    a.antenna.zenith_last = 14, a.antenna.zenith_step = 1;
    AntennaFrequency f;
    f.offset_neu = {0, 0, 2};
    f.no_azimuth.assign(15, 0);
    a.antenna.frequencies["G01"] = f;
    a.antenna.frequencies["G02"] = f;
    antennas.push_back(a);
  }
  ModelOptions o;
  o.satellite_antennas = &antennas;
  const double change = (solve(o, nullptr) - plain).norm();
  CHECK(change > 0.0005);
  CHECK(change < 0.05);
}

TEST_CASE("signal quality: strength is what the file says, multipath has no mean and the simulated size") {
  sky::Scenario s = scenario_of(stratum("short"), 43);
  const Judged j = judge(s);
  const ObservationFile &f = j.file("BASE", "s");
  const auto q = signal_quality(f, f.epochs.front().time, f.epochs.back().time, 30);
  REQUIRE(q.size() > 500);
  double square = 0, sum = 0;
  int n = 0;
  for (const QualitySample &x : q) {
    CHECK(x.strength > 20);
    CHECK(x.strength < 60);
    if (!std::isfinite(x.multipath)) continue;
    sum += static_cast<double>(x.multipath);
    square += static_cast<double>(x.multipath) * static_cast<double>(x.multipath);
    ++n;
  }
  REQUIRE(n > 400);
  CHECK(std::abs(sum / n) < 1e-3);
  // Code noise 0.3 m and multipath up to 1 m at low elevations (the simulator's settings).
  CHECK(std::sqrt(square / n) > 0.2);
  CHECK(std::sqrt(square / n) < 1.5);

  // In blocks of any size the same samples come.
  SignalQuality blocks(f.epochs.front().time, f.epochs.back().time, 30);
  for (std::size_t i = 0; i < f.epochs.size();) {
    ObservationFile block;
    static_cast<ObservationHeader &>(block) = f;
    for (const std::size_t end = std::min(f.epochs.size(), i + 77); i < end; ++i) append_epoch(block, f, f.epochs[i]);
    blocks.take(block);
  }
  const auto again = blocks.finish();
  REQUIRE(again.size() == q.size());
  for (std::size_t i = 0; i < q.size(); ++i) {
    CHECK(again[i].time == q[i].time);
    CHECK(again[i].sat == q[i].sat);
    CHECK(again[i].strength == q[i].strength);
    CHECK((again[i].multipath == q[i].multipath || (std::isnan(again[i].multipath) && std::isnan(q[i].multipath))));
  }
}

TEST_CASE("dilution of precision of a regular sky") {
  // One satellite overhead and three evenly spread at the horizon: plan 2/√3 (two axes), height by the mean of the
  // three.
  std::vector<std::pair<double, double>> sky{{0, pi / 2}, {0, 0}, {2 * pi / 3, 0}, {4 * pi / 3, 0}};
  const auto d = dilution(sky);
  REQUIRE(d);
  CHECK(d->plan == Approx(2 / std::sqrt(3.0)));
  CHECK(d->up == Approx(std::sqrt(4.0 / 3)));
  sky.resize(3);
  CHECK_FALSE(dilution(sky));
  CHECK_FALSE(dilution({{0, 0}, {1, 0}, {2, 0}, {3, 0}}));
}

TEST_CASE("a shut side of the sky is named, an open sky is not") {
  int named = 0, open = 0;
  for (const char *name : {"short", "obstructed"})
    for (std::uint64_t seed = 77000; seed < 77006; ++seed) {
      const sky::Scenario s = scenario_of(stratum(name), seed);
      const Judged j = judge(s);
      const BroadcastOrbits orbits(j.campaign.navigation);
      std::vector<OccupationModel> models;
      for (const char *mark : {"BASE", "R1"})
        models.push_back(
            model_occupation(j.file(mark, "s"), orbits, j.marker.at(std::string(mark) + "/s"), {}, {}, {}));
      const auto gap = obstructed_side(solve_static(models[0], models[1], orbits, {}, {}, {}));
      if (s.marks[1].obstructions.empty()) {
        open += !gap;
        continue;
      }
      // At least half of what is named is really shut, at one of the two ends.
      double shut = 0;
      for (int k = 0; gap && k < 360; ++k) {
        const double az = gap->from_deg + gap->width_deg() * k / 360;
        bool covered = false;
        for (const auto &m : {s.marks[0], s.marks[1]})
          for (const auto &o : m.obstructions) {
            double in = az - o.azimuth_from;
            in -= 360 * std::floor(in / 360);
            covered = covered || in < o.azimuth_to - o.azimuth_from;
          }
        shut += covered;
      }
      named += shut > 180;
    }
  CHECK(open == 6);
  CHECK(named >= 4);
}
