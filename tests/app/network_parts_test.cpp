// Checks, groups, change and further systems in the window, to what is issued.
#include "app/driver.h"
#include "base/hash.h"
#include <QComboBox>
#include <fmt/format.h>
#include <fstream>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// The demo with levels, solved and adjusted.
std::string with_levels(const TemporaryFolder &folder) {
  const std::string path = folder / "n.tie";
  Job job = demo_job(path);
  for (const char *f : {"levels-1a.txt", "benchmarks.csv"})
    job.take({std::string(AMPLETIE_SOURCE_DIR "/demo/levels/") + f});
  job.decide("hold", "HB1", {{"how", "height"}}, "published benchmark");
  solve(job);
  adjust(job);
  return path;
}
double number(QString s) { return s.replace("−", "-").section(' ', 0, 0).toDouble(); }
} // namespace

TEST_CASE("groups are left out by themselves, one is weighed with a reason, undone, and adjusted again") {
  TemporaryFolder folder;
  Driver d(with_levels(folder));
  auto &w = d.window.workspace();
  d.adjust();
  d.section("Network");
  d.click("Groups part");
  QTableView *t = d.table("Groups of observations");
  Driver::filled(t);
  REQUIRE(t->model()->rowCount() == 2);
  const int levels = d.row_with(t, "Group", "levels");
  CHECK_THAT(d.cell(t, levels, "Turns out").toStdString(), Contains("±") || Contains("too few") || Contains("left"));
  CHECK(d.cell(t, levels, "lost") != "none"); // marks of levels alone
  CHECK(d.cell(t, d.row_with(t, "Group", "vectors"), "Decided") == "–");
  CHECK_FALSE(d.named<QPushButton>("Weigh so")->isEnabled());
  t->setCurrentIndex(t->model()->index(levels, 0));
  settle(20);
  d.named<QLineEdit>("Factor of the group")->setText("2");
  d.click("Weigh so");
  CHECK_THAT(d.named<QLabel>("Groups in words")->text().toStdString(), Contains("needs a reason"));
  CHECK_FALSE(w.job().network_stale());
  d.named<QLineEdit>("Reason for the factor")->setText("wind on the ridge");
  // Levels have no frame: nothing is decided that would do nothing.
  auto *what = d.named<QComboBox>("Decide of the group");
  what->setCurrentIndex(what->findData("scale"));
  d.click("Weigh so");
  CHECK_THAT(d.named<QLabel>("Groups in words")->text().toStdString(), Contains("no vectors"));
  CHECK(w.job().state().groups.empty());
  what->setCurrentIndex(what->findData("factor"));
  d.named<QLineEdit>("Factor of the group")->setText("-3");
  d.click("Weigh so");
  CHECK_FALSE(w.job().network_stale()); // no such factor
  d.named<QLineEdit>("Factor of the group")->setText("2");
  d.click("Weigh so");
  settle(50);
  d.adjust();
  Driver::filled(t);
  CHECK(d.cell(t, d.row_with(t, "Group", "levels"), "Decided") == "2");
  double sd = 0;
  for (const AdjustedMark &m : w.job().network()->result.marks)
    if (m.name == "K1") sd = m.height_sd;
  w.undo();
  settle(50);
  d.adjust();
  for (const AdjustedMark &m : w.job().network()->result.marks)
    if (m.name == "K1") CHECK(m.height_sd < 0.7 * sd);
  // By another grouping.
  auto *by = d.named<QComboBox>("Groups by");
  by->setCurrentIndex(by->findText("by day"));
  Q_EMIT by->activated(by->currentIndex());
  for (int i = 0; i < 2000 && d.cell(t, 0, "Group").size() != 10; ++i) settle(5);
  CHECK(d.cell(t, 0, "Group").startsWith("2026-05-"));
  if (const char *shot = std::getenv("SHOT_GROUPS")) d.window.grab().save(shot);
}

