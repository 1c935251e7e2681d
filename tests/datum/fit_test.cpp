// Frame fits against published adjustments, a dense solution with all points as unknowns, refits without a pair, and
// simulated ones whose truth is known.
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "datum/fit/fit_causes.h"
#include "datum/fit/fit_export.h"
#include "datum/fit/hull.h"
#include "geodesy/register.h"
#include "support/temporary_folder.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <cstdio>
#include <fmt/format.h>
#include <random>
#include <set>

using namespace ampletie;
using Catch::Matchers::Contains;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
FitInput input(const SiteModel &m) {
  FitInput in;
  in.model = site_model(m);
  return in;
}
void add(FitInput &in, const std::string &name, const Vec3 &from, const Vec3 &to, double sd = 1) {
  FitPair p;
  p.name = name, p.from = from, p.to = to, p.to_cov = sd * sd * Mat3::Identity();
  in.pairs.push_back(p);
  in.from_cov =
      MatrixXd::Zero(static_cast<Eigen::Index>(3 * in.pairs.size()), static_cast<Eigen::Index>(3 * in.pairs.size()));
}

/// A site with errors on both sides that go together on the first.
struct Site {
  std::mt19937 random;
  std::normal_distribution<double> normal{0, 1};
  FitInput in;
  VectorXd truth;
  std::vector<Vec3> true_from;
  MatrixXd root;

  Site(unsigned seed, int marks, const SiteModel &m, double from_sd = 0.004, double to_sd = 0.006) : random(seed) {
    in.model = site_model(m);
    std::uniform_real_distribution<double> u(-1, 1);
    truth = VectorXd::Zero(in.model->count());
    const auto names = in.model->names();
    for (Eigen::Index i = 0; i < truth.size(); ++i) {
      const std::string &n = names[static_cast<std::size_t>(i)];
      truth[i] = n.starts_with("shift")                                                 ? 30 * u(random)
                 : n == "a" || n == "east by east" || n == "north by north"             ? 1 + 2e-4 * u(random)
                 : n.starts_with("tilt")                                                ? 3e-5 * u(random)
                 : n.find("²") != std::string::npos || n.find("·") != std::string::npos ? 1e-8 * u(random)
                                                                                        : 0.3 * u(random);
    }
    const Eigen::Index n = 3 * marks;
    // A network's covariance: what marks share, and their own.
    root = MatrixXd::Zero(n, n);
    for (Eigen::Index r = 0; r < n; ++r)
      for (Eigen::Index c = 0; c < n; ++c) root(r, c) = from_sd * (r == c ? 1 : 0.25 * u(random));
    in.from_cov = root * root.transpose();
    VectorXd e(n);
    for (Eigen::Index i = 0; i < n; ++i) e[i] = normal(random);
    e = root * e;
    for (int i = 0; i < marks; ++i) {
      FitPair p;
      p.name = "M" + std::to_string(i);
      const Vec3 at = m.from + Vec3(900 * u(random), 700 * u(random), 60 * u(random));
      true_from.push_back(at);
      p.from = at + e.segment<3>(3 * i);
      Mat3 s = to_sd * Mat3::Identity();
      s(1, 0) = 0.3 * to_sd, s(2, 2) *= 1.5;
      p.to_cov = s * s.transpose();
      p.to = in.model->apply(truth, at) + s * Vec3(normal(random), normal(random), normal(random));
      in.pairs.push_back(p);
    }
  }
};

/// The same adjustment with every point of the first side as unknowns too, by Gauss and Newton with numeric
/// derivatives: nothing of the program's own solution is in it.
VectorXd dense(const FitInput &in) {
  const Eigen::Index n = static_cast<Eigen::Index>(in.pairs.size()), u = in.model->count();
  VectorXd x0(3 * n), y(3 * n);
  MatrixXd weight = MatrixXd::Zero(6 * n, 6 * n);
  std::vector<Vec3> from, to;
  for (Eigen::Index i = 0; i < n; ++i) {
    const FitPair &p = in.pairs[static_cast<std::size_t>(i)];
    x0.segment<3>(3 * i) = p.from, y.segment<3>(3 * i) = p.to;
    weight.block<3, 3>(3 * n + 3 * i, 3 * n + 3 * i) = p.to_cov.inverse();
    from.push_back(p.from), to.push_back(p.to);
  }
  weight.topLeftCorner(3 * n, 3 * n) = in.from_cov.inverse();
  const std::vector<bool> yes(in.pairs.size(), true);
  VectorXd z(u + 3 * n);
  z << in.model->start(from, to, yes, yes), x0;
  const auto residuals = [&](const VectorXd &at) {
    VectorXd v(6 * n);
    v.head(3 * n) = at.tail(3 * n) - x0;
    for (Eigen::Index i = 0; i < n; ++i)
      v.segment<3>(3 * n + 3 * i) = in.model->apply(at.head(u), at.segment<3>(u + 3 * i)) - y.segment<3>(3 * i);
    return v;
  };
  for (int k = 0; k < 12; ++k) {
    const VectorXd v = residuals(z);
    MatrixXd j(6 * n, z.size());
    for (Eigen::Index c = 0; c < z.size(); ++c) {
      // Five points: wide steps, so that rounding of large coordinates does not count.
      const double h = c < u ? 1e-2 : 1;
      const auto at = [&](double by) {
        VectorXd moved = z;
        moved[c] += by;
        return residuals(moved);
      };
      j.col(c) = (8 * (at(h) - at(-h)) - (at(2 * h) - at(-2 * h))) / (12 * h);
    }
    z -= (j.transpose() * weight * j).ldlt().solve(j.transpose() * weight * v);
  }
  return z.head(u);
}
} // namespace

