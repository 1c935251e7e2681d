// `ample stack` over files: days as other programs write them, to a report, a list that a job takes, and series.
#include "base/text.h"
#include "cli/command.h"
#include "formats/control_list.h"
#include "support/network_days.h"
#include <catch2/catch.hpp>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <tuple>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("days of a network become velocities; with what is given of some, those of the frame as a list") {
  TemporaryFolder folder;
  const std::string in = days(folder), out = folder / "out.txt";
  REQUIRE(ample("stack " + (folder / "a") + " " + in + " --json", out) == 0);
  auto rows = nlohmann::json::parse(read_file(folder / "a/stack.json"));
  REQUIRE(rows.size() == 4);
  CHECK(rows[0].at("frame").is_null()); // nothing was given
  CHECK(rows[0].at("days") == 60);
  CHECK_FALSE(std::filesystem::exists(folder / "a/marks.csv"));
  CHECK_THAT(read_file(folder / "a/stack.html"), Contains("none of a frame") && Contains("TAFC"));
  CHECK(read_file(folder / "a/stack.pdf").substr(0, 5) == "%PDF-");
  write_file(folder / "given.csv", given_of_three());
  REQUIRE(ample("stack " + (folder / "b") + " " + in + " --given " + (folder / "given.csv") + " --epoch 2021-07-02",
                out) == 0);
  const ControlList list = read_control_list(read_file(folder / "b/marks.csv"));
  REQUIRE(list.rows.size() == 4);
  const ControlRow &fourth = list.rows[3];
  const Station &truth = stations[3];
  CHECK(fourth.frame == "ITRF2020");
  CHECK(std::abs(std::stod(fourth.epoch) - 2021.5) < 0.002);
  // Its own noise, and that of the three that give the datum at a triangle's distance.
  CHECK((*fourth.velocity - truth.velocity).norm() < 0.002);
  CHECK((*fourth.xyz - (truth.at + truth.velocity * 1.5)).norm() < 0.005);
  CHECK(fourth.sd_enu->maxCoeff() < 0.01);
  const std::string series = read_file(folder / "b/series.csv");
  CHECK(std::count(series.begin(), series.end(), '\n') == 1 + 4 * 60);
  CHECK_THAT(read_file(folder / "b/stack.html"), Contains("TAFA, TAFB, TAFC"));
}

TEST_CASE("a jump that nobody said is named with its day, and estimated once it is said") {
  TemporaryFolder folder;
  const std::string in = days(folder, 0.015), out = folder / "out.txt";
  CHECK(ample("stack " + (folder / "a") + " " + in, out) == 1);
  const std::string said = read_file(out);
  CHECK_THAT(said, Contains("TAFB looks as if it had jumped about 2019-0") && Contains("--step TAFB@2019-0"));
  CHECK_THAT(read_file(folder / "a/stack.html"), Contains("TAFB looks as if it had jumped"));
  const auto rows = nlohmann::json::parse(read_file(folder / "a/stack.json"));
  for (const auto &r : rows) CHECK(r.at("suspected_step").is_null() == (r.at("name") != "TAFB"));
  // What it says to type is what can be typed.
  const auto at = said.find("--step TAFB@") + 7;
  CHECK(ample("stack " + (folder / "b") + " " + in + " --step " + said.substr(at, 15) + " --json", out) == 0);
  for (const auto &r : nlohmann::json::parse(read_file(folder / "b/stack.json"))) {
    CHECK(r.at("suspected_step").is_null());
    if (r.at("name") != "TAFB") continue;
    REQUIRE(r.at("steps").size() == 1);
    // 15 mm along X at 71° W, 33° S; the four marks' common datum takes a quarter of its own jump into the day's.
    const auto &s = r.at("steps")[0];
    CHECK(std::hypot(s.at("enu_m")[0].get<double>(), s.at("enu_m")[1].get<double>(), s.at("enu_m")[2].get<double>()) ==
          Approx(0.015).margin(0.004));
  }
}

