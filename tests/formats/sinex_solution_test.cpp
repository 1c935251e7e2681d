// Solutions with their joint covariance, and what is left of them without constraints. Expected figures from the normal
// equations that the files were made of, by dense algebra.
#include "base/error.h"
#include "formats/sinex.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
std::string lower_triangle(const MatrixXd &m, bool correlations) {
  std::string out;
  for (Eigen::Index i = 0; i < m.rows(); ++i)
    for (Eigen::Index k = 0; k <= i; k += 3) {
      out += fmt::format(" {:5} {:5}", i + 1, k + 1);
      for (Eigen::Index j = k; j < std::min(k + 3, i + 1); ++j) {
        const double sd_i = std::sqrt(m(i, i)), sd_j = std::sqrt(m(j, j));
        out += fmt::format(" {:21.14E}", !correlations ? m(i, j) : i == j ? sd_i : m(i, j) / (sd_i * sd_j));
      }
      out += "\n";
    }
  return out;
}
std::string rows(const VectorXd &x, const MatrixXd &cov) {
  static constexpr const char *types[] = {"STAX", "STAY", "STAZ"};
  std::string out;
  for (Eigen::Index i = 0; i < x.size(); ++i)
    out += fmt::format(" {:5} {:6} ST{:02}  A    1 26:131:43200 m    2 {:21.14E} {:.5E}\n", i + 1, types[i % 3], i / 3,
                       x[i], std::sqrt(cov(i, i)));
  return out;
}
/// Five stations, vectors between them, and what a centre puts in for them beforehand.
struct Centre {
  MatrixXd normal, weight, cov, prior;
  VectorXd observed, known, estimate;
  /// `orbit_sd`: how well orbits alone would place each station, beside what the vectors say; 0: not at all.
  explicit Centre(std::uint64_t seed, double known_sd, double orbit_sd = 0) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> gauss;
    const Eigen::Index n = 15;
    observed.resize(n);
    for (Eigen::Index i = 0; i < n; ++i)
      observed[i] = (i % 3 == 0   ? 4.1e6
                     : i % 3 == 1 ? 0.9e6
                                  : 4.7e6) +
                    900 * static_cast<double>(i / 3) + 20 * gauss(random);
    normal = MatrixXd::Zero(n, n);
    for (int a = 0; a < 5; ++a)
      for (int b = 0; b < a; ++b) {
        MatrixXd d = MatrixXd::Zero(3, n);
        d.middleCols(3 * a, 3).setIdentity(), d.middleCols(3 * b, 3) = -MatrixXd::Identity(3, 3);
        const MatrixXd g = MatrixXd::NullaryExpr(3, 3, [&] { return gauss(random); });
        normal += d.transpose() * (1e-6 * (g * g.transpose() + MatrixXd::Identity(3, 3))).inverse() * d;
      }
    if (orbit_sd > 0) normal += MatrixXd::Identity(n, n) / (orbit_sd * orbit_sd);
    prior = known_sd * known_sd * MatrixXd::Identity(n, n);
    prior(0, 3) = prior(3, 0) = 0.3 * known_sd * known_sd;
    weight = prior.inverse();
    known = observed + VectorXd::NullaryExpr(n, [&] { return 0.05 * gauss(random); });
    cov = (normal + weight).inverse();
    estimate = observed + cov * (weight * (known - observed));
  }
  std::string file(bool correlations, bool constraints, const char *frame = "ITRF2020") const {
    const char *form = correlations ? "L CORR" : "L COVA";
    std::string out = std::string("%=SNX 2.02 SIM 26:132:00000 SIM 26:131:00000 26:132:00000 P 00015 2 S\n"
                                  "+FILE/COMMENT\n coordinates in ") +
                      frame + "\n-FILE/COMMENT\n+SOLUTION/ESTIMATE\n" + rows(estimate, cov) + "-SOLUTION/ESTIMATE\n";
    if (constraints) out += "+SOLUTION/APRIORI\n" + rows(known, prior) + "-SOLUTION/APRIORI\n";
    out += fmt::format("+SOLUTION/MATRIX_ESTIMATE {0}\n{1}-SOLUTION/MATRIX_ESTIMATE {0}\n", form,
                       lower_triangle(cov, correlations));
    if (constraints)
      out += fmt::format("+SOLUTION/MATRIX_APRIORI {0}\n{1}-SOLUTION/MATRIX_APRIORI {0}\n", form,
                         lower_triangle(prior, correlations));
    return out + "%ENDSNX\n";
  }
};
} // namespace

TEST_CASE("without its constraints a solution is what was observed, whichever way its matrices are written") {
  for (const bool correlations : {false, true})
    for (const double known_sd : {0.001, 0.03, 1.0}) {
      // Of loose constraints fifteen digits leave less and less.
      const Centre c(5, known_sd);
      const SinexSolution s = read_sinex_solution(c.file(correlations, true));
      CAPTURE(correlations, known_sd);
      REQUIRE(s.stations.size() == 5);
      CHECK(s.constraints_removed);
      CHECK(s.frame == "ITRF2020");
      CHECK(s.stations[1].name == "ST01");
      for (const std::size_t base : {std::size_t{0}, std::size_t{3}}) {
        const auto v = s.from(base);
        REQUIRE(v.to.size() == 4);
        // With the base errorless: its rows and columns of the normal equations are struck out.
        std::vector<Eigen::Index> kept;
        for (const std::size_t t : v.to)
          for (int k = 0; k < 3; ++k) kept.push_back(static_cast<Eigen::Index>(3 * t) + k);
        const MatrixXd expected = MatrixXd(c.normal(kept, kept)).inverse();
        CHECK((v.cov - expected).norm() < 1e-3 * expected.norm());
        for (std::size_t i = 0; i < kept.size(); ++i)
          CHECK(v.d[static_cast<Eigen::Index>(i)] ==
                Approx(c.observed[kept[i]] - c.observed[static_cast<Eigen::Index>(3 * base + i % 3)]).margin(2e-6));
      }
    }
}

