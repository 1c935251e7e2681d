// Levels through the command line: a book is simulated, taken, put right, closed, reported; nonsense is refused.
#include "base/text.h"
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("the demo's ridge through the command line, from the stand-in's books to a closed line") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt", field = folder / "field";
  REQUIRE(ample("simulate " AMPLETIE_SOURCE_DIR "/demo/levels.json " + field, out) == 0);
  // The same scenario gives the same bytes.
  CHECK(read_file(field + "/levels-2b.txt") == read_file(AMPLETIE_SOURCE_DIR "/demo/levels/levels-2b.txt"));
  REQUIRE(ample("new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-12", out) == 0);
  REQUIRE(ample("take " + job + " " + field + "/levels-1a.txt " + field + "/levels-1b.txt " + field +
                    "/levels-2a.txt " + field + "/levels-2b.txt " + field + "/benchmarks.csv",
                out) == 1);
  CHECK_THAT(read_file(out), Contains("words of 16"));
  auto set = [&](const std::string &words) { return ample("set " + job + " " + words, out); };
  CHECK(ample("hold " + job + " HB1 --only height", out) == 1);
  CHECK(ample("hold " + job + " HB2 --height 442.5738 --height-sd 0.001", out) == 1);
  CHECK(set("run S1 reverse=yes") == 1);
  CHECK(set("run N2 exchange=K2:R11") == 1);
  CHECK(set("run N2 follows=N1") == 1);
  CHECK(set("run S1 follows='N1 + N2'") == 1);
  CHECK(set("run S2 follows='N1 + N2 + S1'") == 1);
  CHECK(ample("leave-out " + job + " levels-2b.txt:14 --because 'booked twice'", out) == 1);
  CHECK(ample("leave-out " + job + " levels-2b.txt:15 --because 'booked twice'", out) == 1);
  CHECK(set("staff B scale=-70") == 0);
  REQUIRE(ample("show " + job + " runs --json", out) == 0);
  const auto runs = nlohmann::json::parse(read_file(out));
  REQUIRE(runs.size() == 3);
  for (const auto &r : runs) {
    INFO(r.at("name"));
    CHECK(r.at("passes") == true);
    CHECK(r.at("problem") == "");
    CHECK(std::abs(r.at("misclosure_m").get<double>()) < r.at("limit_m").get<double>());
  }
  REQUIRE(ample("show " + job + " heights --json", out) == 0);
  for (const auto &h : nlohmann::json::parse(read_file(out)))
    if (h.at("name") == "HB2") CHECK(h.at("height_m") == 442.5738);
  REQUIRE(ample("report " + job + " --levels " + (folder / "l.html"), out) == 0);
  CHECK_THAT(read_file(folder / "l.html"), Contains("Books as observed"));
  REQUIRE(ample("report " + job + " --levels " + (folder / "l.csv"), out) == 0);
  CHECK_THAT(read_file(folder / "l.csv"), Contains("K3,"));
  // Nonsense.
  CHECK(set("run S1 reverse=perhaps") == 2);
  CHECK(set("run nothing reverse=yes") == 2);
  CHECK(set("run SP rename=K1") == 2);
  CHECK(set("run SP sd=lots") == 2);
  CHECK(set("reading levels-1a.txt:3 mark=X") == 2);
  CHECK(set("source levels-1a.txt recipe=none") == 2);
  CHECK(set("staff B scale=99999") == 2);
  CHECK(set("levels collimation=7") == 2);
  CHECK(set("levels distribution=sideways") == 2);
  write_file(folder / "own.txt", "a;b;c\n1;2;3\n");
  CHECK(ample("take " + job + " " + (folder / "own.txt"), out) == 2);
  CHECK(ample("take " + job + " --as levels " + (folder / "own.txt"), out) == 1);
  // Levels alone are a network of heights; the file that nobody has explained yet is said to take no part.
  CHECK(ample("adjust " + job, out) == 1);
  CHECK_THAT(read_file(out), Contains("global test passes") && Contains("no part of the result: 1 level file"));
}
