// The geoid's correction surface and the blocks of levels: derivatives, wide networks, the other kinds of datum.
#include "base/error.h"
#include "network/blocks.h"
#include "network/network.h"
#include "network/network_frame.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>
#include <set>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
/// Marks on a grid, levelled along rows and columns, vectors from the first one; the geoid off by a plane wave.
NetworkInput meshed(int columns, int rows, double spacing, std::mt19937_64 &random, std::vector<double> &height) {
  std::normal_distribution<double> normal;
  NetworkInput in;
  in.geoid = GeoidPrior{0.10, 12e3};
  const Geodetic origin{0.8080, 0.2420, 500};
  const Mat3 axes = local_axes(origin);
  std::vector<Vec3> truth;
  for (int k = 0; k < columns * rows; ++k) {
    const double e = spacing * (k % columns), n = spacing * (k / columns);
    Geodetic g = to_geodetic(to_cartesian(origin) + axes.transpose() * Vec3(e, n, 0));
    g.h = 500 + 60 * std::sin(0.001 * e) + 40 * std::cos(0.0007 * n);
    truth.push_back(to_cartesian(g));
    NetworkMark m;
    m.name = "M" + std::to_string(k);
    m.undulation = 46 + 1e-5 * e;
    m.position = {truth.back(), frame, 2026.36};
    const double error = 0.08 * std::sin(e / 9e3 + n / 14e3 + 0.4);
    height.push_back(g.h - m.undulation - error);
    if (k == 0) m.hold = Hold::full, m.published_sd = {0.001, 0.001, 0.001};
    in.marks.push_back(std::move(m));
  }
  for (std::size_t k = 1; k < truth.size(); ++k) {
    NetworkVector v;
    v.id = "v" + std::to_string(k), v.from = "M0", v.to = in.marks[k].name;
    v.from_setup = v.id + "a", v.to_setup = v.id + "b";
    const Mat3 a = local_axes(to_geodetic(truth[k]));
    v.cov = a.transpose() * Vec3(4e-6, 4e-6, 25e-6).asDiagonal() * a;
    v.d = truth[k] - truth[0] +
          a.transpose() * Vec3(0.002 * normal(random), 0.002 * normal(random), 0.005 * normal(random));
    v.frame = frame, v.epoch = 2026.36;
    in.vectors.push_back(std::move(v));
  }
  in.setup_unknowns = false;
  auto level = [&](int a, int b) {
    const double sd = 0.001 * std::sqrt(spacing / 1000);
    const auto i = static_cast<std::size_t>(a), k = static_cast<std::size_t>(b);
    in.levels.push_back({"d" + std::to_string(in.levels.size()), in.marks[i].name, in.marks[k].name, "",
                         height[k] - height[i] + sd * normal(random), sd, spacing});
  };
  for (int k = 0; k < columns * rows; ++k) {
    if (k % columns + 1 < columns) level(k, k + 1);
    if (k + columns < columns * rows) level(k, k + columns);
  }
  return in;
}

double physical(const NetworkInput &in, const NetworkResult &r, std::size_t k) {
  return to_geodetic(r.marks[k].position.xyz).h - in.marks[k].undulation - r.marks[k].geoid_correction;
}
} // namespace

