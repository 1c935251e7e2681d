// What moved between two times: size and power of the tests, the moved marks found, beside a textbook solution.
#include "adjustment/statistics.h"
#include "base/error.h"
#include "network/congruence.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
/// Marks of a site, seen twice by networks of GNSS vectors whose common shift nobody knows.
struct TwoTimes {
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  CongruenceInput in;
  MatrixXd root;
  explicit TwoTimes(std::uint64_t seed, int marks = 9) : random(seed) {
    const auto n = static_cast<Index>(marks);
    std::uniform_real_distribution<double> where(-800, 800);
    // Each time: every mark its own errors, and one shift that all share.
    in.cov = MatrixXd::Zero(3 * n, 3 * n);
    for (Index i = 0; i < n; ++i) {
      in.marks.push_back({"M" + std::to_string(i), Vec3(where(random), where(random), 100), Vec3::Zero(), true, true});
      for (Index k = 0; k < n; ++k) in.cov.block<3, 3>(3 * i, 3 * k) = 2 * Vec3(25e-6, 25e-6, 100e-6).asDiagonal();
      Mat3 own = Vec3(4e-6, 6e-6, 20e-6).asDiagonal();
      own(0, 1) = own(1, 0) = 1e-6;
      in.cov.block<3, 3>(3 * i, 3 * i) += 2 * (1 + 0.5 * static_cast<double>(i % 3)) * own;
    }
    root = in.cov.llt().matrixL();
  }
  void measure() {
    VectorXd x(root.rows());
    for (Index i = 0; i < x.size(); ++i) x[i] = normal(random);
    x = (root * x).eval();
    for (std::size_t i = 0; i < in.marks.size(); ++i) in.marks[i].difference = x.segment<3>(static_cast<Index>(3 * i));
  }
};
} // namespace

TEST_CASE("nothing moved: the test of the whole errs as often as it says, and so do single marks") {
  int wrong = 0, named = 0;
  double squares = 0;
  const int seeds = 2000;
  TwoTimes t(1);
  for (int k = 0; k < seeds; ++k) {
    t.measure();
    const Congruence c = compare_times(t.in);
    CHECK(c.degrees == 24);
    wrong += !c.congruent;
    for (const Displacement &d : c.marks) named += !d.stable;
    if (c.congruent)
      for (const Displacement &d : c.marks)
        squares += d.moved.dot(d.cov.completeOrthogonalDecomposition().pseudoInverse() * d.moved);
  }
  // 5 %, within what 2,000 of them scatter by (99 %).
  CHECK(wrong > 0.05 * seeds - 2.58 * std::sqrt(0.0475 * seeds));
  CHECK(wrong < 0.05 * seeds + 2.58 * std::sqrt(0.0475 * seeds));
  CHECK(named < 1.5 * wrong);
  // Where the whole agrees a mark against the others has a little less than its three degrees.
  CHECK(squares / ((seeds - wrong) * 9) == Approx(2.85).margin(0.15));
}

TEST_CASE("one to three marks moved: exactly these are found, and by how much") {
  int exact = 0, all = 0;
  double squares = 0;
  for (int k = 0; k < 1000; ++k) {
    TwoTimes t(static_cast<std::uint64_t>(5000 + k));
    t.measure();
    const Congruence before = compare_times(t.in);
    const int moved = 1 + k % 3;
    std::vector<Vec3> by(t.in.marks.size(), Vec3::Zero());
    for (int m = 0; m < moved; ++m) {
      // Four times what would be seen, into any direction in plan.
      const auto i = static_cast<std::size_t>(2 * m + k % 2);
      const double a = std::uniform_real_distribution<double>(0, 6.28)(t.random);
      by[i] = 4 * before.marks[i].seen_plan * Vec3(std::cos(a), std::sin(a), 0);
      t.in.marks[i].difference += by[i];
    }
    const Congruence c = compare_times(t.in);
    bool right = !c.congruent && c.problem.empty();
    for (std::size_t i = 0; i < c.marks.size(); ++i) right = right && c.marks[i].stable == (by[i].norm() == 0);
    exact += right, ++all;
    if (right)
      for (std::size_t i = 0; i < c.marks.size(); ++i)
        if (!c.marks[i].stable) {
          const Vec3 e = c.marks[i].moved - by[i];
          squares += e.dot(c.marks[i].cov.ldlt().solve(e)) / 3 / moved;
        }
  }
  CHECK(exact >= 0.9 * all);
  CHECK(squares / exact == Approx(1).margin(0.12));
}