TEST_CASE("derivatives of every model agree with differences") {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> u(-1, 1);
  std::vector<std::unique_ptr<FitModel>> models;
  for (int plan = 0; plan < 5; ++plan)
    for (int height = 0; height < 4; ++height) {
      SiteModel m;
      m.plan = static_cast<PlanFit>(plan), m.height = static_cast<HeightFit>(height);
      m.scale = 0.9996, m.from = {500000, 5100000, 300}, m.to = {1000, 2000, 100};
      models.push_back(site_model(m));
    }
  for (int kind = 0; kind < 8; ++kind) {
    SpaceModel m;
    m.from = {4e6, 1e6, 4.8e6}, m.to = {4e6, 1e6, 4.8e6};
    m.scale = static_cast<SpaceModel::Scale>(kind % 3);
    m.shift[1] = kind != 3, m.rotation[0] = kind != 4, m.rotation[2] = kind != 5;
    models.push_back(space_model(m));
  }
  for (const auto &m : models) {
    VectorXd p(m->count());
    for (Eigen::Index i = 0; i < p.size(); ++i) p[i] = 0.4 * u(random);
    Vec3 x = m->has_plan() && m->names().front() == "shift X" ? Vec3(4e6 + 3000, 1e6 - 2000, 4.8e6 + 1500)
                                                              : Vec3(500300, 5099600, 350);
    const auto a = m->by_parameters(p, x);
    for (Eigen::Index k = 0; k < p.size(); ++k) {
      VectorXd q = p, r = p;
      q[k] += 1e-4, r[k] -= 1e-4;
      const Vec3 by = (m->apply(q, x) - m->apply(r, x)) / 2e-4;
      CHECK((a.col(k) - by).norm() <= 1e-5 * (1 + by.norm()));
    }
    for (int k = 0; k < 3; ++k) {
      const Vec3 d = 0.5 * Vec3::Unit(k);
      const Vec3 by = m->apply(p, x + d) - m->apply(p, x - d);
      CHECK((m->by_point(p, x).col(k) - by).norm() < 1e-6);
    }
  }
}

TEST_CASE("a published plane transformation: EPSG's similarity of ED50 and ETRS89 in zone 31") {
  // EPSG Guidance Note 7-2, similarity transformation (method 9621).
  const double m = 1.00000155, theta = 1.56504 * rad_per_arcsec;
  const auto there = [&](double x, double y) {
    return Vec3(-129.549 + x * m * std::cos(theta) + y * m * std::sin(theta),
                -208.185 - x * m * std::sin(theta) + y * m * std::cos(theta), 0);
  };
  CHECK(there(300000, 4500000).x() == Approx(299905.060).margin(0.002));
  CHECK(there(300000, 4500000).y() == Approx(4499796.515).margin(0.002));
  SiteModel s;
  s.height = HeightFit::none;
  s.from = s.to = {400000, 4600000, 0};
  FitInput in = input(s);
  int i = 0;
  for (const auto &[x, y] :
       {std::pair{400000.0, 4400000.0}, {500000.0, 4700000.0}, {350000.0, 4800000.0}, {420000.0, 4550000.0}})
    add(in, "P" + std::to_string(i++), {x, y, 0}, there(x, y), 0.001);
  const FitResult r = fit_frame(in);
  CHECK(std::hypot(r.parameters[2], r.parameters[3]) == Approx(m).epsilon(1e-12));
  CHECK(std::atan2(r.parameters[3], r.parameters[2]) == Approx(theta).margin(1e-12));
  const FittedPoint p = fitted(*in.model, r, {300000, 4500000, 0}, Mat3::Zero(), Eigen::Matrix3Xd::Zero(3, 4));
  CHECK(p.to.x() == Approx(299905.060).margin(0.002));
  CHECK(p.to.y() == Approx(4499796.515).margin(0.002));
}