TEST_CASE(
    "a check that is wrong stands first in the comparison and in the sheet; the record of an issue shows what moved") {
  TemporaryFolder folder;
  Driver d(with_levels(folder));
  auto &w = d.window.workspace();
  d.adjust();
  CHECK(w.issue(QString::fromStdString(folder / "first")).isEmpty());
  // The record is taken back: nothing has moved, and no vector is shaped by it.
  w.take({QString::fromStdString(folder / "first/record.json")});
  d.wait();
  for (const VectorResult &v : w.job().vectors()) CHECK_FALSE(v.stale);
  if (w.job().network_stale()) d.adjust();
  d.section("Network");
  d.click("Change part");
  QTableView *t = d.table("Change at the marks");
  Driver::filled(t);
  CHECK_THAT(d.named<QLabel>("Change in words")->text().toStdString(), Contains("no movement is shown"));
  CHECK(t->model()->rowCount() == 5); // the two held ones stand by definition
  for (int r = 0; r < t->model()->rowCount(); ++r) {
    CHECK(std::abs(number(d.cell(t, r, "East mm"))) < 0.2);
    CHECK(number(d.cell(t, r, "Seen from mm")) > 1);
  }
  if (const char *shot = std::getenv("SHOT_CHANGE")) d.window.grab().save(shot);
  // One of its marks becomes a check, whose height is wrong by typing.
  const FullPosition p = w.job().network()->positions.at("R07");
  CHECK(w.decide("hold", "R07",
                 {{"how", "check"},
                  {"geodetic", {p.geodetic.lat * 180 / M_PI, p.geodetic.lon * 180 / M_PI, p.geodetic.h + 1}},
                  {"sd_enu", {0.003, 0.003, 0.005}}},
                 "another party's sheet")
            .isEmpty());
  d.adjust();
  d.section("Datum");
  d.click("Comparison part");
  QTableView *c = d.table("Comparison with published coordinates");
  REQUIRE(c->model()->rowCount() >= 1);
  CHECK(d.cell(c, 0, "Mark") == "◇ R07");
  CHECK(number(d.cell(c, 0, "dh mm")) == Approx(-1000).margin(1));
  CHECK(d.cell(c, 0, "Verdict").startsWith("disagrees"));
  w.select("mark", "R07");
  settle(30);
  CHECK_THAT(d.named<QTextBrowser>("Evidence")->toPlainText().toStdString(),
             Contains("in height from its published place: disagrees"));
  CHECK(w.issue(QString::fromStdString(folder / "second")).isEmpty());
  const std::string sheet = read_file(folder / "second/control.html");
  CHECK_THAT(sheet, Contains("Of 1 check mark, 0 agree: R07 disagrees") &&
                        Contains("Check marks: compared, never used") && Contains("DISAGREES"));
}

