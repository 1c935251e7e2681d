// How control leaves the house: own columns, marks that stay out, drawings, mark records, a second person.
#include "base/angle.h"
#include "base/base64.h"
#include "base/csv.h"
#include "base/error.h"
#include "publication/issue.h"
#include "publication/network_drawing.h"
#include "publication/record_parts.h"
#include "publication/verify_issue.h"
#include "results/between.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
Job adjusted_demo(const std::string &path) {
  Job job = demo_job(path);
  solve(job);
  adjust(job);
  return job;
}
std::string issued_file(const IssuePackage &p, const std::string &name) {
  for (const auto &[n, bytes] : p.files)
    if (n == name) return bytes;
  return "";
}
void choose(Job &job, const std::string &name, const nlohmann::json &value) {
  job.decide("set", "issue", {{name, value}}, "");
}
std::string printed_words(const Report &r) {
  std::string out;
  for (const ReportSection &s : r.sections) {
    out += s.heading + "\n";
    for (const auto &p : s.paragraphs) out += p + "\n";
    for (const auto &d : s.drawings) out += d.caption + "\n";
    for (const auto &t : s.tables) {
      out += t.caption + "\n";
      for (const auto &row : t.rows) {
        CHECK(row.size() == t.columns.size());
        for (const auto &cell : row) out += cell + "\t";
        out += "\n";
      }
    }
  }
  return out;
}
} // namespace

TEST_CASE("a list of one's own: columns, order, unit, decimals, separator; read back it says the same") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  CHECK(issued_file(prepare_issue(job, {}), "list.csv").empty()); // nothing is asked for
  choose(job, "columns", "number mark north east height sd_height latitude");
  choose(job, "separator", "semicolon");
  choose(job, "decimals", 3);
  choose(job, "unit", "us-ft");
  choose(job, "angle-style", "gon");
  const IssuePackage p = prepare_issue(job, {});
  const std::string list = issued_file(p, "list.csv");
  REQUIRE_FALSE(list.empty());
  CHECK_THAT(list, Contains("lengths in ftUS, angles in gon") &&
                       Contains("number;mark;north_ftUS;east_ftUS;height_ftUS;sd_height_ftUS;latitude\n"));
  CsvReader in(list, ';');
  std::vector<std::string> cells;
  std::size_t row = 0;
  while (in.next(cells)) {
    if (cells[0] == "number" || cells[0].front() == '#') continue;
    const auto &m = p.record.data.at("marks")[row++];
    REQUIRE(cells.size() == 7);
    CHECK(cells[0] == std::to_string(row));
    CHECK(cells[1] == m.at("name"));
    // 1 US survey foot is 1200/3937 m (NIST SP 811).
    CHECK(std::stod(cells[2]) * 1200 / 3937 == Approx(m.at("north_m").get<double>()).margin(2e-4));
    CHECK(std::stod(cells[3]) * 1200 / 3937 == Approx(m.at("east_m").get<double>()).margin(2e-4));
    CHECK(std::stod(cells[6]) * 0.9 == Approx(m.at("lat_deg").get<double>()).margin(1e-8));
    CHECK(cells[2].find('.') == cells[2].size() - 4);
  }
  CHECK(row == p.record.data.at("marks").size());
  choose(job, "separator", "tab");
  choose(job, "heads", "without");
  const std::string bare = issued_file(prepare_issue(job, {}), "list.txt");
  CHECK(std::count(bare.begin(), bare.end(), '\n') == 7);
  CHECK_THAT(bare, Contains("1\tDAM\t"));
  CHECK_THROWS_WITH(choose(job, "columns", "mark colour"),
                    Contains("no column \"colour\"") && Contains("height95_network"));
  CHECK_THROWS_WITH(choose(job, "columns", "mark mark"), Contains("twice"));
  CHECK_THROWS(choose(job, "decimals", 9));
  CHECK_THROWS_WITH(choose(job, "decimals", 2.5), Contains("whole number"));
  // The order of the axes is that of the sheet too.
  choose(job, "axes", "north east");
  const Report sheet = prepare_issue(job, {}).sheet;
  CHECK(sheet.sections[0].tables[0].columns[1].title == "North");
  CHECK(sheet.sections[0].tables[0].columns[1].unit == "ftUS");
}

