#include "base/error.h"
#include "network/blocks.h"
#include "network/influence.h"
#include "network/network.h"
#include "network/textbook_network.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("a textbook vector network (Ghilani and Wolf)") {
  const NetworkInput in = textbook();
  const NetworkResult r = adjust_network(in, {});
  CHECK((at(r, "C") - Vec3(12046.5808, -4649394.0826, 4353160.0644)).cwiseAbs().maxCoeff() < 1.5e-4);
  CHECK((at(r, "D") - Vec3(-3081.5831, -4643107.3692, 4359531.1233)).cwiseAbs().maxCoeff() < 1.5e-4);
  CHECK((at(r, "E") - Vec3(-4919.3391, -4649361.2199, 4352934.4548)).cwiseAbs().maxCoeff() < 1.5e-4);
  CHECK((at(r, "F") - Vec3(1518.8012, -4648399.1453, 4354116.6914)).cwiseAbs().maxCoeff() < 1.5e-4);
  CHECK(r.adjustment.redundancy == 27);
  CHECK(r.adjustment.vtpv == Approx(13.5145).margin(0.01));
  const double s0 = std::sqrt(r.adjustment.variance_factor);
  CHECK(s0 == Approx(0.7075).margin(1e-3));
  for (const auto &m : r.marks)
    if (m.name == "F") {
      const Mat3 axes = local_axes(to_geodetic(m.position.xyz));
      const Mat3 q = axes.transpose() * m.cov_enu * axes;
      CHECK(1000 * s0 * std::sqrt(q(0, 0)) == Approx(2.67).margin(0.02));
      CHECK(1000 * s0 * std::sqrt(q(1, 1)) == Approx(2.82).margin(0.02));
      CHECK(1000 * s0 * std::sqrt(q(2, 2)) == Approx(2.80).margin(0.02));
    }
  CHECK(r.adjustment.tests[0].observations[0].residual == Approx(0.0067).margin(1e-4));
  CHECK(r.adjustment.tests[0].observations[2].residual == Approx(0.0319).margin(1e-4));
}

TEST_CASE("free, minimal and held differ only in the datum") {
  NetworkInput in = textbook();
  in.mode = DatumMode::minimal;
  const NetworkResult minimal = adjust_network(in, {});
  in.mode = DatumMode::free;
  const NetworkResult free = adjust_network(in, {});
  CHECK(free.adjustment.vtpv == Approx(minimal.adjustment.vtpv).epsilon(1e-9));
  CHECK(((at(free, "C") - at(free, "E")) - (at(minimal, "C") - at(minimal, "E"))).norm() < 1e-8);
  // Inner constraints over the held marks: their mean stays where it was.
  CHECK(((at(free, "A") + at(free, "B")) - (in.marks[0].position.xyz + in.marks[1].position.xyz)).norm() < 1e-8);
  // Smallest trace: no held-one solution has a smaller mean variance of the datum marks.
  double trace_free = 0, trace_minimal = 0;
  for (std::size_t i = 0; i < 2; ++i)
    trace_free += free.marks[i].cov_enu.trace(), trace_minimal += minimal.marks[i].cov_enu.trace();
  CHECK(trace_free < trace_minimal);
}

TEST_CASE("a shift of the datum moves every coordinate and nothing else") {
  NetworkInput in = textbook();
  const NetworkResult a = adjust_network(in, {});
  const Vec3 shift(0.31, -0.22, 0.17);
  for (auto &m : in.marks) m.position.xyz += shift;
  const NetworkResult b = adjust_network(in, {});
  CHECK((at(b, "D") - at(a, "D") - shift).norm() < 1e-7);
  CHECK(b.adjustment.vtpv == Approx(a.adjustment.vtpv).epsilon(1e-6));
}

TEST_CASE("a missing datum is explained in words") {
  NetworkInput in = textbook();
  for (auto &m : in.marks) m.hold = Hold::none;
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("no datum") && Contains("hold one of them"));
  in.marks[0].hold = Hold::height;
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("in plan"));
  in.marks[0].hold = Hold::plan;
  in.marks[3].hold = Hold::height;
  const NetworkResult r = adjust_network(in, {});
  CHECK(r.adjustment.redundancy == 39 - 15);
  CHECK(r.marks[0].cov_enu(0, 0) == 0);
  CHECK(r.marks[0].cov_enu(2, 2) > 0);
  // An island without a held mark.
  NetworkInput island = textbook();
  std::erase_if(island.vectors, [](const NetworkVector &v) { return v.from == "D" || v.to == "D"; });
  CHECK_THROWS_WITH(adjust_network(island, {}), Contains("D is connected to no held mark"));
}

TEST_CASE("mixed frames and epochs are refused") {
  NetworkInput in = textbook();
  in.marks[2].position.frame = {"EPSG:9988"};
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("does not mix"));
  in = textbook();
  in.vectors[3].frame = {"EPSG:9988"};
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("ITRF2020"));
  in = textbook();
  in.marks[1].position.epoch = 2010;
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("epochs"));
}

