#include "base/error.h"
#include "base/hash.h"
#include "publication/issue.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <sstream>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
Job adjusted(const std::string &path) {
  Job job = demo_job(path);
  job.accept_vectors(solve_vectors(*job.snapshot(), {}, 0, {}));
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  return job;
}
} // namespace

TEST_CASE("an issue: record, sheet, lists, and what is refused") {
  TemporaryFolder folder;
  Job job = adjusted(folder / "a.tie");
  const IssuePackage p = prepare_issue(job, {});
  CHECK(p.record.sha256.size() == 64);
  CHECK(p.record.data.at("marks").size() == 7);
  CHECK(p.record.data.at("covariance_enu").size() == 21);
  CHECK(p.record.data.at("sources").size() == job.snapshot()->contents().size());
  CHECK(p.record.data.at("held").size() == 2);
  CHECK(p.record.data.at("operation_accuracy_m").get<double>() <= 0.02);
  // The joint covariance agrees with each mark's own.
  const auto &m = p.record.data.at("marks")[0];
  CHECK(p.record.data.at("covariance_enu")[2][2].get<double>() == Approx(m.at("cov_enu")[5].get<double>()));

  std::string words;
  for (const auto &s : p.sheet.sections) {
    words += s.heading + "\n";
    for (const auto &t : s.paragraphs) words += t + "\n";
    for (const auto &t : s.tables) {
      words += t.caption + "\n";
      for (const auto &row : t.rows) CHECK(row.size() == t.columns.size());
    }
  }
  for (const char *must : {"ETRF2000", "2026.36", "Pipeline: ", "Stated accuracy", "95 % means", "Held marks",
                           "antenna height ± 1 mm", "Calibrations of QUILLON RING9", "global test passes",
                           "Vectors used", "Occupations", "Doubts", "Decisions", "independent check"})
    CHECK_THAT(words, Contains(must));
  CHECK_THAT(p.csv, Contains(p.record.id));

  job.add_issue_record(p.record);
  CHECK(compare_with_record(job.store().issue_records().at(0), *job.network()).empty());

  // Another decision later: the record stands, and the difference is told.
  job.decide("set", occupation_of(job, "R11", 1), {{"height", 1.6}}, "found in the book");
  CHECK_THROWS_WITH(prepare_issue(job, {}), Contains("out of date"));
  solve(job);
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  const auto differences = compare_with_record(job.store().issue_records().at(0), *job.network());
  REQUIRE_FALSE(differences.empty());
  CHECK_THAT(differences.back(), Contains("moved by"));
  CHECK(std::any_of(job.doubts().begin(), job.doubts().end(),
                    [](const Doubt &d) { return d.kind == "differs from what was issued"; }));
  CHECK_THROWS_WITH(prepare_issue(job, {{"NOWHERE"}, LengthUnit::metre}), Contains("NOWHERE"));
}

TEST_CASE("marks without a check and accepted doubts are printed") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  job.decide("leave-out", occupation_of(job, "DAM", 2), {}, "gate closed");
  job.accept_vectors(solve_vectors(*job.snapshot(), {}, 0, {}));
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  for (const Doubt &d : std::vector<Doubt>(job.doubts()))
    if (d.kind == "no independent check") job.decide("accept", d.id, {}, "client was told");
  const IssuePackage p = prepare_issue(job, {});
  std::string words;
  for (const auto &s : p.sheet.sections) {
    for (const auto &t : s.paragraphs) words += t + "\n";
    for (const auto &t : s.tables)
      for (const auto &row : t.rows)
        for (const auto &c : row) words += c + " ";
  }
  CHECK_THAT(words,
             Contains("Without an independent check: DAM.") && Contains("client was told") && Contains("gate closed"));
}

