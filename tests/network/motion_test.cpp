// Velocities from repeated campaigns: against a straight line by hand, against a dense solution with another datum, and
// whether what is printed is what is there.
#include "adjustment/statistics.h"
#include "base/error.h"
#include "network/motion.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
/// A network of `n` marks at some years: every time measured anew with a joint covariance and a shift of its own.
struct Monitored {
  std::vector<Vec3> velocity;
  MotionInput in;
  Monitored(int n, const std::vector<double> &years, std::mt19937_64 &random, std::vector<Vec3> moving = {},
            double shift = 0.02)
      : velocity(static_cast<std::size_t>(n), Vec3::Zero()) {
    std::normal_distribution<double> normal;
    for (std::size_t i = 0; i < moving.size(); ++i) velocity[i] = moving[i];
    for (int i = 0; i < n; ++i) in.marks.push_back("M" + std::to_string(i));
    for (double year : years) {
      Campaign c;
      c.name = "campaign", c.year = year;
      // Marks beside one another share part of their errors.
      MatrixXd half = MatrixXd::Zero(3 * n, 3 * n);
      for (Index i = 0; i < 3 * n; ++i)
        for (Index k = 0; k <= i; ++k)
          if ((i - k) % 3 == 0) half(i, k) = (i == k ? 0.002 : 0.0008) * (i % 3 == 2 ? 2 : 1);
      c.cov = half * half.transpose();
      VectorXd noise(3 * n);
      for (Index i = 0; i < 3 * n; ++i) noise[i] = normal(random);
      c.at = half * noise;
      const Vec3 common(shift * normal(random), shift * normal(random), shift * normal(random));
      for (int i = 0; i < n; ++i) {
        c.marks.push_back(static_cast<std::size_t>(i));
        c.at.segment<3>(3 * i) += velocity[static_cast<std::size_t>(i)] * (year - 2020) + common;
      }
      in.campaigns.push_back(std::move(c));
    }
  }
};
} // namespace

TEST_CASE("one mark in the frame: the weighted straight line of a textbook") {
  // Draper and Smith, Applied Regression Analysis: slope and its variance of weighted observations, written out.
  MotionInput in;
  in.marks = {"A"};
  in.against_standing = false;
  const std::vector<double> t{2019.2, 2021.7, 2022.4, 2026.0}, y{0.010, 0.021, 0.019, 0.046},
      sd{0.002, 0.004, 0.003, 0.002};
  double sw = 0, swt = 0, swy = 0, swtt = 0, swty = 0;
  for (std::size_t i = 0; i < t.size(); ++i) {
    const double w = 1 / (sd[i] * sd[i]);
    sw += w, swt += w * t[i], swy += w * y[i];
  }
  for (std::size_t i = 0; i < t.size(); ++i) {
    const double w = 1 / (sd[i] * sd[i]), dt = t[i] - swt / sw;
    swtt += w * dt * dt, swty += w * dt * (y[i] - swy / sw);
    Campaign c;
    c.year = t[i], c.marks = {0}, c.at = Vec3(y[i], 0, -2 * y[i]), c.cov = sd[i] * sd[i] * MatrixXd::Identity(3, 3);
    in.campaigns.insert(in.campaigns.begin(), std::move(c)); // the order is none
  }
  const Motions m = estimate_motions(in);
  REQUIRE(m.marks.size() == 1);
  CHECK(m.marks[0].velocity.x() == Approx(swty / swtt).epsilon(1e-10));
  CHECK(m.marks[0].velocity.z() == Approx(-2 * swty / swtt).epsilon(1e-10));
  CHECK(m.marks[0].cov(0, 0) == Approx(1 / swtt).epsilon(1e-10));
  CHECK(m.degrees == 6);
  CHECK(m.marks[0].series.front().year == 2019.2);
  CHECK_FALSE(m.marks[0].stands);
}