TEST_CASE("the own list is read back by another job: places and accuracies as they were, in feet too") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  choose(job, "columns", "mark north east height sd_e sd_n sd_height frame epoch");
  for (const char *unit : {"m", "ft", "us-ft"}) {
    INFO(unit);
    choose(job, "unit", unit);
    const IssuePackage p = prepare_issue(job, {});
    Job next = Job::create(folder / (std::string(unit) + ".tie"), demo_settings());
    REQUIRE(next.take_bytes({{"list.csv", issued_file(p, "list.csv")}})[0].outcome == Intake::Outcome::taken);
    const auto &known = next.snapshot()->published();
    for (const auto &m : p.record.data.at("marks")) {
      REQUIRE(known.count(m.at("name")));
      const PublishedMark &k = known.at(m.at("name"));
      REQUIRE(k.grid);
      CHECK(k.grid->x() == Approx(m.at("east_m").get<double>()).margin(1e-4));
      CHECK(k.grid->y() == Approx(m.at("north_m").get<double>()).margin(1e-4));
      REQUIRE(k.sd_enu);
      CHECK(k.sd_enu->x() == Approx(m.at("sd_e_m").get<double>()).margin(6e-5));
    }
  }
}

TEST_CASE("every column that is offered can be written") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  std::string all;
  for (const IssueColumn &c : issue_columns()) all += std::string(c.name) + " ";
  choose(job, "columns", all);
  const std::string list = issued_file(prepare_issue(job, {}), "list.csv");
  CsvReader in(list, ',');
  std::vector<std::string> cells;
  while (in.next(cells))
    if (cells[0].front() != '#') CHECK(cells.size() == issue_columns().size());
}

TEST_CASE("a mark that stays out is in no file, and the sheet says that it was adjusted with the others") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  job.decide("set", "mark:DAM", {{"issued", false}}, "a temporary point");
  const IssuePackage p = prepare_issue(job, {});
  CHECK(p.record.data.at("marks").size() == 6);
  CHECK_THAT(p.csv, !Contains("DAM,"));
  CHECK_THAT(printed_words(p.sheet), Contains("Adjusted with the others and not issued: DAM"));
  // Who names it wants it.
  IssueOptions named;
  named.marks = {"DAM"};
  CHECK(prepare_issue(job, named).record.data.at("marks").size() == 1);
}

TEST_CASE("the network is drawn from the record: every mark and tie, inside the page") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  const IssuePackage p = prepare_issue(job, {});
  const ReportDrawing d = network_drawing(p.record.data, 720, 262);
  CHECK(ties_of(p.record.data).size() >= 6);
  for (const auto &l : d.lines)
    for (const auto &x : l.points) {
      CHECK((x[0] >= -25 && x[0] <= 745));
      CHECK((x[1] >= -25 && x[1] <= 290));
    }
  for (const auto &m : p.record.data.at("marks"))
    CHECK(std::any_of(d.words.begin(), d.words.end(), [&](const auto &w) { return w.text == m.at("name"); }));
  CHECK_THAT(d.caption, Contains("times as large") && Contains("vectors of satellites"));
  // North is up: the mark further north has the smaller y.
  const auto y_of = [&](const std::string &name) {
    for (const auto &w : d.words)
      if (w.text == name) return w.y;
    return 0.0;
  };
  CHECK(y_of("PN1") < y_of("REFB"));
}

