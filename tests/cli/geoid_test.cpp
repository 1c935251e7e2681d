// Geoid grids through the command line: cut out, taken, chosen; the issue is that of the same grid from the register.
#include "base/text.h"
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("a job in a grid that is described in full goes to the issue, and its list into another job of that grid") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", next = folder / "b.tie", out = folder / "out.txt",
                    wkt = folder / "grid.wkt";
  const auto run = [&](const std::string &words) { return ample(words, out); };
  // As PROJ's own program writes it, on many lines.
  REQUIRE(std::system(("projinfo EPSG:25833 -o WKT2:2019 -q > " + wkt).c_str()) == 0);
  std::string files;
  for (const std::string &f : demo_files()) files += " " + f;
  for (const std::string &j : {job, next})
    REQUIRE(run("new " + j + " --crs \"$(cat " + wkt + ")\" --vertical EPSG:5773 --epoch 2026-05-12") == 0);
  REQUIRE(run("take " + job + files) == 1);
  REQUIRE(run("hold " + job + " REFA") == 0);
  REQUIRE(run("solve " + job) == 1);
  REQUIRE(run("adjust " + job) == 1);
  REQUIRE(run("issue " + job + " " + (folder / "issue")) == 1);
  CHECK_THAT(read_file(folder / "issue/control.html"), Contains("ETRS89 / UTM zone 33N"));
  CHECK(run("take " + next + " " + (folder / "issue/control.csv")) == 0);
  CHECK_THAT(read_file(out), Contains("control list with 7 marks"));
  CHECK(run("show " + next + " doubts --json") == 0);
  CHECK(read_file(out).find("belong") == std::string::npos);
}

TEST_CASE("the register's grid taken as a file issues the same heights; a bent one other ones") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  const auto run = [&](const std::string &words) { return ample(words, out); };
  const auto said = [&] { return read_file(out); };
  demo_job(job);
  REQUIRE(run("solve " + job) == 0);
  REQUIRE(run("adjust " + job) == 0);
  const auto heights = [&] {
    REQUIRE(run("show " + job + " marks --json") == 0);
    std::map<std::string, double> all;
    for (const auto &m : nlohmann::json::parse(said()))
      if (m.at("height_m").is_number()) all[m.at("name")] = m.at("height_m");
    return all;
  };
  const auto before = heights();
  REQUIRE(before.size() > 4);
  const std::string grid = folder / "around.isg";
  REQUIRE(run("cut /usr/share/proj/egm96_15.gtx " + grid + " --job " + job + " --radius 60") == 0);
  CHECK_THAT(said(), Contains("nodes of egm96_15.gtx"));
  REQUIRE(run("take " + job + " " + grid) == 1);
  CHECK_THAT(said(), Contains("geoid grid") && Contains("once it is chosen"));
  REQUIRE(run("set " + job + " source around.isg geoid=yes") == 0);
  // Stated by nobody: the register's statement belongs to its own grid.
  REQUIRE(run("set " + job + " job geoid_sd=300 geoid_correlation=20") == 0);
  REQUIRE(run("adjust " + job) == 0);
  for (const auto &[name, h] : heights()) CHECK(h == Approx(before.at(name)).margin(2e-4));
  REQUIRE(run("issue " + job + " " + (folder / "issue")) == 0);
  CHECK_THAT(read_file(folder / "issue/control.html"), Contains("around.isg"));
  REQUIRE(run("set " + job + " source around.isg interpolation=bicubic") == 0);
  REQUIRE(run("adjust " + job) == 0);
  double most = 0;
  for (const auto &[name, h] : heights()) most = std::max(most, std::abs(h - before.at(name)));
  CHECK(most > 0.005);
  // Words that do not fit.
  CHECK(run("set " + job + " source around.isg recipe=x") == 2);
  CHECK(run("set " + job + " source around.isg geoid=perhaps") == 2);
  CHECK(run("set " + job + " source control.csv geoid=yes") == 2);
  CHECK(run("cut " + grid + " " + (folder / "b.tif") + " --centre 46 13") == 2);
  CHECK(run("cut " + grid + " " + (folder / "b.gtx")) == 2);
  CHECK(run("cut " + grid + " " + (folder / "b.gtx") + " --centre 10 13") == 2);
  CHECK_THAT(said(), Contains("lies outside the grid"));
  CHECK(run("cut " + (folder / "issue/control.csv") + " " + (folder / "b.gtx") + " --centre 46 13") == 2);
  REQUIRE(run("cut " + grid + " " + (folder / "b.gtx") + " --centre \"46d30'N\" 13.0 --radius 5000") == 0);
  CHECK_THAT(said(), Contains("the grid ends"));
}