TEST_CASE("what cannot be stacked is said, file by file, and nothing is written where something lies") {
  TemporaryFolder folder;
  const std::string in = days(folder), out = folder / "out.txt";
  write_file(in + "/notes.txt", "no solution");
  const std::string whole = read_file(in + "/d03.snx");
  write_file(in + "/d03.snx", whole.substr(0, whole.size() / 2));
  write_file(in + "/again.snx", read_file(in + "/d05.snx") + "");
  CHECK(ample("stack " + (folder / "a") + " " + in, out) == 1);
  CHECK_THAT(read_file(out), Contains("left out: notes.txt") && Contains("left out: d03.snx") &&
                                 Contains("d05.snx: a file of the same time"));
  CHECK(ample("stack " + (folder / "a") + " " + in, out) == 2);
  CHECK_THAT(read_file(out), Contains("is there already"));
  // What most files are in is the frame, whatever the name that sorts first.
  std::string other = read_file(in + "/d07.snx");
  const auto at = other.find("ITRF2020");
  REQUIRE(at != std::string::npos);
  write_file(in + "/a-other.snx", other.replace(at, 8, "ITRF2014"));
  CHECK(ample("stack " + (folder / "other") + " " + in, out) == 1);
  CHECK_THAT(read_file(out), Contains("a-other.snx: is in ITRF2014, most of them in ITRF2020") && Contains("TAFC"));
  CHECK(ample("stack " + (folder / "two") + " " + in + "/a-other.snx " + in + "/d08.snx", out) == 2);
  CHECK_THAT(read_file(out), Contains("1 of 2 files can be added up") && Contains("most of them in"));
  CHECK(ample("stack " + (folder / "c") + " " + in + "/notes.txt", out) == 2);
  CHECK_FALSE(std::filesystem::exists(folder / "c"));
  CHECK(ample("stack " + (folder / "c") + " " + in + "/d01.snx", out) == 2);
  CHECK_THAT(read_file(out), Contains("one day alone"));
  CHECK(ample("stack " + (folder / "c") + " " + in + " --core NOBODY", out) == 2);
  CHECK_THAT(read_file(out), Contains("no file has a mark NOBODY"));
  CHECK(ample("stack " + (folder / "c") + " " + in + " --step TAFA:2020", out) == 2);
  CHECK_THAT(read_file(out), Contains("is no step"));
  write_file(folder / "given.csv",
             "mark,x,y,z,frame,epoch\nTAFA,1770646,-5028022,-3491410,ETRF2000,2010.0\n"
             "TAFB,1707864,-5016817,-3537312,ETRF2000,2010.0\nTAFC,1769615,-4969656,-3574493,ETRF2000,2010.0\n");
  CHECK(ample("stack " + (folder / "c") + " " + in + " --given " + (folder / "given.csv"), out) == 2);
  CHECK_THAT(read_file(out), Contains("is given in ETRF2000"));
  // What the datum's marks do, and when they were there, is not guessed.
  const std::string places = "TAFA,1770646,-5028022,-3491410", velocity = ",0.001,0.002,0.003";
  const auto refused = [&](const std::string &text) {
    write_file(folder / "given.csv", text);
    CHECK(ample("stack " + (folder / "c") + " " + in + " --no-rotation --given " + (folder / "given.csv"), out) == 2);
    return read_file(out);
  };
  CHECK_THAT(refused("mark,x,y,z,frame,epoch\n" + places + ",ITRF2020,2010.0\n"), Contains("without a velocity"));
  CHECK_THAT(refused("mark,x,y,z,frame,vx,vy,vz\n" + places + ",ITRF2020" + velocity + "\n"), Contains("at no epoch"));
  CHECK_THAT(refused("mark,x,y,z,epoch,vx,vy,vz\n" + places + ",2010.0" + velocity + "\n"), Contains("does not state"));
  CHECK_FALSE(std::filesystem::exists(folder / "c"));
}

TEST_CASE("what is given is compared with the days, and what of it cannot serve is told") {
  TemporaryFolder folder;
  const std::string in = days(folder), out = folder / "out.txt", given = given_of_three();
  const auto stack = [&](const std::string &list, const std::string &more = "") {
    static int n = 0;
    write_file(folder / "given.csv", list);
    const std::string to = folder / ("o" + std::to_string(++n));
    const int rc = ample("stack " + to + " " + in + " --given " + (folder / "given.csv") + more, out);
    return std::pair(rc, to);
  };
  const auto with = [&](const std::string &what, const std::string &by) {
    std::string text = given;
    const auto at = text.find(what);
    REQUIRE(at != std::string::npos);
    return text.replace(at, what.size(), by);
  };
  // As it is: it agrees, and says so.
  auto [rc, to] = stack(given);
  CHECK(rc == 0);
  for (const auto &r : nlohmann::json::parse(read_file(to + "/stack.json"))) {
    CHECK(r.at("given_misfit").is_null() == (r.at("name") == "TAFD"));
    if (!r.at("given_misfit").is_null()) CHECK(r.at("given_misfit").at("agrees") == true);
  }
  // Ten metres in one line shift and turn all marks by metres: no deviation tells, so this must.
  std::tie(rc, to) = stack(with("1707863", "1707873"));
  CHECK(rc == 1);
  CHECK_THAT(read_file(out), Contains("does not agree with the days") && Contains("TAFB by east"));
  CHECK_THAT(read_file(to + "/stack.html"), Contains("does not agree with the days"));
  // A velocity with the wrong sign.
  std::tie(rc, to) = stack(with("0.0120", "-0.0120"));
  CHECK(rc == 1);
  CHECK_THAT(read_file(out), Contains("does not agree with the days"));
  // Another way of writing a name; a mark that stands twice is refused with its line.
  std::tie(rc, to) = stack(with("TAFC,", "tafc,"), " --no-rotation");
  CHECK(rc == 1);
  CHECK_THAT(read_file(out), Contains("tafc: is given, the files write TAFC"));
  std::tie(rc, to) = stack(given + "TAFA,1770646.155,-5028022.011,-3491410.402,ITRF2020,2020.0,0,0,0\n");
  CHECK(rc == 2);
  CHECK_THAT(read_file(out), Contains("line 5: the mark TAFA stands in the list twice"));
  // A step that is said twice is one.
  CHECK(ample("stack " + (folder / "s") + " " + in + " --step TAFB@2020-01-01 --step TAFB@2020-01-01", out) == 0);
}

TEST_CASE("a day of normal equations is told to be one, and what to ask for") {
  TemporaryFolder folder;
  const std::string in = days(folder), out = folder / "out.txt";
  std::string text = read_file(in + "/d03.snx");
  for (auto at = text.find("L COVA"); at != std::string::npos; at = text.find("L COVA")) text.replace(at, 6, "L INFO");
  write_file(in + "/d03.snx", text);
  CHECK(ample("stack " + (folder / "a") + " " + in, out) == 1);
  CHECK_THAT(read_file(out), Contains("left out: d03.snx: its matrix is that of normal equations (INFO)"));
}
