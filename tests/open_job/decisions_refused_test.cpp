// What is accepted is done, what would do harm is refused, and whatever is in a job file, it opens.
#include "base/error.h"
#include "base/hash.h"
#include "job/settings.h"
#include "judgement/decision_words.h"
#include "support/sql_on.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::string without_triggers = "DROP TRIGGER decision_stays; DROP TRIGGER decision_kept; DROP TRIGGER issue_stays; "
                               "DROP TRIGGER source_stays; ";
} // namespace

TEST_CASE("a decision that cannot be read or computed is refused, and the job is as before") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Job job = Job::create(path, demo_settings());
    job.take({AMPLETIE_SOURCE_DIR "/demo/data/control.csv"});
    const auto log = job.decisions().size();
    CHECK_THROWS_WITH(job.decide("set", "job", {{"epoch", "soon"}}, ""), Contains("form"));
    CHECK_THROWS_WITH(job.decide("set", "job", {{"no-such-setting", 1}}, ""), Contains("no-such-setting"));
    CHECK_THROWS_WITH(job.decide("hold", "REFA", {{"how", "sideways"}}, ""), Contains("sideways"));
    CHECK_THROWS_WITH(job.decide("hold", "REFA", {{"xyz", {INFINITY, 1, 1}}}, ""), Contains("finite"));
    CHECK_THROWS_WITH(job.decide("hold", "REFA", {{"xyz", {NAN, 1, 1}}}, ""), Contains("finite"));
    CHECK_THROWS_WITH(job.decide("hold", "REFA", {{"xyz", {1, 2, 3}}}, ""), Contains("Earth's surface"));
    CHECK_THROWS_WITH(job.decide("hold", "REFA", {{"grid", {1, 2, 30000}}}, ""), Contains("height is impossible"));
    CHECK_THROWS_WITH(job.decide("hold", "REFA", {{"sd_enu", {0.1, -0.1, 0.1}}}, ""), Contains("standard deviation"));
    CHECK_THROWS_WITH(job.decide("hold", "RE\nFA", {{"how", "full"}}, ""), Contains("cannot be seen"));
    CHECK_THROWS_AS(job.decide("set", "v-0123456789", {{"mask", "high"}}, ""), InputError);
    CHECK(job.decisions().size() == log);
    // One Latin-1 byte in a reason made JSON fail for ever.
    job.decide("hold", "REFA", {{"how", "full"}},
               "Pfeiler S\xFC"
               "d");
    CHECK(job.decisions().back().reason == "Pfeiler Süd");
  }
  Job job = Job::open(path);
  CHECK(job.state().holds.count("REFA") == 1);
  CHECK(job.state().unreadable.empty());
}

TEST_CASE("systems of another kind are refused before they are set") {
  for (const char *vertical : {"NAP", "EPSG:25833", "EPSG:4979", "x"}) {
    INFO(vertical);
    CHECK_THROWS_AS(setting_value("vertical", vertical), InputError);
  }
  CHECK(setting_value("vertical", "EPSG:5773") == "EPSG:5773");
  CHECK_THROWS_AS(setting_value("crs", "EPSG:5773"), InputError);
  CHECK_THROWS_AS(setting_value("crs", "+proj=longlat +ellps=GRS80"), InputError);
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.realisation = "nonsense";
  CHECK_THROWS_WITH(Job::create(folder / "a.tie", s), Contains("nonsense"));
  CHECK(std::filesystem::is_empty(folder.path()));
}

TEST_CASE("decisions of a job file that cannot be read are doubts, and undo goes on working") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Job job = Job::create(path, demo_settings());
    job.take({AMPLETIE_SOURCE_DIR "/demo/data/control.csv"});
    job.decide("hold", "REFA", {{"how", "full"}}, "published");
    job.decide("hold", "REFB", {{"how", "full"}}, "published");
  }
  SECTION("one was changed") {
    sql_on(path, without_triggers + "UPDATE decision SET target = 'REFX' WHERE seq = 2");
    Job job = Job::open(path);
    REQUIRE(doubt_of(job, "decision does not count"));
    CHECK_THAT(doubt_of(job, "decision does not count")->sentence, Contains("changed inside"));
    CHECK(job.state().holds.count("REFX") == 0);
    CHECK(job.state().holds.count("REFB") == 1);
    CHECK(job.undo() == 3);
    CHECK(job.state().holds.empty());
  }
  SECTION("one is gone") {
    sql_on(path, without_triggers + "DELETE FROM decision WHERE seq = 2");
    Job job = Job::open(path);
    REQUIRE(doubt_of(job, "decision does not count"));
    CHECK_THAT(doubt_of(job, "decision does not count")->sentence, Contains("missing"));
    CHECK(job.undo() == 3);
  }
  SECTION("one says what no decision can say") {
    sql_on(path, "INSERT INTO decision(time, author, reason, verb, target, value) VALUES('t', 'a', 'r', 'set', 'job', "
                 "'{\"epoch\":\"soon\"}')");
    Job job = Job::open(path);
    REQUIRE(doubt_of(job, "decision does not count"));
    CHECK(job.decisions().size() == 4);
    CHECK_THAT(job.words().sentence(job.decisions().back()), Contains("Epoch soon"));
    CHECK(job.undo() > 0);
  }
}

