// Days of a network added up: against a dense solution with every parameter written out, and against truth.
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "network/stacking.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <cstdio>
#include <cstdlib>
#include <numbers>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
/// A network of permanent marks over a region, its noise in east, north, up.
struct Drawn {
  StackInput in;
  std::vector<Vec3> velocity; ///< true, X, Y, Z, m/yr
  std::vector<Mat3> axes;
};

/// Flicker of unit size by fractional integration of white noise (Hosking 1981), not by a matrix.
std::vector<double> flicker(std::mt19937_64 &random, std::size_t n, double step) {
  std::normal_distribution<double> normal;
  std::vector<double> psi(n, 1), white(n), out(n, 0);
  for (std::size_t k = 1; k < n; ++k) psi[k] = psi[k - 1] * (static_cast<double>(k) - 0.5) / static_cast<double>(k);
  for (double &w : white) w = normal(random);
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t m = 0; m <= i; ++m) out[i] += psi[i - m] * white[m];
  for (double &o : out) o *= std::pow(step, 0.25);
  return out;
}

Drawn draw(std::uint64_t seed, std::size_t marks, std::size_t days, double step, double white, double coloured) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> even(-1, 1);
  Drawn d;
  std::vector<std::vector<Vec3>> noise(marks, std::vector<Vec3>(days, Vec3::Zero()));
  for (std::size_t i = 0; i < marks; ++i) {
    const Geodetic g{(46 + 1.5 * even(random)) * std::numbers::pi / 180,
                     (14 + 2 * even(random)) * std::numbers::pi / 180, 500};
    d.in.marks.push_back("M" + std::to_string(i));
    d.in.reference.push_back(to_cartesian(g));
    d.axes.push_back(local_axes(g));
    d.velocity.push_back(d.axes[i].transpose() *
                         Vec3(0.002 * normal(random), 0.002 * normal(random), 0.003 * normal(random)));
    for (int c = 0; c < 3; ++c) {
      const auto f = flicker(random, days, step);
      for (std::size_t k = 0; k < days; ++k)
        noise[i][k][c] = (c == 2 ? 3 : 1) * (coloured * f[k] + white * normal(random));
    }
  }
  for (std::size_t k = 0; k < days; ++k) {
    DaySolution s;
    s.name = "day " + std::to_string(k);
    s.year = 2020 + static_cast<double>(k) * step;
    const Vec3 shift(0.01 * normal(random), 0.01 * normal(random), 0.01 * normal(random));
    const Vec3 turn = 3e-9 * Vec3(normal(random), normal(random), normal(random));
    s.at.resize(static_cast<Index>(3 * marks));
    s.weight = MatrixXd::Zero(s.at.size(), s.at.size());
    for (std::size_t i = 0; i < marks; ++i) {
      s.marks.push_back(i);
      s.at.segment<3>(static_cast<Index>(3 * i)) =
          d.velocity[i] * (s.year - 2020) + shift + turn.cross(d.in.reference[i]) + d.axes[i].transpose() * noise[i][k];
      const Vec3 sd(0.002, 0.002, 0.006);
      s.weight.block<3, 3>(static_cast<Index>(3 * i), static_cast<Index>(3 * i)) =
          d.axes[i].transpose() * sd.cwiseAbs2().cwiseInverse().asDiagonal() * d.axes[i];
    }
    d.in.days.push_back(std::move(s));
  }
  return d;
}

/// All marks give the datum with what they truly do.
void true_core(Drawn &d) {
  for (std::size_t i = 0; i < d.in.marks.size(); ++i) d.in.core.push_back({i, Vec3::Zero(), d.velocity[i]});
}
} // namespace

