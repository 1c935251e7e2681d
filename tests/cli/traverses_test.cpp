// Total stations through the command line: the demo's books are simulated, taken, put right, closed, adjusted,
// reported.
#include "base/text.h"
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("the demo's traverses through the command line: what the doubts name is put right, and all closes") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt", field = folder / "field";
  REQUIRE(ample("simulate " AMPLETIE_SOURCE_DIR "/demo/stations.json " + field, out) == 0);
  CHECK(read_file(field + "/field-1b.txt") == read_file(AMPLETIE_SOURCE_DIR "/demo/stations/field-1b.txt"));
  REQUIRE(ample("new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-12", out) == 0);
  std::map<std::string, std::array<double, 3>> truth;
  const auto all = nlohmann::json::parse(read_file(field + "/station-truth.json"));
  for (const auto &m : all.at("marks")) truth[m.at("mark")] = {m.at("xyz")[0], m.at("xyz")[1], m.at("xyz")[2]};
  for (const char *mark : {"PN1", "PS1", "DAM", "R07", "R11"}) {
    const auto &x = truth.at(mark);
    CHECK(ample(fmt::format("hold {} {} --xyz {:.4f} {:.4f} {:.4f} --sd 0.001 0.001 0.002 --frame ETRF2000 "
                            "--coordinate-epoch 2026-05-12",
                            job, mark, x[0], x[1], x[2]),
                out) == 0);
  }
  REQUIRE(ample("take " + job + " " + field + "/field-1a.txt " + field + "/field-1b.txt " + field + "/field-2.txt",
                out) == 1);
  CHECK_THAT(read_file(out), Contains("field book of a total station"));
  auto set = [&](const std::string &words) { return ample("set " + job + " " + words, out); };
  CHECK(set("instrument 'S1 4417' direction=1.2 zenith=1.2 distance=1 distance-ppm=1.5") == 1);
  REQUIRE(ample("show " + job + " doubts --json", out) == 1);
  const std::string doubts = read_file(out);
  CHECK_THAT(doubts, Contains("the names D3 and D1 are exchanged at D2"));
  CHECK_THAT(doubts, Contains("the pressure of 1013.2 hPa at PN1, T01, T02, T03, T04 was left in"));
  CHECK_THAT(doubts, Contains("the target height at T06 to T07"));
  CHECK_THAT(doubts, Contains("stray set-up"));
  // The table for people says all of it too: what a column cuts stands below its row.
  REQUIRE(ample("show " + job + " doubts", out) == 1);
  const std::string table = read_file(out);
  for (const auto &d : nlohmann::json::parse(doubts)) {
    CHECK_THAT(table, Contains(d.at("sentence").get<std::string>()));
    for (const auto &cause : d.at("causes")) CHECK_THAT(table, Contains(cause.get<std::string>()));
  }
  for (const char *mark : {"PN1", "T01", "T02", "T03", "T04"})
    CHECK(set(std::string("setup ") + mark + " pressure=962") == 1);
  CHECK(set("setup T06 T07.height=1.75 --because 'field sheet'") == 1);
  CHECK(set("setup D2 exchange=D1:D3") == 1);
  CHECK(ample("leave-out " + job + " X1 --because 'another job'", out) == 0);
  REQUIRE(ample("show " + job + " traverses --json", out) == 0);
  const auto lines = nlohmann::json::parse(read_file(out));
  REQUIRE(lines.size() == 2);
  for (const auto &l : lines) {
    INFO(l.at("name"));
    CHECK(l.at("passes") == true);
    CHECK(l.at("linear_misclosure_m").get<double>() < l.at("linear_limit_m").get<double>());
    CHECK(l.at("problem") == "");
  }
  CHECK(set("route 'PN1 … PS1' balance='least squares'") == 0);
  // A traverse is turned only to what its first set-up saw.
  CHECK(set("route 'PN1 … PS1' start_toward=T05") == 2);
  CHECK_THAT(read_file(out), Contains("sights of its first set-up"));
  REQUIRE(ample("adjust " + job, out) == 1);
  // The adjusted marks agree with the truth within their accuracy.
  REQUIRE(ample("show " + job + " marks --json", out) == 1);
  int seen = 0;
  for (const auto &m : nlohmann::json::parse(read_file(out))) {
    if (m.at("origin") != "total station") continue;
    const auto &x = truth.at(m.at("name"));
    const double off =
        std::sqrt(std::pow(m.at("x").get<double>() - x[0], 2) + std::pow(m.at("y").get<double>() - x[1], 2) +
                  std::pow(m.at("z").get<double>() - x[2], 2));
    INFO(m.at("name") << " off by " << off);
    CHECK(off < 3.5 * std::sqrt(std::pow(m.at("sd_e_m").get<double>(), 2) + std::pow(m.at("sd_n_m").get<double>(), 2) +
                                std::pow(m.at("sd_u_m").get<double>(), 2)));
    ++seen;
  }
  CHECK(seen >= 11);
  REQUIRE(ample("report " + job + " --traverses " + (folder / "t.html"), out) == 1);
  CHECK_THAT(read_file(folder / "t.html"), Contains("Field record"));
  REQUIRE(ample("report " + job + " --traverses " + (folder / "t.xml"), out) == 1);
  CHECK_THAT(read_file(folder / "t.xml"), Contains("InstrumentSetup"));
  // Provisional coordinates of one traverse, marked as such; codes get their style.
  REQUIRE(ample("issue " + job + " " + (folder / "hand") + " --provisional 'PN1 … PS1'", out) == 1);
  const std::string csv = read_file(folder / "hand/provisional.csv");
  CHECK_THAT(csv, Contains("PROVISIONAL") && Contains("T05,"));
  CHECK(csv.find("PN1,") == std::string::npos);
  CHECK(ample("issue " + job + " " + (folder / "hand") + " --provisional nowhere", out) == 2);
  CHECK(set("style CREST symbol=square line=yes label=no") == 1);
  CHECK(set("style CREST symbol=star") == 2);
  CHECK_THAT(read_file(out), Contains("one of dot, circle"));
  CHECK(set("style CREST label=perhaps") == 2);
  // Nonsense.
  CHECK(set("setup T06 height=high") == 2);
  CHECK_THAT(read_file(out), Contains("between"));
  CHECK(set("setup NOWHERE height=1.5") == 2);
  CHECK(set("setup T06 wings=2") == 2);
  CHECK(set("route 'PN1 … PS1' balance=luck") == 2);
  CHECK(set("pointing field-2.txt:99999 height=1") == 2);
}
