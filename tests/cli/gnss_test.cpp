// The GNSS side of the command line: closures, own settings, exports, the evidence report.
#include "base/text.h"
#include "cli/command.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

TEST_CASE("closures, own settings, export and report through the command line") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  demo_job(job);
  REQUIRE(ample("solve " + job + " --systems GE --sessions together", out) == 0);
  REQUIRE(ample("show " + job + " loops --json", out) == 0);
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
  REQUIRE(ample("show " + job + " vectors --json", out) == 0);
  const auto vectors = nlohmann::json::parse(read_file(out));
  const std::string id = vectors.at(0).at("id");
  CHECK(std::count_if(vectors.begin(), vectors.end(), [](const auto &v) { return v.at("together") == true; }) == 12);
  CHECK(ample("set " + job + " vector " + id + " mask=12", out) == 0);
  CHECK(ample("set " + job + " vector " + id + " title=x", out) == 2);
  CHECK(ample("set " + job + " vector v-nothing mask=12", out) == 2);
  CHECK(ample("set " + job + " occupation R07@2026-05-12T08 east=0.05 north=-0.02 azimuth=90", out) == 0);
  CHECK(ample("set " + job + " occupation R07@2026-05-12T08 east=500", out) == 2);

  // What is handed on carries the corrections: the slant reading of R11 as the height of the reference point.
  const std::string rnx = folder / "r11.rnx", nav = folder / "nav.rnx";
  REQUIRE(ample("export " + job + " R11@2026-05-12T08 " + rnx + " " + nav, out) == 0);
  const ObservationFile f = read_rinex_observation(read_file(rnx));
  CHECK(f.marker == "R11");
  CHECK(f.delta_hen.x() == Approx(1.4780).margin(1e-4));
  CHECK(f.epochs.size() == 240);
  CHECK(read_rinex_navigation(read_file(nav)).size() > 50);
  REQUIRE(ample("export " + job + " R07@2026-05-12T08 " + rnx, out) == 0);
  CHECK(read_rinex_observation(read_file(rnx)).delta_hen.y() == Approx(0.05));

  REQUIRE(ample("report " + job + " " + (folder / "gnss.html"), out) == 0);
  CHECK(read_file(folder / "gnss.html").find("GNSS evidence") != std::string::npos);
  REQUIRE(ample("report " + job + " " + (folder / "gnss.pdf"), out) == 0);
  CHECK(read_file(folder / "gnss.pdf").substr(0, 5) == "%PDF-");
}