TEST_CASE("what orbits say of where the whole network is does not make its vectors better, nor is it lost") {
  // Found with days of stations that were placed one by one: their vectors came out as if the base had no error.
  for (const double orbit_sd : {0.002, 0.05}) {
    const Centre c(8, 0.3, orbit_sd);
    const SinexSolution s = read_sinex_solution(c.file(false, true));
    CAPTURE(orbit_sd);
    for (const std::size_t base : {std::size_t{0}, std::size_t{2}}) {
      const auto v = s.from(base);
      MatrixXd difference = MatrixXd::Zero(12, 15);
      for (std::size_t i = 0; i < v.to.size(); ++i)
        for (Eigen::Index k = 0; k < 3; ++k) {
          const Eigen::Index row = 3 * static_cast<Eigen::Index>(i) + k;
          difference(row, 3 * static_cast<Eigen::Index>(v.to[i]) + k) = 1;
          difference(row, 3 * static_cast<Eigen::Index>(base) + k) = -1;
        }
      const MatrixXd expected = difference * MatrixXd(c.normal.inverse()) * difference.transpose();
      CHECK((v.cov - expected).norm() < 1e-4 * expected.norm());
      CHECK((v.d - difference * c.observed).norm() < 1e-5);
    }
  }
}

TEST_CASE("a solution that does not say what was put in is taken as it is: differences of its estimates") {
  const Centre c(6, 0.02);
  const SinexSolution s = read_sinex_solution(c.file(false, false, "no frame at all"));
  CHECK_FALSE(s.constraints_removed);
  CHECK(s.frame == frame_not_stated);
  const auto v = s.from(2);
  const auto to = static_cast<Eigen::Index>(3 * v.to[1]);
  const MatrixXd q =
      c.cov.block<3, 3>(to, to) + c.cov.block<3, 3>(6, 6) - c.cov.block<3, 3>(to, 6) - c.cov.block<3, 3>(6, to);
  CHECK((v.cov.block<3, 3>(3, 3) - q).norm() < 1e-12);
  CHECK((v.d.segment<3>(3) - (c.estimate.segment<3>(to) - c.estimate.segment<3>(6))).norm() < 1e-6);
}

TEST_CASE("what no vectors can be taken from is refused with the reason") {
  const Centre c(7, 0.02);
  std::string none = c.file(false, false);
  const auto from = none.find("+SOLUTION/MATRIX_ESTIMATE"), to = none.find("%ENDSNX");
  none.erase(from, to - from);
  CHECK_THROWS_WITH(read_sinex_solution(none), Contains("no matrix"));
  CHECK(read_sinex(none).rows.size() == 5); // a control list it is all the same
  // Read once, the list stands with the reason.
  const SinexFile file = read_sinex_file(none);
  CHECK(file.list.rows.size() == 5);
  CHECK_FALSE(file.solution);
  CHECK_THAT(file.no_solution, Contains("no matrix"));
  CHECK(read_sinex_file(c.file(true, true)).solution->constraints_removed);
  // A station whose variances are absent.
  std::string torn = c.file(false, false);
  const auto row = torn.find("    15    13 ");
  torn.erase(row, torn.find('\n', row) + 1 - row);
  CHECK_THROWS_WITH(read_sinex_solution(torn), Contains("ST04") && Contains("no variances"));
  // More put in than comes out: the matrices contradict each other.
  Centre wrong(8, 0.02);
  wrong.cov *= 40;
  CHECK_THROWS_AS(read_sinex_solution(wrong.file(false, true)).from(0), InputError);
  std::string cut = c.file(false, true);
  cut.resize(cut.size() - 400);
  CHECK_THROWS_WITH(read_sinex_solution(cut), Contains("cut off"));
  std::string letters = c.file(false, true);
  letters.replace(letters.find("+SOLUTION/APRIORI\n") + 18 + 47, 21, "        unknown      ");
  CHECK_THROWS_WITH(read_sinex_solution(letters), Contains("a-priori") && Contains("no number"));
}

TEST_CASE("stations that were held without error stand between no vectors of their own") {
  Centre c(9, 0.02);
  // Stations 1 and 3 held: their rows and columns are nothing.
  for (const Eigen::Index s : {3, 9}) c.cov.middleRows(s, 3).setZero(), c.cov.middleCols(s, 3).setZero();
  const SinexSolution all = read_sinex_solution(c.file(false, false));
  CHECK_FALSE(all.errorless(0));
  CHECK(all.errorless(1));
  const auto v = all.from(1);
  CHECK(v.to == std::vector<std::size_t>{0, 2, 4});
  CHECK((v.cov.block<3, 3>(0, 0) - c.cov.block<3, 3>(0, 0)).norm() < 1e-14);
  CHECK(v.d[0] == Approx(c.estimate[0] - c.estimate[3]).margin(1e-6));
}
