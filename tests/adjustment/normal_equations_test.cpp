// The sparse solution and its selected inverse against dense ones, over patterns that supernodes take differently.
#include "adjustment/normal_equations.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>
#include <set>

using namespace ampletie;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
using Pairs = std::set<std::pair<int, int>>; ///< groups of unknowns that meet in an observation

struct Pattern {
  const char *name;
  int groups, size; ///< unknowns in each group
  Pairs pairs;
};

std::vector<Pattern> patterns(std::mt19937_64 &random) {
  std::vector<Pattern> out{{"alone", 7, 1, {}},      {"chain", 60, 3, {}},
                           {"star", 40, 3, {}},      {"mesh", 100, 3, {}},
                           {"clique", 12, 3, {}},    {"two parts and a lone one", 41, 2, {}},
                           {"by chance", 80, 2, {}}, {"one that meets all", 50, 1, {}}};
  for (int i = 1; i < 60; ++i) out[1].pairs.emplace(i - 1, i);
  for (int i = 1; i < 40; ++i) out[2].pairs.emplace(0, i);
  for (int i = 0; i < 100; ++i) {
    if (i % 10 < 9) out[3].pairs.emplace(i, i + 1);
    if (i < 90) out[3].pairs.emplace(i, i + 10);
  }
  for (int i = 0; i < 12; ++i)
    for (int j = 0; j < i; ++j) out[4].pairs.emplace(j, i);
  for (int i = 1; i < 40; ++i)
    if (i != 20) out[5].pairs.emplace(i - 1, i);
  for (int k = 0; k < 200; ++k) {
    const int a = static_cast<int>(random() % 80), b = static_cast<int>(random() % 80);
    if (a != b) out[6].pairs.emplace(std::min(a, b), std::max(a, b));
  }
  for (int i = 0; i < 49; ++i) out[7].pairs.emplace(i, 49), out[7].pairs.emplace(i / 2, i / 2 + 1);
  return out;
}

/// Sums of squares over groups and pairs of groups: positive definite, with the pattern asked for.
MatrixXd dense(const Pattern &p, std::mt19937_64 &random) {
  std::normal_distribution<double> normal;
  const Index n = p.groups * p.size;
  MatrixXd out = MatrixXd::Zero(n, n);
  const auto add = [&](const std::vector<int> &groups) {
    const auto m = static_cast<Index>(groups.size()) * p.size;
    const MatrixXd a = MatrixXd::NullaryExpr(m, m, [&] { return normal(random); });
    const MatrixXd square = a * a.transpose() + 0.2 * MatrixXd::Identity(m, m);
    for (std::size_t g = 0; g < groups.size(); ++g)
      for (std::size_t h = 0; h < groups.size(); ++h)
        out.block(groups[g] * p.size, groups[h] * p.size, p.size, p.size) +=
            square.block(static_cast<Index>(g) * p.size, static_cast<Index>(h) * p.size, p.size, p.size);
  };
  for (int g = 0; g < p.groups; ++g) add({g});
  for (const auto &[a, b] : p.pairs) add({a, b});
  return out;
}

std::vector<NormalEquations::Entry> lower(const MatrixXd &m) {
  std::vector<NormalEquations::Entry> out;
  for (int c = 0; c < m.cols(); ++c)
    for (int r = c; r < m.rows(); ++r)
      if (m(r, c) != 0) {
        // In two parts, as observations bring them.
        out.push_back({r, c, 0.25 * m(r, c)});
        out.push_back({r, c, 0.75 * m(r, c)});
      }
  return out;
}
} // namespace

TEST_CASE("solutions and selected inverses of many patterns agree with dense ones") {
  std::mt19937_64 random(11);
  std::normal_distribution<double> normal;
  for (const Pattern &p : patterns(random)) {
    INFO(p.name);
    const MatrixXd m = dense(p, random), q = m.inverse();
    NormalEquations n(static_cast<int>(m.rows()), lower(m));
    const VectorXd rhs = VectorXd::NullaryExpr(m.rows(), [&] { return normal(random); }), x = q * rhs;
    CHECK((n.solve(rhs) - x).norm() < 1e-10 * x.norm());
    // Before and after the selected inverse; pairs that never meet, too.
    for (int pass = 0; pass < 2; ++pass) {
      double worst = 0;
      for (int i = 0; i < m.rows(); ++i)
        for (int j = pass ? 0 : std::max(0, i - 1); j < (pass ? m.rows() : i + 1); ++j)
          worst = std::max(worst, std::abs(n.inverse(i, j) - q(i, j)) / std::sqrt(q(i, i) * q(j, j)));
      CHECK(worst < 1e-9);
      n.invert();
    }
    CHECK(n.factor_nonzeros() >= static_cast<std::size_t>(m.rows()));
  }
}

TEST_CASE("normal equations of no unknowns and of one") {
  NormalEquations none(0, {});
  none.invert();
  CHECK(none.solve(VectorXd()).size() == 0);
  CHECK(none.factor_nonzeros() == 0);
  NormalEquations one(1, {{0, 0, 4.0}});
  one.invert();
  CHECK(one.inverse(0, 0) == Approx(0.25));
  CHECK(one.solve(VectorXd::Constant(1, 2.0))[0] == Approx(0.5));
}

TEST_CASE("a pivot that vanishes against its own diagonal is named, whatever its unit") {
  // The second and third unknown appear only as their difference; the third counts in micrometres.
  const double k = 1e-6;
  try {
    NormalEquations(3, {{0, 0, 2.0}, {1, 1, 1.0}, {2, 1, -k}, {2, 2, k * k}});
    FAIL("it is singular");
  } catch (const SingularError &e) {
    CHECK((e.unknown == 1 || e.unknown == 2));
  }
  CHECK_NOTHROW(NormalEquations(3, {{0, 0, 2.0}, {1, 1, 1.0}, {2, 1, -0.9 * k}, {2, 2, k * k}}));
  CHECK_THROWS_AS(NormalEquations(2, {{0, 0, 1.0}, {1, 1, 0.0}}), SingularError);
}