TEST_CASE("Jacobians of all blocks against numeric differences") {
  const MarkAxes a{0, {4283425, 1058738, 4590933}, local_axes(0.808, 0.242)},
      b{3, {4286543, 1062177, 4587210}, local_axes(0.807, 0.243)};
  NetworkVector v;
  v.id = "v", v.d = Vec3(1, 2, 3), v.cov = Mat3::Identity();
  std::vector<std::unique_ptr<Block>> blocks;
  blocks.push_back(vector_block(v, a, b, {6, 9}));
  blocks.push_back(vector_block(v, a, b));
  blocks.push_back(setup_block({"s", "m", Vec3(0.001, 0.001, 0.002)}, 6));
  blocks.push_back(coordinate_block("m", 0, Vec3(0.1, 0.2, 0.3), Mat3::Identity()));
  for (const auto &block : blocks) {
    const auto n = static_cast<Eigen::Index>(block->unknowns.size());
    const Eigen::VectorXd x = Eigen::VectorXd::LinSpaced(n, -0.3, 0.5);
    Eigen::VectorXd c, plus, minus;
    Eigen::MatrixXd j, ignored;
    block->evaluate(x, c, j);
    for (Eigen::Index i = 0; i < n; ++i) {
      const double h = 1e-2;
      block->evaluate(x + h * Eigen::VectorXd::Unit(n, i), plus, ignored);
      block->evaluate(x - h * Eigen::VectorXd::Unit(n, i), minus, ignored);
      CHECK(((plus - minus) / (2 * h) - j.col(i)).cwiseAbs().maxCoeff() < 1e-6);
    }
  }
}

TEST_CASE("a set-up's height error is common to all vectors from it and shows in the set-up's own test") {
  // Three marks seen from two erections over B; the second erection is 30 mm too high.
  NetworkInput in;
  const Vec3 base(4283425, 1058738, 4590933);
  in.marks = {mark("A", base, Hold::full), mark("B", base + Vec3(1000, 2000, -1400)),
              mark("C", base + Vec3(-1500, 900, 1200), Hold::full),
              mark("D", base + Vec3(300, -1700, 150), Hold::full)};
  const Vec3 up = local_axes(to_geodetic(in.marks[1].position.xyz)).row(2);
  int n = 0;
  for (int session = 1; session <= 3; ++session)
    for (std::size_t k : {0u, 2u, 3u}) {
      NetworkVector v;
      v.id = "v" + std::to_string(n++);
      v.from = in.marks[k].name, v.to = "B";
      v.from_setup = v.from + std::to_string(session), v.to_setup = "B" + std::to_string(session);
      v.d =
          in.marks[1].position.xyz - in.marks[k].position.xyz + (session == 2 ? Vec3(0.030 * up) : Vec3(Vec3::Zero()));
      v.cov = 4e-6 * Mat3::Identity();
      v.frame = frame, v.epoch = 2026.36;
      in.vectors.push_back(v);
      in.setups.push_back({v.from_setup, v.from, Vec3(0.001, 0.001, 0.001)});
    }
  for (int session = 1; session <= 3; ++session)
    in.setups.push_back({"B" + std::to_string(session), "B", Vec3(0.001, 0.001, 0.001)});
  const NetworkResult r = adjust_network(in, {});
  std::string worst;
  double largest = 0;
  for (const BlockTest &t : r.adjustment.tests)
    for (std::size_t i = 0; i < 3; ++i)
      if (std::abs(t.observations[i].standardised) > largest) {
        largest = std::abs(t.observations[i].standardised);
        worst = r.blocks[t.block]->kind + " " + r.blocks[t.block]->id + " " + r.blocks[t.block]->components[i];
      }
  CHECK(worst == "set-up B2 antenna height");
  CHECK(largest > 3.29);
  CHECK(r.marks[1].independent_checks == 2);
}

TEST_CASE("a session gives n − 1 vectors: fixed before float, short before long, ties by id") {
  const auto ids = independent_vectors({{"v1", "A", "B", true, false, 100},
                                        {"v2", "B", "C", true, false, 300},
                                        {"v3", "A", "C", false, false, 50},
                                        {"v4", "C", "D", true, false, 400},
                                        {"v5", "B", "D", true, false, 400}});
  CHECK(ids == std::vector<std::string>{"v1", "v2", "v4"});
}

TEST_CASE("held marks carry their published uncertainty into network accuracy") {
  NetworkInput in = textbook();
  const NetworkResult r = adjust_network(in, {});
  for (const auto &m : r.marks) CHECK(m.network_plan95 > 0);
  // A held mark's own network accuracy is what was published: 1 mm in plan.
  CHECK(r.marks[0].network_plan95 == Approx(0.0024477).margin(1e-6));
  CHECK(r.marks[0].cov_enu.isZero());
  in.marks[0].published_sd.setZero();
  CHECK(adjust_network(in, {}).zero_sd_held == std::vector<std::string>{"A"});
}

