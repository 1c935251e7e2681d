// What leaves the job about a mark is one record, written and read back whole.
#include "results/control_record.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;

namespace {
ControlRecord some_record(unsigned seed) {
  std::srand(seed);
  const auto number = [](double size) { return size * (std::rand() / (RAND_MAX + 1.0) - 0.5); };
  const auto covariance = [&] {
    Mat3 a;
    for (int i = 0; i < 9; ++i) a(i / 3, i % 3) = number(0.01);
    return Mat3(a * a.transpose());
  };
  ControlRecord r;
  r.name = "mark, \"" + std::to_string(seed) + "\"";
  r.xyz = {number(1.2e7), number(1.2e7), number(1.2e7)};
  r.lat_deg = number(180), r.lon_deg = number(360), r.h_m = number(4000), r.east_m = number(1e6),
  r.north_m = number(1e7);
  if (seed % 2) r.height_m = number(3000), r.geoid_m = number(100), r.height_sd_m = 0.003;
  r.scale = 1 + number(1e-3), r.convergence_deg = number(4), r.combined_factor = 1 + number(1e-3);
  r.cov_enu = covariance(), r.network_cov_enu = covariance();
  r.local_plan95_m = 0.004, r.local_up95_m = 0.008, r.network_plan95_m = 0.011, r.network_up95_m = 0.019;
  r.held = seed % 3 ? "none" : "plan", r.independent_checks = static_cast<int>(seed);
  r.frame = "ETRF2000", r.epoch = 2026.36, r.description = "bolt", r.origin = "GNSS, 2 set-ups";
  return r;
}
} // namespace

TEST_CASE("a control record read back is the one that was written, to the last bit") {
  for (unsigned seed = 0; seed < 20; ++seed) {
    const ControlRecord r = some_record(seed);
    const std::string text = to_json(r).dump();
    const ControlRecord back = control_record_of(nlohmann::json::parse(text));
    CHECK(to_json(back).dump() == text);
    CHECK(back.xyz == r.xyz);
    CHECK(back.cov_enu(0, 2) == r.cov_enu(0, 2));
    CHECK(back.network_cov_enu(1, 2) == r.network_cov_enu(1, 2));
    CHECK(back.network_cov_enu != back.cov_enu);
    CHECK(back.height_m == r.height_m);
    CHECK(back.height_sd_m == r.height_sd_m);
    CHECK(back.name == r.name);
  }
}

TEST_CASE("the standard deviations and the ellipse of a record are those of the covariances beside them") {
  ControlRecord r = some_record(3);
  r.cov_enu = Vec3(1e-6, 4e-6, 9e-6).asDiagonal();
  r.network_cov_enu = Vec3(4e-6, 1e-6, 25e-6).asDiagonal();
  const auto j = to_json(r);
  CHECK(j.at("sd_e_m").get<double>() == Approx(0.001));
  CHECK(j.at("sd_n_m").get<double>() == Approx(0.002));
  CHECK(j.at("sd_u_m").get<double>() == Approx(0.003));
  // χ²(0.95, 2) = 5.991 (Koch 1999, table of the χ² distribution).
  CHECK(j.at("ellipse95").at("a_m").get<double>() == Approx(0.002 * std::sqrt(5.991)).epsilon(1e-4));
  CHECK(j.at("ellipse95").at("b_m").get<double>() == Approx(0.001 * std::sqrt(5.991)).epsilon(1e-4));
  CHECK(j.at("ellipse95").at("azimuth_deg").get<double>() == Approx(90));
}

TEST_CASE("what is no record is refused, and a mark known in height only has a record of its own") {
  CHECK_THROWS(control_record_of(nlohmann::json::parse("{\"name\": \"A\"}")));
  CHECK_THROWS(control_record_of(nlohmann::json::parse("[1, 2]")));
  const HeightRecord h{"B7", 512.31456, 0.0012, "height", 3, 2};
  const std::string text = to_json(h).dump();
  CHECK(to_json(height_record_of(nlohmann::json::parse(text))).dump() == text);
  CHECK_THROWS(height_record_of(nlohmann::json::parse("{\"name\": \"B7\"}")));
}
