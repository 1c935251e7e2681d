// Sessions solved together, as the job keeps them.
#include "judgement/height_causes.h"
#include "judgement/left_over.h"
#include "support/test_job.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;

TEST_CASE("the demo's sessions are solved together, stored, and follow decisions") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  std::map<std::string, int> together;
  std::set<std::string> ids;
  for (const VectorResult &v : job.vectors()) {
    together[v.session] += v.together;
    CHECK(!v.session_due);
    if (!v.together) continue;
    CHECK(v.independent);
    CHECK(v.from == "REFA");
    ids.insert(v.joint.id);
    // The joint solution is the same vector, seen with more data: within what the single one allows.
    CHECK((v.joint.d - v.solved->d).norm() < 3.5 * std::sqrt(v.solved->cov.trace()));
  }
  CHECK(ids.size() == 2);
  for (const auto &[session, n] : together) CHECK(n == 6);
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  int blocks = 0, parts = 0;
  for (const BlockTest &t : job.network()->result.adjustment.tests) {
    blocks += t.kind == "session";
    parts += t.kind == "vector";
  }
  CHECK(blocks == 2);
  CHECK(parts == 12);
  const Vec3 before = job.network()->positions.at("R11").ecef.xyz;

  SECTION("it survives closing and opening") {
    const Job again = Job::open(folder / "a.tie");
    for (std::size_t i = 0; i < job.vectors().size(); ++i) {
      const JointShare &a = job.vectors()[i].joint, &b = again.vectors()[i].joint;
      CHECK(a.key == b.key);
      CHECK(a.cov == b.cov);
      CHECK(a.d == b.d);
    }
    REQUIRE(again.network());
    CHECK(again.network()->positions.at("R11").ecef.xyz == before);
  }
  SECTION("one by one: the comparison is at hand without solving again") {
    job.decide("set", "solve", {{"sessions", "one by one"}}, "compare");
    for (const VectorResult &v : job.vectors()) {
      CHECK(!v.together);
      CHECK(!v.stale);
    }
    CHECK(job.network_stale());
    job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
    const double moved = (job.network()->positions.at("R11").ecef.xyz - before).norm();
    CHECK(moved > 1e-5);
    CHECK(moved < 0.01);
    for (const BlockTest &t : job.network()->result.adjustment.tests) CHECK(t.kind != "session");
  }
  SECTION("a vector is left out: its session falls apart into vectors until it is solved again") {
    std::string leg, session;
    for (const VectorResult &v : job.vectors())
      if (v.together && v.to == "DAM") leg = v.id, session = v.session;
    job.decide("leave-out", leg, {}, "try without");
    int due = 0;
    for (const VectorResult &v : job.vectors()) {
      if (v.session == session) CHECK(!v.together);
      due += v.session_due;
    }
    CHECK(due == 5);
    // Other data of the left out occupation still connect the mark.
    CHECK_NOTHROW(run_network(*job.snapshot(), job.vectors(), {}));
    solve(job);
    int now = 0;
    for (const VectorResult &v : job.vectors()) now += v.together && v.session == session;
    CHECK(now == 5);
  }
  SECTION("the same bytes with one thread") {
    auto one = solve_vectors(*job.snapshot(), {}, 1, {});
    REQUIRE(one.size() == job.vectors().size());
    for (std::size_t i = 0; i < one.size(); ++i) {
      CHECK(one[i].joint.d == job.vectors()[i].joint.d);
      CHECK(one[i].joint.cov == job.vectors()[i].joint.cov);
    }
  }
}