TEST_CASE("a published adjustment of a plane transformation: Ghilani and Wolf, two-dimensional conformal") {
  SiteModel s;
  s.height = HeightFit::none;
  FitInput in = input(s);
  add(in, "A", {121.622, -128.066, 0}, {1049422.40, 51089.20, 0});
  add(in, "B", {141.228, 187.718, 0}, {1049413.95, 49659.30, 0});
  add(in, "C", {175.802, 135.728, 0}, {1049244.95, 49884.95, 0});
  const FitResult r = fit_frame(in);
  // E = a x − b y + Tx, N = b x + a y + Ty.
  CHECK(r.parameters[2] == Approx(-4.51249).margin(5e-6));
  CHECK(r.parameters[3] == Approx(0.25371).margin(5e-6));
  CHECK(r.parameters[0] == Approx(1050003.715).margin(0.001));
  CHECK(r.parameters[1] == Approx(50542.131).margin(0.001));
  CHECK(std::sqrt(r.chi_squared / r.redundancy) == Approx(0.1398).margin(1e-4));
  const double v[3][2] = {{0.0038, -0.0291}, {0.1009, -0.0767}, {-0.1047, 0.1059}};
  for (int i = 0; i < 3; ++i)
    for (int k = 0; k < 2; ++k) CHECK(r.pairs[static_cast<std::size_t>(i)].residual[k] == Approx(v[i][k]).margin(1e-4));
  CHECK(in.model->apply(r.parameters, {513.520, -192.130, 0}).x() == Approx(1047637.713).margin(0.002));
}

TEST_CASE("a published seven-parameter transformation is found again: WGS 72 and WGS 84") {
  // EPSG Guidance Note 7-2, position vector transformation (method 1033).
  const double rz = 0.554 * rad_per_arcsec, ds = 0.219e-6;
  const auto there = [&](const Vec3 &x) {
    return Vec3((1 + ds) * (x.x() - rz * x.y()), (1 + ds) * (rz * x.x() + x.y()), (1 + ds) * x.z() + 4.5);
  };
  const Vec3 published = there({3657660.66, 255768.55, 5201382.11});
  CHECK((published - Vec3(3657660.78, 255778.43, 5201387.75)).cwiseAbs().maxCoeff() < 0.01);
  FitInput in;
  in.model = space_model({});
  for (const Vec3 &x : {Vec3(3657660, 255768, 5201382), Vec3(4100000, 900000, 4800000),
                        Vec3(-1500000, 5200000, 3400000), Vec3(3000000, -2000000, 5200000)})
    add(in, "P", x, there(x), 0.01);
  const FitResult r = fit_frame(in);
  CHECK(r.names[5] == "rotation Z");
  CHECK(r.parameters[5] / rad_per_arcsec == Approx(0.554).margin(1e-5));
  CHECK(r.parameters[6] * 1e6 == Approx(0.219).margin(1e-4));
  CHECK(r.parameters[2] == Approx(4.5).margin(1e-3));
  CHECK(r.parameters.head<2>().norm() < 1e-3);
}

TEST_CASE("fits with errors on both sides are those of a dense solution with all points as unknowns") {
  for (int plan = 1; plan < 5; ++plan)
    for (int height = 1; height < 4; ++height) {
      SiteModel m;
      m.plan = static_cast<PlanFit>(plan), m.height = static_cast<HeightFit>(height);
      m.from = {451000, 5120000, 300}, m.to = {1000, 5000, 100};
      // Errors of decimetres, so that linearising in the wrong place would be felt.
      const Site s(static_cast<unsigned>(10 * plan + height), 8, m, 0.2, 0.3);
      FitInput in = s.in;
      const FitResult r = fit_frame(in);
      const VectorXd p = dense(in);
      for (const FitPair &x : in.pairs)
        CHECK((in.model->apply(p, x.from) - in.model->apply(r.parameters, x.from)).norm() < 1e-9);
    }
  // In space.
  std::mt19937 random(4);
  std::normal_distribution<double> n(0, 0.05);
  FitInput in;
  SpaceModel m;
  m.from = m.to = {4.1e6, 9e5, 4.75e6};
  m.scale = SpaceModel::Scale::three;
  in.model = space_model(m);
  VectorXd truth(9);
  truth << 10, -20, 5, 0.2, -0.1, 0.3, 1e-4, -2e-4, 3e-4;
  for (int i = 0; i < 7; ++i) {
    const Vec3 x = m.from + Vec3(9000 * std::sin(i), 8000 * std::cos(2.1 * i), 4000 * std::sin(3.3 * i));
    add(in, "P", x + Vec3(n(random), n(random), n(random)),
        in.model->apply(truth, x) + Vec3(n(random), n(random), n(random)), 0.05);
  }
  in.from_cov = 0.0025 * MatrixXd::Identity(21, 21);
  const FitResult r = fit_frame(in);
  const VectorXd p = dense(in);
  for (const FitPair &x : in.pairs)
    CHECK((in.model->apply(p, x.from) - in.model->apply(r.parameters, x.from)).norm() < 5e-9);
}