TEST_CASE("what is asked and what is reached stands in the record, the sheet and the list") {
  TemporaryFolder folder;
  Job job = adjusted(folder / "a.tie");
  auto paragraphs = [](const IssuePackage &p) {
    std::string out;
    for (const auto &s : p.sheet.sections)
      for (const auto &t : s.paragraphs) out += t + "\n";
    return out;
  };
  CHECK_THAT(paragraphs(prepare_issue(job, {})), Contains("No accuracy was asked for"));
  job.decide("set", "limit", {{"asked-plan", 20.0}}, "contract");
  CHECK_THAT(paragraphs(prepare_issue(job, {})), Contains("All 5 marks of which an accuracy is asked reach it"));
  job.decide("set", "asked:PN1", {{"plan", 0.001}}, "contract");
  const IssuePackage p = prepare_issue(job, {});
  CHECK_THAT(paragraphs(p), Contains("1 of 5 marks do not reach"));
  std::istringstream lines(p.csv);
  std::string line, head;
  std::getline(lines, line);
  std::getline(lines, head);
  CHECK_THAT(head, Contains("asked_plan95_m,asked_up95_m,accuracy_reached,x_m"));
  const auto columns = std::count(head.begin(), head.end(), ',');
  int rows = 0;
  while (std::getline(lines, line)) {
    CHECK(std::count(line.begin(), line.end(), ',') == columns);
    if (line.rfind("PN1,", 0) == 0) CHECK_THAT(line, Contains("0.0010,,no,"));
    if (line.rfind("R07,", 0) == 0) CHECK_THAT(line, Contains("0.0200,,yes,"));
    if (line.rfind("REFA,", 0) == 0) CHECK_THAT(line, Contains("full,1,,,,"));
    ++rows;
  }
  CHECK(rows == 7);
  for (const auto &m : p.record.data.at("marks"))
    if (m.at("name") == "PN1") CHECK(m.at("accuracy").at("plan").at("met") == false);
}

TEST_CASE("lengths in feet of both kinds") {
  CHECK(in_unit(0.3048, LengthUnit::foot) == Approx(1));
  CHECK(in_unit(1200, LengthUnit::us_foot) == Approx(3937));
  CHECK(in_unit(7, LengthUnit::metre) == 7);
}

TEST_CASE("marks that only levels lead to are issued with their heights and nothing else") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  std::vector<std::string> files;
  for (const char *f : {"levels-1a.txt", "benchmarks.csv"})
    files.push_back(std::string(AMPLETIE_SOURCE_DIR "/demo/levels/") + f);
  job.take(files);
  job.decide("hold", "HB1", {{"how", "height"}}, "published benchmark");
  job.accept_vectors(solve_vectors(*job.snapshot(), {}, 0, {}));
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  CHECK(job.network()->result.adjustment.passes);
  const IssuePackage p = prepare_issue(job, {});
  CHECK(p.record.data.at("marks").size() == 7);
  const auto &heights = p.record.data.at("heights");
  REQUIRE(heights.size() == 2); // HB1 and K1
  for (const auto &h : heights) {
    CHECK(h.at("height_sd_m").get<double>() < 0.01);
    CHECK_THAT(p.csv, Contains(h.at("name").get<std::string>() + ",,,"));
    if (h.at("name") == "HB1") CHECK(h.at("height_m").get<double>() == Approx(472.0761).margin(1e-6));
  }
  // Levels reach R07 over the ridge: its physical height is good to millimetres, not to the grid's decimetres.
  for (const auto &m : p.record.data.at("marks"))
    if (m.at("name") == "R07") CHECK(m.at("height_sd_m").get<double>() < 0.006);
  for (const auto &m : p.record.data.at("marks"))
    if (m.at("name") == "REFB") CHECK(m.at("height_sd_m").get<double>() > 0.05);
  std::string captions;
  for (const auto &s : p.sheet.sections)
    for (const auto &t : s.tables) captions += t.caption + "\n";
  CHECK_THAT(captions, Contains("Marks known in height only"));
  for (const std::string &name : job.network()->result.zero_sd_held) CHECK(name != "K1");
}

TEST_CASE("a record that keeps no covariance of its marks together is named among the changes, with the reason") {
  TemporaryFolder folder;
  Job job = adjusted(folder / "a.tie");
  nlohmann::ordered_json record = prepare_issue(job, {}).record.data;
  record["covariance_enu"] = nullptr; // as of more than 300 marks
  job.take_bytes({{"record.json", record.dump()}});
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  const auto &changes = job.snapshot()->get(changes_result());
  REQUIRE(changes.size() == 1);
  CHECK(changes[0].source_name == "record.json");
  CHECK_THAT(changes[0].problem, Contains("no covariance of its marks together"));
}