TEST_CASE("levels and vectors that rest on the geoid: Jacobians against numeric differences") {
  MarkAxes a{0, {4283425, 1058738, 4590933}, local_axes(0.808, 0.242)},
      b{3, {4286543, 1062177, 4587210}, local_axes(0.807, 0.243)};
  a.surface = {{6, 0.75}, {7, 0.25}};
  b.surface = {{7, 0.4}, {8, 0.6}};
  b.lift = b.surface;
  a.physical_origin = 480, b.physical_origin = 455;
  NetworkVector v;
  v.id = "v", v.d = Vec3(1, 2, 3), v.cov = Mat3::Identity();
  const NetworkLevel l{"l", "A", "B", "", -25.3, 0.002, 1200};
  std::vector<std::unique_ptr<Block>> blocks;
  blocks.push_back(vector_block(v, a, b, {9, 12}));
  blocks.push_back(level_block(l, a, b));
  blocks.push_back(level_block(l, b, a));
  blocks.push_back(geoid_block(6, {{0, 0}, {6000, 0}, {0, 6000}}, 0.15, 15e3));
  for (const auto &block : blocks) {
    const auto n = static_cast<Eigen::Index>(block->unknowns.size());
    CHECK(std::set<int>(block->unknowns.begin(), block->unknowns.end()).size() == block->unknowns.size());
    const Eigen::VectorXd x = Eigen::VectorXd::LinSpaced(n, -0.3, 0.5);
    Eigen::VectorXd c, plus, minus;
    Eigen::MatrixXd j, ignored;
    block->evaluate(x, c, j);
    for (Eigen::Index i = 0; i < n; ++i) {
      block->evaluate(x + 1e-2 * Eigen::VectorXd::Unit(n, i), plus, ignored);
      block->evaluate(x - 1e-2 * Eigen::VectorXd::Unit(n, i), minus, ignored);
      CHECK(((plus - minus) / 2e-2 - j.col(i)).cwiseAbs().maxCoeff() < 1e-6);
    }
  }
  // Turned round, the difference changes its sign and nothing else.
  Eigen::VectorXd there, back;
  Eigen::MatrixXd ignored;
  std::map<int, double> value{{2, 0.1}, {5, -0.2}, {6, 0.3}, {7, -0.05}, {8, 0.07}};
  auto values = [&](const Block &k) {
    Eigen::VectorXd x(static_cast<Eigen::Index>(k.unknowns.size()));
    for (std::size_t i = 0; i < k.unknowns.size(); ++i) x[static_cast<Eigen::Index>(i)] = value.at(k.unknowns[i]);
    return x;
  };
  blocks[1]->evaluate(values(*blocks[1]), there, ignored);
  blocks[2]->evaluate(values(*blocks[2]), back, ignored);
  CHECK(there[0] == Approx(-back[0]).margin(1e-12));
  // By hand: H = h₀ − N + up − s at A, the parameter itself at B.
  CHECK(there[0] == Approx((455 - 0.2) - (480 + 0.1 - (0.75 * 0.3 + 0.25 * -0.05))).margin(1e-12));
}

TEST_CASE("the covariance of the surface is that of the prior, and positive definite for near marks too") {
  std::vector<Eigen::Vector2d> places;
  for (int k = 0; k < 40; ++k) places.emplace_back(120.0 * (k % 8), 90.0 * (k / 8));
  const auto b = geoid_block(0, places, 0.2, 15e3);
  const auto *linear = dynamic_cast<const LinearBlock *>(b.get());
  REQUIRE(linear);
  CHECK(b->covariance(0, 0) == Approx(0.04).epsilon(1e-5));
  CHECK(b->covariance(0, 1) == Approx(0.04 * std::exp(-std::pow(120 / 15e3, 2))).epsilon(1e-9));
  CHECK(Eigen::LLT<Eigen::MatrixXd>(b->covariance).info() == Eigen::Success);
  // Two marks 120 m apart differ by no more than the slope of the field allows.
  const double difference = b->covariance(0, 0) + b->covariance(1, 1) - 2 * b->covariance(0, 1);
  CHECK(std::sqrt(difference) < 0.003);
}

TEST_CASE("a wide network has its surface on nodes, and they say the same") {
  std::mt19937_64 random(5);
  std::vector<double> height;
  NetworkInput in = meshed(21, 16, 900, random, height); // 336 marks
  const NetworkResult wide = adjust_network(in, {});
  CHECK(wide.geoid_nodes < 200);
  CHECK(wide.adjustment.passes);
  double square = 0, worst = 0;
  for (std::size_t k = 1; k < in.marks.size(); ++k) {
    const double e = (physical(in, wide, k) - height[k]) / wide.marks[k].height_sd;
    square += e * e / static_cast<double>(in.marks.size() - 1);
    worst = std::max(worst, std::abs(physical(in, wide, k) - height[k]));
  }
  // One network, all of whose heights hang on the same start: a broad check of size, the narrow ones are elsewhere.
  CHECK(square < 4);
  CHECK(worst < 0.2);
  // The same marks without the last three rows: 273 of them, known at the marks themselves.
  NetworkInput part = in;
  auto beyond = [](const std::string &m) { return std::stoi(m.substr(1)) >= 273; };
  std::erase_if(part.marks, [&](const auto &m) { return beyond(m.name); });
  std::erase_if(part.vectors, [&](const auto &v) { return beyond(v.to); });
  std::erase_if(part.levels, [&](const auto &l) { return beyond(l.from) || beyond(l.to); });
  const NetworkResult near = adjust_network(part, {});
  CHECK(near.geoid_nodes == 273);
  for (std::size_t k = 1; k < part.marks.size(); k += 17) {
    CHECK(near.marks[k].geoid_correction == Approx(wide.marks[k].geoid_correction).margin(0.012));
    CHECK((near.marks[k].position.xyz - wide.marks[k].position.xyz).norm() < 0.004);
  }
}

