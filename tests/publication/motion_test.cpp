// Repeated campaigns, each issued by a job of its own: velocities from their records, in the record and on the sheet.
#include "base/error.h"
#include "publication/change_table.h"
#include "publication/issue.h"
#include "results/job_results.h"
#include "results/motions.h"
#include "support/fix_survey.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::string record_of(const std::string &path, int year, std::mt19937_64 &random) {
  return prepare_issue(campaign(path, year, random), {}).record.data.dump();
}
} // namespace

TEST_CASE("three campaigns tell which mark moves, how fast, and how well that is known") {
  TemporaryFolder folder;
  std::mt19937_64 random(8);
  const std::string first = record_of(folder / "1.tie", 2023, random),
                    second = record_of(folder / "2.tie", 2024, random);
  CHECK(nlohmann::json::parse(first).at("observed_epoch").get<double>() == Approx(2023.49).margin(0.01));
  Job job = campaign(folder / "3.tie", 2026, random);
  CHECK_THAT(job.snapshot()->get(motions_result()).problem, Contains("record"));
  job.take_bytes({{"2024.json", second}, {"2023.json", first}});
  adjust(job);
  const JobMotions &m = job.snapshot()->get(motions_result());
  REQUIRE(m.problem.empty());
  REQUIRE(m.times.size() == 3);
  CHECK(m.times[0].year == Approx(2023.49).margin(0.01));
  CHECK(m.times[2].name == "this job");
  CHECK(m.left_out.empty());
  CHECK(m.standing.marks.at(4).name == "B1"); // held at all times: it is said to stand
  CHECK(m.standing.marks[4].stands);
  for (const Motions *part : {&m.standing, &m.frame}) {
    REQUIRE(part->marks.size() == (part == &m.standing ? 5 : 4));
    CHECK(part->even);
    for (const MarkMotion &x : part->marks) {
      CAPTURE(x.name);
      if (x.name == "B1") continue;
      CHECK(x.times == 3);
      CHECK(x.stands == (x.name != "104"));
      const Vec3 error = x.velocity - (x.name == "104" ? moving_104 : Vec3::Zero());
      CHECK(error.dot(x.cov.inverse() * error) < 16);
      CHECK(std::sqrt(x.cov(0, 0)) < 0.003);
    }
  }
  // What was said of a record's time counts before what it says itself.
  std::string source;
  for (const SourceContent &c : job.snapshot()->contents())
    if (c.source.name == "2023.json") source = c.source.id;
  const double before = m.frame.marks[3].velocity.z();
  job.decide("set", "source:" + source, {{"observed", "2021-06-30"}}, "the record was made of data of another year");
  CHECK(job.snapshot()->get(motions_result()).times[0].year == Approx(2021.49).margin(0.01));
  CHECK(std::abs(job.snapshot()->get(motions_result()).frame.marks[3].velocity.z()) < std::abs(before));
  CHECK_THROWS_WITH(job.decide("set", "source:" + source, {{"observed", "yesterday"}}, ""), Contains("yesterday"));
  job.undo();

  const IssuePackage p = prepare_issue(job, {});
  const auto &motion = p.record.data.at("motion");
  CHECK(motion.at("times").size() == 3);
  CHECK(motion.at("against_standing").at("marks").size() == 5);
  CHECK(motion.at("in_frame").at("marks")[3].at("series").size() == 3);
  std::string words;
  for (const auto &s : p.sheet.sections) {
    words += s.heading + "\n";
    for (const auto &t : s.paragraphs) words += t + "\n";
    for (const auto &t : s.tables)
      for (const auto &row : t.rows) {
        CHECK(row.size() == t.columns.size());
        words += row.front() + ":" + row.back() + "\n";
      }
  }
  CHECK_THAT(words, Contains("Velocities from repeated campaigns") && Contains("104:MOVES") && Contains("101:stands") &&
                        Contains("straight lines fit"));
  // The single change counts the years that were measured, not the epoch that all were issued for.
  CHECK_THAT(words, Contains("at 2023.49"));
}

TEST_CASE("of two times only, unevenness cannot be told; a jump between three is") {
  TemporaryFolder folder;
  std::mt19937_64 random(9);
  Job two = campaign(folder / "2.tie", 2025, random);
  two.take_bytes({{"a.json", record_of(folder / "1.tie", 2023, random)}});
  adjust(two);
  const JobMotions &m = two.snapshot()->get(motions_result());
  CHECK(m.frame.degrees == 0);
  CHECK_THAT(motion_words(m, true), Contains("two times tell nothing"));
  // Until 2060 nothing moved, three years later a movement of forty years is there.
  Job jump = campaign(folder / "3.tie", 2063, random);
  auto late = nlohmann::json::parse(record_of(folder / "4.tie", 2023, random));
  late["observed_epoch"] = 2060.5;
  jump.take_bytes({{"b.json", late.dump()}});
  jump.take_bytes({{"a.json", record_of(folder / "5.tie", 2023, random)}});
  adjust(jump);
  const JobMotions &j = jump.snapshot()->get(motions_result());
  REQUIRE(j.problem.empty());
  CHECK(j.times.size() == 3);
  CHECK_FALSE(j.standing.even);
  CHECK_THAT(motion_words(j, false), Contains("do NOT fit"));
}

TEST_CASE("what counts once, what is held in part and what was determined once take no part, and are said") {
  TemporaryFolder folder;
  std::mt19937_64 random(10);
  const std::string first = record_of(folder / "1.tie", 2023, random);
  Job job = campaign(folder / "2.tie", 2026, random, {"105"});
  // Its own issue is no other time.
  job.take_bytes({{"own.json", prepare_issue(job, {}).record.data.dump()}});
  adjust(job);
  CHECK_THAT(job.snapshot()->get(motions_result()).problem, Contains("same time as this job"));
  job.take_bytes({{"first.json", first}});
  adjust(job);
  const JobMotions &m = job.snapshot()->get(motions_result());
  REQUIRE(m.problem.empty());
  CHECK(m.times.size() == 2);
  CHECK(m.frame.marks.size() == 4);
  std::string left;
  for (const std::string &x : m.left_out) left += x + "\n";
  CHECK_THAT(left, Contains("measured at the same time") && Contains("determined at one time only: 105"));
  // A mark that an earlier time held in plan alone has no measured plan to compare: it neither moves nor stands.
  auto held = nlohmann::json::parse(first);
  const auto &marks = held.at("marks");
  std::size_t at = 0;
  while (marks[at].at("name") != "102") ++at;
  for (std::size_t row = 0; row < held["covariance_enu"].size(); ++row)
    for (std::size_t column = 0; column <= row; ++column)
      for (std::size_t k : {3 * at, 3 * at + 1})
        if (row == k || column == k) held["covariance_enu"][row][column] = 0;
  held["observed_epoch"] = 2021.5;
  job.take_bytes({{"held.json", held.dump()}});
  adjust(job);
  const JobMotions &h = job.snapshot()->get(motions_result());
  REQUIRE(h.problem.empty());
  for (const MarkMotion &x : h.standing.marks) CHECK(x.name != "102");
  left.clear();
  for (const std::string &x : h.left_out) left += x + "\n";
  CHECK_THAT(left, Contains("102: held in plan or in height alone"));
}