TEST_CASE("what the others say of a pair is what a fit without it says") {
  SiteModel m;
  m.height = HeightFit::plane;
  m.from = {451000, 5120000, 300};
  const Site s(3, 7, m);
  const FitResult all = fit_frame(s.in);
  for (std::size_t i = 0; i < s.in.pairs.size(); ++i) {
    FitInput without = s.in;
    without.pairs[i].use = PairUse::check;
    const FitResult r = fit_frame(without);
    REQUIRE(all.pairs[i].plan);
    REQUIRE(r.pairs[i].plan);
    // As a block of both and as two parts they are the same where nothing ties plan and height; here the network's
    // covariance does a little.
    CHECK((all.pairs[i].plan->difference - r.pairs[i].plan->difference).norm() < 4e-3);
    CHECK(std::abs(all.pairs[i].height->difference[0] - r.pairs[i].height->difference[0]) < 4e-3);
    CHECK(r.pairs[i].checked_plan == 0);
  }
  // Without ties they are equal.
  FitInput plain = s.in;
  plain.from_cov = MatrixXd(s.in.from_cov.diagonal().asDiagonal());
  const FitResult whole = fit_frame(plain);
  double checked = 0;
  for (std::size_t i = 0; i < plain.pairs.size(); ++i) {
    FitInput without = plain;
    without.pairs[i].use = PairUse::check;
    const FitResult r = fit_frame(without);
    CHECK((whole.pairs[i].plan->difference - r.pairs[i].plan->difference).norm() < 5e-8);
    CHECK((whole.pairs[i].plan->cov - r.pairs[i].plan->cov).norm() < 1e-9);
    CHECK(whole.pairs[i].height->statistic == Approx(r.pairs[i].height->statistic).epsilon(5e-3));
    // How far leaving it out would move the points.
    double moved = 0;
    for (const FitPair &p : plain.pairs)
      moved = std::max(
          moved, (plain.model->apply(r.parameters, p.from) - plain.model->apply(whole.parameters, p.from)).norm());
    CHECK(whole.pairs[i].moves == Approx(moved).epsilon(1e-3));
    checked += 2 * whole.pairs[i].checked_plan + whole.pairs[i].checked_height;
  }
  CHECK(checked == Approx(whole.redundancy).margin(1e-6));
}

TEST_CASE("errors of simulated fits agree with what is printed") {
  // 2,000 fits; limits of the means at five standard deviations.
  double chi = 0, point = 0, fit_point = 0, check = 0;
  long degrees = 0, inside95 = 0;
  constexpr int runs = 2000;
  for (int k = 0; k < runs; ++k) {
    SiteModel m;
    m.plan = static_cast<PlanFit>(1 + k % 4), m.height = static_cast<HeightFit>(1 + k / 4 % 3);
    m.from = {451000, 5120000, 300}, m.to = {1000, 5000, 100};
    Site s(static_cast<unsigned>(1000 + k), 7 + k % 6, m);
    s.in.pairs.back().use = PairUse::check;
    const FitResult r = fit_frame(s.in);
    chi += r.chi_squared, degrees += r.redundancy;
    // A point that is none of the fit, and one that is: its own error goes with that of the parameters.
    const auto u = s.in.model->count();
    const Vec3 at = m.from + Vec3(300, -200, 10);
    const FittedPoint free = fitted(*s.in.model, r, at, Mat3::Zero(), Eigen::Matrix3Xd::Zero(3, u));
    Vec3 e = free.to - s.in.model->apply(s.truth, at);
    const double d = e.dot(free.cov.inverse() * e);
    point += d, inside95 += d <= chi_squared_quantile(0.95, 3);
    const FittedPoint own =
        fitted(*s.in.model, r, s.in.pairs[0].from, s.in.from_cov.topLeftCorner<3, 3>(), r.cross.topRows(3));
    e = own.to - s.in.model->apply(s.truth, s.true_from[0]);
    fit_point += e.dot(own.cov.inverse() * e);
    check += r.pairs.back().plan->statistic;
  }
  const auto near = [](double mean, double degrees_each) {
    CHECK(mean == Approx(1).margin(5 * std::sqrt(2 / (degrees_each * runs))));
  };
  near(chi / static_cast<double>(degrees), static_cast<double>(degrees) / runs);
  near(point / (3 * runs), 3);
  near(fit_point / (3 * runs), 3);
  near(check / (2 * runs), 2);
  CHECK(static_cast<double>(inside95) / runs == Approx(0.95).margin(0.02));
}

