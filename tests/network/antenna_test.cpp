// The uncertainty of antenna calibrations as an unknown of each type (geodesy.md 22): differences between types carry
// it, differences within a type do not, and what is printed agrees with the errors that are made.
#include "network/blocks.h"
#include "network/network.h"
#include "network/network_frame.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

namespace {
const Vec3 here(4293769.6, 1053871.5, 4582141.3);
const Mat3 site_axes = local_axes(to_geodetic(here));

/// A held base of one type, three rovers of another, one of them twice; vectors of a millimetre or two.
NetworkInput star(bool two_types, double calibration) {
  NetworkInput in;
  in.calibration_sd = calibration * Vec3(0.5, 0.5, 1);
  const auto place = [&](double e, double n) { return Vec3(here + site_axes.transpose() * Vec3(e, n, 0)); };
  in.marks = {{"BASE", {here, frame, 2026.36}, Hold::full, Vec3::Zero()}};
  const std::pair<const char *, Vec3> rovers[] = {
      {"R1", place(900, 200)}, {"R2", place(-400, 700)}, {"R3", place(100, -800)}};
  for (const auto &[name, x] : rovers) in.marks.push_back({name, {x, frame, 2026.36}, Hold::none, Vec3::Zero()});
  in.setups = {{"base1", "BASE", Vec3::Constant(1e-4), "RING"}};
  int n = 0;
  for (const auto &[name, x] : rovers)
    for (int again = 0; again < (n == 0 ? 2 : 1); ++again) {
      const std::string setup = std::string(name) + std::to_string(again);
      in.setups.push_back({setup, name, Vec3::Constant(1e-4), two_types ? "PLATE" : "RING"});
      NetworkVector v;
      v.id = "v" + setup, v.from = "BASE", v.to = name, v.from_setup = "base1", v.to_setup = setup;
      v.d = x - here, v.cov = 1e-6 * Mat3::Identity(), v.frame = frame, v.epoch = 2026.36;
      in.vectors.push_back(v);
      ++n;
    }
  return in;
}

Mat3 cov_of(const NetworkResult &r, const std::string &name) {
  for (const auto &m : r.marks)
    if (m.name == name) return m.cov_enu;
  throw std::runtime_error(name);
}
} // namespace

TEST_CASE("one type falls out of every vector, two leave their uncertainty in all of them") {
  const double alone = cov_of(adjust_network(star(false, 0.002), {}), "R2")(2, 2),
               none = cov_of(adjust_network(star(true, 0), {}), "R2")(2, 2);
  CHECK(alone == Approx(none).epsilon(1e-9));
  const NetworkResult two = adjust_network(star(true, 0.002), {});
  // Base and rover may both be off: twice the variance, in height and, by half the deviation, in plan.
  CHECK(cov_of(two, "R2")(2, 2) - none == Approx(2 * 4e-6).epsilon(1e-6));
  CHECK(cov_of(two, "R2")(0, 0) - cov_of(adjust_network(star(true, 0), {}), "R2")(0, 0) ==
        Approx(2 * 1e-6).epsilon(1e-4));
  // However often a mark is occupied, it does not average out.
  CHECK(cov_of(two, "R1")(2, 2) > 2 * 4e-6);
  // Between rovers of one type it falls out: their difference is as good as ever.
  CHECK(std::any_of(two.blocks.begin(), two.blocks.end(),
                    [](const auto &b) { return b->kind == "antenna calibration"; }));
}

TEST_CASE("printed heights agree with calibrations that are off, and without the unknown they do not") {
  std::mt19937_64 random(20261130);
  std::normal_distribution<double> normal;
  double with = 0, without = 0;
  constexpr int runs = 1000;
  for (int i = 0; i < runs; ++i) {
    NetworkInput in = star(true, 0.002);
    const Vec3 off =
        site_axes.transpose() * Vec3(0.001 * normal(random), 0.001 * normal(random), 0.002 * normal(random)) -
        site_axes.transpose() * Vec3(0.001 * normal(random), 0.001 * normal(random), 0.002 * normal(random));
    for (NetworkVector &v : in.vectors) v.d += off + 1e-3 * Vec3(normal(random), normal(random), normal(random));
    for (bool unknown : {true, false}) {
      in.calibration_sd = unknown ? Vec3(0.001, 0.001, 0.002) : Vec3(Vec3::Zero());
      const NetworkResult r = adjust_network(in, {});
      for (const auto &m : r.marks)
        if (m.name == "R1") {
          const Vec3 truth = here + site_axes.transpose() * Vec3(900, 200, 0);
          const Vec3 e = site_axes * (m.position.xyz - truth);
          const Mat3 q = m.cov_enu;
          (unknown ? with : without) += e.dot(q.ldlt().solve(e)) / 3 / runs;
        }
    }
  }
  INFO("squared error with the unknown " << with << ", without " << without);
  CHECK(with > 0.9);
  CHECK(with < 1.1);
  CHECK(without > 3); // the ablation fails
}
