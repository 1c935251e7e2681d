// A simulated receiver in the field with what goes wrong there: each is found by a doubt before anything is solved.
#include "base/text.h"
#include "open_job/folder_watch.h"
#include "receiver/receiver.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;
using Fault = receiver::Mistake;

namespace {
std::string demo_file(const std::string &name) { return gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/data/" + name)); }
const std::string &seen() {
  static const std::string text = demo_file("R07-s1.rnx.gz");
  return text;
}
const receiver::KeyedIn as_written{"R07", "", "1", 1.4321};

/// What the crew wrote into the field sheet, and what the receiver logged.
Job evening(const std::string &path, receiver::Receiver &r) {
  Job job = Job::create(path, demo_settings());
  r.start(r.first());
  r.stop(r.last());
  std::vector<std::pair<std::string, std::string>> files = r.files();
  files.emplace_back("REFA-s1.rnx", demo_file("REFA-s1.rnx.gz"));
  for (const Intake &i : job.take_bytes(files)) {
    INFO(i.file << " " << i.sentence);
    CHECK(i.outcome == Intake::Outcome::taken);
  }
  job.decide("set", "field:1",
             {{"mark", as_written.mark},
              {"height", as_written.height},
              {"start", iso(r.first()).substr(0, 19)},
              {"stop", iso(r.last()).substr(0, 19)}},
             "");
  return job;
}

std::set<std::string> kinds(const Job &job) {
  std::set<std::string> out;
  for (const Doubt &d : job.doubts()) out.insert(ampletie::words(d.kind));
  return out;
}

/// The doubts of which at least one must be there.
std::vector<std::string> told_by(Fault m) {
  switch (m) {
  case Fault::not_logging:
  case Fault::clock:
    return {"no file of a field entry"};
  case Fault::wrong_height:
  case Fault::wrong_mark:
  case Fault::default_name:
    return {"field sheet differs"};
  case Fault::full_memory:
  case Fault::still_growing:
    return {"file cut off"};
  case Fault::battery:
    return {"one set-up or two", "field sheet differs"};
  default:
    return {};
  }
}

void each_mistake_is_found(std::uint64_t seeds) {
  TemporaryFolder folder;
  for (const Fault m : receiver::all_mistakes())
    for (std::uint64_t seed = 1; seed <= seeds; ++seed) {
      INFO(mistake_name(m) << ", seed " << seed);
      receiver::Receiver r(seen(), as_written, m, seed, {"R07", "R70", "PN1"});
      const Job job = evening(folder / (std::string(mistake_name(m)) + std::to_string(seed) + ".tie"), r);
      const auto found = kinds(job);
      const auto must = told_by(m);
      if (must.empty()) // it only logs more seldom: that is no mistake of the evidence
        CHECK_FALSE((found.count("field sheet differs") || found.count("no file of a field entry")));
      else {
        std::string all;
        for (const auto &k : found) all += k + "; ";
        INFO(all);
        CHECK(std::any_of(must.begin(), must.end(), [&](const auto &k) { return found.count(k) > 0; }));
      }
    }
}
} // namespace

TEST_CASE("without a mistake the evening is clean: what was keyed in, seen and written agree") {
  TemporaryFolder folder;
  receiver::Receiver r(seen(), as_written, Fault::none, 1);
  CHECK(r.is_it_logging() == "standing by");
  r.start(r.first());
  r.run_until(r.first() + 600);
  CHECK_THAT(r.is_it_logging(), Contains("logging to R07-1.rnx since"));
  const auto some = r.files().front().second.size();
  r.run_until(r.last());
  CHECK(r.files().front().second.size() > some);
  receiver::Receiver again(seen(), as_written, Fault::none, 1);
  const Job job = evening(folder / "a.tie", again);
  CHECK_FALSE(kinds(job).count("field sheet differs"));
  CHECK_FALSE(kinds(job).count("no file of a field entry"));
  REQUIRE(job.snapshot()->occupations().size() == 2);
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.mark == "R07") CHECK(o.measured == Approx(1.4321));
}

TEST_CASE("each of a receiver's mistakes is found by a doubt, and the file that logs more seldom is no mistake") {
  each_mistake_is_found(2);
}

TEST_CASE("the same over twenty seeds", "[.long]") { each_mistake_is_found(20); }

TEST_CASE("whoever does not press the button is told by asking; the folder shows nothing") {
  receiver::Receiver r(seen(), as_written, Fault::not_logging, 1);
  r.start(r.first());
  r.run_until(r.last());
  CHECK(r.is_it_logging() == "standing by");
  CHECK(r.files().empty());
  CHECK_THROWS(receiver::Receiver("mark,east\n", as_written, Fault::none, 1));
}

TEST_CASE("a receiver logs into a watched folder: growing, then taken whole") {
  TemporaryFolder folder;
  std::filesystem::create_directory(folder / "in");
  Job job = Job::create(folder / "a.tie", demo_settings());
  FolderWatch watch(folder / "in", 5);
  receiver::Receiver r(seen(), as_written, Fault::none, 3);
  const auto put = [&] {
    for (const auto &[name, bytes] : r.files()) write_file(folder / ("in/" + name), bytes);
  };
  r.start(r.first());
  GpsTime last;
  for (int minute = 1; minute <= 5; ++minute) {
    r.run_until(r.first() + 60.0 * minute);
    put();
    watch.look(minute);
    REQUIRE(watch.files().size() == 1);
    CHECK(watch.files()[0].state == WatchedFile::State::growing);
    REQUIRE(watch.files()[0].last_epoch);
    CHECK((minute == 1 || *watch.files()[0].last_epoch > last));
    last = *watch.files()[0].last_epoch;
    CHECK(watch.take(job).empty());
  }
  r.stop(r.last());
  put();
  watch.look(6), watch.look(20);
  CHECK(watch.take(job).size() == 1);
  REQUIRE(job.snapshot()->occupations().size() == 1);
  CHECK(job.snapshot()->occupations()[0].stop == r.last());
}
