// What leaves the house and what comes from the field, through `ample`: own columns, a second person, the field sheet,
// pictures, a watched folder, a simulated receiver.
#include "base/text.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <cstdlib>
#include <filesystem>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
int ample_says(const std::string &arguments, std::string &said, const TemporaryFolder &folder) {
  const std::string out = folder / "said.txt";
  const int code = std::system((AMPLETIE_CLI " " + arguments + " > '" + out + "' 2>&1").c_str());
  said = read_file(out);
  return WEXITSTATUS(code);
}
} // namespace

TEST_CASE(
    "a receiver logs into a folder, the job takes what is whole; its mistake against the field sheet is a doubt") {
  TemporaryFolder folder;
  std::string said;
  const auto run = [&](const std::string &arguments) { return ample_says(arguments, said, folder); };
  const std::string job = folder / "a.tie", demo = AMPLETIE_SOURCE_DIR "/demo/data/";
  std::filesystem::create_directory(folder / "in");
  REQUIRE(run("new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-12") == 0);
  std::filesystem::copy_file(demo + "R07-s1.rnx.gz", folder / "sky.rnx.gz");
  write_file(folder / "receiver.json", R"({"receiver": {"seen": "sky.rnx.gz", "mark": "R07", "height": 1.432,
    "mistake": "wrong-height", "seed": 4}})");
  REQUIRE(run("simulate " + (folder / "receiver.json") + " " + (folder / "in")) == 0);
  CHECK(std::filesystem::exists(folder / "in/R07-1.rnx"));
  CHECK(run("watch " + job + " " + (folder / "in") + " --quiet 0.3 --for 1.5") == 1);
  CHECK_THAT(said, Contains("R07-1.rnx: growing, last epoch 2026-05-12T") &&
                       Contains("R07-1.rnx: taken, observations at R07"));
  CHECK(run("set " + job + " field 1 mark=R07 height=1.432 start=2026-05-12T08:00") == 1);
  REQUIRE(run("show " + job + " doubts --json") == 1);
  CHECK_THAT(said, Contains("field-sheet-differs") && Contains("1.432 m"));
  REQUIRE(run("show " + job + " field --json") == 1);
  CHECK(nlohmann::json::parse(said)[0].at("height_m") == 1.432);
  CHECK(run("set " + job + " field 2 height=1.4") == 2);
  CHECK_THAT(said, Contains("say its mark"));
  CHECK(run("watch " + job + " " + (folder / "nowhere") + " --for 0.5") == 2);
  CHECK_THAT(said, Contains("nowhere:"));
  write_file(folder / "receiver.json",
             R"({"receiver": {"seen": "sky.rnx.gz", "mark": "R07", "height": 1.432, "mistake": "rain"}})");
  CHECK(run("simulate " + (folder / "receiver.json") + " " + (folder / "in")) == 2);
  CHECK_THAT(said, Contains("\"rain\" is none of the mistakes"));
  // A photo of it.
  CHECK(run("take " + job + " " AMPLETIE_SOURCE_DIR "/tests/data/attachments/north-east.jpg") == 1);
  CHECK(run("set " + job + " source north-east.jpg of=R07") == 1);
  REQUIRE(run("show " + job + " attachments --json") == 1);
  const auto photo = nlohmann::json::parse(said)[0];
  CHECK(photo.at("of") == "R07");
  CHECK(photo.at("lat_deg").get<double>() == Approx(46.30127).margin(1e-6));
}

TEST_CASE("the choice of an issue, a second person and a withdrawn issue through ample") {
  TemporaryFolder folder;
  std::string said;
  const auto run = [&](const std::string &arguments) { return ample_says(arguments, said, folder); };
  const std::string job = folder / "a.tie", out = folder / "out";
  demo_job(job);
  CHECK(run("sign " + job + " --looked heights --by Other") == 2);
  CHECK_THAT(said, Contains("adjust the network first"));
  {
    Job open = Job::open(job);
    solve(open);
  }
  REQUIRE(run("adjust " + job) == 0);
  REQUIRE(run("set " + job +
              " issue columns='mark north east height' separator=semicolon decimals=3 second-person=asked "
              "mark-records='a page each'") == 0);
  CHECK(run("set " + job + " issue columns='mark colour'") == 2);
  CHECK_THAT(said, Contains("no column \"colour\""));
  CHECK(run("set " + job + " mark DAM issued=no monument='bolt in rock'") == 0);
  CHECK(run("issue " + job + " " + out) == 2);
  CHECK_THAT(said, Contains("a second person is asked"));
  CHECK(run("sign " + job + " --looked heights") == 2);
  CHECK(run("sign " + job + " --looked 'heights against the field sheet' --by 'B. Other'") == 0);
  REQUIRE(run("issue " + job + " " + out) == 0);
  CHECK_THAT(read_file(out + "/list.csv"), Contains("mark;north;east;height\n") && !Contains("DAM"));
  for (const char *name : {"marks.html", "marks.pdf", "control.pdf", "record.json"})
    CHECK(std::filesystem::exists(out + "/" + name));
  CHECK(run("verify " + out) == 0);
  CHECK_THAT(said, Contains("list.csv is what the record says") && Contains("marks.pdf is what the record says"));
  // One figure of the own list changed: it is found.
  std::string list = read_file(out + "/list.csv");
  list[list.size() - 3] = list[list.size() - 3] == '1' ? '2' : '1';
  write_file(out + "/list.csv", list);
  CHECK(run("verify " + out) == 1);
  CHECK_THAT(said, Contains("list.csv is not what the record says"));
  REQUIRE(run("show " + job + " signed --json") == 0);
  CHECK(nlohmann::json::parse(said)[0].at("stands") == true);
  REQUIRE(run("show " + job + " issues --json") == 0);
  const std::string id = nlohmann::json::parse(said)[0].at("record");
  CHECK(run("leave-out " + job + " " + id) == 2); // without a reason
  REQUIRE(run("leave-out " + job + " " + id + " --because 'sent to the wrong client'") == 0);
  REQUIRE(run("show " + job + " issues --json") == 0);
  CHECK(nlohmann::json::parse(said)[0].at("withdrawn") == "sent to the wrong client");
}
