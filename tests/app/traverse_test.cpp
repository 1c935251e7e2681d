// The traverse sheet driven as a person would: a book dropped, a spread cleared, a height corrected, another onward
// sight, a balance chosen, the report read.
#include "app/traverse/pointing_strip.h"
#include "app/traverse/traverse_legs.h"
#include "app/traverse/traverse_sheet.h"
#include "app/widgets/plan_view.h"
#include "driver.h"
#include "support/field_work.h"
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileInfo>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {

struct FieldDriver {
  TemporaryFolder folder;
  FieldWork work;
  std::string wild_at, high_at, high_to;
  double right_height = 0;
  std::unique_ptr<Driver> d;

  FieldDriver() : work(83) {
    auto &setups = work.scenario.jobs[0].setups;
    setups[1].wild = 2;                        // on T1
    station::Target &t = setups[4].targets[1]; // T4 to T5
    t.booked_height = t.height + 0.25;
    wild_at = setups[1].mark, high_at = setups[4].mark, high_to = t.mark, right_height = t.height;
    const std::string path = folder / "field.tie";
    {
      JobSettings s = demo_settings();
      s.datum.epoch = 2026.36;
      Job job = Job::create(path, s);
      job.decide("set", "weight", {{"direction", 1.2}, {"zenith", 1.2}, {"distance", 1}}, "card");
      work.hold_in(job);
    }
    write_file(folder / "field.txt", station::simulate(work.scenario).files.front().text);
    d = std::make_unique<Driver>(path);
    d->section("Traverse");
  }
  const TraverseReport &report() { return d->window.workspace().job().snapshot()->traverses(); }
  void choose(const QString &table, const QString &column, const QString &text) {
    QTableView *t = d->table(table);
    t->setCurrentIndex(t->model()->index(d->row_with(t, column, text), 0));
    settle(20);
  }
};

} // namespace

