// The accuracy that is asked for: groups, classes, decisions and the verdict of each mark.
#include "adjustment/statistics.h"
#include "base/error.h"
#include "judgement/accuracy_verdict.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("classes of FGDC-STD-007.2-1998, table 2.1: a value belongs to the smallest it does not exceed") {
  CHECK(accuracy_class(0.0004) == "1 mm");
  CHECK(accuracy_class(0.005) == "5 mm");
  CHECK(accuracy_class(0.00501) == "1 cm");
  CHECK(accuracy_class(0.03) == "5 cm");
  CHECK(accuracy_class(0.2) == "2 dm");
  CHECK(accuracy_class(7) == "10 m");
  CHECK(accuracy_class(10.1).empty());
}

TEST_CASE("groups by name and by beginning; the longest counts, what it leaves open comes from the whole job") {
  CHECK(in_group("PN1", "PN1"));
  CHECK_FALSE(in_group("PN1", "PN10"));
  CHECK(in_group("PN*", "PN10"));
  CHECK(in_group("*", "anything"));
  CHECK_FALSE(in_group("PN*", "P"));
  JobState s;
  s.settings.asked = {0.02, 0.05, false};
  s.asked["P*"].height = 0.01;
  s.asked["PN1"].plan = 0.003, s.asked["PN1"].local = true;
  CHECK(s.asked_of("R07").height == 0.05);
  CHECK(s.asked_of("PS1").plan == 0.02);
  CHECK(s.asked_of("PS1").height == 0.01);
  const AskedAccuracy own = s.asked_of("PN1");
  CHECK(own.plan == 0.003);
  CHECK(own.height == 0.05); // not that of the shorter group
  CHECK(own.local);
  // The name itself counts before a beginning that is longer by its star.
  s.asked["PN1*"].plan = 0.2;
  CHECK(s.asked_of("PN1").plan == 0.003);
  CHECK(s.asked_of("PN12").plan == 0.2);
  REQUIRE(s.asked_group("PN12"));
  CHECK(s.asked_group("PN12")->first == "PN1*");
  CHECK_FALSE(s.asked_group("R07"));
}

TEST_CASE("what can be asked is checked when it is entered") {
  CHECK(typed_field<AskedThing>("plan", " 20 ") == 0.02);
  CHECK(typed_field<AskedThing>("height", "none") == 0.0);
  CHECK(typed_field<AskedThing>("of", "Local") == "local");
  CHECK(typed_field<AskedThing>("plan", "").is_null());
  CHECK_THROWS_AS(typed_field<AskedThing>("plan", "-1"), InputError);
  CHECK_THROWS_AS(typed_field<AskedThing>("plan", "twenty"), InputError);
  CHECK_THROWS_AS(typed_field<AskedThing>("of", "world"), InputError);
  CHECK_THROWS_AS(typed_field<AskedThing>("speed", "1"), InputError);
}

TEST_CASE("marks that do not reach what is asked are doubts with their causes; undo takes the request back") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  auto short_of = [&] {
    std::vector<const Doubt *> out;
    for (const Doubt &d : job.doubts())
      if (d.kind == "accuracy not reached") out.push_back(&d);
    return out;
  };
  CHECK(short_of().empty());
  // Set-ups cost at least 2.4 mm in plan: all but the held ones fail at 1 mm, none at 30 mm.
  job.decide("set", "limit", {{"asked-plan", 30.0}}, "contract");
  CHECK_FALSE(job.network_stale());
  CHECK(short_of().empty());
  job.decide("set", "asked:P*", {{"plan", 0.001}}, "contract, portal marks");
  REQUIRE(short_of().size() == 2);
  for (const Doubt *d : short_of()) {
    CHECK(d->about.front() == 'P');
    CHECK(d->section == Section::issue);
    CHECK(*d->limit == 1);
    const AdjustedMark *m = nullptr;
    for (const auto &x : job.network()->result.marks)
      if (x.name == d->thing.id) m = &x;
    REQUIRE(m);
    CHECK(*d->value == Approx(1000 * m->network_plan95));
    CHECK(*d->effect_m == Approx(m->network_plan95 - 0.001));
    CHECK_THAT(d->sentence, Contains("plan") && Contains("1 mm asked") && Contains("network"));
  }
  job.decide("accept", short_of().front()->id, {}, "client agreed");
  const auto left = short_of();
  CHECK(std::count_if(left.begin(), left.end(), [](auto *d) { return d->state == Doubt::State::accepted; }) == 1);
  job.undo();
  job.undo();
  CHECK(short_of().empty());
  // A physical height carries the grid's uncertainty where no levels say more; the ellipsoidal one does not.
  job.decide("set", "limit", {{"asked-height", 40.0}}, "contract");
  const NetworkRun &run = *job.network();
  REQUIRE(run.geoid_sd);
  int fails = 0;
  for (const AdjustedMark &m : run.result.marks) {
    const AccuracyVerdict v = accuracy_verdict(job.state(), run, m);
    if (m.hold == Hold::full) {
      CHECK_FALSE(v.asked.any());
      continue;
    }
    CHECK(v.physical);
    CHECK(v.height95 >= factor95(1) * *run.geoid_sd * 0.5);
    CHECK(v.height_fails);
    REQUIRE(v.causes.size() == 1);
    CHECK_THAT(v.causes[0], Contains("geoid's"));
    ++fails;
  }
  CHECK(short_of().size() == static_cast<std::size_t>(fails));
  // Local accuracy is of ellipsoidal heights: 40 mm is easily reached.
  job.decide("set", "limit", {{"asked-of", "local"}}, "contract");
  CHECK(short_of().empty());
}
