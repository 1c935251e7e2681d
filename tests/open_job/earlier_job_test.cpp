// A job file of an earlier version (tests/data/earlier, made by commit ed90859) opens as it was.
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

TEST_CASE("a job of the version before decisions and doubts had types: its decisions, heights and accepted doubts") {
  TemporaryFolder folder;
  const std::string path = folder / "old.tie";
  std::filesystem::copy_file(AMPLETIE_SOURCE_DIR "/tests/data/earlier/levels-1.tie", path);
  const Job job = Job::open(path);
  CHECK(job.decisions().size() == 12);
  CHECK(job.state().unreadable.empty());
  CHECK(job.state().settings.levels.limit_mm_km == 0.05);
  CHECK(job.state().settings.loop_mm == 10); // changed and taken back
  CHECK(job.state().staffs.at("A").value == 12);
  CHECK(job.state().gravity.at("K1").value == 9.8012);
  CHECK(job.state().instruments.at("DL7").until.value == "2026-05-01");
  // What was accepted of doubts whose ids were made of their words stays accepted.
  for (const char *kind : {"level loop misses", "certificate run out", "global test failed"}) {
    INFO(kind);
    REQUIRE(doubt_of(job, kind));
    CHECK(doubt_of(job, kind)->state == Doubt::State::accepted);
    CHECK(doubt_of(job, kind)->accepted_because == "known");
  }
  CHECK(job.open_doubts() == 5); // marks without an independent check
  // Heights as that version printed them.
  const auto &heights = job.snapshot()->levels().network;
  REQUIRE(heights);
  CHECK(heights->find("K1")->height == Approx(857.8105).margin(6e-5));
  CHECK(heights->find("K2")->height == Approx(1225.6216).margin(6e-5));
  CHECK(heights->find("R11")->sd == Approx(0.0013).margin(6e-5));
  REQUIRE(job.network());
  CHECK_FALSE(job.network_stale());
}