TEST_CASE("closures of the demo: repeats are checks, a wrong height is named before any adjustment") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  int checks = 0;
  for (const Loop &l : job.loops().loops) {
    CHECK(l.within_propagated());
    CHECK(l.within_limit());
    checks += l.check == LoopCheck::full;
  }
  CHECK(checks == 6);
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.mark == "R07" && iso(o.start).substr(11, 2) == "08") {
      job.decide("set", o.id, {{"height", o.measured + 0.1}}, "typing error");
      break;
    }
  solve(job);
  const auto found = std::find_if(job.doubts().begin(), job.doubts().end(),
                                  [](const Doubt &d) { return d.kind == "repeated vectors differ"; });
  REQUIRE(found != job.doubts().end());
  CHECK(found->about.find("R07") != std::string::npos);
  REQUIRE(!found->causes.empty());
  CHECK(found->causes[0].find("antenna height of R07") != std::string::npos);
}

TEST_CASE("a wrong antenna height is explained by what the antenna's dimensions and calibrations allow") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  const auto all = job.snapshot()->occupations();
  const auto found = std::find_if(all.begin(), all.end(), [](const Occupation &o) { return o.mark == "R07"; });
  REQUIRE(found != all.end());
  auto causes_after = [&](nlohmann::json value) {
    const auto before = found->antenna_height.value();
    job.decide("set", found->id, value, "a mistake");
    const auto &now = job.snapshot()->occupations();
    const Occupation &o = *std::find_if(now.begin(), now.end(), [&](const auto &x) { return x.id == found->id; });
    const double size = before - o.antenna_height.value();
    return std::pair(size, height_causes(job.snapshot()->contents(), o, size, 0.002));
  };
  SECTION("the point") {
    const auto [size, why] = causes_after({{"height_to", "rim"}});
    CHECK(size == Approx(0.034).margin(1e-9));
    REQUIRE(!why.empty());
    CHECK(why[0] == "it was read to arp");
  }
  SECTION("digits, as the closures say it") {
    std::string digits = fmt::format("{:.3f}", found->measured);
    std::swap(digits[0], digits[2]);
    const double wrong = std::stod(digits);
    REQUIRE(std::abs(wrong - found->measured) > 0.08);
    job.decide("set", found->id, {{"height", wrong}}, "keyed in");
    solve(job);
    const auto &doubts = job.doubts();
    const auto d =
        std::find_if(doubts.begin(), doubts.end(), [](const Doubt &x) { return x.kind == "repeated vectors differ"; });
    REQUIRE(d != doubts.end());
    REQUIRE(!d->causes.empty());
    INFO(d->causes[0] << " | " << d->sentence);
    CHECK(d->causes[0].find(digits + " keyed in for") != std::string::npos);
  }
  SECTION("slant for vertical") {
    job.decide("set", found->id, {{"height_to", "rim"}, {"height", 0.45}}, "low tripod");
    const auto &now = job.snapshot()->occupations();
    const Occupation &o = *std::find_if(now.begin(), now.end(), [&](const auto &x) { return x.id == found->id; });
    const double slant = std::sqrt(0.45 * 0.45 - 0.098 * 0.098) - 0.034;
    const auto why = height_causes(job.snapshot()->contents(), o, slant - *o.antenna_height, 0.002);
    REQUIRE(!why.empty());
    CHECK(why[0] == "the reading was slant, not vertical");
  }
  SECTION("digits") {
    job.decide("set", found->id, {{"height", 1.570}}, "keyed in");
    const auto &now = job.snapshot()->occupations();
    const Occupation &o = *std::find_if(now.begin(), now.end(), [&](const auto &x) { return x.id == found->id; });
    const auto why = height_causes(job.snapshot()->contents(), o, -0.063, 0.002);
    REQUIRE(!why.empty());
    CHECK(why[0] == "1.570 keyed in for 1.507");
  }
  SECTION("the antenna") {
    // What the mean of the carriers says the other type would add.
    auto mean = [&](const std::string &type) {
      for (const auto &c : job.snapshot()->contents())
        if (c.antex)
          for (const Antenna &a : c.antex->receivers)
            if (a.type.rfind(type, 0) == 0)
              return (a.frequencies.at("G01").offset_neu.z() + a.frequencies.at("G02").offset_neu.z()) / 2;
      return 0.0;
    };
    const double size = mean("QUILLON") - mean("TESSEL");
    const auto why = height_causes(job.snapshot()->contents(), *found, size, 0.002);
    REQUIRE(!why.empty());
    CHECK(why[0] == "the antenna is a QUILLON RING9, not a TESSEL T4");
  }
  SECTION("nothing fits, nothing is named") {
    CHECK(height_causes(job.snapshot()->contents(), *found, 0.2345, 0.002).empty());
  }
}