TEST_CASE("a flipped bit in a source is a doubt that names it; the rest of the job opens") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  std::string control;
  {
    Job job = Job::create(path, demo_settings());
    job.take({AMPLETIE_SOURCE_DIR "/demo/data/control.csv", AMPLETIE_SOURCE_DIR "/demo/data/antenna-points.csv"});
    for (const auto &c : job.snapshot()->contents())
      if (c.source.name == "control.csv") control = c.source.id;
  }
  SECTION("its bytes") {
    sql_on(path,
           "UPDATE sqlar SET data = substr(data, 1, 40) || x'00' || substr(data, 42) WHERE name LIKE '%control.csv'");
  }
  SECTION("its stated size, to fill the memory") {
    sql_on(path, "UPDATE sqlar SET sz = 90000000000 WHERE name LIKE '%control.csv'");
  }
  SECTION("its kind") {
    sql_on(path, without_triggers + "UPDATE source SET kind = 'levels' WHERE name = 'control.csv'");
  }
  const Job job = Job::open(path);
  const Doubt *d = doubt_of(job, "source damaged");
  REQUIRE(d);
  CHECK(d->about == "control.csv");
  CHECK(d->thing.id == control);
  CHECK(job.snapshot()->published().empty());
  CHECK(job.snapshot()->contents().size() == 2);
}

TEST_CASE("issue records are verified") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Store s = Store::create(path);
    const std::string text = "{\"marks\":[]}\n";
    s.add_issue_record({0, "issue-1", utc_now(), sha256_hex(text), nlohmann::json::parse(text), text});
  }
  CHECK(Store::open(path).issue_records().at(0).damage.empty());
  CHECK(Store::open(path).issue_records().at(0).text == "{\"marks\":[]}\n");
  sql_on(path, without_triggers + "UPDATE issue_record SET data = '{\"marks\":[1]}'");
  CHECK_FALSE(Store::open(path).issue_records().at(0).damage.empty());
  const Job job = Job::open(path);
  CHECK(doubt_of(job, "issue record damaged"));
}

TEST_CASE("jobs of format 1 open, are sealed once, and are watched from then on") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Job job = Job::create(path, demo_settings());
    job.decide("hold", "A", {{"how", "height"}, {"height", 12.5}}, "benchmark");
  }
  sql_on(path, "DROP TRIGGER seal_kept; DROP TRIGGER seal_stays; DROP TABLE seal; PRAGMA user_version = 1");
  CHECK(Job::open(path).state().holds.size() == 1);
  CHECK(Job::open(path).state().unreadable.empty());
  sql_on(path, without_triggers + "UPDATE decision SET value = '{\"how\":\"height\",\"height\":13.5}' WHERE seq = 2");
  CHECK(Job::open(path).state().unreadable.size() == 1);
}

TEST_CASE("very large sources are kept in pieces and can be extracted") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  std::string bytes;
  for (unsigned i = 0; i < 50000; ++i) bytes += std::to_string(i * 2654435761U) + "\n";
  const std::size_t usual = Store::piece_bytes;
  Store::piece_bytes = 100000;
  {
    Store s = Store::create(path);
    s.add_sources({{{sha256_hex(bytes), "big.txt", "levels", utc_now(), {}}, bytes}});
  }
  Store::piece_bytes = usual;
  CHECK(Store::open(path).source_bytes(sha256_hex(bytes)) == bytes);
  REQUIRE(std::system(("cd '" + folder.path() + "' && sqlite3 a.tie -Ax && cat sources/big.txt.* > whole").c_str()) ==
          0);
  CHECK(read_file(folder / "whole") == bytes);
}

TEST_CASE("a job appears with its first decision or not at all; odd names are files like others") {
  TemporaryFolder folder;
  const std::string here = std::filesystem::current_path();
  std::filesystem::current_path(folder.path());
  for (const std::string name : {":memory:", "file:x.tie?mode=memory", "plain.tie"}) {
    INFO(name);
    { Job::create(name, demo_settings()); }
    CHECK(std::filesystem::is_regular_file(folder / name));
    CHECK(Job::open(name).decisions().size() == 1);
    CHECK_THROWS_WITH(Job::create(name, demo_settings()), Contains("already"));
  }
  CHECK(std::distance(std::filesystem::directory_iterator(folder.path()), {}) == 3);
  std::filesystem::current_path(here);
}

TEST_CASE("decisions are said as sentences") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  const DecisionWords words = job.words();
  CHECK(words.sentence(job.decisions()[1]) == "antenna height of R11 05-12 08:00: point rim, slant");
  CHECK(words.sentence(job.decisions()[2]) == "REFA: held fully");
  CHECK_THAT(words.sentence(job.decisions()[0]), Contains("settings: ") && Contains("EPSG:25833"));
  job.decide("leave-out", job.snapshot()->occupations()[0].id, {}, "gate closed");
  CHECK_THAT(job.words().sentence(job.decisions().back()), Contains("left out: ") && Contains(" 05-12 "));
  const long last = job.decisions().back().seq;
  CHECK(job.undo() == last);
  CHECK_THAT(job.words().sentence(job.decisions().back()), Contains("taken back ") && Contains(": left out: "));
  job.decide("set", "asked:R07", {{"height", 0.01}}, "contract");
  CHECK_THAT(job.words().sentence(job.decisions().back()), Contains("R07: height 10 mm"));
  job.decide("set", plan_vectors(*job.snapshot()).front().id, {{"mask", 20.0}}, "trees");
  CHECK_THAT(job.words().sentence(job.decisions().back()), Contains("Elevation mask 20 °"));
}
