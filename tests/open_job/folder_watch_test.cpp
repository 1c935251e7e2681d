// A watched folder: files that grow, vanish, are renamed, come twice, come from a disk that fails.
#include "base/text.h"
#include "open_job/folder_watch.h"
#include "results/job_results.h"
#include "support/fault_vfs.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <sqlite3.h>
#include <sys/stat.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;
namespace fs = std::filesystem;

namespace {
const std::string &observations() {
  static const std::string text = gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/data/PN1-s1.rnx.gz"));
  return text;
}
const WatchedFile &seen(const FolderWatch &w, const std::string &name) {
  for (const WatchedFile &f : w.files())
    if (f.name == name) return f;
  throw std::runtime_error("not seen: " + name);
}
using State = WatchedFile::State;
} // namespace

TEST_CASE("a file that grows is shown with its last epoch, and taken when it stands still") {
  TemporaryFolder folder;
  fs::create_directory(folder / "in");
  Job job = Job::create(folder / "a.tie", demo_settings());
  FolderWatch w(folder / "in", 20);
  CHECK(w.look(0).empty());
  const std::string &all = observations();
  write_file(folder / "in/PN1.rnx", all.substr(0, all.size() / 2));
  w.look(3);
  CHECK(seen(w, "PN1.rnx").state == State::growing);
  REQUIRE(seen(w, "PN1.rnx").last_epoch);
  CHECK(w.take(job).empty());
  write_file(folder / "in/PN1.rnx", all.substr(0, all.size() * 3 / 4));
  const auto first = *seen(w, "PN1.rnx").last_epoch;
  w.look(21); // it changed: the time counts anew
  CHECK(seen(w, "PN1.rnx").state == State::growing);
  CHECK(*seen(w, "PN1.rnx").last_epoch > first);
  write_file(folder / "in/PN1.rnx", all);
  w.look(30);
  w.look(49);
  CHECK(seen(w, "PN1.rnx").state == State::growing);
  w.look(51);
  CHECK(seen(w, "PN1.rnx").state == State::whole);
  const auto taken = w.take(job);
  REQUIRE(taken.size() == 1);
  CHECK(taken[0].outcome == Intake::Outcome::taken);
  REQUIRE(job.snapshot()->occupations().size() == 1);
  CHECK(job.snapshot()->occupations()[0].stop == *last_epoch_of(folder / "in/PN1.rnx"));
  // Taken once: looked at again it stays that.
  w.look(80);
  CHECK(seen(w, "PN1.rnx").state == State::taken);
  CHECK(w.take(job).empty());
  // The folder is only read.
  CHECK(read_file(folder / "in/PN1.rnx") == all);
}

TEST_CASE("asked for, a growing file is taken up to its last whole epoch; what comes later takes its place") {
  TemporaryFolder folder;
  fs::create_directory(folder / "in");
  Job job = Job::create(folder / "a.tie", demo_settings());
  FolderWatch w(folder / "in", 20);
  const std::string &all = observations();
  write_file(folder / "in/PN1.rnx", all.substr(0, all.size() / 2 + 37)); // inside an epoch
  w.look(0);
  const auto taken = w.take(job, {"PN1.rnx"});
  REQUIRE(taken.size() == 1);
  CHECK_THAT(taken[0].sentence, Contains("observations at PN1"));
  REQUIRE(job.snapshot()->occupations().size() == 1);
  CHECK(job.snapshot()->occupations()[0].file->cut_off.empty());
  const std::size_t half = job.snapshot()->occupations()[0].epochs;
  job.decide("set", job.snapshot()->occupations()[0].id, {{"height", 1.777}}, "read again");
  // Still growing, it is not taken by itself again.
  w.look(5);
  CHECK(w.take(job).empty());
  write_file(folder / "in/PN1.rnx", all);
  w.look(10), w.look(40);
  CHECK(w.take(job).size() == 1);
  CHECK(seen(w, "PN1.rnx").state == State::later);
  std::vector<Occupation> used;
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.used) used.push_back(o);
  REQUIRE(used.size() == 1);
  CHECK(used[0].epochs > half);
  CHECK(used[0].measured == Approx(1.777)); // what was decided goes along
  // What a whole file took the place of is asked about no longer.
  FolderWatch careless(folder / "in", 0);
  write_file(folder / "in/R07.rnx", all.substr(0, all.size() / 3 + 11));
  careless.look(0), careless.look(1);
  careless.take(job);
  CHECK(doubt_of(job, "file cut off"));
  write_file(folder / "in/R07.rnx", all + "\n");
  careless.look(2), careless.look(3);
  careless.take(job);
  CHECK(seen(careless, "R07.rnx").state == State::later);
  CHECK_FALSE(doubt_of(job, "file cut off"));
}

