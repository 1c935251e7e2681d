// What is written of traverses, read again.
#include "base/error.h"
#include "publication/traverse_report.h"
#include "support/field_work.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

TEST_CASE("a survey written as LandXML comes back as the same traverse") {
  TemporaryFolder folder;
  FieldWork work(91);
  const auto settings = [] {
    JobSettings s = demo_settings();
    s.datum.epoch = 2026.36;
    return s;
  }();
  const auto made = [&](const std::string &name, const std::string &file, const std::string &text) {
    Job job = Job::create(folder / name, settings);
    work.hold_in(job);
    const auto out = job.take_bytes({{file, text}});
    REQUIRE(out[0].outcome == Intake::Outcome::taken);
    REQUIRE(job.snapshot()->traverses().lines.size() == 1);
    return std::pair(std::move(job), out[0].sentence);
  };
  auto [job, ignored] = made("a.tie", "field.txt", station::simulate(work.scenario).files.front().text);
  const auto &setups = job.snapshot()->traverses().field.setups;
  job.decide("leave-out", setups[2]->setup.pointings[1].id, nlohmann::json::object(), "bumped");
  const TraverseLine before = job.snapshot()->traverses().lines[0];
  const std::string xml = traverse_landxml(job);
  auto [again, sentence] = made("b.tie", "survey.xml", xml);
  CHECK(sentence == "LandXML survey, 7 set-ups, 64 pointings");
  const TraverseLine &after = again.snapshot()->traverses().lines[0];
  CHECK(after.marks == before.marks);
  CHECK(after.result.closure.east == Approx(before.result.closure.east).margin(2e-4));
  CHECK(after.result.closure.north == Approx(before.result.closure.north).margin(2e-4));
  CHECK(after.result.closure.angular == Approx(before.result.closure.angular).margin(1e-7));
  CHECK(after.result.closure.height == Approx(before.result.closure.height).margin(2e-4));
  const auto &point = again.snapshot()->traverses().field.setups[2]->setup.pointings[1];
  CHECK_FALSE(point.used);
  const auto torn = again.take_bytes({{"torn.xml", xml.substr(0, xml.size() - 40)}});
  CHECK(torn[0].outcome == Intake::Outcome::refused);
  CHECK(torn[0].sentence.find("line ") == 0);
}

TEST_CASE("provisional marks as CSV are those of the report") {
  TemporaryFolder folder;
  FieldWork work(92);
  Job job = Job::create(folder / "a.tie", demo_settings());
  CHECK_THROWS_AS(traverse_report(job), InputError);
  CHECK_THROWS_AS(traverse_marks_csv(job), InputError);
  work.hold_in(job);
  job.take_bytes({{"field.txt", station::simulate(work.scenario).files.front().text}});
  const std::string csv = traverse_marks_csv(job);
  CHECK(std::count(csv.begin(), csv.end(), '\n') == 1 + static_cast<long>(job.snapshot()->traverses().marks.size()));
  const Report r = traverse_report(job);
  CHECK(r.sections.size() >= 5);
  CHECK(r.sections.back().tables.size() == 7);
  // Every angle of the route is there, the closing one too.
  const TraverseLine &line = job.snapshot()->traverses().lines[0];
  REQUIRE(line.result.closure.has_angular);
  const auto angles = std::count_if(line.input.stations.begin(), line.input.stations.end(),
                                    [](const TraverseStation &s) { return s.has_angle; });
  int found = 0;
  for (const ReportSection &s : r.sections)
    for (const ReportTable &t : s.tables)
      if (t.caption == "Legs as measured") {
        CHECK(std::count_if(t.rows.begin(), t.rows.end(), [](const auto &row) { return row[2] != "–"; }) == angles);
        CHECK(t.rows.back()[1].find("closing") != std::string::npos);
        ++found;
      }
  CHECK(found == 1);
}
