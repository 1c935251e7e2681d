// Issue folders looked at on another machine, and settings that are kept for another job: through `ample` alone.
#include "base/hash.h"
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fstream>
#include <regex>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct Issued {
  TemporaryFolder folder;
  std::string issue = folder / "out", said = folder / "said.txt";
  explicit Issued(const std::string &options = {}) {
    {
      Job job = demo_job(folder / "a.tie");
      solve(job);
      adjust(job);
    }
    REQUIRE(ample("issue " + (folder / "a.tie") + " " + issue + " " + options, said) == 0);
    // The job is gone: what is looked at must stand for itself.
    std::filesystem::remove(folder / "a.tie");
  }
  int verify() { return ample("verify " + issue, said); }
  std::string file(const std::string &name) const { return issue + "/" + name; }
  /// Changes a file and puts it back after `look`.
  template <class Look>
  void with(const std::string &name, const std::function<std::string(std::string)> &change, Look look) {
    const std::string before = read_file(file(name)), after = change(before);
    REQUIRE(after != before);
    write_file(file(name), after);
    look();
    write_file(file(name), before);
  }
};
std::string replaced(std::string s, const std::string &what, const std::string &by) {
  const auto at = s.find(what);
  if (at != std::string::npos) s.replace(at, what.size(), by);
  return s;
}
} // namespace

TEST_CASE("a folder that was issued verifies without its job, and any change is found") {
  Issued i;
  REQUIRE(i.verify() == 0);
  const std::string whole = read_file(i.said);
  CHECK_THAT(whole, Contains("the folder holds what was issued"));
  CHECK_THAT(whole, Contains("SHA-256 " + sha256_hex(read_file(i.file("record.json")))));
  CHECK_THAT(read_file(i.file("control.html")), Contains(sha256_hex(read_file(i.file("record.json"))))); // as printed
  for (const char *name : {"control.csv", "control.geojson", "control.snx", "control.html", "control.pdf"})
    CHECK_THAT(whole, Contains(std::string(name) + " is what the record says"));
  // One digit of one coordinate.
  i.with(
      "control.csv",
      [](const std::string &s) { return std::regex_replace(s, std::regex("(PN1,4140\\d\\d\\.)(\\d)"), "$019"); },
      [&] {
        CHECK(i.verify() == 1);
        CHECK_THAT(read_file(i.said), Contains("control.csv is not what the record says, from line 4 on") &&
                                          Contains("does NOT hold what was issued") &&
                                          Contains("control.html is what the record says"));
      });
  i.with(
      "control.html", [](const std::string &s) { return replaced(s, "</body>", "<p>approved</p></body>"); },
      [&] { CHECK(i.verify() == 1); });
  i.with(
      "control.pdf", [](const std::string &s) { return s.substr(0, s.size() / 2) + s.substr(s.size() / 2 + 1); },
      [&] {
        CHECK(i.verify() == 1);
        CHECK_THAT(read_file(i.said), Contains("control.pdf is not what is drawn from the record"));
      });
  // The record itself: what stands in it makes its id.
  i.with(
      "record.json", [](const std::string &s) { return replaced(s, "Orvane tunnel", "Orvane bridge"); },
      [&] {
        CHECK(i.verify() == 1);
        CHECK_THAT(read_file(i.said), Contains("the record was CHANGED"));
      });
  CHECK(i.verify() == 0); // all is as it was
}

TEST_CASE("what is missing, added, no issue or cut off is said; feet and other systems verify too") {
  Issued i("--units us-ft --marks PN1,DAM");
  CHECK(i.verify() == 0);
  write_file(i.file("note.txt"), "lunch at noon");
  CHECK(i.verify() == 1);
  CHECK_THAT(read_file(i.said), Contains("note.txt was not issued with this record"));
  std::filesystem::remove(i.file("note.txt"));
  std::filesystem::rename(i.file("control.geojson"), i.folder / "away");
  CHECK(i.verify() == 1);
  CHECK_THAT(read_file(i.said), Contains("control.geojson is missing"));
  std::filesystem::rename(i.folder / "away", i.file("control.geojson"));
  const std::string record = read_file(i.file("record.json"));
  for (const std::string &bad : {std::string("{}"), std::string("not json"), record.substr(0, record.size() / 2),
                                 std::string("{\"id\":\"issue-1\",\"time\":\"2026\"}"), std::string()}) {
    write_file(i.file("record.json"), bad);
    CHECK(i.verify() == 2);
    CHECK_THAT(read_file(i.said), Contains("record.json"));
  }
  CHECK(ample("verify " + (i.folder / "nowhere"), i.said) == 2);
  CHECK_THAT(read_file(i.said), Contains("is no folder"));
  CHECK(ample("verify " + i.folder.path(), i.said) == 2);
  CHECK_THAT(read_file(i.said), Contains("holds no record.json"));
}

