// Distributions and regions against simulation and published points.
#include "adjustment/statistics.h"
#include "base/angle.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

TEST_CASE("ellipses are those of their covariance for every orientation") {
  for (int k = 0; k < 36; ++k) {
    const double t = pi * k / 36; // azimuth of the major axis
    const Eigen::Vector2d major(std::sin(t), std::cos(t)), minor(std::cos(t), -std::sin(t));
    const Eigen::Matrix2d q = 9 * major * major.transpose() + 4 * minor * minor.transpose();
    const Ellipse e = ellipse(q);
    CHECK(e.major == Approx(3));
    CHECK(e.minor == Approx(2));
    CHECK(std::abs(std::remainder(e.azimuth - t, pi)) < 1e-9);
  }
  CHECK(ellipse(Eigen::Matrix2d::Zero()).major == 0);
  CHECK(circle95({0, 0, 0}) == 0);
}

TEST_CASE("95 % regions hold 95 % of simulated errors") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> n;
  for (const double minor : {1.0, 0.6, 0.2, 0.02}) {
    const double radius = circle95({1, minor, 0});
    int inside = 0;
    const int count = 40000;
    for (int i = 0; i < count; ++i) inside += std::hypot(n(random), minor * n(random)) < radius;
    // Three standard deviations of a proportion.
    CHECK(static_cast<double>(inside) / count == Approx(0.95).margin(3 * std::sqrt(0.95 * 0.05 / count)));
  }
}

TEST_CASE("the non-centrality is what makes a test find an error with its power") {
  std::mt19937_64 random(6);
  std::normal_distribution<double> n;
  for (const int q : {1, 2, 3}) {
    const double shift = std::sqrt(noncentrality(0.01, 0.80, q)), critical = chi_squared_quantile(0.99, q);
    int found = 0;
    const int count = 40000;
    for (int i = 0; i < count; ++i) {
      double sum = std::pow(n(random) + shift, 2);
      for (int k = 1; k < q; ++k) sum += std::pow(n(random), 2);
      found += sum > critical;
    }
    CHECK(static_cast<double>(found) / count == Approx(0.80).margin(0.007));
  }
  // reference-values STA-04: Baarda 1968.
  CHECK(std::sqrt(noncentrality(0.001, 0.80)) == Approx(4.13).margin(0.005));
}

TEST_CASE("quantiles and their cumulative functions are inverse") {
  for (double p : {0.001, 0.05, 0.5, 0.95, 0.999})
    for (double n : {1.0, 3.0, 27.0, 400.0})
      CHECK(chi_squared_cdf(chi_squared_quantile(p, n), n) == Approx(p).epsilon(1e-9));
  CHECK(chi_squared_cdf(-1, 3) == 0);
}