TEST_CASE("the stack is the solution with every day's shift and turn written out") {
  Drawn d = draw(3, 5, 6, 0.3, 0.002, 0);
  true_core(d);
  d.in.outlier_p = 1e-12;
  const Stack s = stack_days(d.in);
  REQUIRE(s.marks.size() == 5);
  // Unknowns: place and velocity of five marks, shift and turn of six days; datum: the mean of places and velocities.
  const Index unknowns = 30 + 36;
  MatrixXd normal = MatrixXd::Zero(unknowns, unknowns), datum = MatrixXd::Zero(unknowns, 12);
  VectorXd right = VectorXd::Zero(unknowns), wanted = VectorXd::Zero(12);
  const auto turning = [](const Vec3 &p) {
    Mat3 t;
    t << 0, -p.z(), p.y(), p.z(), 0, -p.x(), -p.y(), p.x(), 0;
    return Mat3(t / 6.4e6);
  };
  for (std::size_t k = 0; k < 6; ++k) {
    const DaySolution &day = d.in.days[k];
    MatrixXd a = MatrixXd::Zero(15, unknowns);
    for (Index i = 0; i < 5; ++i) {
      a.block<3, 3>(3 * i, 6 * i).setIdentity();
      a.block<3, 3>(3 * i, 6 * i + 3) = (day.year - s.epoch) * Mat3::Identity();
      a.block<3, 3>(3 * i, 30 + 6 * static_cast<Index>(k)).setIdentity();
      a.block<3, 3>(3 * i, 33 + 6 * static_cast<Index>(k)) = turning(d.in.reference[static_cast<std::size_t>(i)]);
    }
    normal += a.transpose() * day.weight * a, right += a.transpose() * day.weight * day.at;
  }
  for (Index i = 0; i < 5; ++i)
    for (Index j = 0; j < 2; ++j) {
      const Vec3 given = j ? d.velocity[static_cast<std::size_t>(i)] : Vec3::Zero();
      datum.block<3, 3>(6 * i + 3 * j, 6 * j).setIdentity();
      datum.block<3, 3>(6 * i + 3 * j, 6 * j + 3) = turning(d.in.reference[static_cast<std::size_t>(i)]);
      wanted.segment<6>(6 * j) += datum.block<3, 6>(6 * i + 3 * j, 6 * j).transpose() * given;
    }
  // Bordered: the constraints hold exactly.
  MatrixXd all = MatrixXd::Zero(unknowns + 12, unknowns + 12);
  all.topLeftCorner(unknowns, unknowns) = normal, all.topRightCorner(unknowns, 12) = 1e4 * datum;
  all.bottomLeftCorner(12, unknowns) = 1e4 * datum.transpose();
  VectorXd r(unknowns + 12);
  r << right, 1e4 * wanted;
  const Eigen::FullPivLU<MatrixXd> lu(all);
  const VectorXd x = lu.solve(r);
  const MatrixXd inverse = lu.inverse();
  for (Index i = 0; i < 5; ++i) {
    const StackedMark &m = s.marks[static_cast<std::size_t>(i)];
    const Mat3 &axes = d.axes[static_cast<std::size_t>(i)];
    CHECK((m.place - Vec3(x.segment<3>(6 * i))).norm() < 1e-7);
    CHECK((axes.transpose() * m.velocity - Vec3(x.segment<3>(6 * i + 3))).norm() < 1e-8);
    const Mat3 c = axes * inverse.block<3, 3>(6 * i + 3, 6 * i + 3) * axes.transpose();
    for (int k = 0; k < 3; ++k) CHECK(m.white_sd[k] == Approx(s.factor * std::sqrt(c(k, k))).epsilon(1e-3));
  }
}

TEST_CASE("velocities of drawn networks agree with what is printed, white or coloured; white alone would be wrong") {
  const int networks = std::getenv("AMPLETIE_LONG") ? 60 : 6;
  for (const double coloured : {0.0, 0.003}) {
    double squares = 0, squares_white = 0, factor = 0, found = 0;
    int inside = 0, all = 0, outliers = 0;
    for (int seed = 1; seed <= networks; ++seed) {
      Drawn d = draw(static_cast<std::uint64_t>(seed), 8, 180, 7 / 365.25, 0.002, coloured);
      true_core(d);
      const Stack s = stack_days(d.in);
      outliers += s.outliers;
      for (const StackedMark &m : s.marks)
        for (int c = 0; c < 3; ++c) {
          const double e = m.velocity[c] - (d.axes[m.mark] * d.velocity[m.mark])[c];
          squares += e * e / (m.velocity_sd[c] * m.velocity_sd[c]);
          squares_white += e * e / (m.white_sd[c] * m.white_sd[c]);
          inside += std::abs(e) < 1.96 * m.velocity_sd[c], ++all;
          found += m.noise[static_cast<std::size_t>(c)].flicker / (c == 2 ? 3 : 1);
        }
      factor += s.factor / networks;
    }
    const double nse = squares / all, share = 1.0 * inside / all;
    INFO("flicker " << coloured << ": squared error " << nse << ", as white " << squares_white / all << ", inside 95 % "
                    << share << ", found " << found / all << ", factor " << factor << ", outliers " << outliers);
    if (std::getenv("AMPLETIE_LONG"))
      WARN("flicker " << coloured << ": " << nse << " (as white " << squares_white / all << "), inside " << share
                      << ", found " << found / all << ", of " << all);
    CHECK(outliers <= networks / 10 + 1);
    if (networks > 20) {
      CHECK(nse > 0.85);
      CHECK(nse < 1.15);
      CHECK(share > 0.93);
      CHECK(share < 0.97);
    } else {
      CHECK(nse > 0.6);
      CHECK(nse < 1.6);
    }
    if (coloured > 0) {
      CHECK(squares_white / all > 4);
      CHECK(found / all == Approx(coloured).epsilon(0.2));
    } else {
      CHECK(squares_white / all < 1.5);
      CHECK(factor == Approx(1).epsilon(0.05));
    }
  }
}

