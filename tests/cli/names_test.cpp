// Names on the command line: what matches nothing or two things does nothing and says so.
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct Line {
  TemporaryFolder folder;
  std::string job = folder / "a.tie", out = folder / "out.txt";
  Line() {
    Job j = demo_job(job);
    std::vector<std::string> books;
    for (const char *f : {"field-1a.txt", "field-1b.txt"})
      books.push_back(std::string(AMPLETIE_SOURCE_DIR "/demo/stations/") + f);
    books.push_back(AMPLETIE_SOURCE_DIR "/demo/levels/levels-1a.txt");
    books.push_back(AMPLETIE_SOURCE_DIR "/demo/levels/benchmarks.csv");
    j.take(books);
  }
  std::size_t decisions() const { return Job::open(job).decisions().size(); }
  /// Refused with exit 2 and these words, and nothing was decided.
  void refused(const std::string &words, const std::string &with) {
    INFO(words);
    const auto before = decisions();
    CHECK(ample(words, out) == 2);
    CHECK_THAT(read_file(out), Contains(with));
    CHECK(decisions() == before);
  }
};
} // namespace

TEST_CASE("names that match nothing are exit 2 with near ones, and nothing is decided") {
  Line l;
  l.refused("release " + l.job + " NOSUCH", "there is no held \"NOSUCH\"");
  l.refused("release " + l.job + " REFC", "near ones are REFA");
  l.refused("release " + l.job + " R11", "is not held");
  l.refused("release " + l.job + " T01", "is not held"); // a set-up stands there: it is not what is meant
  l.refused("leave-out " + l.job + " NOSUCH --because x", "there is no");
  l.refused("leave-out " + l.job + " G07@2026-05-12T09:10:00/2026-05-12T09:00:00 --because x", "ends before it begins");
  l.refused("leave-out " + l.job + " Q77@2026-05-12T08:10:00/2026-05-12T08:20:00 --because x", "no satellite");
  l.refused("use " + l.job + " R07@2026-05-12T08", "used already");
  l.refused("set " + l.job + " mark NOSUCH gravity=9.81", "there is no mark");
  l.refused("set " + l.job + " staff NOSUCH scale=3", "there is no staff");
  l.refused("set " + l.job + " instrument 'S1 4418' direction=2", "near ones are S1 4417");
  l.refused("set " + l.job + " run NOSUCH reverse=yes", "there is no run");
  l.refused("set " + l.job + " setup T01 NOSUCH.height=1.5", "there is no target of this set-up");
  l.refused("set " + l.job + " source nosuch.txt seen=yes", "there is no source");
  l.refused("set " + l.job + " accuracy ZZ* plan=20", "there is no mark or group");
  l.refused("set " + l.job + " style NOSUCH symbol=dot", "there is no code");
  l.refused("set " + l.job + " occupation R1 height=1.5", "near ones are R11");
  l.refused("hold " + l.job + " NOSUCH --xyz 4283425 1058738 4590934", "there is no mark");
  l.refused("hold " + l.job + " REFA --xyz inf 1 1", "finite");
  l.refused("hold " + l.job + " REFA --xyz nan 1 1", "");
  l.refused("hold " + l.job + " REFA --sd -0.001 0.001 0.001", "between 0 and 100");
  l.refused("set " + l.job + " job vertical=NAP", "no code of the register");
  l.refused("set " + l.job + " job vertical=EPSG:25833", "is no vertical system");
  // What comes later can be said ahead.
  CHECK(ample("set " + l.job + " instrument 'S9 1' direction=2 --ahead", l.out) == 1);
}

TEST_CASE("a name of two kinds asks which; undo and redo say what they did") {
  Line l;
  // T01 has a set-up; an occupation of that name makes it two kinds.
  const std::string rinex = l.folder / "T01.rnx";
  std::string text = gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/data/DAM-s1.rnx.gz"));
  const auto at = text.find("DAM ");
  REQUIRE(at != std::string::npos);
  write_file(rinex, text.replace(at, 3, "T01"));
  CHECK(ample("take " + l.job + " " + rinex, l.out) == 1);
  l.refused("leave-out " + l.job + " T01 --because x", "write occupation:T01 or setup:T01");
  CHECK(ample("leave-out " + l.job + " setup:T01 --because 'wet'", l.out) == 1);
  CHECK(ample("undo " + l.job, l.out) == 1);
  CHECK_THAT(read_file(l.out), Contains("taken back, decision") && Contains("left out: set-up on T01"));
  CHECK(ample("redo " + l.job, l.out) == 1);
  CHECK_THAT(read_file(l.out), Contains("made again, decision") && Contains("left out: set-up on T01"));
  CHECK(ample("leave-out " + l.job + " control.csv --because 'old' --by 'N. Bergil'", l.out) == 1);
  CHECK(Job::open(l.job).decisions().back().author == "N. Bergil");
  CHECK(ample("show " + l.job + " marks", l.out) == 1);
  CHECK_THAT(read_file(l.out), Contains("HB1") && Contains("published height"));
}