TEST_CASE("what comes twice, is renamed, vanishes, is empty, unfinished or unreadable") {
  TemporaryFolder folder;
  fs::create_directory(folder / "in");
  Job job = Job::create(folder / "a.tie", demo_settings());
  FolderWatch w(folder / "in", 10);
  write_file(folder / "in/a.rnx", observations());
  write_file(folder / "in/copy of a.rnx", observations());
  write_file(folder / "in/empty.rnx", "");
  write_file(folder / "in/b.rnx.part", observations());
  write_file(folder / "in/.hidden", "x");
  write_file(folder / "in/notes.txt", "call the client\n");
  fs::create_directory(folder / "in/sub");
  w.look(0), w.look(20);
  CHECK(w.files().size() == 4);
  CHECK(seen(w, "empty.rnx").state == State::growing);
  w.take(job);
  CHECK(seen(w, "a.rnx").state == State::taken);
  CHECK(seen(w, "copy of a.rnx").state == State::here);
  CHECK(seen(w, "notes.txt").state == State::refused);
  CHECK(job.snapshot()->occupations().size() == 1);
  // Renamed it is not taken again; gone it stays in the job.
  fs::rename(folder / "in/a.rnx", folder / "in/z.rnx");
  fs::remove(folder / "in/copy of a.rnx");
  w.look(30), w.look(50);
  CHECK(w.take(job).empty());
  CHECK(seen(w, "copy of a.rnx").state == State::vanished);
  CHECK_THAT(seen(w, "copy of a.rnx").words, Contains("stays in the job"));
  CHECK(job.snapshot()->occupations().size() == 1);
  // A file that goes before it was whole.
  write_file(folder / "in/short.rnx", observations().substr(0, 9000));
  w.look(60);
  fs::remove(folder / "in/short.rnx");
  w.look(61);
  CHECK_THAT(seen(w, "short.rnx").words, Contains("nothing of it was taken"));
  // It comes back: as a new file.
  write_file(folder / "in/short.rnx", observations().substr(0, 9000));
  w.look(62);
  CHECK(seen(w, "short.rnx").state == State::growing);
  // The finished name appears when the copy is done.
  fs::rename(folder / "in/b.rnx.part", folder / "in/b.rnx");
  w.look(63), w.look(80);
  w.take(job);
  CHECK(seen(w, "b.rnx").state == State::here);
  // The folder is away for a moment (a stick, a network disk): said, and nothing is forgotten.
  fs::rename(folder / "in", folder / "away");
  w.look(90);
  CHECK_THAT(w.trouble(), Contains("in:"));
  CHECK(seen(w, "b.rnx").state == State::here);
  fs::rename(folder / "away", folder / "in");
  w.look(100), w.look(120);
  CHECK(w.trouble().empty());
  CHECK(w.take(job).empty());
}

TEST_CASE("a job whose disk is full keeps nothing by halves, says so, and takes the file when there is room again") {
  sqlite3_vfs *usual = sqlite3_vfs_find(nullptr);
  sqlite3_vfs_register(sqlite3_vfs_find(fault_vfs()), 1);
  struct Restored {
    sqlite3_vfs *usual;
    ~Restored() {
      fault_plan = {};
      sqlite3_vfs_register(usual, 1);
    }
  } restored{usual};
  const std::string whole = observations();
  std::size_t failed = 0;
  // The disk fills up at ever later writes: in the middle of taking, of carrying over, of leaving out.
  for (long writes = 0; writes < 60; writes += 3) {
    INFO("after " << writes << " writes");
    fault_plan = {};
    TemporaryFolder folder;
    fs::create_directory(folder / "in");
    Job job = Job::create(folder / "a.tie", demo_settings());
    FolderWatch w(folder / "in", 10);
    write_file(folder / "in/R07.rnx", whole.substr(0, whole.size() / 2));
    w.look(0), w.look(20);
    w.take(job);
    REQUIRE(seen(w, "R07.rnx").state == State::taken);
    job.decide("set", job.snapshot()->occupations().front().id, {{"height", 1.777}}, "read again");
    write_file(folder / "in/R07.rnx", whole);
    w.look(30), w.look(50);
    fault_plan = {Fault::full, writes, 0};
    w.take(job);
    if (fault_plan.seen <= writes) break; // all of it was written
    ++failed;
    CHECK(seen(w, "R07.rnx").state == State::not_kept);
    CHECK_THAT(seen(w, "R07.rnx").words, Contains("could not keep it") && Contains("tried again"));
    w.look(51);
    CHECK(seen(w, "R07.rnx").state == State::not_kept); // not at every look
    CHECK(w.take(job).empty());
    fault_plan = {};
    w.look(62);
    w.take(job);
    CHECK(seen(w, "R07.rnx").state == State::later);
    const auto &all = job.snapshot()->occupations();
    REQUIRE(std::count_if(all.begin(), all.end(), [](const Occupation &o) { return o.used; }) == 1);
    for (const Occupation &o : all)
      if (o.used) CHECK(o.antenna_height == 1.777);
  }
  CHECK(failed > 5);
}

TEST_CASE("the last epoch is told of every version, and of nothing that is none") {
  TemporaryFolder folder;
  write_file(folder / "two.26o", "     2.11           OBSERVATION DATA    G (GPS)             RINEX VERSION / TYPE\n"
                                 "                                                            END OF HEADER\n"
                                 " 26  5 12 10  2 11.0000000  0  2G01G02\n  20000000.000\n  20000000.000\n"
                                 " 26  5 12 10  2 12.0000000  0  2G01G02\n  200");
  REQUIRE(last_epoch_of(folder / "two.26o"));
  CHECK(iso(*last_epoch_of(folder / "two.26o")) == "2026-05-12T10:02:12");
  write_file(folder / "list.csv", "mark,east,north\n26  5 12 10  2 11.0  0,1,2\n");
  CHECK_FALSE(last_epoch_of(folder / "list.csv"));
  CHECK_FALSE(last_epoch_of(folder / "there is none"));
}
