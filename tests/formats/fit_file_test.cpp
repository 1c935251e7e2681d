// Frame fits taken back from the file that was issued: what is not as it must be is refused in words.
#include "base/error.h"
#include "formats/fit_file.h"
#include "formats/recognise.h"
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;
using nlohmann::json;

namespace {
json good() {
  return json::parse(R"({"format": "ample-tie frame fit", "version": 1, "record": "i-1", "name": "site", "problem": "",
    "plan": "similarity", "height": "shift", "crs": "EPSG:25833", "vertical": "EPSG:5773", "epoch": 2026.36, "passes": true,
    "scale": 1.0001, "from_middle": [415000, 5128000, 0], "to_middle": [5000, 2000, 0],
    "parameters": [{"name": "shift east", "value": 0.1, "sd": 0.001}, {"name": "shift north", "value": 0.2, "sd": 0.001},
      {"name": "a", "value": 1.0, "sd": 1e-6}, {"name": "b", "value": 0.01, "sd": 1e-6}, {"name": "shift up", "value": -100, "sd": 0.002}],
    "covariance": [[1e-6], [0, 1e-6], [0, 0, 1e-12], [0, 0, 0, 1e-12], [0, 0, 0, 0, 4e-6]],
    "pairs": [{"mark": "A", "from": [415100, 5128100, 300], "to": [5100, 2100, null], "use": "plan", "to_cov": [1e-6, 0, 0, 1e-6, 0, 1e-6]}]})");
}
} // namespace

TEST_CASE("a frame fit is read as it was written") {
  CHECK(recognise(good().dump(1)).kind == FileKind::frame_fit);
  const FitFile f = read_fit_file(good().dump());
  CHECK(f.plan == "similarity");
  CHECK(f.parameters.size() == 5);
  CHECK(f.cov(4, 4) == 4e-6);
  REQUIRE(f.pairs.size() == 1);
  CHECK(f.pairs[0].plan);
  CHECK_FALSE(f.pairs[0].height);
  CHECK(std::isnan(f.pairs[0].to.z()));
}

TEST_CASE("frame fits that cannot be right are refused") {
  const auto with = [](const char *key, json value) {
    json j = good();
    j[key] = std::move(value);
    return j.dump();
  };
  CHECK_THROWS_WITH(read_fit_file(with("plan", "projective")), Contains("not known"));
  CHECK_THROWS_WITH(read_fit_file(with("version", 2)), Contains("version"));
  CHECK_THROWS_WITH(read_fit_file(with("problem", "too few")), Contains("not computed: too few"));
  CHECK_THROWS_WITH(read_fit_file(with("height", "plane")), Contains("another number of parameters"));
  CHECK_THROWS_WITH(read_fit_file(with("scale", 50)), Contains("scale is impossible"));
  CHECK_THROWS_WITH(
      read_fit_file(with("covariance", json::parse("[[1e-6],[1,1e-6],[0,0,1e-12],[0,0,0,1e-12],[0,0,0,0,4e-6]]"))),
      Contains("covariance of the parameters is none"));
  CHECK_THROWS_WITH(read_fit_file(with("from_middle", json::parse("[1, 2]"))), Contains("cannot be read"));
  CHECK_THROWS_WITH(read_fit_file(good().dump().substr(0, 300)), Contains("cannot be read"));
  CHECK_THROWS_WITH(read_fit_file("{\"format\": \"ample-tie frame fit\"}"), Contains("cannot be read"));
}