TEST_CASE("a template kept from one job begins another; what is said counts, wrong files make no job") {
  TemporaryFolder folder;
  const std::string out = folder / "out.txt", kept = folder / "kept.json";
  {
    Job job = demo_job(folder / "a.tie");
    job.decide("set", "limit", {{"loop", 7}}, "own limit");
  }
  REQUIRE(ample("template " + (folder / "a.tie") + " " + kept, out) == 0);
  CHECK(ample("template " + (folder / "a.tie") + " " + kept, out) == 2);
  CHECK_THAT(read_file(out), Contains("is there already"));
  REQUIRE(ample("new " + (folder / "b.tie") + " --template " + kept +
                    " --epoch 2027-01-15 --title Next --vertical EPSG:5621",
                out) == 0);
  const JobSettings s = Job::open(folder / "b.tie").state().settings;
  CHECK(s.title == "Next");
  CHECK(s.datum.crs == "EPSG:25833");
  CHECK(s.datum.vertical == "EPSG:5621");
  CHECK(s.loop_mm == 7);
  CHECK(s.datum.epoch == Approx(2027.04).margin(0.01));
  write_file(folder / "bad.json", "{\"ample_tie_template\": 1, \"settings\": {\"loop\": \"-5\"}}");
  CHECK(ample("new " + (folder / "c.tie") + " --template " + (folder / "bad.json") + " --epoch 2027-01-15", out) == 2);
  CHECK_THAT(read_file(out), Contains("bad.json") && Contains("loop"));
  CHECK_FALSE(std::filesystem::exists(folder / "c.tie"));
}

TEST_CASE("an occupation is not written under the name of what only tracks are written as") {
  TemporaryFolder folder;
  const std::string out = folder / "out.txt";
  { Job job = demo_job(folder / "a.tie"); }
  CHECK(ample("export " + (folder / "a.tie") + " PN1@2026-05-12T08 " + (folder / "x.dxf"), out) == 2);
  CHECK_THAT(read_file(out), Contains("x.dxf") && Contains(".rnx"));
  CHECK_FALSE(std::filesystem::exists(folder / "x.dxf"));
  CHECK(ample("export " + (folder / "a.tie") + " PN1@2026-05-12T08 " + (folder / "x.26o"), out) == 0);
  CHECK(std::filesystem::exists(folder / "x.26o"));
}

namespace {
/// An issue as version 3 of the record was written, by the program of then (tests/data/earlier).
struct IssuedBefore {
  TemporaryFolder folder;
  std::string said = folder / "said.txt";
  IssuedBefore() {
    REQUIRE(
        std::system(("tar -C '" + (folder / "") + "' -xzf " AMPLETIE_SOURCE_DIR "/tests/data/earlier/issue-3.tar.gz")
                        .c_str()) == 0);
  }
  std::string file(const std::string &name) const { return folder / ("issue/" + name); }
  int verify() const { return ample("verify " + (folder / "issue"), said); }
};
} // namespace

TEST_CASE("an issue of an earlier version is what was issued, every file of it") {
  const IssuedBefore i;
  CHECK(i.verify() == 0);
  CHECK_THAT(read_file(i.said),
             Contains("control.html is what the record says") && Contains("control.pdf is what the record says"));
  write_file(i.file("control.html"), read_file(i.file("control.html")) + " ");
  CHECK(i.verify() == 1);
}

TEST_CASE("a folder of before maps were written stands for what was written then") {
  const IssuedBefore i;
  // As the version before wrote it: its record says format 2, its id is made of that, and there are no maps.
  auto r = nlohmann::ordered_json::parse(read_file(i.file("record.json")));
  r["format"] = 2;
  r.erase("id");
  const std::string before = nlohmann::json::parse(read_file(i.file("record.json"))).at("id"),
                    id = content_id("issue", r.dump());
  r["id"] = id;
  const std::string text = r.dump(1) + "\n", seal = sha256_hex(read_file(i.file("record.json")));
  write_file(i.file("record.json"), text);
  for (const char *map : {"control.kml", "control.dxf", "control.xml", "control.gpkg"})
    std::filesystem::remove(i.file(map));
  for (const char *name : {"control.csv", "control.geojson", "control.snx", "control.html"}) {
    std::string s = read_file(i.file(name));
    s = std::regex_replace(std::regex_replace(s, std::regex(before), id), std::regex(seal), sha256_hex(text));
    write_file(i.file(name), s);
  }
  CHECK(i.verify() == 0);
  CHECK_THAT(read_file(i.said), Contains("control.pdf was drawn by an earlier version") && !Contains("control.kml"));
  write_file(i.file("control.csv"), read_file(i.file("control.csv")) + "X,1,2,3\n");
  CHECK(i.verify() == 1);
}