TEST_CASE("against what stands: neither the datum of single times nor a common drift moves a velocity") {
  std::mt19937_64 random(11);
  Monitored net(7, {2020, 2021.1, 2022.3, 2024}, random, {Vec3(0.03, -0.02, -0.05), Vec3(0, 0.04, 0)});
  const Motions before = estimate_motions(net.in);
  for (std::size_t i = 0; i < 7; ++i) CHECK(before.marks[i].stands == (i > 1));
  for (Campaign &c : net.in.campaigns)
    for (Index i = 0; i < c.at.size(); i += 3)
      c.at.segment<3>(i) +=
          Vec3(0.3, -0.2, 0.1) + Vec3(0.02, 0.025, -0.001) * (c.year - 2020) + Vec3(0.05, 0.01, 0) * std::sin(c.year);
  const Motions after = estimate_motions(net.in);
  for (std::size_t i = 0; i < 7; ++i) {
    CHECK((after.marks[i].velocity - before.marks[i].velocity).norm() < 1e-9);
    CHECK(after.marks[i].stands == before.marks[i].stands);
    for (std::size_t k = 0; k < 4; ++k)
      CHECK((after.marks[i].series[k].residual - before.marks[i].series[k].residual).norm() < 1e-9);
  }
  CHECK(after.statistic == Approx(before.statistic).epsilon(1e-6));
  // A dense solution of all unknowns with the datum of the marks that stand: their velocities and places sum to zero.
  const Index n = 7, k = 4, unknowns = 6 * n + 3 * k;
  MatrixXd normal = MatrixXd::Zero(unknowns + 6, unknowns + 6);
  VectorXd right = VectorXd::Zero(unknowns + 6);
  for (Index c = 0; c < k; ++c) {
    const Campaign &time = net.in.campaigns[static_cast<std::size_t>(c)];
    MatrixXd design = MatrixXd::Zero(3 * n, unknowns);
    for (Index i = 0; i < n; ++i) {
      design.block<3, 3>(3 * i, 6 * i).setIdentity();
      design.block<3, 3>(3 * i, 6 * i + 3) = (time.year - 2021.5) * Mat3::Identity();
      design.block<3, 3>(3 * i, 6 * n + 3 * c).setIdentity();
    }
    const MatrixXd weight = time.cov.inverse();
    normal.topLeftCorner(unknowns, unknowns) += design.transpose() * weight * design;
    right.head(unknowns) += design.transpose() * weight * time.at;
  }
  for (Index i = 2; i < n; ++i)
    for (Index j = 0; j < 6; ++j) normal(unknowns + j, 6 * i + j) = normal(6 * i + j, unknowns + j) = 1;
  const VectorXd x = normal.fullPivLu().solve(right);
  // The means of what stands differ from their least squares datum by less than what they know of it, so compare what
  // no datum changes: one velocity less another.
  for (Index i = 1; i < n; ++i)
    CHECK((x.segment<3>(6 * i + 3) - x.segment<3>(3) -
           (after.marks[static_cast<std::size_t>(i)].series.size() == 4
                ? Vec3((after.marks[static_cast<std::size_t>(i)].series[3].at -
                        after.marks[static_cast<std::size_t>(i)].series[3].residual -
                        after.marks[static_cast<std::size_t>(i)].series[0].at +
                        after.marks[static_cast<std::size_t>(i)].series[0].residual) /
                           4.0 -
                       (after.marks[0].series[3].at - after.marks[0].series[3].residual - after.marks[0].series[0].at +
                        after.marks[0].series[0].residual) /
                           4.0)
                : Vec3::Zero()))
              .norm() < 1e-7);
}

TEST_CASE("velocities are as good as they say, in a thousand campaigns; what stands is told from what moves") {
  std::mt19937_64 random(2026);
  double sum = 0, even = 0, exact = 0, false_alarms = 0;
  int n = 0, inside = 0;
  constexpr int rounds = 500;
  for (int r = 0; r < rounds; ++r) {
    const Vec3 moving(0.012, -0.008, 0.02);
    Monitored net(8, {2020, 2020.9, 2022.2, 2023, 2024.5}, random, {moving, -0.8 * moving});
    const Motions m = estimate_motions(net.in);
    REQUIRE(m.problem.empty());
    even += m.even;
    bool right = true;
    for (std::size_t i = 0; i < 8; ++i) right = right && m.marks[i].stands == (i > 1);
    exact += right;
    if (!right) continue;
    for (std::size_t i = 0; i < 2; ++i) {
      const Vec3 error = m.marks[i].velocity - net.velocity[i];
      const double q = error.dot(m.marks[i].cov.inverse() * error);
      sum += q, inside += q < chi_squared_quantile(0.95, 3), ++n;
    }
  }
  for (int r = 0; r < rounds; ++r) {
    Monitored still(6, {2020, 2021, 2023}, random);
    const Motions m = estimate_motions(still.in);
    for (const MarkMotion &x : m.marks)
      if (!x.stands) {
        ++false_alarms;
        break;
      }
  }
  CAPTURE(sum / n / 3, even / rounds, exact / rounds, false_alarms / rounds);
  CHECK(sum / n / 3 == Approx(1).margin(0.08)); // known to 0.026
  CHECK(inside / static_cast<double>(n) == Approx(0.95).margin(0.025));
  CHECK(even / rounds == Approx(0.95).margin(0.03)); // the test's own size
  CHECK(exact / rounds > 0.88);                      // 5 % of the groups lose one that stands
  CHECK(false_alarms / rounds == Approx(0.05).margin(0.03));
}