TEST_CASE("a field book is dropped, its mistakes are found and put right, and the report says so") {
  FieldDriver f;
  Driver &d = *f.d;
  CHECK_THAT(d.status().toStdString(), Contains("drop field books"));
  d.drop({QString::fromStdString(f.folder / "field.txt")});
  settle(50);
  d.section("Traverse");
  QTableView *lines = d.table("Traverses");
  REQUIRE(lines->model()->rowCount() == 1);
  CHECK(d.cell(lines, 0, "Traverse") == "A … B");
  CHECK(d.cell(lines, 0, "Kind") == "link");
  CHECK(d.state(Section::traverse) == app::SectionStatus::State::doubt);

  // The spread: the pointing that is off stands out, and without it the spread is within its limit.
  d.click("Set-ups part");
  f.choose("Set-ups", "Mark", QString::fromStdString(f.wild_at));
  QTableView *setups = d.table("Set-ups");
  CHECK_THAT(d.cell(setups, d.row_with(setups, "Mark", QString::fromStdString(f.wild_at)), "State").toStdString(),
             Contains("spread"));
  QTableView *pointings = d.table("Pointings");
  const StationSetup &book = f.report().field.find(f.report().lines[0].setups[1])->setup;
  int off = -1;
  for (int r = 0; r < pointings->model()->rowCount(); ++r)
    if (d.cell(pointings, r, "Line") == QString::number(book.pointings[2].line)) off = r;
  REQUIRE(off >= 0);
  pointings->setCurrentIndex(pointings->model()->index(off, 0));
  d.press(Qt::Key_Space);
  settle(30);
  CHECK_THAT(d.cell(pointings, off, "State").toStdString(), Contains("left out"));
  CHECK_THAT(d.cell(setups, d.row_with(setups, "Mark", QString::fromStdString(f.wild_at)), "State").toStdString(),
             Contains("in use"));

  // The height: typed over the book, and the leg agrees with itself again.
  f.choose("Set-ups", "Mark", QString::fromStdString(f.high_at));
  QTableView *targets = d.table("Targets");
  d.edit(targets, d.row_with(targets, "Target", QString::fromStdString(f.high_to)), "Height m",
         QString::number(f.right_height, 'f', 3));
  d.click("Traverses part");
  settle(30);
  CHECK_THAT(d.cell(lines, 0, "Verdict").toStdString(), Contains("closes"));
  for (const Doubt &x : d.window.workspace().job().doubts()) {
    INFO(words(x.kind) << " " << x.about << " " << x.sentence);
    CHECK(x.section != Section::traverse);
  }

  // Another onward sight, chosen on the plan: the route ends there, and undo brings it back.
  auto *legs = d.named<app::TraverseLegs>("Legs");
  auto *plan = d.named<app::PlanView>("traverse plan");
  REQUIRE((legs && plan));
  const std::string second = f.report().lines[0].setups[2];
  QTest::mouseClick(legs, Qt::LeftButton, {}, legs->row_of(second));
  settle(20);
  auto *onward = d.named<QComboBox>("Onward sight");
  REQUIRE(onward);
  CHECK_THAT(onward->currentText().toStdString(), Contains("T3") && Contains("both ends"));
  d.click("Choose the onward sight on the plan");
  QTest::mouseClick(plan, Qt::LeftButton, {}, plan->place("T1").toPoint());
  settle(30);
  CHECK(f.report().judgements.at(second).onward_said);
  CHECK(lines->model()->rowCount() != 1);
  d.press(Qt::Key_Z, Qt::ControlModifier);
  CHECK(lines->model()->rowCount() == 1);

  // All balances stand side by side; one is taken.
  QTableView *balances = d.table("Balances");
  REQUIRE(balances->model()->rowCount() == 7);
  const QString compass = d.cell(balances, 3, "Compass"), squares = d.cell(balances, 3, "Least sq.");
  CHECK(compass != squares);
  auto *balance = d.named<QComboBox>("Balance");
  balance->setCurrentText("least squares");
  Q_EMIT balance->activated(balance->currentIndex());
  settle(30);
  CHECK(f.report().lines[0].balance == Balance::least_squares);

  // Known marks: how many would fail as the limit goes down.
  d.click("Known marks part");
  auto *limit = d.named<QDoubleSpinBox>("Limit to try");
  auto *failing = d.named<QLabel>("How many would fail");
  limit->setValue(1000);
  CHECK(failing->text() == "0 of 4 would fail");
  limit->setValue(1);
  CHECK(failing->text() != "0 of 4 would fail");

  const QString report = QString::fromStdString(f.folder / "t.html"), csv = QString::fromStdString(f.folder / "t.csv"),
                xml = QString::fromStdString(f.folder / "t.xml");
  for (const QString &file : {report, csv, xml}) CHECK(d.window.workspace().traverse_report(file).isEmpty());
  const std::string html = read_file(report.toStdString());
  CHECK_THAT(html,
             Contains("Field record") && Contains("least squares") && Contains("left out: left out in the sheet"));
  CHECK_THAT(read_file(csv.toStdString()), Contains("T3,"));
  CHECK_THAT(read_file(xml.toStdString()), Contains("RawObservation") && Contains("ReducedObservation"));
}

TEST_CASE("a doubt about a traverse offers the correction that clears it") {
  FieldDriver f;
  Driver &d = *f.d;
  d.drop({QString::fromStdString(f.folder / "field.txt")});
  settle(50);
  const Doubt *height = nullptr;
  for (const Doubt &x : d.window.workspace().job().doubts())
    if (x.kind == "height differs there and back") height = &x;
  REQUIRE(height);
  REQUIRE_FALSE(height->causes.empty());
  const std::string id = height->id;
  d.window.workspace().select("doubt", id);
  settle(20);
  CHECK_THAT(d.evidence().toStdString(), Contains("the target height at T4 to T5"));
  QString label;
  for (auto *b : d.window.findChildren<QPushButton *>())
    if (b->isVisible() && b->accessibleName().startsWith("Correct: the target height at T4"))
      label = b->accessibleName();
  REQUIRE_FALSE(label.isEmpty());
  d.click(label);
  settle(30);
  for (const Doubt &x : d.window.workspace().job().doubts()) CHECK(x.kind != "height differs there and back");
}

