// Tables of the control sheet that say how a network was held and what was let turn, from their records.
#include "publication/reliability_tables.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

TEST_CASE("groups that were let turn: what was let, with its deviation; what was not let is no zero") {
  NetworkRun run;
  CHECK(turn_rows(run).empty());
  CHECK(turn_table(turn_rows(run)).rows.empty());
  NetworkResult::TurnResult both{"source=others.csv", Vec3(1e-6, -2e-6, 3.5e-6), Vec3(1e-7, 2e-7, 5e-8), 4e-6, 2e-7};
  NetworkResult::TurnResult scale{"day=2026-05-12", Vec3::Zero(), Vec3::Zero(), -1.5e-6, 3e-7};
  run.result.turns = {both, scale};
  const auto rows = turn_rows(run);
  REQUIRE(rows.size() == 2);
  CHECK(rows[0].at("rotation_ppm")[2].get<double>() == Approx(3.5));
  CHECK(rows[0].at("scale_sd_ppm").get<double>() == Approx(0.2));
  CHECK(rows[1].at("rotation_ppm").is_null());
  CHECK(rows[1].at("scale_ppm").get<double>() == Approx(-1.5));
  const ReportTable t = turn_table(rows);
  REQUIRE(t.rows.size() == 2);
  CHECK(t.rows[0] == std::vector<std::string>{"source=others.csv", "+1.000 ± 0.100", "-2.000 ± 0.200", "+3.500 ± 0.050",
                                              "+4.000 ± 0.200"});
  CHECK(t.rows[1] == std::vector<std::string>{"day=2026-05-12", "–", "–", "–", "-1.500 ± 0.300"});
  for (const auto &r : t.rows) CHECK(r.size() == t.columns.size());
}

TEST_CASE("free, minimal and held side by side; what could not be adjusted says why") {
  ConstraintTest c;
  DatumLevel free, held;
  free.mode = DatumMode::free, free.observations = 40, free.redundancy = 12, free.vtpv = 11,
  free.variance_factor = 0.917, free.lower = 0.4, free.upper = 1.75;
  held.mode = DatumMode::held, held.problem = "no mark is held";
  c.levels = {free, held};
  c.degrees = 3, c.statistic = 9.1, c.limit = 7.8, c.passes = false;
  const ReportTable t = constraint_table(constraint_record(c));
  REQUIRE(t.rows.size() == 3);
  CHECK(t.rows[0][3] == "0.917");
  CHECK_THAT(t.rows[1].back(), Contains("no mark is held"));
  CHECK(t.rows[1][3] == "–");
  CHECK_THAT(t.rows[2][0], Contains("what holding adds"));
  CHECK(constraint_table(nlohmann::json()).rows.empty());
  CHECK(undetected_table(nlohmann::json::array()).rows.empty());
}
