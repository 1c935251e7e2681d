#include "adjustment/adjustment.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "support/norris.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
/// One scalar observation of the difference of two heights.
std::unique_ptr<Block> levelled(int id, int from, int to, double dh, double sd) {
  auto b = std::make_unique<LinearBlock>();
  b->id = std::string(1, static_cast<char>('a' + id));
  b->kind = "height difference";
  b->components = {"dh"};
  b->unknowns = {from, to};
  b->a = (MatrixXd(1, 2) << -1, 1).finished();
  b->observed = VectorXd::Constant(1, dh);
  b->covariance = MatrixXd::Constant(1, 1, sd * sd);
  return b;
}
// LSQ-01 and LSQ-20: Ghilani and Wolf, Adjustment Computations. X, Y held.
Problem levelling(bool weighted, double blunder = 0) {
  Problem p;
  p.parameters = {{"X", 100.00, true}, {"Y", 107.50, true}, {"A", 105, false}, {"B", 104, false}, {"C", 106, false}};
  const struct {
    int from, to;
    double dh, miles;
  } rows[] = {{0, 2, 5.10, 4},  {2, 1, 2.34, 3},  {1, 4, -1.25, 2}, {4, 0, -6.13, 3},
              {2, 3, -0.68, 2}, {1, 3, -3.00, 2}, {3, 4, 1.70, 2}};
  for (int i = 0; i < 7; ++i)
    p.blocks.push_back(levelled(i, rows[i].from, rows[i].to, rows[i].dh + (i == 4 ? blunder : 0),
                                weighted ? 0.05 * std::sqrt(rows[i].miles) : 1));
  return p;
}
} // namespace

TEST_CASE("levelling network, unweighted and weighted (Ghilani and Wolf)") {
  const auto u = adjust(levelling(false), {}, {});
  CHECK(u.values[2] == Approx(105.141).margin(0.0005));
  CHECK(u.values[3] == Approx(104.483).margin(0.0005));
  CHECK(u.values[4] == Approx(106.188).margin(0.0005));
  CHECK(std::sqrt(u.variance_factor) == Approx(0.050).margin(0.0005));
  const auto w = adjust(levelling(true), {}, {});
  CHECK(w.values[2] == Approx(105.150).margin(0.0005));
  CHECK(w.values[3] == Approx(104.489).margin(0.0005));
  CHECK(w.values[4] == Approx(106.197).margin(0.0005));
  const double v[] = {0.0504, 0.0096, -0.0528, -0.0672, 0.0188, -0.0108, 0.0080};
  for (std::size_t i = 0; i < 7; ++i) CHECK(w.tests[i].observations[0].residual == Approx(v[i]).margin(1e-4));
}

TEST_CASE("redundancy numbers, data snooping and smallest detectable errors (LSQ-20, Baarda)") {
  const auto r = adjust(levelling(true), {}, {});
  const double redundancy[] = {0.7200, 0.6267, 0.5600, 0.7067, 0.4044, 0.5378, 0.4444};
  const double w[] = {-0.5940, -0.1400, 0.9978, 0.9231, -0.4181, 0.2083, -0.1697}; // with observed − adjusted
  const double mdb[] = {0.4867, 0.4518, 0.3902, 0.4255, 0.4592, 0.3982, 0.4381};
  double sum = 0;
  for (std::size_t i = 0; i < 7; ++i) {
    const auto &t = r.tests[i].observations[0];
    CHECK(t.redundancy == Approx(redundancy[i]).margin(1e-4));
    CHECK(-t.standardised == Approx(w[i]).margin(1e-3));
    CHECK(*t.smallest_detectable == Approx(mdb[i]).margin(1e-3));
    sum += t.redundancy;
  }
  CHECK(sum == Approx(4));
  CHECK(r.vtpv == Approx(1.5328).margin(1e-3));
  const auto b = adjust(levelling(true, 0.5), {}, {});
  CHECK(b.vtpv == Approx(17.9950).margin(1e-3));
  const double wb[] = {1.4488, -2.6684, 0.1159, 1.5641, 4.0788, -2.1916, 1.4802};
  for (std::size_t i = 0; i < 7; ++i) CHECK(-b.tests[i].observations[0].standardised == Approx(wb[i]).margin(1e-3));
  CHECK_FALSE(b.passes);
}

