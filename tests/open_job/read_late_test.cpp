// A job is opened, shown and judged without reading what its receivers logged.
#include "base/error.h"
#include "open_job/job.h"
#include "results/job_results.h"
#include "support/sql_on.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <filesystem>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("epochs are read when vectors are solved, not when a job is opened") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  std::vector<std::string> names;
  std::size_t before = 0;
  {
    Job job = Job::create(path, demo_settings());
    job.take(demo_files());
    before = job.snapshot()->occupations().size();
    for (const Occupation &o : job.snapshot()->occupations()) names.push_back(occupation_name(o) + o.setup);
  }
  Job job = Job::open(path);
  const auto &now = job.snapshot()->occupations();
  REQUIRE(now.size() == before);
  for (std::size_t i = 0; i < now.size(); ++i) CHECK(occupation_name(now[i]) + now[i].setup == names[i]);
  // With the file out of the way everything but the epochs is there.
  std::filesystem::rename(path, path + ".away");
  CHECK(job.doubts().size() > 0);
  CHECK(now[0].epochs > 100);
  CHECK_THROWS_AS(now[0].file->whole(), InputError);
  const std::vector<VectorResult> solved = solve_vectors(*job.snapshot(), {}, 2, {});
  REQUIRE(solved.size() > 10);
  for (const VectorResult &v : solved)
    if (v.used) CHECK_THAT(v.error, Contains("a.tie"));
  std::filesystem::rename(path + ".away", path);
  CHECK(now[0].file->whole()->epochs.size() == now[0].epochs);
}

TEST_CASE("a job of before, without what is kept of its observations, reads them once more and then no longer") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Job job = Job::create(path, demo_settings());
    job.take(demo_files());
  }
  sql_on(path, "DELETE FROM result WHERE kind = 'site'");
  std::size_t occupations = 0;
  {
    const Job job = Job::open(path);
    occupations = job.snapshot()->occupations().size();
    CHECK(occupations > 10);
  }
  CHECK(Store::open(path).results("site").size() == occupations);
  // What another version kept is read anew as well.
  sql_on(path, "UPDATE result SET fingerprint = '0' WHERE kind = 'site'");
  CHECK(Job::open(path).snapshot()->occupations().size() == occupations);
  for (const StoredResult &r : Store::open(path).results("site"))
    CHECK_THAT(r.fingerprint, Catch::StartsWith(std::string(site_reading) + " "));
}

TEST_CASE("observations that were changed inside the job are found when it is opened, though they are not read") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Job job = Job::create(path, demo_settings());
    job.take({AMPLETIE_SOURCE_DIR "/demo/data/REFA-s1.rnx.gz", AMPLETIE_SOURCE_DIR "/demo/data/REFB-s1.rnx.gz"});
  }
  CHECK_FALSE(doubt_of(Job::open(path), "source damaged"));
  sql_on(path, "UPDATE sqlar SET data = substr(data, 1, 4000) || x'00' || substr(data, 4002) WHERE name LIKE '%REFA%'");
  const Job job = Job::open(path);
  const Doubt *d = doubt_of(job, "source damaged");
  REQUIRE(d);
  CHECK(d->about == "REFA-s1.rnx.gz");
  CHECK(job.snapshot()->occupations().size() == 1);
}

TEST_CASE("a reading that was kept badly is no damage of the source: it is read again") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Job job = Job::create(path, demo_settings());
    job.take({AMPLETIE_SOURCE_DIR "/demo/data/REFA-s1.rnx.gz"});
    // What has just been taken is in memory: with the file out of the way it is still there.
    std::filesystem::rename(path, path + ".away");
    CHECK(job.snapshot()->occupations().at(0).file->whole()->epochs.size() > 100);
    std::filesystem::rename(path + ".away", path);
  }
  for (const char *cbor : {"80", "A0", "81A0", "8101", "FF"}) {
    INFO(cbor);
    sql_on(path, std::string("UPDATE result SET data = x'") + cbor + "' WHERE kind = 'site'");
    const Job job = Job::open(path);
    CHECK_FALSE(doubt_of(job, "source damaged"));
    REQUIRE(job.snapshot()->occupations().size() == 1);
    CHECK(job.snapshot()->occupations()[0].mark == "REFA");
  }
}