TEST_CASE(
    "one wrong mark of six to twenty is named first, an exchanged pair too, nothing is named where nothing is wrong") {
  int wrong_first = 0, exchanged_first = 0, named_clean = 0;
  constexpr int runs = 200;
  for (int k = 0; k < runs; ++k) {
    SiteModel m;
    m.height = HeightFit::plane;
    m.from = {451000, 5120000, 300};
    Site s(static_cast<unsigned>(5000 + k), 6 + k % 15, m);
    named_clean += !explain_fit(s.in, fit_frame(s.in)).empty();
    const std::size_t bad = static_cast<std::size_t>(k) % s.in.pairs.size();
    FitInput in = s.in;
    std::uniform_real_distribution<double> size(0.06, 0.5), angle(0, 6.28);
    const double by = size(s.random), dir = angle(s.random);
    if (k % 3 == 0)
      in.pairs[bad].to.z() += by;
    else
      in.pairs[bad].to += Vec3(by * std::cos(dir), by * std::sin(dir), 0);
    auto causes = explain_fit(in, fit_frame(in));
    wrong_first += !causes.empty() && causes[0].marks == std::vector{in.pairs[bad].name} && causes[0].clears;
    in = s.in;
    const std::size_t other = (bad + 1 + static_cast<std::size_t>(k) % (in.pairs.size() - 1)) % in.pairs.size();
    std::swap(in.pairs[bad].to, in.pairs[other].to);
    causes = explain_fit(in, fit_frame(in));
    exchanged_first += !causes.empty() && causes[0].kind == FitCause::Kind::exchanged && causes[0].clears &&
                       std::set<std::string>(causes[0].marks.begin(), causes[0].marks.end()) ==
                           std::set<std::string>{in.pairs[bad].name, in.pairs[other].name};
  }
  CHECK(wrong_first >= 0.90 * runs);
  CHECK(exchanged_first >= 0.95 * runs);
  CHECK(named_clean <= 0.08 * runs);
}

TEST_CASE("units and axes of the other side are found") {
  SiteModel m;
  m.plan = PlanFit::rigid, m.height = HeightFit::shift;
  m.from = {451000, 5120000, 300};
  const auto first = [&](const std::function<void(FitPair &)> &change) {
    Site s(8, 8, m);
    for (FitPair &p : s.in.pairs) change(p);
    const auto causes = explain_fit(s.in, fit_frame(s.in));
    return causes.empty() ? std::string() : causes.front().sentence;
  };
  CHECK_THAT(first([](FitPair &p) { p.to.head<2>() /= 0.3048; }), Contains("east and north are in feet"));
  CHECK_THAT(first([](FitPair &p) { p.to /= 0.3048; }), Contains("coordinates are in feet"));
  CHECK_THAT(first([](FitPair &p) { p.to.z() /= 0.3048; }), Contains("heights are in feet"));
  CHECK_THAT(first([](FitPair &p) { std::swap(p.to.x(), p.to.y()); }), Contains("exchanged"));
  CHECK_THAT(first([](FitPair &p) { p.to.x() = -p.to.x(); }), Contains("west"));
  CHECK_THAT(scale_as_unit(3.2809), Contains("feet"));
  CHECK(scale_as_unit(1.0004).empty());
}

TEST_CASE("pairs that do not determine a fit are refused in words") {
  SiteModel s;
  s.height = HeightFit::none;
  FitInput in = input(s);
  CHECK_THROWS_WITH(fit_frame(in), Contains("0 equations"));
  add(in, "A", {100, 200, 10}, {0, 0, 0});
  CHECK_THROWS_WITH(fit_frame(in), Contains("2 equations"));
  add(in, "B", {100, 200, 10}, {0, 0, 0});
  CHECK_THROWS_WITH(fit_frame(in), Contains("one place"));
  s.plan = PlanFit::affine;
  in.model = site_model(s);
  in.pairs.clear();
  for (int i = 0; i < 5; ++i) add(in, "P", {100.0 * i, 50.0 * i, 0}, {100.0 * i, 50.0 * i, 0});
  CHECK_THROWS_WITH(fit_frame(in), Contains("on one line"));
  s.plan = PlanFit::similarity;
  in.model = site_model(s);
  CHECK(fit_frame(in).redundancy == 6);
  s.plan = PlanFit::none, s.height = HeightFit::plane;
  in.model = site_model(s);
  CHECK_THROWS_WITH(fit_frame(in), Contains("on one line"));
  s.plan = PlanFit::similarity, s.height = HeightFit::none;
  in.model = site_model(s);
  for (FitPair &p : in.pairs) p.to_cov.setZero();
  CHECK_THROWS_WITH(fit_frame(in), Contains("state a standard deviation"));
  in.pairs[0].to.x() = NAN;
  CHECK_THROWS_WITH(fit_frame(in), Contains("no numbers"));
  s.plan = PlanFit::none;
  in.model = site_model(s);
  CHECK_THROWS_WITH(fit_frame(in), Contains("fit of nothing"));
  // Two pairs determine a similarity and check nothing.
  s.plan = PlanFit::similarity;
  FitInput two = input(s);
  add(two, "A", {0, 0, 0}, {10, 10, 0}), add(two, "B", {100, 0, 0}, {110, 10.5, 0});
  const FitResult r = fit_frame(two);
  CHECK(r.redundancy == 0);
  CHECK_FALSE(r.pairs[0].plan);
  CHECK(r.pairs[0].checked_plan == Approx(0).margin(1e-9));
}