TEST_CASE("velocity and spread of a reference station can be entered beside its listed coordinates") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  const PublishedMark before = job.snapshot()->published().at("REFA");
  job.decide("hold", "REFA",
             {{"how", "full"}, {"velocity", {-0.0150, 0.0170, 0.0090}}, {"sd_enu", {0.002, 0.002, 0.005}}},
             "from the series of the last five years");
  const PublishedMark after = job.snapshot()->published().at("REFA");
  CHECK(*after.velocity == Vec3(-0.0150, 0.0170, 0.0090));
  CHECK(*after.sd_enu == Vec3(0.002, 0.002, 0.005));
  CHECK(*after.xyz == *before.xyz);
  CHECK(after.line == before.line);
  // It moves the station from the list's epoch to the job's: sixteen years here.
  const JobDatum datum = job_datum(*job.snapshot());
  const Vec3 was = published_in_job(before, datum, {0.02, false}).xyz,
             now = published_in_job(after, datum, {0.02, false}).xyz;
  const double years = job.state().settings.datum.epoch - 2010.0;
  CHECK(((now - was) - (*after.velocity - *before.velocity) * years).norm() < 1e-6);
  job.undo();
  CHECK(*job.snapshot()->published().at("REFA").velocity == *before.velocity);
}

TEST_CASE("a log from another continent is taken, questioned, and changes nothing else") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  const std::size_t before = job.doubts().size();
  const auto out = job.take({AMPLETIE_SOURCE_DIR "/tests/data/real/msm7-20191017.rtcm3"});
  REQUIRE(out.at(0).outcome == Intake::Outcome::taken);
  std::set<std::string> kinds;
  for (const Doubt &d : job.doubts()) kinds.insert(words(d.kind));
  CHECK(kinds.count("far from the job") == 1);
  CHECK(kinds.count("transformation not accurate enough") == 0);
  CHECK(job.doubts().size() == before + 3); // also its height of zero and its unknown antenna
  for (const VectorResult &v : job.vectors()) CHECK(!v.stale);
}

TEST_CASE("files that come after the solution are said to take no part until they are solved") {
  // The second day: nothing about the first one changes, and the network would pass without a word.
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  std::vector<std::string> first, second;
  const std::string data = std::string(AMPLETIE_SOURCE_DIR) + "/demo/data/";
  for (const char *mark : {"REFA", "REFB", "PN1", "PS1"})
    first.push_back(data + mark + "-s1.rnx.gz"), second.push_back(data + mark + "-s2.rnx.gz");
  for (const char *f : {"antennas.atx.gz", "broadcast.rnx.gz", "control.csv", "antenna-points.csv"})
    first.push_back(data + f);
  job.take(first);
  for (const char *mark : {"REFA", "REFB"}) job.decide("hold", mark, {{"how", "full"}}, "published");
  CHECK(job.unsolved() == 6);
  solve(job);
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  CHECK(job.unsolved() == 0);
  CHECK(left_over(*job.snapshot(), job.vectors(), job.network()).empty());
  job.take(second);
  CHECK(job.unsolved() == 6);
  const auto left = left_over(*job.snapshot(), job.vectors(), job.network());
  CHECK(left_over_words(left) == "4 occupations");
  for (const LeftOver &x : left) CHECK(x.because == "its vectors are not solved");
  solve(job);
  CHECK(job.unsolved() == 0);
  CHECK(left_over(*job.snapshot(), job.vectors(), job.network()).empty());
}