TEST_CASE("held marks count among those that stand: two that move alike are not taken for the ground; a base that "
          "moves is found") {
  std::mt19937_64 random(77);
  const Vec3 alike(0.002, 0.012, -0.01);
  int right = 0, without = 0, base_found = 0;
  for (int r = 0; r < 100; ++r) {
    Monitored net(4, {2020, 2021.5, 2023, 2025}, random, {alike, alike}, 0);
    without += estimate_motions(net.in).marks[2].stands;
    net.in.held = {"BASE"};
    const Motions m = estimate_motions(net.in);
    REQUIRE(m.marks.size() == 5);
    CHECK(m.marks[4].times == 0);
    right += !m.marks[0].stands && !m.marks[1].stands && m.marks[2].stands && m.marks[3].stands && m.marks[4].stands;
    // All of six marks seem to move against a base that itself does.
    const std::vector<Vec3> all(6, alike);
    Monitored moved(6, {2020, 2021.5, 2023, 2025}, random, all, 0);
    moved.in.held = {"BASE"};
    const Motions b = estimate_motions(moved.in);
    base_found += !b.marks[6].stands && b.marks[0].stands && b.marks[5].stands;
    if (!b.marks[6].stands) CHECK((b.marks[6].velocity + alike).norm() < 0.004);
  }
  CHECK(without < 90); // two against two: nothing tells which
  CHECK(right > 88);
  CHECK(base_found > 88);
}

TEST_CASE("what no movement can be told of is refused in words; marks of one time are left out") {
  std::mt19937_64 random(3);
  Monitored net(4, {2020, 2022}, random);
  net.in.marks.push_back("once");
  Campaign &c = net.in.campaigns[0];
  c.marks.push_back(4);
  c.at.conservativeResize(15), c.at.tail<3>().setZero();
  MatrixXd cov = 1e-6 * MatrixXd::Identity(15, 15);
  cov.topLeftCorner(12, 12) = c.cov;
  c.cov = cov;
  const Motions m = estimate_motions(net.in);
  CHECK(m.marks.size() == 4);
  CHECK(m.degrees == 0); // two times: nothing tells whether the movement is even
  CHECK(m.even);
  MotionInput one = net.in;
  one.campaigns.pop_back();
  CHECK_THROWS_AS(estimate_motions(one), InputError);
  MotionInput same = net.in;
  same.campaigns[1].year = 2020;
  CHECK_THROWS_WITH(estimate_motions(same), Catch::Matchers::Contains("different times"));
  MotionInput none = net.in;
  none.campaigns[1].cov.setZero();
  none.campaigns[1].name = "record of 2022";
  CHECK_THROWS_WITH(estimate_motions(none), Catch::Matchers::Contains("record of 2022"));
  MotionInput alone;
  alone.marks = {"A"};
  for (double year : {2020.0, 2021.0}) {
    Campaign a;
    a.year = year, a.marks = {0}, a.at = Vec3::Zero(), a.cov = 1e-6 * MatrixXd::Identity(3, 3);
    alone.campaigns.push_back(a);
  }
  CHECK_THROWS_AS(estimate_motions(alone), InputError); // against what stands
  alone.against_standing = false;
  CHECK(estimate_motions(alone).marks.at(0).stands);
  // Times that have no mark in common hang together by nothing.
  MotionInput apart;
  apart.marks = {"A", "B", "C", "D"};
  for (double year : {2020.0, 2021.0, 2022.0, 2023.0}) {
    Campaign a;
    const bool early = year < 2021.5;
    a.year = year, a.marks = early ? std::vector<std::size_t>{0, 1} : std::vector<std::size_t>{2, 3};
    a.at = VectorXd::Zero(6), a.cov = 1e-6 * MatrixXd::Identity(6, 6);
    apart.campaigns.push_back(a);
  }
  CHECK_THROWS_WITH(estimate_motions(apart), Catch::Matchers::Contains("hang together"));
}