TEST_CASE("a pointing is chosen in the strip, codes get their style, provisional coordinates are handed out") {
  FieldDriver f;
  Driver &d = *f.d;
  d.drop({QString::fromStdString(f.folder / "field.txt")});
  settle(50);
  d.section("Traverse");

  // The tick that stands outside its band is clicked: its row is chosen, and Space leaves it out.
  d.click("Set-ups part");
  f.choose("Set-ups", "Mark", QString::fromStdString(f.wild_at));
  auto *strip = d.named<app::PointingStrip>("pointing strip");
  REQUIRE(strip);
  const Pointing wild = f.report().field.find(f.report().lines[0].setups[1])->setup.pointings[2];
  REQUIRE_FALSE(strip->tick_of(wild.id).isNull());
  QTest::mouseClick(strip, Qt::LeftButton, {}, strip->tick_of(wild.id).toPoint());
  settle(20);
  d.press(Qt::Key_Space);
  settle(30);
  QTableView *pointings = d.table("Pointings");
  CHECK_THAT(d.cell(pointings, d.row_with(pointings, "Line", QString::number(wild.line)), "State").toStdString(),
             Contains("left out"));

  // Codes: a book with side shots comes, the table names its code, the style is typed, nonsense is refused in words.
  station::Scenario s = f.work.scenario;
  for (int i = 0; i < 3; ++i)
    s.marks.push_back({"W" + std::to_string(i), 46.3003 + 1e-4 * i, 13.905 + 1e-4 * i, 522, 0, 0});
  station::Setup u = s.jobs[0].setups[1];
  u.wild = -1, u.targets = {{"A", "orientation", 1.3, -0.0165}};
  for (int i = 0; i < 3; ++i) u.targets.push_back({"W" + std::to_string(i), "detail", 1.5, -0.0165});
  for (auto &t : u.targets)
    if (t.kind == "detail") t.code = "WALL";
  s.jobs[0].setups = {u};
  write_file(f.folder / "more.txt", station::simulate(s).files.front().text);
  d.drop({QString::fromStdString(f.folder / "more.txt")});
  settle(50);
  d.section("Traverse");
  d.click("Marks part");
  settle(20);
  QTableView *styles = d.table("Code styles");
  REQUIRE(styles->model()->rowCount() == 1);
  CHECK(d.cell(styles, 0, "Code") == "WALL");
  CHECK(d.cell(styles, 0, "Points") == "3");
  d.edit(styles, 0, "Symbol", "cross");
  d.edit(styles, 0, "Line", "yes");
  CHECK(d.window.workspace().job().state().style_of("WALL").symbol == "cross");
  CHECK(d.window.workspace().job().state().style_of("WALL").line);
  d.edit(styles, 0, "Symbol", "star");
  CHECK_THAT(d.status().toStdString(), Contains("a symbol is"));
  d.press(Qt::Key_Z, Qt::ControlModifier);
  CHECK_FALSE(d.window.workspace().job().state().style_of("WALL").line);
  QTableView *marks = d.table("Provisional marks");
  CHECK(d.cell(marks, d.row_with(marks, "Mark", "W1"), "How") == "side shot");

  // Provisional coordinates: marked as such everywhere, held marks not among them.
  const QString out = QString::fromStdString(f.folder / "hand out");
  REQUIRE(d.window.workspace().issue_provisional(out, f.report().lines[0].id).isEmpty());
  const std::string csv = read_file(out.toStdString() + "/provisional.csv");
  CHECK_THAT(csv, Contains("PROVISIONAL") && Contains("T3,") && Contains("traverse,provisional"));
  CHECK(csv.find("\nA,") == std::string::npos);
  CHECK_THAT(read_file(out.toStdString() + "/provisional.html"), Contains("not control"));
  CHECK(QFileInfo(out + "/provisional.pdf").size() > 2000);
  d.section("Issue");
  d.click("Records part");
  settle(20);
  QTableView *records = d.table("Issue records");
  CHECK_THAT(d.cell(records, 0, "What").toStdString(), Contains("provisional"));
  CHECK(d.cell(records, 0, "Today") == "the same");
  // A correction moves what was handed out, and the record says so.
  d.section("Traverse");
  d.click("Set-ups part");
  f.choose("Set-ups", "Mark", QString::fromStdString(f.high_at));
  QTableView *targets = d.table("Targets");
  d.edit(targets, d.row_with(targets, "Target", QString::fromStdString(f.high_to)), "Height m",
         QString::number(f.right_height, 'f', 3));
  d.section("Issue");
  d.click("Records part");
  settle(20);
  CHECK_THAT(d.cell(d.table("Issue records"), 0, "Today").toStdString(), Contains("since it was handed out"));
}