TEST_CASE("weighted marks move within their published uncertainty") {
  NetworkInput in = textbook();
  in.marks[1].hold = Hold::weighted;
  const NetworkResult r = adjust_network(in, {});
  const AdjustedMark &b = r.marks[1];
  CHECK(b.cov_enu(0, 0) > 0);
  CHECK(std::sqrt(b.cov_enu(0, 0)) < 0.001);
  CHECK(b.shift_enu.norm() > 0);
  CHECK(b.shift_enu.norm() < 0.006);
  CHECK(r.adjustment.redundancy == 27);
  // Ever smaller standard deviations lead to the held solution.
  in.marks[1].published_sd = Vec3(1e-6, 1e-6, 1e-6);
  const NetworkResult tight = adjust_network(in, {});
  in.marks[1].hold = Hold::full;
  CHECK((at(tight, "D") - at(adjust_network(in, {}), "D")).norm() < 1e-6);
  // A weighted mark is a datum; without a published uncertainty it cannot be.
  for (auto &m : in.marks) m.hold = Hold::none;
  in.marks[1].hold = Hold::weighted;
  CHECK(adjust_network(in, {}).adjustment.redundancy == 24);
  in.marks[1].published_sd.setZero();
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("cannot be weighted"));
}

TEST_CASE("a session block of uncorrelated vectors is the vectors; correlated ones are weighted with what they share") {
  NetworkInput in = textbook();
  const NetworkResult apart = adjust_network(in, {});
  NetworkSession s;
  s.id = "s1";
  s.cov = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(3 * in.vectors.size()),
                                static_cast<Eigen::Index>(3 * in.vectors.size()));
  for (std::size_t i = 0; i < in.vectors.size(); ++i) {
    s.vectors.push_back(in.vectors[i].id);
    s.cov.block<3, 3>(static_cast<Eigen::Index>(3 * i), static_cast<Eigen::Index>(3 * i)) = in.vectors[i].cov;
  }
  in.sessions = {s};
  const NetworkResult together = adjust_network(in, {});
  CHECK(together.adjustment.vtpv == Approx(apart.adjustment.vtpv).epsilon(1e-9));
  for (std::size_t m = 0; m < apart.marks.size(); ++m) {
    CHECK((together.marks[m].position.xyz - apart.marks[m].position.xyz).norm() < 1e-9);
    CHECK((together.marks[m].cov_enu - apart.marks[m].cov_enu).norm() < 1e-12);
  }
  // Every vector keeps its own test, equal to that of its own block.
  std::map<std::string, const BlockTest *> own;
  for (const BlockTest &t : together.adjustment.tests)
    if (t.kind == "vector") own[t.id] = &t;
  for (const BlockTest &t : apart.adjustment.tests) {
    if (t.kind != "vector") continue;
    REQUIRE(own.count(t.id));
    CHECK(own.at(t.id)->statistic == Approx(t.statistic).margin(1e-9));
    for (int i = 0; i < 3; ++i)
      CHECK(own.at(t.id)->observations[static_cast<std::size_t>(i)].standardised ==
            Approx(t.observations[static_cast<std::size_t>(i)].standardised).margin(1e-9));
  }
  CHECK(influences_on(together, "C").count(in.vectors[0].id) == influences_on(apart, "C").count(in.vectors[0].id));
  in.sessions[0].cov.conservativeResize(3, 3);
  CHECK_THROWS_AS(adjust_network(in, {}), InputError);
}

TEST_CASE("a weighted mark uses the covariance that was published for it") {
  // One vector to it: the weighted mean of two positions with full covariances, in closed form.
  NetworkInput in = textbook();
  in.marks.resize(3); // A held, C only reached from A
  in.marks.erase(in.marks.begin() + 1);
  in.vectors.resize(1);
  NetworkMark &c = in.marks[1];
  const Mat3 axes = local_axes(to_geodetic(c.position.xyz));
  c.hold = Hold::weighted;
  Mat3 published;
  published << 4e-4, 3e-4, -1e-4, 3e-4, 9e-4, 2e-4, -1e-4, 2e-4, 16e-4;
  c.published_sd = published.diagonal().cwiseSqrt();
  c.published_cov = published;
  const NetworkResult r = adjust_network(in, {});
  const Mat3 p = (axes.transpose() * published * axes).inverse(), q = in.vectors[0].cov.inverse();
  const Vec3 mean = (p + q).inverse() * (p * c.position.xyz + q * (in.marks[0].position.xyz + in.vectors[0].d));
  CHECK((at(r, "C") - mean).norm() < 1e-7);
  CHECK((r.marks[1].cov_enu - axes * (p + q).inverse() * axes.transpose()).norm() < 1e-9);
  c.published_cov.reset();
  CHECK((at(adjust_network(in, {}), "C") - mean).norm() > 1e-3);
  c.published_cov = Mat3(Vec3(1, 2, 3) * Vec3(1, 2, 3).transpose() * 1e-6);
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("no inverse"));
}
