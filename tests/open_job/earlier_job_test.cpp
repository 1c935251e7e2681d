// A job file of an earlier version (tests/data/earlier, made by commit ed90859) opens as it was.
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;

TEST_CASE("a job of the version before decisions and doubts had types: its decisions, heights and accepted doubts") {
  TemporaryFolder folder;
  const std::string path = folder / "old.tie";
  std::filesystem::copy_file(AMPLETIE_SOURCE_DIR "/tests/data/earlier/levels-1.tie", path);
  const Job job = Job::open(path);
  CHECK(job.decisions().size() == 13);
  CHECK(job.state().unreadable.empty());
  CHECK(job.state().settings.levels.limit_mm_km == 0.05);
  CHECK(job.state().settings.loop_mm == 10); // changed and taken back
  CHECK(job.state().staffs.at("A").value == 12);
  CHECK(job.state().gravity.at("K1").value == 9.8012);
  CHECK(job.state().instruments.at("DL7").until.value == "2026-05-01");
  // What was accepted of doubts whose ids were made of their words stays accepted.
  for (const char *kind : {"level loop misses", "certificate run out", "better than stated"}) {
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

TEST_CASE("a GNSS job of before: its vectors, solved when fingerprints were others, and its network stand") {
  TemporaryFolder folder;
  const std::string path = folder / "old.tie";
  std::filesystem::copy_file(AMPLETIE_SOURCE_DIR "/tests/data/earlier/gnss-1.tie", path);
  Job job = Job::open(path);
  REQUIRE(job.vectors().size() == 6);
  for (const VectorResult &v : job.vectors()) {
    CHECK_FALSE(v.stale);
    CHECK_FALSE(v.session_due);
    CHECK(v.together == v.independent);
  }
  REQUIRE(job.network());
  CHECK_FALSE(job.network_stale());
  // As that version printed it.
  const AdjustmentResult &a = job.network()->result.adjustment;
  CHECK(a.variance_factor == Approx(0.9308626020396801).epsilon(1e-9));
  CHECK(job.network()->positions.at("U2").grid.east == Approx(409317.1333).margin(6e-5));
  CHECK(*job.network()->positions.at("U2").height == Approx(373.0135).margin(6e-5));

  SECTION("a list of marks where nobody stood changes no vector") {
    std::string list = "mark,lat,lon,h\n";
    for (int i = 0; i < 1900; ++i) list += fmt::format("X{},{:.6f},{:.6f},500\n", i, 46.15 + i * 1e-4, 13.7 + i * 1e-4);
    job.take_bytes({{"list.csv", list}});
    CHECK(job.snapshot()->published().size() == 1901);
    for (const VectorResult &v : job.vectors()) CHECK_FALSE(v.stale);
  }
  SECTION("another height makes those of the occupation stale, undone they stand again") {
    const Occupation *u1 = nullptr;
    for (const Occupation &o : job.snapshot()->occupations())
      if (o.mark == "U1") u1 = &o;
    REQUIRE(u1);
    const std::string id = u1->id;
    job.decide("set", id, {{"height", 1.9}}, "read again");
    for (const VectorResult &v : job.vectors()) CHECK(v.stale == (v.from_occupation == id || v.to_occupation == id));
    job.undo();
    for (const VectorResult &v : job.vectors()) CHECK_FALSE(v.stale);
  }
  SECTION("coordinates of a mark that somebody stood on make its sessions stale") {
    job.decide("hold", "U1", {{"how", "full"}, {"geodetic", {46.22, 13.8, 410.2}}}, "from another list");
    for (const VectorResult &v : job.vectors()) CHECK(v.stale);
  }
}