TEST_CASE("two issues at once have records of their own; an earlier folder is kept, another one refused") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt", to = folder / "sheet";
  write_file(folder / "b.txt", "unit;m\nrun;L;D;A\ns;B1;B;1.50000;30;;1;\ns;P;F;1.10000;30;;1;\ns;P;B;1.20000;30;;1;\n"
                               "s;B2;F;1.00000;30;;1;\nend\n");
  write_file(folder / "k.csv", "mark,height,sd_u\nB1,100,0.001\nB2,100.6,0.001\n");
  REQUIRE(ample("new " + job + " --epoch 2026-05-12", out) == 0);
  REQUIRE(ample("take " + job + " " + (folder / "b.txt") + " " + (folder / "k.csv"), out) == 0);
  REQUIRE(ample("hold " + job + " B1", out) == 0);
  REQUIRE(ample("hold " + job + " B2", out) == 0);
  REQUIRE(ample("adjust " + job, out) == 1);
  CHECK(ample("issue " + job + " " + to, out) == 1);
  CHECK(ample("issue " + job + " " + to, out) == 1);
  CHECK_THAT(read_file(out), Contains("the earlier issue is kept as"));
  const auto records = Job::open(job).store().issue_records();
  REQUIRE(records.size() == 2);
  CHECK(records[0].id != records[1].id);
  // The folder holds the bytes of the record, and the printed hash is theirs.
  CHECK(read_file(to + "/record.json") == records[1].text);
  CHECK_THAT(read_file(to + "/control.html"), Contains(records[1].sha256) && Contains("No place is issued"));
  CHECK(read_file(to + " (" + records[0].id + ")/record.json") == records[0].text);
  std::filesystem::create_directory(folder / "mine");
  write_file(folder / "mine/letter.txt", "dear");
  CHECK(ample("issue " + job + " " + (folder / "mine"), out) == 2);
  CHECK_THAT(read_file(out), Contains("holds other files"));
  std::filesystem::create_directory_symlink(folder / "mine", folder / "link");
  CHECK(ample("issue " + job + " " + (folder / "link"), out) == 2);
  CHECK(Job::open(job).store().issue_records().size() == 2);
  // What was issued can be the control of a later job, read from the list or from the record.
  for (const char *file : {"/control.csv", "/record.json"}) {
    const std::string next = folder / ("next" + std::string(file + 1).substr(0, 3) + ".tie");
    REQUIRE(ample("new " + next + " --epoch 2027-05-12", out) == 0);
    CHECK(ample("take " + next + " " + to + file, out) == 0);
    CHECK_THAT(read_file(out), Contains("control list with 3 marks"));
    const Job later = Job::open(next);
    CHECK(*later.snapshot()->benchmarks().at("P").height == Approx(100.4).margin(1e-5));
    CHECK(*later.snapshot()->benchmarks().at("P").sd_height > 0.0005);
    CHECK(later.snapshot()->benchmarks().at("P").origin == records[1].id);
  }
}

TEST_CASE("two versions of one occupation are told apart by their ids, not by words that both have") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  REQUIRE(ample("new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-12", out) == 0);
  const std::string file = gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/data/R07-s1.rnx.gz"));
  write_file(folder / "R07.rnx", file.substr(0, file.rfind("\n>") + 1));
  write_file(folder / "R07-later.rnx", file);
  REQUIRE(ample("take " + job + " " + (folder / "R07.rnx") + " " + (folder / "R07-later.rnx"), out) == 1);
  CHECK(ample("set " + job + " occupation R07 height=1.5", out) == 2);
  std::vector<std::string> ids;
  {
    const Job opened = Job::open(job);
    for (const Occupation &o : opened.snapshot()->occupations()) ids.push_back(o.id);
  }
  REQUIRE(ids.size() == 2);
  for (const std::string &id : ids) CHECK_THAT(read_file(out), Contains(id));
  CHECK(ample("set " + job + " occupation " + ids[0] + " height=1.5", out) == 1);
}