TEST_CASE("a further system is chosen in the register and issued, in feet beside the job's own") {
  TemporaryFolder folder;
  Driver d(with_levels(folder));
  auto &w = d.window.workspace();
  d.adjust();
  d.section("Datum");
  d.click("Systems part");
  d.named<QLineEdit>("Search systems")->setText("EPSG:3045");
  QTableView *t = d.table("Systems of the register");
  for (int i = 0; i < 400 && !(t->model()->rowCount() == 1 && d.cell(t, 0, "Code") == "EPSG:3045"); ++i) settle(10);
  REQUIRE(t->model()->rowCount() == 1);
  t->setCurrentIndex(t->model()->index(0, 0));
  settle(30);
  d.click("Also issue in the system");
  settle(50);
  CHECK_THAT(d.named<QLabel>("Further systems")->text().toStdString(), Contains("Also issued in"));
  CHECK_FALSE(w.job().network_stale());
  d.section("Issue");
  auto *unit = d.named<QComboBox>("Unit of the issue");
  unit->setCurrentIndex(unit->findText("in feet (0.3048 m)"));
  d.named<QLineEdit>("Folder to issue into")->setText(QString::fromStdString(folder / "out"));
  settle(100);
  d.click("Issue control");
  settle(200);
  const std::string csv = read_file(folder / "out/control.csv");
  CHECK_THAT(csv, Contains("east_ft"));
  const FullPosition &p = w.job().network()->positions.at("R07");
  CHECK_THAT(csv, Contains(fmt::format("{:.3f}", p.grid.east / 0.3048).substr(0, 9)));
  std::string also;
  for (const auto &e : std::filesystem::directory_iterator(folder / "out"))
    if (e.path().filename().string().rfind("also-", 0) == 0) also = e.path();
  REQUIRE_FALSE(also.empty());
  CHECK_THAT(read_file(also), Contains("R07,") && Contains("EPSG:3045") && Contains("Northing"));
  CHECK_THAT(read_file(folder / "out/control.html"), Contains("Also in ETRS89 / UTM zone 33N (N-E)"));
  d.section("Datum");
  d.click("Systems part");
  if (const char *shot = std::getenv("SHOT_ALSO")) d.window.grab().save(shot);
}

TEST_CASE("a list of fixes is dropped: weights by default are said, a wrong one is seen, left out and used again") {
  TemporaryFolder folder;
  Driver d(with_levels(folder));
  auto &w = d.window.workspace();
  d.adjust();
  const auto alone = w.job().network()->positions;
  std::string list = "mark,base,x,y,z,status,epochs\n";
  const auto row = [&](const char *mark, double dx) {
    const Vec3 &x = alone.at(mark).ecef.xyz;
    list += fmt::format("{},REFA,{:.4f},{:.4f},{:.4f},fixed,20\n", mark, x.x() + dx, x.y(), x.z());
  };
  row("REFA", 0), row("R07", 0.004), row("R11", 0.3);
  std::ofstream(folder / "fixes.csv") << list;
  w.take({QString::fromStdString(folder / "fixes.csv")});
  d.wait();
  d.adjust();
  d.section("Network");
  d.click("Measured part");
  QTableView *t = d.table("Measured elsewhere");
  REQUIRE(t->model()->rowCount() == 2);
  CHECK_THAT(d.named<QLabel>("Measured elsewhere in words")->text().toStdString(),
             Contains("2 of 2") && Contains("2 by default weights"));
  const int wrong = d.row_with(t, "Mark", "R11");
  CHECK(d.cell(t, wrong, "Accuracy") == "default");
  CHECK(std::abs(number(d.cell(t, wrong, "East mm"))) > 40);
  settle(200);
  if (const char *shot = std::getenv("SHOT_MEASURED")) d.window.grab().save(shot);
  if (const char *shot = std::getenv("SHOT_MEASURED_PLAN")) {
    d.click("Marks part");
    settle(200);
    d.window.grab().save(shot);
    d.click("Measured part");
    settle(50);
  }
  bool doubted = false;
  for (const Doubt &x : w.job().doubts()) doubted = doubted || x.kind == "default weights";
  CHECK(doubted);
  t->setCurrentIndex(t->model()->index(wrong, 0));
  settle(20);
  CHECK(w.selection().kind == "measured");
  d.press(Qt::Key_Space);
  settle(50);
  d.adjust();
  CHECK(d.cell(t, d.row_with(t, "Mark", "R11"), "Use").startsWith("left out"));
  CHECK((w.job().network()->positions.at("R11").ecef.xyz - alone.at("R11").ecef.xyz).norm() < 0.003);
  CHECK(w.issue(QString::fromStdString(folder / "issue")).isEmpty());
  std::ifstream in(folder / "issue/control.html");
  const std::string sheet((std::istreambuf_iterator<char>(in)), {});
  CHECK_THAT(sheet, Contains("Measured in real time or by others") && Contains("left out by hand"));
}

