// From the stand-in's field book to reduced sets: errors against the truth and against what is printed.
#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include "station/station.h"
#include "traverse/distance.h"
#include "traverse/field_book.h"
#include "traverse/sets.h"
#include <catch2/catch.hpp>

using namespace ampletie;

namespace {

station::Scenario campaign(std::uint64_t seed) {
  station::Scenario s;
  s.seed = seed;
  s.marks = {{"A", 46.3000, 13.9000, 500, 0, 0},
             {"B", 46.3031, 13.9042, 560, 0, 0},
             {"C", 46.2982, 13.9061, 480, 0, 0},
             {"D", 46.3012, 13.8951, 530, 0, 0}};
  s.centring_mm = s.target_mm = s.height_mm = 0; // the set-up's own errors are not what sets show
  station::Setup u;
  u.mark = "A", u.sets = 3;
  u.targets = {{"B", "orientation"}, {"C", "detail"}, {"D", "detail"}};
  s.jobs = {{"f.txt", "T1", "TS3", "2026-05-15", seed % 2 ? "gon" : "deg", {u}}};
  return s;
}

InstrumentStandard card(const station::Scenario &s) {
  InstrumentStandard i;
  i.direction = i.zenith = s.direction_s * rad_per_arcsec / std::sqrt(2.0); // of a pair of faces
  i.distance = 1e-3 * s.distance_mm, i.distance_ppm = 1e-6 * s.distance_ppm;
  i.pointing = 1e-3 * s.pointing_mm / std::sqrt(2.0);
  return i;
}

Vec3 seen(const station::Scenario &s, std::size_t to) {
  const auto &a = s.marks[0], &b = s.marks[to];
  const Geodetic p{radians(a.lat), radians(a.lon), a.h + 1.5}, q{radians(b.lat), radians(b.lon), b.h + 1.3};
  return local_axes(p) * (to_cartesian(q) - to_cartesian(p));
}

} // namespace

TEST_CASE("from the field book to means of sets: errors agree with what is printed") {
  double direction = 0, zenith = 0;
  int n = 0, spreads = 0, wide = 0;
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    const station::Scenario s = campaign(300 + seed);
    const FieldBook b =
        read_field_book(shipped_pointing_recipes()[0], station::simulate(s).files.front().text, "source");
    REQUIRE(b.setups.size() == 1);
    REQUIRE(b.troubles.empty());
    REQUIRE(b.reading.unread == 0);
    const SetReduction r = reduce_sets(b.setups[0], card(s));
    REQUIRE(r.targets.size() == 3);
    CHECK(r.collimation / rad_per_arcsec == Approx(-s.collimation_s).margin(4));
    CHECK(r.index / rad_per_arcsec == Approx(-s.index_s).margin(4));
    const Vec3 first = seen(s, 1);
    for (std::size_t t = 1; t < 3; ++t) {
      const TargetMean &m = r.targets[t];
      const Vec3 d = seen(s, t + 1);
      const double truth = std::atan2(d.x(), d.y()) - std::atan2(first.x(), first.y());
      direction += std::pow(small_angle(m.direction - truth), 2) /
                   (std::pow(m.direction_sd, 2) + std::pow(r.targets[0].direction_sd, 2));
      const double lift = 0.13 * d.norm() * std::sin(m.zenith) / (2 * sphere_radius);
      zenith += std::pow((m.zenith - (std::acos(d.z() / d.norm()) - lift)) / m.zenith_sd, 2);
      ++n;
    }
    for (const TargetMean &m : r.targets) wide += !m.within_limits(), ++spreads;
  }
  CHECK(direction / n == Approx(1).margin(0.2));
  CHECK(zenith / n == Approx(1).margin(0.2));
  CHECK(wide <= 0.02 * spreads);
}

TEST_CASE("a wild pointing of the crew is the one whose set stands out") {
  int found = 0;
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    station::Scenario s = campaign(900 + seed);
    s.jobs[0].setups[0].wild = 7; // set 2, face 1, target C
    const FieldBook b =
        read_field_book(shipped_pointing_recipes()[0], station::simulate(s).files.front().text, "source");
    const SetReduction r = reduce_sets(b.setups[0], card(s));
    const TargetMean *c = r.find("C");
    REQUIRE(c);
    double worst = 0;
    int set = 0;
    for (const FaceMean &f : r.faces)
      if (f.target == "C" && std::abs(f.residual) > worst) worst = std::abs(f.residual), set = f.set;
    found += c->direction_spread > c->direction_limit && set == 2;
  }
  CHECK(found >= 38);
}

TEST_CASE("slope and zenith angle give the height difference of the truth") {
  station::Scenario s = campaign(1501);
  s.direction_s = s.zenith_s = s.distance_mm = s.distance_ppm = s.pointing_mm = 0;
  const FieldBook b = read_field_book(shipped_pointing_recipes()[0], station::simulate(s).files.front().text, "source");
  const SetReduction r = reduce_sets(b.setups[0], card(s));
  for (std::size_t t = 0; t < 3; ++t) {
    const TargetMean &m = r.targets[t];
    const double rise = trigonometric_height({m.zenith, b.setups[0].instrument_height, m.target_height}, m.slope, 0.13);
    CHECK(rise == Approx(s.marks[t + 1].h - 500).margin(0.002)); // a sphere for the ellipsoid, angles to 0.00001 gon
  }
}