TEST_CASE("the order of pairs changes nothing") {
  SiteModel m;
  m.from = {451000, 5120000, 300};
  const Site s(21, 6, m);
  FitInput turned = s.in;
  std::reverse(turned.pairs.begin(), turned.pairs.end());
  for (Eigen::Index i = 0; i < 6; ++i)
    for (Eigen::Index k = 0; k < 6; ++k)
      turned.from_cov.block<3, 3>(3 * i, 3 * k) = s.in.from_cov.block<3, 3>(3 * (5 - i), 3 * (5 - k));
  const FitResult a = fit_frame(s.in), b = fit_frame(turned);
  CHECK((a.parameters - b.parameters).cwiseAbs().maxCoeff() < 1e-9);
  CHECK(a.chi_squared == Approx(b.chi_squared).epsilon(1e-9));
}

TEST_CASE("how far a mark lies outside of the others") {
  const auto hull = convex_hull({{0, 0}, {10, 0}, {10, 10}, {0, 10}, {5, 5}, {10, 5}, {0, 0}});
  CHECK(hull.size() == 4);
  CHECK(distance_outside(hull, {5, 5}) == 0);
  CHECK(distance_outside(hull, {13, 14}) == Approx(5));
  CHECK(distance_outside(hull, {5, -2}) == Approx(2));
  CHECK(distance_outside(convex_hull({{0, 0}, {5, 5}, {10, 10}}), {0, 10}) == Approx(std::sqrt(50.0)));
  CHECK(distance_outside(convex_hull({{3, 4}}), {0, 0}) == Approx(5));
  CHECK(std::isinf(distance_outside({}, {0, 0})));
}

TEST_CASE("a fit as a pipeline of PROJ gives what the fit gives") {
  // `cct` is PROJ's own program (Debian: proj-bin).
  SiteModel m;
  m.height = HeightFit::plane;
  m.from = {451000, 5120000, 0}, m.to = {1000, 5000, 0};
  for (int plan = 0; plan < 5; ++plan) {
    m.plan = static_cast<PlanFit>(plan);
    const Site s(77, 6, m);
    const FitResult r = fit_frame(s.in);
    const Vec3 at(451234.5678, 5119876.5432, 345.6789);
    const auto text = fit_as_proj(m, r.parameters);
    REQUIRE(text);
    const std::string command = fmt::format("echo {:.6f} {:.6f} {:.6f} 0 | cct -d 9 {}", at.x(), at.y(), at.z(), *text);
    FILE *pipe = popen(command.c_str(), "r");
    REQUIRE(pipe);
    double e = 0, n = 0, h = 0;
    CHECK(std::fscanf(pipe, "%lf %lf %lf", &e, &n, &h) == 3);
    pclose(pipe);
    const Vec3 y = s.in.model->apply(r.parameters, at);
    CHECK((Vec3(e, n, h) - y).norm() < 2e-6); // what nine decimals of coordinates of five millions leave
    const FitCoefficients c = coefficients(m, r.parameters);
    CHECK(c.e0 + c.ee * at.x() + c.en * at.y() == Approx(y.x()).margin(1e-6));
  }
  m.plan = PlanFit::similarity, m.height = HeightFit::curved;
  const Site s(78, 8, m);
  const FitResult r = fit_frame(s.in);
  CHECK_FALSE(fit_as_proj(m, r.parameters));
  const FitCoefficients c = coefficients(m, r.parameters);
  const Vec3 at(451234.5678, 5119876.5432, 345.6789), y = s.in.model->apply(r.parameters, at);
  CHECK(at.z() + c.h0 + c.he * at.x() + c.hn * at.y() + c.hee * at.x() * at.x() + c.hen * at.x() * at.y() +
            c.hnn * at.y() * at.y() ==
        Approx(y.z()).margin(1e-5));
  const Projection local("local:46.2:8.1:700");
  const std::string text = fit_as_wkt(m, r.parameters, {"the \"site\"", "", local});
  CHECK_THAT(text, Contains("ID[\"EPSG\",9624]") && Contains("the \"\"site\"\"") && Contains("E²"));
  CHECK_THAT(text, Contains("SOURCECRS[ENGCRS[\"local plane\""));
}