TEST_CASE(
    "other kinds of datum with levels: minimal, free, a benchmark as check, a benchmark weighted out of the list") {
  std::mt19937_64 random(6);
  std::vector<double> height;
  NetworkInput in = meshed(5, 4, 2000, random, height);
  // A benchmark that only levels lead to.
  NetworkMark bench;
  bench.name = "BM", bench.plan_known = false, bench.undulation = in.marks[7].undulation;
  Geodetic g = to_geodetic(in.marks[7].position.xyz);
  g.h = height[7] + 3.0 + bench.undulation;
  bench.position = {to_cartesian(g), frame, 2026.36};
  bench.hold = Hold::height, bench.physical = true, bench.published_sd = {0, 0, 0.001};
  in.marks.push_back(bench);
  in.levels.push_back({"to BM", "M7", "BM", "", 3.0, 0.0008, 800});
  const NetworkResult held = adjust_network(in, {});
  CHECK(held.adjustment.passes);
  CHECK(physical(in, held, 20) == Approx(height[7] + 3.0).margin(1e-6));
  SECTION("minimal: one mark per group of vectors, levels add no datum of their own") {
    in.mode = DatumMode::minimal;
    const NetworkResult r = adjust_network(in, {});
    CHECK(r.adjustment.redundancy == held.adjustment.redundancy - 1); // the benchmark is computed now
    CHECK(physical(in, r, 20) == Approx(height[7] + 3.0).margin(4 * r.marks[20].height_sd + 0.001));
  }
  SECTION("free: the vectors keep their mean, heights follow") {
    in.mode = DatumMode::free;
    const NetworkResult r = adjust_network(in, {});
    CHECK(r.adjustment.vtpv == Approx([&] {
                                 NetworkInput m = in;
                                 m.mode = DatumMode::minimal;
                                 return adjust_network(m, {}).adjustment.vtpv;
                               }())
                                   .epsilon(1e-6));
  }
  SECTION("as a check it is compared and moves nothing") {
    in.marks[20].hold = Hold::check, in.marks[20].physical = false;
    const NetworkResult r = adjust_network(in, {});
    NetworkInput without = in;
    without.marks.pop_back();
    without.levels.pop_back();
    const NetworkResult w = adjust_network(without, {});
    for (std::size_t k = 0; k < 20; ++k) CHECK((r.marks[k].position.xyz - w.marks[k].position.xyz).norm() < 1e-7);
  }
  SECTION("a held height that is wrong is found by predicting it from the others") {
    for (std::size_t k : {std::size_t{3}, std::size_t{16}}) {
      in.marks[k].hold = Hold::full, in.marks[k].published_sd = {0.001, 0.001, 0.002};
    }
    Geodetic moved = to_geodetic(in.marks[16].position.xyz);
    moved.h += 0.06;
    in.marks[16].position.xyz = to_cartesian(moved);
    const NetworkResult r = adjust_network(in, {});
    const ControlCheck *worst = nullptr;
    for (const ControlCheck &c : r.control)
      if (!worst || c.statistic > worst->statistic) worst = &c;
    REQUIRE(worst);
    CHECK(worst->mark == "M16");
    CHECK(!worst->passes);
    CHECK(worst->difference_enu.z() == Approx(0.06).margin(0.02));
  }
  SECTION("marks given twice, levels to nowhere, a level without accuracy are refused") {
    NetworkInput twice = in;
    twice.marks.push_back(in.marks[4]);
    CHECK_THROWS_WITH(adjust_network(twice, {}), Contains("given twice"));
    NetworkInput nowhere = in;
    nowhere.levels.push_back({"x", "M1", "nowhere", "", 1, 0.001, 100});
    CHECK_THROWS_WITH(adjust_network(nowhere, {}), Contains("without a position"));
    LevelNetworkInput bad;
    bad.levels = {{"x", "A", "B", "", 1.0, 0, 100}};
    CHECK_THROWS_WITH(adjust_levels(bad, {}), Contains("no standard deviation"));
  }
}
