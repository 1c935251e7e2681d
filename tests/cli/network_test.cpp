// Checks, groups, change and further systems through the command line, to what is issued; with the usual mistakes.
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("checks, groups, change and further systems through the command line") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  {
    Job j = demo_job(job);
    solve(j);
  }
  const auto show = [&](const char *list, int code) {
    CHECK(ample("show " + job + " " + list + " --json", out) == code);
    return nlohmann::json::parse(read_file(out));
  };
  REQUIRE(ample("adjust " + job, out) == 0);
  // A group is weighed with a reason; what there is none of is refused with the near one.
  CHECK(ample("set " + job + " group kind=vectors factor=1.2", out) == 2);
  CHECK_THAT(read_file(out), Contains("need a reason"));
  CHECK(ample("set " + job + " group kind=vektors factor=1.2 --because windy", out) == 2);
  CHECK_THAT(read_file(out), Contains("kind=vectors"));
  CHECK(ample("set " + job + " group kind=vectors factor=0 --because windy", out) == 2);
  REQUIRE(ample("set " + job + " group kind=vectors factor=1.2 --because windy", out) == 0);
  CHECK(ample("set " + job + " group day=2026-05-12 factor=1.2 --because windy", out) ==
        0); // before it is adjusted again
  REQUIRE(ample("undo " + job, out) == 0);
  REQUIRE(ample("adjust " + job, out) == 0);
  for (const auto &g : show("groups", 0))
    if (g.at("group") == "kind=vectors") {
      CHECK(g.at("decided_factor") == 1.2);
      CHECK(g.at("factor").get<double>() < 1);
      CHECK(g.at("without").at("lost").size() == 5);
    }
  REQUIRE(ample("undo " + job, out) == 0);
  REQUIRE(ample("adjust " + job, out) == 0);
  REQUIRE(ample("issue " + job + " " + (folder / "first"), out) == 0);
  // Of a check the height alone; its plan cannot be compared alone; a mark that is a check already is held again.
  CHECK(ample("check " + job + " R07 --only plan --grid 1 2 3", out) == 2);
  CHECK(ample("check " + job + " R07 --only height", out) == 2);
  REQUIRE(ample("check " + job + " R07 --only height --grid 413000 5129000 1090 --sd 0.003 0.003 0.004", out) == 0);
  REQUIRE(ample("adjust " + job, out) == 1);
  auto rows = show("comparison", 1);
  REQUIRE(rows.size() == 1);
  CHECK(rows[0].at("check") == true);
  CHECK(rows[0].at("de_m").is_null());
  CHECK(rows[0].at("dh_m").get<double>() > 8);
  CHECK(rows[0].at("passes") == false);
  CHECK(ample("show " + job + " doubts", out) == 1);
  CHECK_THAT(read_file(out), Contains("check-mark-differs"));
  CHECK(ample("hold " + job + " R07 --only height", out) == 1); // its doubts are open
  REQUIRE(ample("undo " + job, out) == 0);
  REQUIRE(ample("release " + job + " R07", out) == 0);
  // A set-up that stood thirty millimetres off shows as a movement since the issue, and nothing else moves.
  for (const char *o : {"PS1@2026-05-12T08", "PS1@2026-05-12T12:30"})
    REQUIRE(ample("set " + job + " occupation " + o + " east=0.03", out) == 0);
  REQUIRE(ample("solve " + job, out) == 0);
  REQUIRE(ample("take " + job + " " + (folder / "first/record.json"), out) == 0);
  REQUIRE(ample("adjust " + job, out) == 1);
  rows = show("change", 1);
  REQUIRE(rows.size() == 1);
  CHECK(rows[0].at("congruent") == false);
  CHECK(rows[0].at("held_at_both").size() == 2);
  for (const auto &m : rows[0].at("marks")) {
    CHECK(m.at("moved") == (m.at("name") == "PS1"));
    CHECK(m.at("de_m").get<double>() == Approx(m.at("name") == "PS1" ? -0.03 : 0).margin(0.001));
  }
  // Further systems: by code, by parameters; refused where there is no way.
  REQUIRE(ample("set " + job + " also zone crs=EPSG:25832", out) == 1);
  REQUIRE(
      ample("set " + job + " also site \"crs=transverse-mercator lat=46.3 lon=13.9 east=10000 north=20000 unit=ft\"",
            out) == 1);
  // Two names that make one file: both stay, nothing is issued until one has another name.
  REQUIRE(ample("set " + job + " also \"zone 1\" crs=EPSG:25832", out) == 1);
  REQUIRE(ample("set " + job + " also \"zone/1\" crs=EPSG:25832", out) == 1);
  CHECK(ample("issue " + job + " " + (folder / "none"), out) == 2);
  CHECK_THAT(read_file(out), Contains("two systems would be written into one file"));
  CHECK_FALSE(std::filesystem::exists(folder / "none"));
  REQUIRE(ample("undo " + job, out) == 1);
  REQUIRE(ample("undo " + job, out) == 1);
  CHECK(ample("set " + job + " also x crs=EPSG:4326", out) == 2);
  CHECK(ample("set " + job + " also x \"crs=transverse-mercator lat=46.3\"", out) == 2);
  CHECK_THAT(read_file(out), Contains("needs lon"));
  CHECK(ample("set " + job + " also nothing through=", out) == 2);
  REQUIRE(ample("issue " + job + " " + (folder / "second"), out) == 0);
  CHECK_THAT(read_file(folder / "second/also-zone.csv"), Contains("PS1,") && Contains("EPSG:25832"));
  CHECK_THAT(read_file(folder / "second/also-site.csv"), Contains("foot"));
  const std::string sheet = read_file(folder / "second/control.html");
  CHECK_THAT(sheet, Contains("Also in zone") && Contains("1 of 5 marks moved against the other 4") &&
                        Contains("MOVED") && Contains("5 % beyond each"));
  // A job in a grid of one's own from the start.
  const std::string own = folder / "own.tie";
  CHECK(ample("new " + own + " --crs \"lambert lat=46 lat1=200 lon=14\" --vertical EPSG:5773 --epoch 2026", out) == 2);
  const std::string grid =
      "new " + own + " --crs \"transverse-mercator lat=46.3 lon=13.9 factor=1.0001\" --epoch 2026-05-12";
  CHECK(ample(grid, out) == 2);
  CHECK_THAT(read_file(out), Contains("realisation"));
  REQUIRE(ample(grid + " --realisation ETRF2000", out) == 0);
  CHECK(ample("take " + own + " " AMPLETIE_SOURCE_DIR "/demo/data/control.csv", out) == 0);
}