// The reader of WKT is PROJ's own command projinfo, the transformation its command cct: neither is asked by this
// program.
TEST_CASE("a plan as an open coordinate operation takes the grid's own figures: north first, feet, west and south") {
  const auto said_by = [](const std::string &command) {
    FILE *pipe = popen(command.c_str(), "r");
    REQUIRE(pipe);
    std::string out;
    for (int c; (c = std::fgetc(pipe)) != EOF;) out += static_cast<char>(c);
    pclose(pipe);
    return out;
  };
  testing::TemporaryFolder folder;
  for (const char *code : {"EPSG:25833", "EPSG:31467", "EPSG:2263", "EPSG:2053", "EPSG:2193"}) {
    INFO(code);
    const Projection grid(code);
    SiteModel m;
    m.plan = PlanFit::affine, m.height = HeightFit::plane;
    m.from = {451000, 5120000, 300}, m.to = {1000, 5000, 100};
    const Site s(79, 8, m);
    const FitResult r = fit_frame(s.in);
    const std::string wkt = fit_as_wkt(m, r.parameters, {"SITE", system_wkt(code), grid, 0.0123});
    CHECK_THAT(wkt, Contains("OPERATIONACCURACY[0.0123]") && Contains("REMARK"));
    write_file(folder / "fit.wkt", wkt);
    std::string pipeline = said_by("projinfo -q --single-line -o PROJ @" + (folder / "fit.wkt"));
    while (!pipeline.empty() && pipeline.back() == '\n') pipeline.pop_back();
    CHECK_THAT(pipeline, Contains("proj=affine"));
    const Vec3 at(451234.5678, 5119876.5432, 345.6789);
    const Eigen::Vector2d own = grid.native(at.x(), at.y());
    const std::string line =
        said_by(fmt::format("echo {:.6f} {:.6f} | cct -d 9 -z 0 -t 0 {}", own.x(), own.y(), pipeline));
    double e = 0, n = 0;
    REQUIRE(std::sscanf(line.c_str(), "%lf %lf", &e, &n) == 2);
    CHECK((Eigen::Vector2d(e, n) - s.in.model->apply(r.parameters, at).head<2>()).norm() < 3e-6);
  }
}

TEST_CASE("ablation: a fit that leaves out one side's errors, or what its marks share, says too little of itself") {
  SiteModel m;
  m.from = {451000, 5120000, 300}, m.to = {1000, 5000, 100};
  double all = 0, exact_network = 0, exact_list = 0, free_all = 0, free_alone = 0;
  constexpr int runs = 400;
  for (unsigned seed = 1; seed <= runs; ++seed) {
    const Site s(5000 + seed, 7, m);
    const auto per_degree = [](const FitInput &in) {
      const FitResult r = fit_frame(in);
      return r.chi_squared / r.redundancy / runs;
    };
    all += per_degree(s.in);
    FitInput in = s.in;
    in.from_cov *= 1e-6; // the network taken for errorless
    exact_network += per_degree(in);
    in = s.in;
    for (FitPair &p : in.pairs) p.to_cov *= 1e-6; // the list taken for errorless
    exact_list += per_degree(in);
    // A mark of the fit led on: its errors are in the parameters too.
    const FitResult r = fit_frame(s.in);
    const Vec3 truth = s.in.model->apply(s.truth, s.true_from[0]);
    const auto squared = [&](const Eigen::Matrix<double, 3, Eigen::Dynamic> &shared) {
      const FittedPoint p = fitted(*s.in.model, r, s.in.pairs[0].from, s.in.from_cov.topLeftCorner<3, 3>(), shared);
      const Vec3 e = p.to - truth;
      return e.dot(p.cov.ldlt().solve(e)) / 3 / runs;
    };
    free_all += squared(r.cross.topRows<3>());
    free_alone += squared(Eigen::Matrix3Xd::Zero(3, r.parameters.size()));
  }
  INFO(all << " " << exact_network << " " << exact_list << " " << free_all << " " << free_alone);
  CHECK(all > 0.95);
  CHECK(all < 1.05);
  CHECK(exact_network > 1.3);
  CHECK(exact_list > 1.8);
  CHECK(free_all > 0.9);
  CHECK(free_all < 1.1);
  CHECK(free_alone < 0.9); // the other way round: too much is printed
}

