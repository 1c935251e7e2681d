#include "gnss/filter/gaussian_state.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
MatrixXd whole(const GaussianState &s) {
  const MatrixXd p = s.p.topLeftCorner(s.size, s.size);
  return p.selfadjointView<Eigen::Lower>();
}

/// Some states that know of one another.
GaussianState mixed(Index n, std::mt19937_64 &random) {
  std::normal_distribution<double> gauss;
  GaussianState s(2);
  for (Index i = 0; i < n; ++i) s.add(gauss(random), 1);
  MatrixXd a(n, n);
  for (Index i = 0; i < n * n; ++i) a.data()[i] = gauss(random);
  s.p.topLeftCorner(n, n) = a * a.transpose() + MatrixXd::Identity(n, n);
  return s;
}
} // namespace

// The textbook's form of the update (Kalman 1960; Gelb 1974, chapter 4), with full matrices.
TEST_CASE("an update is that of the textbook, for any number of observations") {
  std::mt19937_64 random(31);
  std::normal_distribution<double> gauss;
  // The larger ones have more rows than a tile of the update, and no whole number of its columns.
  for (const auto &[n, m] : std::vector<std::pair<Index, Index>>{
           {23, 1}, {23, 2}, {23, 3}, {23, 4}, {23, 5}, {23, 9}, {300, 1}, {300, 6}, {515, 9}}) {
    GaussianState s = mixed(n, random);
    MatrixXd h(m, s.size);
    for (Index i = 0; i < h.size(); ++i) h.data()[i] = gauss(random);
    VectorXd v(m), r(m);
    for (Index i = 0; i < m; ++i) v[i] = gauss(random), r[i] = 0.5 + std::abs(gauss(random));
    const MatrixXd p = whole(s), g = p * h.transpose();
    const MatrixXd innovation = h * g + MatrixXd(r.asDiagonal());
    const MatrixXd k = g * innovation.inverse();
    const VectorXd x = s.x.head(s.size) + k * v;
    const MatrixXd after = (MatrixXd::Identity(s.size, s.size) - k * h) * p;
    MatrixXd column = MatrixXd::Zero(s.size, m);
    for (Index c = 0; c < m; ++c)
      for (Index i = 0; i < s.size; ++i) s.add_column(i, h(c, i), column.col(c));
    CHECK((column - g).norm() < 1e-11 * g.norm());
    const Eigen::LLT<MatrixXd> llt(innovation);
    s.update(column, llt, llt.solve(v));
    CHECK((s.x.head(s.size) - x).norm() < 1e-10 * x.norm());
    CHECK((whole(s) - after).norm() < 1e-10 * p.norm());
  }
}

TEST_CASE("states come, are renewed, lose their memory and go without a trace in the others") {
  std::mt19937_64 random(32);
  GaussianState s = mixed(9, random);
  const MatrixXd before = whole(s);
  const VectorXd x = s.x.head(9);
  const Index added = s.add(4.5, 2.25);
  CHECK(added == 9);
  CHECK(whole(s).topLeftCorner(9, 9) == before);
  CHECK(whole(s).row(9).head(9).norm() == 0);
  s.renew(3, 7);
  CHECK(whole(s).row(3).sum() == 7);
  CHECK(s.x[3] == 0);
  s.decay(5, 0.5);
  CHECK(whole(s)(5, 5) == Approx(0.25 * before(5, 5)));
  CHECK(whole(s)(5, 1) == Approx(0.5 * before(5, 1)));
  CHECK(s.x[5] == Approx(0.5 * x[5]));
  const MatrixXd p = whole(s);
  s.keep({0, 2, 5, 8});
  REQUIRE(s.size == 4);
  CHECK(whole(s) == MatrixXd(p({0, 2, 5, 8}, {0, 2, 5, 8})));
  CHECK(s.x[3] == x[8]);
}