TEST_CASE("crowds are drawn larger by themselves until every name has room") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  nlohmann::json record = prepare_issue(job, {}).record.data;
  // Without a crowd it is the one drawing.
  const auto plain = network_drawings(record, 720, 262);
  REQUIRE(plain.size() == 1);
  CHECK(plain[0].lines.size() == network_drawing(record, 720, 262).lines.size());
  // Twelve marks some metres apart in a network of kilometres, and four within half a metre among them.
  const nlohmann::json like = record["marks"][1];
  const auto add = [&](const std::string &name, double east, double north) {
    nlohmann::json m = like;
    m["name"] = name, m["held"] = "none";
    m["east_m"] = like["east_m"].get<double>() + east, m["north_m"] = like["north_m"].get<double>() + north;
    record["marks"].push_back(m);
    record["vectors"].push_back(record["vectors"][0]);
    record["vectors"].back()["from"] = record["marks"][0]["name"], record["vectors"].back()["to"] = name;
  };
  for (int i = 0; i < 12; ++i) add(fmt::format("RING {:02d}", i), 9 * std::cos(0.52 * i) + 20, 9 * std::sin(0.52 * i));
  for (int i = 0; i < 4; ++i) add(fmt::format("PIN {}", i), 20 + 0.4 * (i % 2), 0.4 * (i / 2));
  const auto all = network_drawings(record, 720, 262);
  REQUIRE(all.size() == 3);
  CHECK_THAT(all[0].caption, Contains("Drawn larger below: A") && !Contains("no room"));
  CHECK_THAT(all[1].caption, Contains("Detail A") && Contains("Drawn larger below: B") && !Contains("no room"));
  CHECK_THAT(all[2].caption, Contains("Detail B") && !Contains("larger below") && !Contains("no room"));
  for (const auto &m : record["marks"])
    CHECK(std::any_of(all.begin(), all.end(), [&](const ReportDrawing &d) {
      return std::any_of(d.words.begin(), d.words.end(), [&](const auto &w) { return w.text == m["name"]; });
    }));
  for (const ReportDrawing &d : all)
    for (const auto &l : d.lines)
      for (const auto &x : l.points) {
        CHECK((x[0] >= -25 && x[0] <= 745));
        CHECK((x[1] >= -25 && x[1] <= 290));
      }
  // Marks of one place cannot be drawn apart: their names are counted.
  for (int i = 0; i < 9; ++i) add(fmt::format("SAME {}", i), 2000, 2000);
  std::string captions;
  for (const ReportDrawing &d : network_drawings(record, 720, 262)) captions += d.caption;
  CHECK_THAT(captions, Contains("found no room"));
}

TEST_CASE("movements are arrows to scale, inside or outside of what 95 % of them would be") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  const nlohmann::json record = prepare_issue(job, {}).record.data;
  CHECK(movement_drawing(record, {}, 720, 230).lines.empty());
  CHECK(movement_drawing(record, {{"PN1", 0, 0}}, 720, 230).lines.empty());
  CHECK(movement_drawing(record, {{"nobody", 1, 1}}, 720, 230).lines.empty());
  const ReportDrawing d = movement_drawing(record, {{"PN1", 0.010, 0, 0.020, 0.020, 0}, {"PS1", 0, -0.005}}, 720, 230);
  CHECK_THAT(d.caption, Contains("times as large") && Contains("nothing had moved"));
  // The last two things of each: its line, its head. PN1 went east, PS1 half as far south; the circle is twice the
  // first arrow.
  std::vector<const ReportDrawing::Line *> arrows, circles;
  for (const auto &l : d.lines) {
    if (l.points.size() == 2 && l.thick == 1.1) arrows.push_back(&l);
    if (l.points.size() == 36) circles.push_back(&l);
  }
  REQUIRE(arrows.size() == 2);
  REQUIRE(circles.size() == 1);
  const auto along = [](const ReportDrawing::Line &l, std::size_t k) { return l.points[1][k] - l.points[0][k]; };
  const double east = along(*arrows[0], 0);
  CHECK(east > 5);
  CHECK(std::abs(along(*arrows[0], 1)) < 1e-9);
  CHECK(along(*arrows[1], 1) == Approx(east / 2)); // down the page is south
  CHECK(std::hypot(circles[0]->points[0][0] - arrows[0]->points[0][0],
                   circles[0]->points[0][1] - arrows[0]->points[0][1]) == Approx(2 * east));
}

