// Sets of directions: means of faces and sets, instrument errors, what is missing, spreads against their limits.
#include "base/angle.h"
#include "support/angles.h"
#include "traverse/sets.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using ampletie::testing::second;
using Catch::Matchers::Contains;

namespace {

/// A set-up simulated apart from the code under test: line of sight and index errors as they show in circle readings.
struct CircleField {
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  std::vector<double> bearing{0.3, 1.9, 3.4, 5.1}, zenith{1.55, 1.40, 1.62, 1.57}, length{250, 900, 120, 400};
  double collimation = 12 * second, index = -20 * second;
  StationSetup setup;
  explicit CircleField(std::uint64_t seed) : random(seed) { setup.mark = "S", setup.instrument_height = 1.5; }
  double noise(double sd) { return sd * normal(random); }

  void measure(int sets, double sd, double distance_sd = 0.001) {
    for (int set = 1; set <= sets; ++set) {
      const double circle = 0.7 * set + 0.01; // the circle is moved between sets
      for (int face : {1, 2})
        for (std::size_t t = 0; t < bearing.size(); ++t) {
          Pointing p;
          p.target = std::string(1, static_cast<char>('A' + t));
          p.kind = t == 0 ? PointingKind::orientation : PointingKind::detail;
          p.set = set, p.face = face;
          // On face 1 the line of sight turns by c/sin z, on face 2 the other way.
          const double c = collimation / std::sin(zenith[t]);
          p.circle = positive_angle(bearing[t] - circle + (face == 1 ? c : pi - c) + noise(sd * std::sqrt(2.0)));
          p.zenith = (face == 1 ? zenith[t] : 2 * pi - zenith[t]) + index + noise(sd * std::sqrt(2.0));
          p.slope = length[t] + noise(distance_sd);
          p.target_height = 1.3;
          p.line = static_cast<long>(setup.pointings.size()) + 1;
          setup.pointings.push_back(p);
        }
    }
  }
};

InstrumentStandard card() {
  InstrumentStandard s;
  s.direction = s.zenith = 2 * second;
  s.pointing = 0;
  s.distance = 0.001, s.distance_ppm = 0;
  return s;
}

} // namespace

TEST_CASE("faces and sets: instrument errors fall out, and are found") {
  CircleField f(1);
  f.measure(3, 0);
  const SetReduction r = reduce_sets(f.setup, card());
  REQUIRE(r.targets.size() == 4);
  CHECK(r.troubles.empty());
  CHECK(r.targets[0].direction == 0);
  for (std::size_t t = 0; t < 4; ++t) {
    CHECK(small_angle(r.targets[t].direction - (f.bearing[t] - f.bearing[0])) == Approx(0).margin(1e-12));
    CHECK(r.targets[t].zenith == Approx(f.zenith[t]).margin(1e-12));
    CHECK(r.targets[t].sets == 3);
    CHECK(r.targets[t].pointings == 6);
    CHECK(r.targets[t].direction_spread == Approx(0).margin(1e-12));
  }
  // As (face 2 less face 1)/2: a line of sight that reads too much on face 1 comes out negative.
  CHECK(r.collimation == Approx(-f.collimation).epsilon(0.02));
  CHECK(r.index == Approx(-f.index).margin(1e-12));
  CHECK(r.pairs == 12);
}

TEST_CASE("a face that stands alone is corrected by the errors that the others show") {
  CircleField f(2);
  f.measure(2, 0);
  for (Pointing &p : f.setup.pointings)
    if (p.target == "C" && p.face == 2) p.used = false;
  const SetReduction r = reduce_sets(f.setup, card());
  const TargetMean *c = r.find("C");
  REQUIRE(c);
  CHECK(!c->both_faces);
  CHECK(small_angle(c->direction - (f.bearing[2] - f.bearing[0])) == Approx(0).margin(0.3 * second)); // c/sin z differs
  CHECK(c->zenith == Approx(f.zenith[2]).margin(1e-9));
  CHECK(r.troubles.size() == 2);
  CHECK_THAT(r.troubles[0].what, Contains("one face only"));
  // Worse by √2 than a pair.
  CHECK(c->direction_sd == Approx(r.find("B")->direction_sd * std::sqrt(2.0)));
}