namespace {
/// A random network of correlated blocks with three components, in several shapes, with orientation-like shared
/// unknowns.
Problem random_network(std::uint64_t seed, int marks, bool star) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Problem p;
  for (int i = 0; i < 3 * marks; ++i) p.parameters.push_back({"p" + std::to_string(i), normal(random), i < 3});
  auto add = [&](int from, int to) {
    auto b = std::make_unique<LinearBlock>();
    b->id = std::to_string(p.blocks.size());
    b->kind = "vector";
    b->components = {"x", "y", "z"};
    MatrixXd g = MatrixXd::NullaryExpr(3, 3, [&] { return normal(random); });
    b->covariance = 1e-6 * (g * g.transpose() + 0.5 * MatrixXd::Identity(3, 3));
    for (int k = 0; k < 3; ++k) b->unknowns.push_back(3 * from + k);
    for (int k = 0; k < 3; ++k) b->unknowns.push_back(3 * to + k);
    b->a = MatrixXd::Zero(3, 6);
    b->a.leftCols(3) = -MatrixXd::Identity(3, 3);
    b->a.rightCols(3) = MatrixXd::Identity(3, 3) + 0.01 * MatrixXd::NullaryExpr(3, 3, [&] { return normal(random); });
    b->observed = VectorXd::NullaryExpr(3, [&] { return normal(random); });
    p.blocks.push_back(std::move(b));
  };
  for (int i = 1; i < marks; ++i) add(star ? 0 : i - 1, i);
  for (int i = 0; i < 2 * marks; ++i) {
    const int a = static_cast<int>(random() % static_cast<std::uint64_t>(marks)),
              b = static_cast<int>(random() % static_cast<std::uint64_t>(marks));
    if (a != b) add(a, b);
  }
  return p;
}
} // namespace

TEST_CASE("the sparse solution agrees with a dense textbook solution") {
  for (const bool star : {false, true}) {
    const Problem p = random_network(star ? 3 : 4, 25, star);
    const auto r = adjust(p, {}, {});
    const int n = r.unknowns;
    int m = 0;
    for (const auto &b : p.blocks) m += static_cast<int>(b->observed.size());
    MatrixXd a = MatrixXd::Zero(m, n), w = MatrixXd::Zero(m, m);
    VectorXd l(m);
    int row = 0;
    for (const auto &b : p.blocks) {
      VectorXd x(static_cast<Eigen::Index>(b->unknowns.size())), c;
      for (std::size_t i = 0; i < b->unknowns.size(); ++i)
        x[static_cast<Eigen::Index>(i)] = p.parameters[static_cast<std::size_t>(b->unknowns[i])].value;
      MatrixXd j;
      b->evaluate(x, c, j);
      for (std::size_t i = 0; i < b->unknowns.size(); ++i)
        if (const int u = r.index[static_cast<std::size_t>(b->unknowns[i])]; u >= 0)
          a.block(row, u, 3, 1) = j.col(static_cast<Eigen::Index>(i));
      l.segment(row, 3) = b->observed - c;
      w.block(row, row, 3, 3) = b->covariance.inverse();
      row += 3;
    }
    const MatrixXd q = (a.transpose() * w * a).inverse();
    const VectorXd dx = q * a.transpose() * w * l;
    double worst = 0, worst_q = 0;
    for (std::size_t i = 0; i < p.parameters.size(); ++i) {
      const int u = r.index[i];
      if (u < 0) continue;
      worst = std::max(worst, std::abs(r.values[i] - p.parameters[i].value - dx[u]));
      worst_q = std::max(worst_q, std::abs(r.normals->inverse(u, u) / q(u, u) - 1));
    }
    CHECK(worst < 1e-9);
    CHECK(worst_q < 1e-8);
    // Selected inverse against the dense inverse wherever two unknowns meet.
    for (const auto &b : p.blocks)
      for (int x : b->unknowns)
        for (int y : b->unknowns) {
          const int i = r.index[static_cast<std::size_t>(x)], k = r.index[static_cast<std::size_t>(y)];
          if (i >= 0 && k >= 0) REQUIRE(r.normals->inverse(i, k) == Approx(q(i, k)).epsilon(1e-8).margin(1e-16));
        }
    const VectorXd v = a * dx - l;
    CHECK(r.vtpv == Approx(v.dot(w * v)).epsilon(1e-9));
    // Correlated tests by their definition.
    const MatrixXd qvv = w.inverse() - a * q * a.transpose(), t = w * qvv * w;
    const VectorXd pv = w * v;
    row = 0;
    for (const auto &test : r.tests)
      for (const auto &o : test.observations) {
        if (o.redundancy > 1e-3) {
          CHECK(o.standardised == Approx(pv[row] / std::sqrt(t(row, row))).epsilon(1e-6).margin(1e-6));
        }
        ++row;
      }
  }
}

