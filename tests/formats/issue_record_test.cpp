// Records of this program read back: what their marks share, and what a damaged one is answered with.
#include "base/error.h"
#include "formats/control_documents.h"
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;
using nlohmann::json;

namespace {
json record() {
  json r{{"id", "issue-1"}, {"crs", "EPSG:25833"}, {"vertical", ""}, {"epoch", 2026.36}, {"network_fingerprint", "x"}};
  for (const char *name : {"A", "B"})
    r["marks"].push_back({{"name", name},
                          {"x", 4283425.3},
                          {"y", 1058738.8},
                          {"z", 4590934.0},
                          {"frame", "ETRF2000"},
                          {"height_m", nullptr},
                          {"height_sd_m", nullptr},
                          {"cov_enu", {4e-6, 0, 0, 4e-6, 0, 9e-6}}});
  json rows = json::array();
  for (int i = 0; i < 6; ++i) {
    json row = json::array();
    for (int k = 0; k <= i; ++k) row.push_back(i == k ? 4e-6 : i - k == 3 ? 1e-6 : 0.0);
    rows.push_back(row);
  }
  r["covariance_enu"] = rows;
  return r;
}
} // namespace

TEST_CASE("a record's marks come with what their errors share") {
  const ControlList list = read_issue_record(record().dump(1));
  REQUIRE(list.joint);
  CHECK(list.joint->marks == std::vector<std::string>{"A", "B"});
  CHECK(list.joint->enu(0, 0) == 4e-6);
  CHECK(list.joint->enu(4, 1) == 1e-6);
  CHECK(list.joint->enu(1, 4) == 1e-6);
  // With many marks a record keeps none.
  json many = record();
  many["covariance_enu"] = nullptr;
  CHECK_FALSE(read_issue_record(many.dump()).joint);
}

TEST_CASE("a damaged covariance of a record is refused in words, and asks for no more room than the file has") {
  const auto refused = [](const json &r, const char *why) {
    CHECK_THROWS_WITH(read_issue_record(r.dump()), Contains(why));
  };
  json r = record();
  r["covariance_enu"].erase(5);
  refused(r, "does not suit its marks");
  r = record();
  r["covariance_enu"][3] = {1e-6};
  refused(r, "no triangle");
  r = record();
  r["covariance_enu"][2][1] = "much";
  refused(r, "damaged");
  r = record();
  r["covariance_enu"][2][1] = 1e300 * 1e10; // written as null
  refused(r, "damaged");
  // Thousands of marks with empty rows.
  r = record();
  const json mark = r["marks"][0];
  r["marks"] = json::array(), r["covariance_enu"] = json::array();
  for (int i = 0; i < 20000; ++i) {
    r["marks"].push_back(mark);
    r["marks"].back()["name"] = "M" + std::to_string(i);
    for (int k = 0; k < 3; ++k) r["covariance_enu"].push_back(json::array());
  }
  refused(r, "no triangle");
}