TEST_CASE("velocities against a few marks are as good as is printed: the noise of those few is in them") {
  const int networks = std::getenv("AMPLETIE_LONG") ? 60 : 6;
  for (const double coloured : {0.0, 0.003}) {
    double squares[2] = {0, 0};
    int all[2] = {0, 0};
    for (int n = 0; n < networks; ++n) {
      Drawn d = draw(5000 + static_cast<std::uint64_t>(n), 8, 180, 7 / 365.25, 0.002, coloured);
      for (std::size_t i = 0; i < 4; ++i) d.in.core.push_back({i, Vec3::Zero(), d.velocity[i]});
      for (const StackedMark &m : stack_days(d.in).marks)
        for (int c = 0; c < 3; ++c) {
          const double e = (m.velocity - d.axes[m.mark] * d.velocity[m.mark])[c] / m.velocity_sd[c];
          squares[m.core] += e * e, ++all[m.core];
        }
    }
    const double others = squares[0] / all[0], core = squares[1] / all[1];
    CAPTURE(coloured, others, core);
    if (std::getenv("AMPLETIE_LONG")) WARN("flicker " << coloured << ": " << others << ", of the few " << core);
    // Errors of one network are not independent of each other.
    CHECK(others > (networks > 20 ? 0.8 : 0.5));
    CHECK(others < (networks > 20 ? 1.2 : 1.7));
    CHECK(core > (networks > 20 ? 0.75 : 0.3));
    CHECK(core < (networks > 20 ? 1.25 : 2));
  }
}

TEST_CASE("steps, waves and wrong days are found where they are, and do not bend velocities") {
  Drawn d = draw(7, 8, 180, 7 / 365.25, 0.001, 0);
  d.in.seasonal = true;
  true_core(d);
  const Vec3 jump(0.03, -0.02, 0.05);
  for (std::size_t k = 0; k < d.in.days.size(); ++k) {
    DaySolution &day = d.in.days[k];
    if (day.year >= 2021.5) day.at.segment<3>(6) += d.axes[2].transpose() * jump;
    day.at.segment<3>(9) += d.axes[3].transpose() * Vec3(0, 0, 0.008 * std::cos(2 * std::numbers::pi * day.year));
    if (k == 40) day.at.segment<3>(12) += Vec3(0.08, 0, 0);
    if (k == 41) day.at.segment<3>(15) += Vec3(0, 0.05, 0.05);
  }
  d.in.steps.push_back({2, 2021.5});
  d.in.steps.push_back({5, 2019.0}); // nothing before it
  const Stack s = stack_days(d.in);
  CHECK(s.outliers == 2);
  for (const StackedMark &m : s.marks)
    for (const StackedDay &day : m.series)
      CHECK(day.outlier == ((m.mark == 4 && day.day == 40) || (m.mark == 5 && day.day == 41)));
  REQUIRE(s.marks[2].steps.size() == 1);
  // The others share an eighth of it in the day's own datum, never in the step.
  CHECK((s.marks[2].steps[0].second - jump).norm() < 0.003);
  CHECK(s.marks[5].steps.empty());
  REQUIRE(s.left_out.size() == 1);
  CHECK_THAT(s.left_out[0], Contains("step of M5") && Contains("0 days before"));
  // Of a wave what a shift and a turn of all marks together cannot be: that is taken for the datum's.
  MatrixXd h(24, 6);
  for (Index i = 0; i < 8; ++i) {
    const Vec3 p = d.in.reference[static_cast<std::size_t>(i)] / 6.4e6;
    h.block<3, 6>(3 * i, 0) << 1, 0, 0, 0, -p.z(), p.y(), 0, 1, 0, p.z(), 0, -p.x(), 0, 0, 1, -p.y(), p.x(), 0;
  }
  VectorXd wave = VectorXd::Zero(24);
  wave.segment<3>(9) = d.axes[3].transpose() * Vec3(0, 0, 0.008);
  const VectorXd left = wave - h * Eigen::ColPivHouseholderQR<MatrixXd>(h).solve(wave);
  for (Index i = 0; i < 8; ++i) {
    const auto &m = s.marks[static_cast<std::size_t>(i)];
    CHECK((m.seasonal.col(0) - d.axes[m.mark] * Vec3(left.segment<3>(3 * i))).norm() < 0.0015);
  }
  CHECK(left.norm() > 0.003);
  for (const StackedMark &m : s.marks)
    CHECK((m.velocity - d.axes[m.mark] * d.velocity[m.mark]).cwiseQuotient(m.velocity_sd).norm() < 5);
}