TEST_CASE("sets with a target missing count too; without a common target they are named") {
  CircleField f(3);
  f.measure(3, 0);
  for (Pointing &p : f.setup.pointings)
    if ((p.set == 2 && p.target == "A") || (p.set == 3 && p.target == "D")) p.used = false;
  const SetReduction r = reduce_sets(f.setup, card());
  for (std::size_t t = 0; t < 4; ++t)
    CHECK(small_angle(r.targets[t].direction - (f.bearing[t] - f.bearing[0])) == Approx(0).margin(1e-11));
  CircleField g(4);
  g.measure(2, 0);
  for (Pointing &p : g.setup.pointings)
    if ((p.set == 1) == (p.target == "C" || p.target == "D")) p.used = false;
  const SetReduction apart = reduce_sets(g.setup, card());
  REQUIRE(!apart.troubles.empty());
  CHECK_THAT(apart.troubles[0].what, Contains("shares no target"));
}

TEST_CASE("printed standard deviations of directions agree with what sets show") {
  double sum = 0, spread_beyond = 0;
  int n = 0, spreads = 0;
  for (std::uint64_t seed = 1; seed <= 400; ++seed) {
    CircleField f(5000 + seed);
    f.measure(4, 2 * second);
    const SetReduction r = reduce_sets(f.setup, card());
    for (std::size_t t = 1; t < 4; ++t) {
      const double error = small_angle(r.targets[t].direction - (f.bearing[t] - f.bearing[0]));
      // Both the target and the first one carry their own error.
      sum += std::pow(error, 2) / (std::pow(r.targets[t].direction_sd, 2) + std::pow(r.targets[0].direction_sd, 2));
      ++n;
    }
    for (const TargetMean &t : r.targets) spread_beyond += !t.within_limits(), ++spreads;
  }
  CHECK(sum / n == Approx(1).margin(0.1));
  CHECK(spread_beyond / spreads < 0.01); // three kinds of spread at 0.001 each, made smaller by the joint means
}

TEST_CASE("a wild pointing shows in its spread and is cured by leaving it out") {
  CircleField f(6);
  f.measure(4, 2 * second);
  Pointing &wild = f.setup.pointings[8 + 1]; // second set, face 1, target B
  REQUIRE(wild.target == "B");
  wild.circle += 60 * second;
  const SetReduction bad = reduce_sets(f.setup, card());
  CHECK(!bad.find("B")->within_limits());
  CHECK(bad.find("B")->direction_spread > 20 * second);
  wild.used = false, wild.left_out_because = "bumped";
  const SetReduction good = reduce_sets(f.setup, card());
  CHECK(good.find("B")->direction_spread < 15 * second);
  CHECK(good.find("B")->pointings == 7);
}

TEST_CASE("what changes under one target is said") {
  CircleField f(7);
  f.measure(2, 0);
  f.setup.pointings[9].target_height = 1.5;
  const SetReduction r = reduce_sets(f.setup, card());
  REQUIRE(!r.troubles.empty());
  CHECK_THAT(r.troubles[0].what, Contains("target height of B changes from 1.3000 to 1.5000"));
  CHECK(reduce_sets(StationSetup{}, card()).targets.empty());
}

TEST_CASE("readings on both sides of north are averaged across it") {
  StationSetup s;
  for (int set : {1, 2})
    for (int face : {1, 2}) {
      Pointing p;
      p.target = "N", p.set = set, p.face = face;
      const double off = (set == 1 ? 1 : -1) * 3 * second;
      p.circle = positive_angle((face == 1 ? 0 : pi) + off);
      s.pointings.push_back(p);
      p.target = "E";
      p.circle = positive_angle((face == 1 ? 0 : pi) + pi / 2 + off);
      s.pointings.push_back(p);
    }
  const SetReduction r = reduce_sets(s, card());
  CHECK(r.find("E")->direction == Approx(pi / 2).margin(1e-12));
  CHECK(!std::isfinite(r.find("E")->zenith));
}