TEST_CASE("the order of the observations changes no byte") {
  Problem a = random_network(9, 12, false), b = random_network(9, 12, false);
  std::reverse(b.blocks.begin(), b.blocks.end());
  const auto x = adjust(a, {}, {}), y = adjust(b, {}, {});
  CHECK(x.values == y.values);
  CHECK(x.vtpv == y.vtpv);
  for (int i = 0; i < x.unknowns; ++i) CHECK(x.normals->inverse(i, i) == y.normals->inverse(i, i));
}

TEST_CASE("an unknown that nothing determines is named") {
  Problem p = levelling(true);
  p.parameters.push_back({"lost", 0, false});
  try {
    adjust(p, {}, {});
    FAIL("a singular system was solved");
  } catch (const SingularError &e) {
    CHECK(p.parameters[static_cast<std::size_t>(e.unknown)].name == "lost");
  }
  Problem q = levelling(true);
  q.blocks[0]->covariance(0, 0) = -1;
  CHECK_THROWS_AS(adjust(q, {}, {}), InputError);
}

// NST-01 asks for more digits than normal equations can give; NST-02 (Norris, NIST StRD) is within reach.
TEST_CASE("Norris straight line") {
  Problem p;
  p.parameters = {{"b0", 0, false}, {"b1", 0, false}};
  for (std::size_t i = 0; i < 36; ++i) {
    auto b = std::make_unique<LinearBlock>();
    b->id = std::to_string(i);
    b->unknowns = {0, 1};
    b->components = {"y"};
    b->a = (MatrixXd(1, 2) << 1, testing::norris_x[i]).finished();
    b->observed = VectorXd::Constant(1, testing::norris_y[i]);
    b->covariance = MatrixXd::Identity(1, 1);
    p.blocks.push_back(std::move(b));
  }
  const auto r = adjust(p, {}, {});
  CHECK(r.values[0] == Approx(-0.262323073774029).epsilon(1e-9));
  CHECK(r.values[1] == Approx(1.00211681802045).epsilon(1e-12));
  CHECK(std::sqrt(r.variance_factor) == Approx(0.884796396144373).epsilon(1e-10));
  CHECK(std::sqrt(r.variance_factor * r.normals->inverse(1, 1)) == Approx(0.429796848199937E-03).epsilon(1e-9));
}

namespace {
/// y = b1 (x² + x b2) / (x² + x b3 + b4).
class Rational : public Block {
public:
  double x = 0;
  void evaluate(const VectorXd &b, VectorXd &computed, MatrixXd &jacobian) const override {
    const double top = x * x + x * b[1], below = x * x + x * b[2] + b[3], f = b[0] * top / below;
    computed = VectorXd::Constant(1, f);
    jacobian = (MatrixXd(1, 4) << top / below, b[0] * x / below, -f * x / below, -f / below).finished();
  }
};
Problem kowalik_osborne(double b1, double b2, double b3, double b4) {
  const double x[] = {4, 2, 1, 0.5, 0.25, 0.167, 0.125, 0.1, 0.0833, 0.0714, 0.0625};
  const double y[] = {0.1957, 0.1947, 0.1735, 0.16, 0.0844, 0.0627, 0.0456, 0.0342, 0.0323, 0.0235, 0.0246};
  Problem p;
  p.parameters = {{"b1", b1, false}, {"b2", b2, false}, {"b3", b3, false}, {"b4", b4, false}};
  for (std::size_t i = 0; i < 11; ++i) {
    auto b = std::make_unique<Rational>();
    b->id = std::string(1, static_cast<char>('a' + i));
    b->x = x[i], b->unknowns = {0, 1, 2, 3}, b->components = {"y"};
    b->observed = VectorXd::Constant(1, y[i]);
    b->covariance = MatrixXd::Constant(1, 1, 1e-6);
    p.blocks.push_back(std::move(b));
  }
  return p;
}
} // namespace

