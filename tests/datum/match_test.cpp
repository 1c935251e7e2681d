// Points of two systems told to be the same by how they lie to one another.
#include "datum/fit/match.h"
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

using namespace ampletie;
using Eigen::Vector2d;

namespace {
struct Scene {
  std::vector<Vector2d> from, to;
  std::vector<std::size_t> partner; ///< of each `from`; more than there are: none
};
/// `common` marks in both, some in one only, another order, turned, on the ground, with two centimetres of noise.
Scene scene(unsigned seed, std::size_t common, std::size_t only_from, std::size_t only_to) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> place(0, 3000), turn(-3, 3);
  std::normal_distribution<double> noise(0, 0.02);
  Scene s;
  const double t = turn(random), k = 1.0004;
  std::vector<std::size_t> order(common + only_to);
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::shuffle(order.begin(), order.end(), random);
  s.to.resize(order.size());
  for (std::size_t i = 0; i < common + only_from; ++i) {
    const Vector2d p(415000 + place(random), 5128000 + place(random));
    s.from.push_back(p);
    s.partner.push_back(i < common ? order[i] : 1000);
    if (i >= common) continue;
    const Vector2d d = p - Vector2d(415000, 5128000);
    s.to[order[i]] = Vector2d(5000 + k * (std::cos(t) * d.x() + std::sin(t) * d.y()) + noise(random),
                              2000 + k * (-std::sin(t) * d.x() + std::cos(t) * d.y()) + noise(random));
  }
  for (std::size_t i = common; i < order.size(); ++i)
    s.to[order[i]] = Vector2d(5000 + place(random), 2000 + place(random));
  return s;
}
} // namespace

TEST_CASE("points are matched by their positions alone, among others, in any order") {
  int found = 0, wrong = 0;
  for (unsigned seed = 1; seed <= 200; ++seed) {
    const Scene s = scene(seed, 4 + seed % 6, seed % 4, seed % 5);
    const auto m = match_by_position(s.from, s.to);
    if (!m) continue;
    ++found;
    for (const auto &[i, k] : m->pairs) wrong += s.partner[i] != k;
    CHECK(m->worst_m < 0.15);
  }
  CHECK(found >= 195);
  CHECK(wrong == 0);
}

TEST_CASE("what could be several ways is none, and so is what has nothing in common") {
  // A square fits onto itself in four ways.
  const std::vector<Vector2d> square{{0, 0}, {100, 0}, {100, 100}, {0, 100}};
  CHECK_FALSE(match_by_position(square, square));
  int invented = 0;
  for (unsigned seed = 1; seed <= 100; ++seed) {
    const Scene s = scene(seed, 0, 7, 7);
    invented += match_by_position(s.from, s.to).has_value();
  }
  CHECK(invented <= 1); // three of seven by chance
  CHECK_FALSE(match_by_position({}, square));
  CHECK_FALSE(match_by_position({{0, 0}, {10, 0}}, {{0, 0}, {10, 0}}));
  // In feet it is another scale: not taken.
  std::vector<Vector2d> feet;
  const Scene s = scene(3, 6, 0, 0);
  for (const Vector2d &p : s.to) feet.push_back(p / 0.3048);
  CHECK_FALSE(match_by_position(s.from, feet));
}