TEST_CASE("M measures from the selected mark to those chosen after it, and ends") {
  TemporaryFolder folder;
  Driver d(with_levels(folder));
  auto &w = d.window.workspace();
  d.adjust();
  d.section("Network");
  w.select("mark", "R07");
  settle(20);
  d.press(Qt::Key_M);
  auto *text = d.named<QTextBrowser>("Evidence");
  REQUIRE(text);
  CHECK_THAT(text->toPlainText().toStdString(), Contains("From R07") && Contains("Choose another mark"));
  w.select("mark", "R11");
  settle(20);
  const auto &p = w.job().network()->positions;
  const double slope = (p.at("R11").ecef.xyz - p.at("R07").ecef.xyz).norm();
  const std::string shown = text->toPlainText().toStdString();
  CHECK_THAT(shown, Contains("From R07") && Contains(fmt::format("{:.4f} m", slope)) && Contains("relative"));
  if (const char *shot = std::getenv("SHOT_MEASURE")) d.window.grab().save(shot);
  w.select("mark", "R07");
  settle(20);
  d.press(Qt::Key_M);
  w.select("mark", "R11");
  settle(20);
  CHECK_THAT(text->toPlainText().toStdString(), !Contains("From R07"));
}

TEST_CASE(
    "what would make the network agree stands in a part of its own, leads to what it means, and is gone when mended") {
  TemporaryFolder folder;
  const std::string path = folder / "n.tie";
  std::string wrong;
  {
    Job job = demo_job(path);
    wrong = occupation_of(job, "PS1", 1);
    job.decide("set", wrong, {{"height", 1.603}}, "typed wrong");
    solve(job);
  }
  Driver d(path);
  d.section("Network");
  d.click("Causes part");
  const auto said = [&] { return d.named<QLabel>("Causes in words")->text(); };
  CHECK(said().contains("Adjust the network"));
  d.adjust();
  QTableView *t = d.table("Causes of the network");
  Driver::filled(t);
  CHECK(said().contains("single tests fail and the network as a whole"));
  int row = -1;
  for (int r = 0; r < t->model()->rowCount(); ++r)
    if (d.cell(t, r, "What would make it agree").startsWith("the height of the antenna in PS1 05-12 08:00")) row = r;
  REQUIRE(row >= 0);
  CHECK(d.cell(t, row, "Tried") == "■ all agrees");
  CHECK(d.cell(t, row, "Fail still") == "0");
  CHECK(d.cell(t, row, "Moves most, mm").endsWith("at PS1"));
  t->selectRow(row);
  settle(20);
  CHECK(d.window.workspace().selection().id == wrong);
  CHECK(d.evidence().contains("1.603"));
  // The doubt of the whole offers the height that would do; a click decides it.
  d.press(Qt::Key_D);
  const auto &doubts = d.window.workspace().job().doubts();
  const auto whole =
      std::find_if(doubts.begin(), doubts.end(), [](const Doubt &x) { return x.kind == "global test failed"; });
  REQUIRE(whole != doubts.end());
  d.window.workspace().select("doubt", whole->id);
  settle(20);
  CHECK(d.evidence().contains("the height of the antenna in PS1 05-12 08:00 was entered"));
  QAbstractButton *offered = nullptr;
  for (auto *b : d.window.findChildren<QAbstractButton *>())
    if (b->isVisible() && b->text().startsWith("PS1 05-12 08:00: 1.")) offered = b;
  REQUIRE(offered);
  QTest::mouseClick(offered, Qt::LeftButton);
  settle(20);
  const Occupation *o = d.window.workspace().occupation(wrong);
  REQUIRE(o);
  CHECK(std::abs(o->measured - 1.503) < 0.015);
  d.window.workspace().solve();
  d.wait();
  d.adjust();
  d.section("Network");
  d.click("Causes part");
  settle(50);
  CHECK(said().contains("All tests pass"));
  CHECK(t->model()->rowCount() == 0);
}
