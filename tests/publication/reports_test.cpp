#include "base/error.h"
#include "base/text.h"
#include "publication/gnss_report.h"
#include "publication/issue.h"
#include "publication/traverse_report.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const ReportSection &section(const Report &r, const std::string &heading) {
  for (const ReportSection &s : r.sections)
    if (s.heading.rfind(heading, 0) == 0) return s;
  throw std::runtime_error("no section " + heading);
}
std::string all_words(const Report &r) {
  std::string out = r.title + "\n" + r.subtitle + "\n" + r.footer + "\n";
  for (const ReportSection &s : r.sections) {
    out += s.heading + "\n";
    for (const auto &p : s.paragraphs) out += p + "\n";
    for (const ReportTable &t : s.tables) {
      out += t.caption + "\n";
      for (const auto &row : t.rows)
        for (const auto &cell : row) out += cell + "\n";
    }
  }
  return out;
}
/// Every row has a cell for every column, and no text of a report holds a number that is none.
void check_form(const Report &r) {
  for (const ReportSection &s : r.sections)
    for (const ReportTable &t : s.tables)
      for (const auto &row : t.rows) {
        CHECK(row.size() == t.columns.size());
        for (const auto &cell : row) CHECK_THAT(cell, !Contains("nan") && !Contains("inf"));
      }
}
} // namespace

TEST_CASE("the GNSS report has every occupation, vector and closure with its numbers, and what was left out") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  CHECK_THROWS_AS(gnss_report(job), InputError);
  solve(job);
  const std::string left = job.vectors().front().id;
  job.decide("leave-out", left, {}, "a lorry stood there");
  const Report r = gnss_report(job);
  check_form(r);
  const std::string words = all_words(r);
  for (const Occupation &o : job.snapshot()->occupations()) CHECK_THAT(words, Contains(o.mark));
  CHECK_THAT(words, Contains("a lorry stood there"));
  for (const VectorResult &v : job.vectors())
    if (v.used && v.error.empty()) CHECK_THAT(words, Contains(fmt::format("{:.4f}", v.length())));
  for (const auto &c : job.snapshot()->contents()) CHECK_THAT(words, Contains(c.source.id.substr(0, 16)));
}

TEST_CASE("the traverse report has misclosures before anything is shared out, all balances and the readings") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  CHECK_THROWS_WITH(traverse_report(job), Contains("no field books"));
  std::vector<std::string> books;
  for (const auto &e : std::filesystem::directory_iterator(AMPLETIE_SOURCE_DIR "/demo/stations"))
    if (e.path().extension() == ".txt") books.push_back(e.path().string());
  std::sort(books.begin(), books.end());
  job.take(books);
  const TraverseReport &now = job.snapshot()->traverses();
  REQUIRE(now.any());
  const Report r = traverse_report(job);
  check_form(r);
  for (const TraverseLine &l : now.lines) {
    const ReportSection &s = section(r, "Traverse " + l.name);
    std::string words;
    for (const auto &p : s.paragraphs) words += p + "\n";
    if (!l.problem.empty()) continue;
    if (l.result.closure.has_linear)
      CHECK_THAT(words, Contains(fmt::format("Linear misclosure {:.1f} mm", 1000 * l.result.closure.linear)));
    REQUIRE_FALSE(s.tables.empty());
    CHECK(s.tables.front().rows.size() >= l.legs.size());
    for (std::size_t i = 0; i < l.legs.size(); ++i) CHECK(s.tables.front().rows[i][0] == l.legs[i].from);
  }
  const std::string words = all_words(r);
  for (const auto &[name, m] : now.marks) CHECK_THAT(words, Contains(name));
}