TEST_CASE("jumps that nobody said are named, seldom where there are none, and never applied") {
  const int networks = std::getenv("AMPLETIE_LONG") ? 60 : 5;
  for (const double coloured : {0.0, 0.002}) {
    int named = 0, right = 0, near = 0, still = 0;
    double squares = 0;
    for (int n = 0; n < networks; ++n) {
      Drawn d = draw(9000 + static_cast<std::uint64_t>(n), 8, 150, 10 / 365.25, 0.001, coloured);
      true_core(d);
      named += stack_days(d.in).suspected.has_value();
      // 12 mm in plan: with flicker some four times what a series shows at all.
      const std::size_t when = 40 + static_cast<std::size_t>(n) % 70;
      const Vec3 jump(0.010, -0.007, 0);
      for (std::size_t k = when; k < d.in.days.size(); ++k)
        d.in.days[k].at.segment<3>(9) += d.axes[3].transpose() * jump;
      const Stack s = stack_days(d.in);
      if (!s.suspected) continue;
      const SuspectedStep &x = *s.suspected;
      right += s.marks[x.series].mark == 3;
      near += std::abs(x.year - d.in.days[when].year) < 0.06;
      const StackedMark &m = s.marks[x.series];
      CHECK(m.steps.empty());
      // Said, it is a step like another, and nothing is left to be named.
      d.in.steps.push_back({3, d.in.days[when].year});
      const Stack again = stack_days(d.in);
      REQUIRE(again.marks[3].steps.size() == 1);
      still += again.suspected.has_value();
      squares += (again.marks[3].steps[0].second - jump)
                     .cwiseQuotient(again.marks[3].step_sd[0].second)
                     .head<2>()
                     .squaredNorm() /
                 2;
    }
    if (std::getenv("AMPLETIE_LONG"))
      std::printf("%d networks, flicker %g: named without a jump %d, with one right %d, in time %d, afterwards %d; "
                  "squares %.2f\n",
                  networks, coloured, named, right, near, still, squares / networks);
    CAPTURE(coloured, networks, named, right, near, still, squares / networks);
    CHECK(named <= networks / 10 + 1);
    CHECK(right >= 0.9 * networks);
    CHECK(near >= 0.85 * networks);
    CHECK(squares / right < (networks > 10 ? 1.4 : 3));
    CHECK(still <= networks / 10 + 1);
  }
}

TEST_CASE("the datum of single days does not matter, nor their order; what cannot be stacked is said") {
  Drawn d = draw(9, 6, 40, 0.05, 0.002, 0);
  const Stack a = stack_days(d.in);
  Drawn other = d;
  std::mt19937_64 random(1);
  std::normal_distribution<double> normal;
  for (DaySolution &day : other.in.days) {
    const Vec3 shift(normal(random), normal(random), normal(random));
    for (Index i = 0; i < 6; ++i) day.at.segment<3>(3 * i) += shift;
  }
  std::reverse(other.in.days.begin(), other.in.days.end());
  const Stack b = stack_days(other.in);
  for (std::size_t i = 0; i < 6; ++i) {
    CHECK((a.marks[i].velocity - b.marks[i].velocity).norm() < 1e-8);
    CHECK((a.marks[i].velocity_sd - b.marks[i].velocity_sd).norm() < 1e-8);
  }
  Drawn few = d;
  few.in.days.resize(1);
  CHECK_THROWS_WITH(stack_days(few.in), Contains("one day alone"));
  Drawn short_one = draw(9, 6, 4, 0.001, 0.002, 0);
  CHECK_THROWS_WITH(stack_days(short_one.in), Contains("fewer than two marks"));
  Drawn core = d;
  core.in.core = {{0, Vec3::Zero(), Vec3::Zero()}, {1, Vec3::Zero(), Vec3::Zero()}};
  CHECK_THROWS_WITH(stack_days(core.in), Contains("three at least"));
  // A mark on two days only, and one that comes and goes.
  Drawn gaps = d;
  for (std::size_t k = 0; k < gaps.in.days.size(); ++k) {
    DaySolution &day = gaps.in.days[k];
    if (k < 2) continue;
    day.marks.pop_back();
    day.at.conservativeResize(15), day.weight.conservativeResize(15, 15);
  }
  const Stack g = stack_days(gaps.in);
  CHECK(g.marks.size() == 5);
  REQUIRE(g.left_out.size() == 1);
  CHECK_THAT(g.left_out[0], Contains("M5: on 2 days"));
}