TEST_CASE("fits in space of a site: as a rotation and a scale written out, fewer parameters where they are held") {
  // Turned about all three axes and stretched by 40 ppm, written here as matrices of their own.
  const auto rx = [](double a) { return (Mat3() << 1, 0, 0, 0, cos(a), -sin(a), 0, sin(a), cos(a)).finished(); };
  const auto ry = [](double a) { return (Mat3() << cos(a), 0, sin(a), 0, 1, 0, -sin(a), 0, cos(a)).finished(); };
  const auto rz = [](double a) { return (Mat3() << cos(a), -sin(a), 0, sin(a), cos(a), 0, 0, 0, 1).finished(); };
  const Vec3 shift(1200.5, -340.25, 12.125);
  const Vec3 places[] = {{413000, 5129000, 800},
                         {413900, 5129400, 905},
                         {413300, 5130100, 760},
                         {414100, 5130000, 830},
                         {413600, 5129500, 990}};
  const Vec3 middle(413500, 5129600, 850);
  struct Row {
    PlanFit plan;
    int parameters;
    Mat3 matrix;
  };
  const Mat3 turn = rx(2e-4) * ry(-3e-4) * rz(0.35);
  const Row rows[] = {{PlanFit::space_shift, 3, Mat3::Identity()},
                      {PlanFit::space_scaled, 4, 1.00004 * Mat3::Identity()},
                      {PlanFit::space_rigid, 6, turn},
                      {PlanFit::space_similarity, 7, 1.00004 * turn},
                      {PlanFit::space_scales, 9, Vec3(1.00004, 0.99997, 1.0002).asDiagonal() * turn}};
  for (const Row &row : rows) {
    CAPTURE(row.parameters);
    SiteModel m;
    m.plan = row.plan, m.height = HeightFit::with_plan;
    m.from = middle, m.to = middle + shift.array().round().matrix();
    FitInput in;
    in.model = site_model(m);
    REQUIRE(in.model->count() == row.parameters);
    in.from_cov = 4e-6 * Eigen::MatrixXd::Identity(15, 15);
    int i = 0;
    for (const Vec3 &x : places) {
      FitPair p;
      p.name = "P" + std::to_string(i++);
      p.from = x, p.to = middle + shift + row.matrix * (x - middle), p.to_cov = 1e-6 * Mat3::Identity();
      in.pairs.push_back(p);
    }
    const FitResult r = fit_frame(in);
    CHECK(r.redundancy == 15 - row.parameters);
    CHECK(r.chi_squared < 1e-9);
    const FitCoefficients c = coefficients(m, r.parameters);
    for (const Vec3 &x : places) {
      const Vec3 to = middle + shift + row.matrix * (x - middle);
      const Vec3 by(c.e0 + c.ee * x.x() + c.en * x.y() + c.eh * x.z(),
                    c.n0 + c.ne * x.x() + c.nn * x.y() + c.nh * x.z(),
                    c.h0 + c.he * x.x() + c.hn * x.y() + c.hh * x.z());
      CHECK((by - to).norm() < 2e-6);
    }
    CHECK(fit_as_proj(m, r.parameters).has_value());
    CHECK(fit_as_wkt(m, r.parameters, {"x", "S", Projection("EPSG:25833")}).empty());
  }
}

TEST_CASE("a plan by shift and scale keeps the rotation that was said") {
  SiteModel m;
  m.plan = PlanFit::scaled, m.height = HeightFit::none, m.rotation = 0.3;
  m.from = Vec3(1000, 2000, 0), m.to = Vec3(50, 70, 0);
  const Mat3 turn = (Mat3() << cos(0.3), sin(0.3), 0, -sin(0.3), cos(0.3), 0, 0, 0, 1).finished();
  FitInput in;
  in.model = site_model(m);
  in.from_cov = 4e-6 * Eigen::MatrixXd::Identity(9, 9);
  int i = 0;
  for (const Vec3 &x : {Vec3(900, 1900, 0), Vec3(1200, 2300, 0), Vec3(1100, 1800, 0)}) {
    FitPair p;
    p.name = "P" + std::to_string(i++);
    p.from = x, p.to = Vec3(51, 68, 0) + 1.0003 * turn * (x - Vec3(1000, 2000, 0)), p.to_cov = 1e-6 * Mat3::Identity();
    p.has_height = false;
    in.pairs.push_back(p);
  }
  const FitResult r = fit_frame(in);
  REQUIRE(r.names == std::vector<std::string>{"shift east", "shift north", "scale"});
  CHECK(r.parameters[0] == Approx(1).margin(1e-8));
  CHECK(r.parameters[1] == Approx(-2).margin(1e-8));
  CHECK(r.parameters[2] == Approx(1.0003).margin(1e-11));
  CHECK(r.redundancy == 3);
  CHECK(r.chi_squared < 1e-9);
}