// MGH09 of the NIST Statistical Reference Datasets (higher difficulty; data of Kowalik and Osborne 1978), from memory:
// that it is right shows in the certified residual sum of squares, which nothing smaller can undercut.
TEST_CASE("a problem on which full steps diverge is solved by damped ones, from near and from far") {
  for (double far : {0.0, 1.0}) {
    AdjustmentOptions o;
    o.max_iterations = 300;
    const auto r = adjust(far ? kowalik_osborne(25, 39, 41.5, 39) : kowalik_osborne(0.25, 0.39, 0.415, 0.39), o, {});
    CHECK(r.vtpv * 1e-6 == Approx(3.0750560385e-04).epsilon(1e-8));
    CHECK(r.values[0] == Approx(1.9280693458e-01).epsilon(1e-6));
    CHECK(r.values[1] == Approx(1.9128232873e-01).epsilon(1e-6));
    CHECK(r.values[2] == Approx(1.2305650693e-01).epsilon(1e-6));
    CHECK(r.values[3] == Approx(1.3606233068e-01).epsilon(1e-6));
  }
}

TEST_CASE("where no solution is found, what fits worst is named") {
  // No value makes e^b negative: the fit gets better for ever, and b runs away as long as it is let.
  class Exponential : public Block {
  public:
    void evaluate(const VectorXd &b, VectorXd &computed, MatrixXd &jacobian) const override {
      computed = VectorXd::Constant(1, std::exp(b[0]));
      jacobian = MatrixXd::Constant(1, 1, std::exp(b[0]));
    }
  };
  Problem p;
  p.parameters = {{"b", 0, false}};
  for (double y : {-1.0, -50.0, -2.0}) {
    auto b = std::make_unique<Exponential>();
    b->id = y == -50 ? "worst" : "other", b->unknowns = {0}, b->components = {"y"};
    b->observed = VectorXd::Constant(1, y), b->covariance = MatrixXd::Identity(1, 1);
    p.blocks.push_back(std::move(b));
  }
  AdjustmentOptions o;
  o.max_iterations = 6;
  try {
    adjust(p, o, {});
    FAIL("there is no solution");
  } catch (const ConvergenceError &e) {
    CHECK(p.blocks[e.block]->id == "worst");
  }
}

// χ²(0.95; 24) = 36.415 and χ²(0.05; 24) = 13.848 (NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.6.7.4).
// Two-sided at 5 % the upper bound would be 39.364 / 24 = 1.640, and a factor of 1.628 would pass.
TEST_CASE("the global test has two tails: the upper one fails, the lower one says that all is better than stated") {
  const auto with_factor = [](double factor) {
    Problem p;
    p.parameters = {{"H", 0, false}};
    for (int i = 0; i < 25; ++i) {
      auto b = std::make_unique<LinearBlock>();
      b->id = std::to_string(i), b->unknowns = {0}, b->components = {"h"}, b->a = MatrixXd::Identity(1, 1);
      // 24 observations of ± e and one of nought: Σ v² = 24 e².
      b->observed = VectorXd::Constant(1, i == 24 ? 0 : (i % 2 ? 1 : -1) * std::sqrt(factor));
      b->covariance = MatrixXd::Identity(1, 1);
      p.blocks.push_back(std::move(b));
    }
    return adjust(p, {}, {});
  };
  const auto high = with_factor(1.6283), right = with_factor(1.0), low = with_factor(0.5);
  CHECK(high.redundancy == 24);
  CHECK(high.variance_factor == Approx(1.6283));
  CHECK(high.upper == Approx(36.415 / 24).margin(1e-4));
  CHECK(high.lower == Approx(13.848 / 24).margin(1e-4));
  CHECK((!high.passes && !high.low()));
  CHECK((right.passes && !right.low()));
  CHECK((low.passes && low.low()));
}