TEST_CASE("mark records: a page each, with ties to neighbours that geometry confirms, notes and pictures") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  choose(job, "mark-records", "a page each");
  job.decide("set", "mark:R11", {{"monument", "bolt in rock"}, {"access", "from the road"}}, "");
  const auto taken =
      job.take_bytes({{"R11.jpg", read_file(AMPLETIE_SOURCE_DIR "/tests/data/attachments/north-east.jpg")}});
  REQUIRE(taken[0].outcome == Intake::Outcome::taken);
  for (const SourceContent &c : Contents(job.snapshot()->contents()))
    if (c.attachment) job.decide("set", "source:" + c.source.id, {{"of", "R11"}}, "");
  const IssuePackage p = prepare_issue(job, {});
  REQUIRE(p.more_sheets.size() == 1);
  CHECK(p.more_sheets[0].first == "marks");
  const Report &r = p.more_sheets[0].second;
  REQUIRE(r.sections.size() == p.record.data.at("marks").size() + p.record.data.at("heights").size());
  const auto own = std::find_if(r.sections.begin(), r.sections.end(), [](const auto &s) { return s.heading == "R11"; });
  REQUIRE(own != r.sections.end());
  CHECK(own->new_page);
  CHECK(own->drawings.size() == 1);
  REQUIRE(own->pictures.size() == 1);
  CHECK(own->pictures[0].jpeg.substr(0, 2) == "\xFF\xD8");
  const std::string words = printed_words(r);
  CHECK_THAT(words, Contains("Monument: bolt in rock") && Contains("Access: from the road"));
  // Distance and bearing to a neighbour by hand from the record's own coordinates.
  const auto mark = [&](const std::string &name) {
    for (const auto &m : p.record.data.at("marks"))
      if (m.at("name") == name) return m;
    throw std::runtime_error(name);
  };
  const auto a = mark("R11"), b = mark("REFA");
  const double de = b.at("east_m").get<double>() - a.at("east_m").get<double>(),
               dn = b.at("north_m").get<double>() - a.at("north_m").get<double>();
  CHECK_THAT(words,
             Contains(fmt::format("REFA\t{}", format_dms(std::fmod(std::atan2(de, dn) * 180 / M_PI + 360, 360), 1))) &&
                 Contains(fmt::format("{:.4f}", std::hypot(de, dn))));
  // Issued once, the next record tells it, and what did not change is told once.
  job.add_issue_record(p.record);
  const IssuePackage next = prepare_issue(job, {});
  CHECK_THAT(printed_words(next.more_sheets[0].second),
             Contains("Issued before") && Contains(p.record.id) && Contains("0.0 · 0.0 · 0.0"));
}

TEST_CASE("what changed since the last issue, what was done in between, and an issue that was withdrawn") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  const IssuePackage first = prepare_issue(job, {});
  CHECK(first.record.data.at("since_last").is_null());
  job.add_issue_record(first.record);
  // The same again has nothing before it either.
  CHECK(prepare_issue(job, {}).record.data.at("since_last").is_null());
  job.decide("set", occupation_of(job, "R11", 1), {{"height", 1.6}}, "found in the book");
  job.decide("set", "mark:DAM", {{"issued", false}}, "");
  solve(job);
  adjust(job);
  const IssuePackage next = prepare_issue(job, {});
  const auto &x = next.record.data.at("since_last");
  CHECK(x.at("id") == first.record.id);
  CHECK(x.at("gone")[0] == "DAM");
  REQUIRE(x.at("moved").size() >= 1);
  const auto mark = [](const nlohmann::json &r, const std::string &name) {
    for (const auto &m : r.at("marks"))
      if (m.at("name") == name) return m;
    throw std::runtime_error(name);
  };
  for (const auto &m : x.at("moved"))
    CHECK(m.at("dn_m").get<double>() == Approx(mark(next.record.data, m.at("name")).at("north_m").get<double>() -
                                               mark(first.record.data, m.at("name")).at("north_m").get<double>())
                                            .margin(1e-9));
  CHECK_THAT(printed_words(next.sheet), Contains("Since the last issue") && Contains("Issued then and not now: DAM") &&
                                            Contains("Decided since") && Contains("1.6"));
  const auto since = std::find_if(next.sheet.sections.begin(), next.sheet.sections.end(),
                                  [](const ReportSection &s) { return s.heading == "Since the last issue"; });
  REQUIRE(since != next.sheet.sections.end());
  REQUIRE(since->drawings.size() == 1);
  CHECK_THAT(since->drawings[0].caption, Contains("Arrows: movements in plan"));
  // Withdrawn it is compared no longer, and stays in the job.
  CHECK(doubt_of(job, "differs from what was issued"));
  job.decide("leave-out", first.record.id, nlohmann::json::object(), "an antenna height was wrong");
  CHECK_FALSE(doubt_of(job, "differs from what was issued"));
  CHECK(prepare_issue(job, {}).record.data.at("since_last").is_null());
  CHECK(job.store().issue_records().size() == 1);
  CHECK_THAT(job.words().sentence(job.decisions().back()), Contains("withdrawn: " + first.record.id));
  job.undo();
  CHECK(doubt_of(job, "differs from what was issued"));
}

