// The GNSS side of the command line: closures, own settings, exports, the evidence report.
#include "base/text.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
int run(const std::string &arguments, const std::string &out) {
  const int status = std::system((std::string(AMPLETIE_CLI) + " " + arguments + " >" + out + " 2>&1").c_str());
  return WEXITSTATUS(status);
}
} // namespace

TEST_CASE("closures, own settings, export and report through the command line") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  demo_job(job);
  REQUIRE(run("solve " + job + " --systems GE --sessions together", out) == 0);
  REQUIRE(run("show " + job + " loops --json", out) == 0);
  const auto loops = nlohmann::json::parse(read_file(out));
  int checks = 0;
  for (const auto &l : loops) {
    CHECK(l.at("passes") == true);
    CHECK(l.at("misclosure").size() == 3);
    double length = 0;
    for (const auto &x : l.at("misclosure")) length += x.get<double>() * x.get<double>();
    CHECK(std::sqrt(length) == Approx(l.at("misclosure_m").get<double>()).margin(1e-9));
    checks += l.at("check") == "check";
  }
  CHECK(checks == 6);
  REQUIRE(run("show " + job + " vectors --json", out) == 0);
  const auto vectors = nlohmann::json::parse(read_file(out));
  const std::string id = vectors.at(0).at("id");
  CHECK(std::count_if(vectors.begin(), vectors.end(), [](const auto &v) { return v.at("together") == true; }) == 12);
  CHECK(run("set " + job + " vector " + id + " mask=12", out) == 0);
  CHECK(run("set " + job + " vector " + id + " title=x", out) == 2);
  CHECK(run("set " + job + " vector v-nothing mask=12", out) == 2);
  CHECK(run("set " + job + " occupation R07@2026-05-12T08 east=0.05 north=-0.02 azimuth=90", out) == 0);
  CHECK(run("set " + job + " occupation R07@2026-05-12T08 east=500", out) == 2);

  // What is handed on carries the corrections: the slant reading of R11 as the height of the reference point.
  const std::string rnx = folder / "r11.rnx", nav = folder / "nav.rnx";
  REQUIRE(run("export " + job + " R11@2026-05-12T08 " + rnx + " " + nav, out) == 0);
  const ObservationFile f = read_rinex_observation(read_file(rnx));
  CHECK(f.marker == "R11");
  CHECK(f.delta_hen.x() == Approx(1.4780).margin(1e-4));
  CHECK(f.epochs.size() == 240);
  CHECK(read_rinex_navigation(read_file(nav)).size() > 50);
  REQUIRE(run("export " + job + " R07@2026-05-12T08 " + rnx, out) == 0);
  CHECK(read_rinex_observation(read_file(rnx)).delta_hen.y() == Approx(0.05));

  REQUIRE(run("report " + job + " " + (folder / "gnss.html"), out) == 0);
  CHECK(read_file(folder / "gnss.html").find("GNSS evidence") != std::string::npos);
  REQUIRE(run("report " + job + " " + (folder / "gnss.pdf"), out) == 0);
  CHECK(read_file(folder / "gnss.pdf").substr(0, 5) == "%PDF-");
}