// STA-01 … STA-04, LSQ-16.
TEST_CASE("percentage points, factors and ellipses") {
  CHECK(chi_squared_quantile(0.975, 5) == Approx(12.833).margin(5e-4));
  CHECK(chi_squared_quantile(0.05, 10) == Approx(3.940).margin(5e-4));
  CHECK(fisher_quantile(0.95, 5, 10) == Approx(3.33).margin(5e-3));
  CHECK(student_quantile(0.975, 10) == Approx(2.228).margin(5e-4));
  CHECK(normal_quantile(0.9995) == Approx(3.29).margin(5e-3));
  CHECK(single_test_limit == Approx(normal_quantile(0.9995)).epsilon(1e-13));
  CHECK(plan_test_limit == Approx(std::sqrt(chi_squared_quantile(0.999, 2))).epsilon(1e-13));
  CHECK(factor95(1) == Approx(1.9600).margin(5e-5));
  CHECK(factor95(2) == Approx(2.4477).margin(5e-5));
  CHECK(factor95(3) == Approx(2.7955).margin(5e-5));
  // With an estimated variance factor: Student's t(0.975; 10) and √(2 · F(0.95; 2, 10)) = √(2 · 4.10) of the tables;
  // many degrees are as good as knowing it.
  CHECK(factor95(1, 10) == Approx(2.228).margin(5e-4));
  CHECK(factor95(2, 10) == Approx(std::sqrt(2 * 4.10)).margin(2e-3));
  CHECK(factor95(3, 5) == Approx(std::sqrt(3 * 5.41)).margin(2e-3));
  CHECK(factor95(2, 1'000'000) == Approx(factor95(2)).epsilon(1e-5));
  CHECK(circle95({1, 1, 0}, 10) == Approx(factor95(2, 10)).epsilon(1e-6));
  CHECK(circle95({1, 0, 0}, 10) > factor95(1, 10));
  CHECK(noncentrality(0.001, 0.80) == Approx(17.075).margin(5e-4));
  CHECK(noncentrality(0.05, 0.80) == Approx(2.80 * 2.80).margin(0.02));
  CHECK(noncentrality(0.001, 0.80, 2) == Approx(19.6624).margin(1e-3));
  CHECK(noncentrality(0.001, 0.80, 3) == Approx(21.5450).margin(1e-3));
  const double c[][2] = {{0.25, 1.9765}, {0.5, 2.0359}, {0.75, 2.1858}, {1, 2.4477}};
  for (const auto &r : c) CHECK(circle95({1, r[0], 0}) == Approx(r[1]).margin(1e-4));
  // Beside the integral over the circle in Cartesian coordinates, by Simpson's rule in x = r sin u.
  for (double minor : {0.003, 0.011, 0.05, 0.0999, 0.3333, 0.777, 0.998}) {
    const double radius = circle95({1, minor, 0});
    double sum = 0;
    const int n = 4000;
    for (int i = 0; i <= n; ++i) {
      const double u = pi * (static_cast<double>(i) / n - 0.5), x = radius * std::sin(u), y = radius * std::cos(u);
      sum += (i == 0 || i == n ? 1 : i % 2 ? 4 : 2) * std::exp(-x * x / 2) * std::erf(y / minor / std::sqrt(2.0)) * y;
    }
    INFO(minor);
    CHECK(sum * pi / n / 3 / std::sqrt(2 * pi) == Approx(0.95).margin(1e-8));
  }
  Eigen::Matrix2d q;
  q << 1.198574, -1.160249, -1.160249, 2.634937;
  const Ellipse e = ellipse(q * 0.136 * 0.136);
  CHECK(e.major == Approx(0.25).margin(0.005));
  CHECK(e.minor == Approx(0.10).margin(0.005));
  CHECK(degrees(e.azimuth) == Approx(150 + 53 / 60.0).margin(30 / 3600.0));
}

TEST_CASE("an observation far better than its check is tested as well as the check itself") {
  // Two differences of one unknown: both standardised residuals are (l₁ − l₂) / √(s₁² + s₂²), whatever the redundancy
  // numbers, here 1e-6 and 1 − 1e-6.
  Problem p;
  p.parameters = {{"A", 0, true}, {"B", 617, false}};
  p.blocks.push_back(levelled(0, 0, 1, 1.0, 0.0003));
  p.blocks.push_back(levelled(1, 0, 1, 2.5, 0.3));
  const AdjustmentResult r = adjust(p, {}, {});
  const double w = 1.5 / std::hypot(0.0003, 0.3);
  for (std::size_t i = 0; i < 2; ++i) {
    CHECK(std::abs(r.tests[i].observations[0].standardised) == Approx(w).epsilon(1e-4));
    CHECK(r.tests[i].statistic == Approx(w * w).epsilon(1e-3));
    CHECK_FALSE(r.tests[i].passes);
    // Whatever is wrong with one of them shows when it reaches what the other can see.
    CHECK(*r.tests[i].observations[0].smallest_detectable == Approx(4.132 * 0.3).epsilon(1e-3));
  }
  // What nothing checks stays untested: its residual is rounding.
  p.parameters.push_back({"C", 0, false});
  p.blocks.push_back(levelled(2, 1, 2, 1234.5, 0.001));
  const AdjustmentResult hanging = adjust(p, {}, {});
  CHECK(hanging.tests[2].observations[0].standardised == 0);
  CHECK(hanging.tests[2].degrees == 0);
}
