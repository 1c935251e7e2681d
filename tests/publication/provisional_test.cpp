// Provisional coordinates of one traverse: what is in them, what never is, and what the record says later.
#include "base/error.h"
#include "judgement/record_compare.h"
#include "publication/provisional_issue.h"
#include "support/field_work.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("provisional coordinates are issued as such, never over held marks, and the record is compared later") {
  TemporaryFolder folder;
  FieldWork work(93);
  JobSettings s = demo_settings();
  s.datum.epoch = 2026.36;
  Job job = Job::create(folder / "p.tie", s);
  const auto taken = job.take_bytes({{"field.txt", station::simulate(work.scenario).files.front().text}});
  REQUIRE(taken[0].outcome == Intake::Outcome::taken);
  // Nothing is known yet: the traverse is local, and that is no coordinate of the job.
  CHECK_THROWS_WITH(prepare_provisional(job, job.snapshot()->traverses().lines.at(0).id), Contains("is local"));
  CHECK_THROWS_WITH(prepare_provisional(job, "nowhere"), Contains("no traverse"));
  work.hold_in(job);
  const std::string id = job.snapshot()->traverses().lines.at(0).id;
  const IssuePackage p = prepare_provisional(job, id, LengthUnit::us_foot);
  CHECK(is_provisional(p.record));
  const auto &marks = p.record.data.at("marks");
  REQUIRE(marks.size() == 5);
  for (const auto &m : marks) {
    const std::string name = m.at("name");
    CHECK(name[0] == 'T');
    const GridPoint truth = work.describe(name).grid;
    CHECK(std::hypot(m.at("east_m").get<double>() - truth.east, m.at("north_m").get<double>() - truth.north) < 0.02);
  }
  CHECK(p.record.data.at("hangs_on").size() >= 2);
  CHECK(p.record.data.at("sources").size() == 1);
  CHECK_THAT(p.csv, Contains("# PROVISIONAL") && Contains("east_ftUS"));
  // One line of the list, in feet of the United States survey (1200/3937 m).
  const double east = marks[0].at("east_m");
  CHECK_THAT(p.csv, Contains(fmt::format("{:.4f}", east * 3937 / 1200)));
  CHECK(p.sheet.title == "Provisional coordinates, not control");
  job.add_issue_record(p.record);
  CHECK(compare_provisional(job.store().issue_records().at(0), job.snapshot()->traverses()).empty());
  // A mark that is held from now on is not handed out again, and one that moves is named.
  const FullPosition t3 = work.describe("T3");
  const Vec3 &x = t3.ecef.xyz;
  job.decide("hold", "T3",
             {{"how", "full"},
              {"xyz", {x.x() + 0.05, x.y(), x.z()}},
              {"sd_enu", {0.001, 0.001, 0.001}},
              {"frame", frame_name(t3.ecef.frame)},
              {"epoch", "2026.36"}},
             "from the register");
  for (const TraverseLine &l : job.snapshot()->traverses().lines) {
    if (l.local_place || l.local_bearing || !l.problem.empty()) continue;
    const IssuePackage issued = prepare_provisional(job, l.id);
    for (const auto &m : issued.record.data.at("marks")) CHECK(m.at("name") != "T3");
  }
  const auto moved = compare_provisional(job.store().issue_records().at(0), job.snapshot()->traverses());
  CHECK(std::any_of(moved.begin(), moved.end(),
                    [](const std::string &w) { return w.find("T3 is no longer provisional") == 0; }));
}
