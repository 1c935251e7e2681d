// Many machines solve pieces of a job; put together they are what one machine would have kept.
#include "base/error.h"
#include "open_job/shards.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// The demo's field files of both sessions and a walk, unsolved.
std::string job_file(const TemporaryFolder &folder) {
  const std::string path = folder / "all.tie";
  Job job = Job::create(path, demo_settings());
  job.take(demo_files());
  return path;
}
void solve_piece(const std::string &path, const Shard &shard) {
  Job job = Job::open(path);
  const auto only = vectors_of_shard(*job.snapshot(), shard);
  if (!only.empty()) job.accept_vectors(solve_vectors(*job.snapshot(), job.vectors(), 0, {}, only));
}
/// What is kept, without what only says when and how long.
std::map<std::string, std::string> kept(const std::string &path) {
  std::map<std::string, std::string> out;
  for (const StoredResult &r : Job::open(path).store().results("vector")) out[r.id] = r.fingerprint + r.data.dump();
  return out;
}
} // namespace

TEST_CASE("pieces solved by several machines give the bytes of one; lost and repeated ones do no harm") {
  TemporaryFolder folder;
  const std::string job = job_file(folder);
  std::vector<std::string> copies;
  for (int k = 1; k <= 4; ++k) {
    copies.push_back(folder / fmt::format("piece{}.tie", k));
    std::filesystem::copy_file(job, copies.back());
  }
  const std::string one = folder / "one.tie";
  std::filesystem::copy_file(job, one);
  {
    Job all = Job::open(one);
    solve(all, 2);
  }
  std::set<std::string> together;
  std::size_t sum = 0;
  for (int k = 1; k <= 3; ++k) {
    const auto only = vectors_of_shard(*Job::open(job).snapshot(), {k, 3});
    together.insert(only.begin(), only.end()), sum += only.size();
    solve_piece(copies[static_cast<std::size_t>(k) - 1], {k, 3});
  }
  CHECK(sum == together.size());
  CHECK(together.size() == kept(one).size());
  Job merged = Job::open(job);
  // The second piece is lost at first, and the first comes twice.
  Merged m = merge_results(merged, {copies[0], copies[0], copies[2]});
  CHECK(m.problems.empty());
  const std::size_t lost = vectors_of_shard(*merged.snapshot(), {2, 3}).size();
  REQUIRE(lost > 0);
  CHECK(m.missing == lost);
  CHECK(m.vectors == together.size() - lost);
  m = merge_results(merged, copies); // the fourth has solved nothing
  CHECK(m.vectors == lost);
  CHECK(m.missing == 0);
  CHECK(m.here > 0);
  m = merge_results(merged, copies);
  CHECK(m.vectors == 0);
  for (const VectorResult &v : merged.vectors()) CHECK_FALSE(v.stale);
  { const Job closed = std::move(merged); }
  const auto is = kept(job), should = kept(one);
  REQUIRE(is.size() == should.size());
  for (const auto &[id, text] : should) {
    INFO(id);
    CHECK(is.at(id) == text);
  }
}

TEST_CASE("what was solved of another state, another job or no job is not taken over") {
  TemporaryFolder folder;
  const std::string job = job_file(folder), copy = folder / "copy.tie";
  std::filesystem::copy_file(job, copy);
  {
    Job other = Job::open(copy);
    other.decide("set", occupation_of(other, "PN1", 1), {{"height", 1.111}}, "misread");
    solve(other);
  }
  Job mine = Job::open(job);
  const Merged m = merge_results(mine, {copy});
  CHECK(m.foreign > 0);
  CHECK(m.vectors > 0); // those without PN1's first set-up
  for (const VectorResult &v : mine.vectors()) {
    CHECK_FALSE(v.stale);
    CHECK(v.from_occupation != occupation_of(mine, "PN1", 1));
    CHECK(v.to_occupation != occupation_of(mine, "PN1", 1));
  }
  write_file(folder / "none.tie", "no job");
  const Merged bad = merge_results(mine, {folder / "none.tie", folder / "nowhere.tie", job});
  REQUIRE(bad.problems.size() == 3);
  CHECK_THAT(bad.problems[0], Contains("none.tie"));
  CHECK_THAT(bad.problems[1], Contains("nowhere.tie"));
  CHECK_THAT(bad.problems[2], Contains("is this job itself"));
  CHECK(bad.vectors == 0);
}

TEST_CASE("pieces are named I/N, and every number of them shares the work whole") {
  CHECK(read_shard("2/5").number == 2);
  CHECK(read_shard("2/5").of == 5);
  for (const char *bad : {"", "2", "0/5", "6/5", "2/", "/5", "2/5x", "a/b", "-1/5", "2/0", "1/1000000"})
    CHECK_THROWS_WITH(read_shard(bad), Contains("2/5 is the second of five"));
  TemporaryFolder folder;
  const Job job = Job::open(job_file(folder));
  for (int n : {1, 2, 3, 7, 50}) {
    std::size_t sum = 0;
    for (int k = 1; k <= n; ++k) sum += vectors_of_shard(*job.snapshot(), {k, n}).size();
    CHECK(sum == job.snapshot()->get(plan_result()).size());
  }
}