TEST_CASE("a movement as large as what is said to be seen is seen as often as that promises") {
  int plan = 0, height = 0;
  const int seeds = 1000;
  for (int k = 0; k < seeds; ++k) {
    TwoTimes t(static_cast<std::uint64_t>(20000 + k), 6);
    const Displacement before = compare_times(t.in).marks[2]; // as it is without any error
    for (bool up : {false, true}) {
      t.measure();
      // In plan into the direction that is seen worst: of these errors near the one that 1e-6 turns from the north.
      const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> axes(Eigen::Matrix2d(before.cov.topLeftCorner<2, 2>()));
      const Eigen::Vector2d along = axes.eigenvectors().col(1);
      t.in.marks[2].difference +=
          up ? Vec3(0, 0, before.seen_height) : Vec3(before.seen_plan * along.x(), before.seen_plan * along.y(), 0);
      (up ? height : plan) += !compare_times(t.in).congruent;
    }
  }
  CHECK(plan == Approx(0.80 * seeds).margin(2.58 * std::sqrt(0.16 * seeds)));
  CHECK(height == Approx(0.80 * seeds).margin(2.58 * std::sqrt(0.16 * seeds)));
}

// With equal errors that nothing shares the common shift is the mean, and χ² is the sum of squares about it.
TEST_CASE("the textbook case: equal errors, a shift that falls out, a turn where it is asked for") {
  CongruenceInput in;
  const double d[5][2] = {{3, 1}, {5, -1}, {4, 0}, {6, 2}, {2, -2}};
  for (int i = 0; i < 5; ++i)
    in.marks.push_back({"M" + std::to_string(i), Vec3(100.0 * i, 50.0 * (i * i % 4), 0),
                        Vec3(d[i][0], d[i][1], 0) / 1000, true, false});
  in.cov = 4e-6 * MatrixXd::Identity(15, 15);
  const Congruence c = compare_times(in);
  double sum = 0;
  for (const auto &x : d) sum += std::pow(x[0] - 4, 2) + std::pow(x[1] - 0, 2);
  CHECK(c.statistic == Approx(sum / 4).epsilon(1e-12));
  CHECK(c.degrees == 8);
  CHECK(c.limit == Approx(15.507).margin(1e-3)); // χ²(0.95; 8), tables
  // Turned by twenty seconds about anywhere: it fails as a shift and agrees as a turn.
  CongruenceInput turned = in;
  for (auto &m : turned.marks) {
    const double a = 20 * 4.84813681109536e-6 * 3;
    m.difference += Vec3(a * m.place.y(), -a * m.place.x(), 0);
  }
  CHECK_FALSE(compare_times(turned).congruent);
  turned.rotation = in.rotation = true;
  CHECK(compare_times(turned).statistic == Approx(compare_times(in).statistic).epsilon(1e-9));
  // Shifting everything, or the order of the marks, changes nothing.
  CongruenceInput other = in;
  std::reverse(other.marks.begin(), other.marks.end());
  for (auto &m : other.marks) m.difference += Vec3(1, -2, 0.5), m.place += Vec3(1000, 0, 0);
  CHECK(compare_times(other).statistic == Approx(compare_times(in).statistic).epsilon(1e-9));
  CHECK_THROWS_AS(compare_times({}), InputError);
}
