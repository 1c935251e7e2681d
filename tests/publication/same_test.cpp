// Two issues of one state say the same; units change figures and nothing else; names harm no list.
#include "publication/control_files.h"
#include "publication/issue.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <sstream>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct DemoAdjusted {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  DemoAdjusted() {
    solve(job);
    adjust(job);
  }
};
std::string without(std::string text, const IssueRecord &r) {
  for (const std::string &what : {r.id, r.time, r.sha256, r.time.substr(0, 10), r.time.substr(11, 8)})
    for (auto at = text.find(what); at != std::string::npos && !what.empty(); at = text.find(what))
      text.erase(at, what.size());
  return text;
}
/// Rows of a list by mark, fields by head; no field of these lists holds a comma unless it is quoted.
std::map<std::string, std::map<std::string, std::string>> rows_of(const std::string &csv) {
  std::istringstream in(csv);
  std::string line;
  std::vector<std::string> heads;
  std::map<std::string, std::map<std::string, std::string>> out;
  const auto cells = [](const std::string &l) {
    std::vector<std::string> all(1);
    bool quoted = false;
    for (const char c : l)
      if (c == '"')
        quoted = !quoted;
      else if (c == ',' && !quoted)
        all.emplace_back();
      else
        all.back() += c;
    return all;
  };
  while (std::getline(in, line)) {
    if (line.empty() || line[0] == '#') continue;
    while (!line.empty() && line.back() == '\r') line.pop_back();
    const auto c = cells(line);
    if (heads.empty()) {
      heads = c;
      continue;
    }
    REQUIRE(c.size() == heads.size());
    for (std::size_t i = 0; i < c.size(); ++i) out[c[0]][heads[i]] = c[i];
  }
  return out;
}
} // namespace

TEST_CASE("two issues of the same state are equal except for number, instant and id") {
  DemoAdjusted a;
  const IssuePackage one = prepare_issue(a.job, {});
  a.job.add_issue_record(one.record);
  const IssuePackage two = prepare_issue(a.job, {});
  CHECK(one.record.id != two.record.id);
  nlohmann::json x = one.record.data, y = two.record.data;
  for (const char *own : {"id", "time", "number"}) x.erase(own), y.erase(own);
  CHECK(x == y);
  REQUIRE(one.files.size() == two.files.size());
  for (std::size_t i = 0; i < one.files.size(); ++i) {
    INFO(one.files[i].first);
    CHECK(one.files[i].first == two.files[i].first);
    if (one.files[i].first.ends_with(".gpkg")) continue; // pages of a database
    CHECK(without(one.files[i].second, one.record) == without(two.files[i].second, two.record));
  }
  // Written again from the record alone, byte for byte.
  const IssuePackage again = written_from(one.record, LengthUnit::metre);
  for (std::size_t i = 0; i < one.files.size(); ++i) CHECK(again.files[i] == one.files[i]);
}

TEST_CASE("a list in feet is the list in metres, figure by figure; angles and covariances stay") {
  DemoAdjusted a;
  const nlohmann::json record = prepare_issue(a.job, {}).record.data;
  const auto metres = rows_of(control_csv(record, LengthUnit::metre));
  REQUIRE(metres.size() >= 7);
  for (const auto &[unit, name, size] :
       {std::tuple{LengthUnit::foot, "ft", 0.3048}, {LengthUnit::us_foot, "ftUS", 1200.0 / 3937}}) {
    const auto feet = rows_of(control_csv(record, unit));
    REQUIRE(feet.size() == metres.size());
    for (const auto &[mark, row] : metres)
      for (const auto &[head, text] : row) {
        INFO(mark << " " << head << " in " << name);
        const bool length = head.ends_with("_m") && !text.empty();
        const auto found = feet.at(mark).find(head.ends_with("_m") ? head.substr(0, head.size() - 1) + name : head);
        REQUIRE(found != feet.at(mark).end());
        if (length)
          CHECK(std::stod(found->second) * size == Approx(std::stod(text)).margin(1.2e-4));
        else
          CHECK(found->second == text);
      }
  }
}

TEST_CASE("names that look like formulas, lines or tags stay names in lists and pages") {
  DemoAdjusted a;
  nlohmann::json r = prepare_issue(a.job, {}).record.data;
  r["marks"][1]["name"] = "=HYPERLINK(\"http://x\")";
  r["marks"][2]["name"] = "A,B;C";
  r["marks"][3]["name"] = "<script>alert(1)</script>";
  const std::string csv = control_csv(r, LengthUnit::metre);
  std::istringstream lines(csv);
  std::string line;
  int count = 0;
  while (std::getline(lines, line)) {
    ++count;
    CHECK(line.rfind("=HYPERLINK", 0) != 0);
  }
  CHECK(count == 2 + 7 + static_cast<int>(r.value("heights", nlohmann::json::array()).size())); // nobody broke a line
  const auto geo = nlohmann::json::parse(control_geojson(r));
  CHECK(geo.at("features").size() == 7);
  IssueRecord record{0, r["id"], r["time"], "", r};
  const IssuePackage p = written_from(record, LengthUnit::metre);
  CHECK(p.files.size() >= 6);
}