TEST_CASE("a second person signs for the coordinates as they are; changed ones need another look") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  CHECK_THAT(printed_words(prepare_issue(job, {}).sheet), Contains("NO second person looked at"));
  choose(job, "second-person", "asked");
  CHECK_THROWS_WITH(prepare_issue(job, {}), Contains("a second person is asked"));
  const std::string author = job.decisions().front().author;
  CHECK_THROWS_WITH(sign_second_check(job, author, "heights", ""), Contains("somebody else"));
  CHECK_THROWS_WITH(sign_second_check(job, "  ", "heights", ""), Contains("signed with a name"));
  CHECK_THROWS_WITH(sign_second_check(job, "B. Other", "", ""),
                    Contains("What was looked at") || Contains("what was looked at"));
  sign_second_check(job, "B. Other", "antenna heights against the field sheet", "one was hard to read");
  const IssuePackage p = prepare_issue(job, {});
  CHECK_THAT(printed_words(p.sheet), Contains("B. Other looked at them") &&
                                         Contains("antenna heights against the field sheet") &&
                                         Contains("one was hard to read"));
  CHECK(p.record.data.at("second_check").at("by") == "B. Other");
  // Taken back it counts no longer; a height that changes coordinates ends it too.
  job.undo();
  CHECK_THROWS_WITH(prepare_issue(job, {}), Contains("a second person is asked"));
  job.redo();
  job.decide("set", occupation_of(job, "R11", 1), {{"height", 1.6}}, "found in the book");
  solve(job);
  adjust(job);
  CHECK_THROWS_WITH(prepare_issue(job, {}), Contains("a second person is asked"));
}

TEST_CASE("levels alone: the short form, the own list and mark records of marks known in height only") {
  TemporaryFolder folder;
  JobSettings settings;
  settings.datum = {"", "EPSG:5773", "", 2026.36};
  Job job = Job::create(folder / "l.tie", settings);
  const std::string data = AMPLETIE_SOURCE_DIR "/demo/levels/";
  job.take({data + "levels-1a.txt", data + "levels-1b.txt", data + "benchmarks.csv"});
  job.decide("hold", "HB1", {{"how", "height"}}, "");
  adjust(job);
  REQUIRE(job.network());
  choose(job, "sheet", "short");
  choose(job, "mark-records", "a page each");
  choose(job, "columns", "mark height sd_height latitude");
  const IssuePackage p = prepare_issue(job, {});
  CHECK(p.record.data.at("marks").empty());
  REQUIRE_FALSE(p.record.data.at("heights").empty());
  CHECK_THAT(printed_words(p.sheet), Contains("Held: HB1 (height)") && Contains("HB1\t–\t–\t"));
  CHECK(p.more_sheets.at(0).second.sections.size() == p.record.data.at("heights").size());
  CHECK_THAT(printed_words(p.more_sheets[0].second), Contains("Known in height only") && Contains("Levelled to it"));
  CHECK_THAT(issued_file(p, "list.csv"), Contains("HB1,") && Contains(","));
}

TEST_CASE("the short form is short and says what fails; the sheet names the method and who answers for it") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  const std::string longer = printed_words(prepare_issue(job, {}).sheet);
  CHECK_THAT(longer, Contains("Method\n") && Contains("Teunissen 1995") && Contains("Who answers for it"));
  choose(job, "sheet", "short");
  const std::string shorter = printed_words(prepare_issue(job, {}).sheet);
  CHECK(shorter.size() < longer.size() / 3);
  CHECK_THAT(shorter, Contains("Who answers for it") && Contains("This is the short form") &&
                          Contains("Held: REFA (full), REFB (full)") && !Contains("Vectors used"));
}

TEST_CASE("base64 by the test vectors of RFC 4648, and back") {
  const std::pair<const char *, const char *> vectors[] = {{"", ""},
                                                           {"f", "Zg=="},
                                                           {"fo", "Zm8="},
                                                           {"foo", "Zm9v"},
                                                           {"foob", "Zm9vYg=="},
                                                           {"fooba", "Zm9vYmE="},
                                                           {"foobar", "Zm9vYmFy"}};
  for (const auto &[plain, coded] : vectors) {
    CHECK(to_base64(plain) == coded);
    CHECK(from_base64(coded) == plain);
  }
  CHECK_THROWS_AS(from_base64("a"), InputError);
  CHECK_THROWS_AS(from_base64("#$%&"), InputError);
}

TEST_CASE("a setting-out list: nearest marks, bearings, and lengths on the ground as geodesy has them") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  CHECK(prepare_issue(job, {}).more_sheets.empty());
  choose(job, "setting-out", "a sheet and a list");
  choose(job, "angle-style", "gon");
  const IssuePackage p = prepare_issue(job, {});
  REQUIRE(p.more_sheets.size() == 1);
  CHECK(p.more_sheets[0].first == "setting-out");
  CHECK_THAT(printed_words(p.more_sheets[0].second), Contains("Before setting out"));
  const NetworkRun &run = *job.network();
  std::map<std::string, int> rows;
  const std::string list = issued_file(p, "setting-out.csv");
  CsvReader csv(list, ',');
  std::vector<std::string> cells;
  REQUIRE(csv.next(cells));
  CHECK(cells == std::vector<std::string>{"from", "to", "bearing_deg", "grid_m", "ground_m", "rise_m", "heights", "crs",
                                          "record"});
  while (csv.next(cells)) {
    const std::string from = cells.at(0), to = cells.at(1);
    CAPTURE(from, to);
    ++rows[from];
    const Between b = between(run, from, to); // by way of the ellipsoid, not of the grid
    CHECK(*parse_number(cells[2]) == Approx(degrees(b.bearing_rad)).margin(1e-5));
    CHECK(*parse_number(cells[3]) == Approx(b.grid_m).margin(1e-4));
    CHECK(*parse_number(cells[4]) == Approx(b.ground_m).margin(b.grid_m < 5000 ? 1e-3 : 0.02));
    CHECK(*parse_number(cells[5]) == Approx(*b.height_m).margin(1e-4));
    // None that is not listed is nearer than one that is.
    int nearer = 0;
    for (const AdjustedMark &m : run.result.marks)
      nearer += m.name != from && m.name != to && between(run, from, m.name).grid_m < b.grid_m - 1e-6;
    CHECK(nearer < 3);
  }
  CHECK(rows.size() == run.result.marks.size());
  for (const auto &[mark, n] : rows) CHECK(n == 3);
  // A mark that stays out is no control for anybody.
  job.decide("set", "mark:R11", {{"issued", false}}, "");
  CHECK_THAT(issued_file(prepare_issue(job, {}), "setting-out.csv"), !Contains("R11"));
}

TEST_CASE("what was measured with, and whether certificates cover the work") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  CHECK(prepare_issue(job, {}).record.data.at("instruments").empty()); // satellites alone
  job.take({AMPLETIE_SOURCE_DIR "/demo/levels/levels-1a.txt", AMPLETIE_SOURCE_DIR "/demo/levels/benchmarks.csv"});
  adjust(job);
  const auto row = [&] { return prepare_issue(job, {}).record.data.at("instruments").at(0); };
  CHECK(row().at("instrument") == "DL7");
  CHECK(row().at("first_day") == "2026-05-13");
  CHECK(row().at("certificate") == "none stated");
  // What has no place is named in the setting-out sheet, not left out unsaid.
  choose(job, "setting-out", "a sheet and a list");
  const IssuePackage listed = prepare_issue(job, {});
  for (const auto &h : listed.record.data.at("heights"))
    CHECK_THAT(printed_words(listed.more_sheets.at(0).second),
               Contains("Known in height only") && Contains(h.at("name").get<std::string>()));
  CHECK_FALSE(listed.record.data.at("heights").empty());
  job.decide("set", "instrument:DL7", {{"until", "2026-05-12"}}, "");
  adjust(job);
  CHECK(row().at("certificate") == "ENDED before the work did");
  CHECK_THAT(printed_words(prepare_issue(job, {}).sheet), Contains("DL7\tlevels") && Contains("ENDED before"));
  job.decide("set", "instrument:DL7", {{"until", "2026-05-13"}}, "");
  adjust(job);
  CHECK(row().at("certificate") == "covers the work");
}
