#include "app/driver.h"
#include "app/gnss/satellite_chart.h"
#include "app/widgets/linework_grid.h"
#include "base/error.h"
#include <QClipboard>
#include <QComboBox>
#include <QListWidget>
#include <QWheelEvent>
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <set>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
PlanView *plan(Driver &d) {
  for (auto *p : d.window.findChildren<PlanView *>())
    if (p->isVisible()) return p;
  throw std::runtime_error("no plan is visible");
}
void drag(QWidget *w, QPoint from, QPoint to) {
  QTest::mousePress(w, Qt::LeftButton, Qt::NoModifier, from);
  QMouseEvent move(QEvent::MouseMove, QPointF(to), w->mapToGlobal(QPointF(to)), Qt::NoButton, Qt::LeftButton,
                   Qt::NoModifier);
  QApplication::sendEvent(w, &move);
  QTest::mouseRelease(w, Qt::LeftButton, Qt::NoModifier, to);
}
} // namespace

TEST_CASE("a selection in one is a selection in all") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  PlanView *p = plan(d);
  // Every mark has its place, north is up and east to the right.
  CHECK(p->place("PN1").y() < p->place("REFB").y());
  CHECK(p->place("REFA").x() < p->place("REFB").x());
  CHECK(p->place("NOBODY").isNull());
  QTest::mouseClick(p, Qt::LeftButton, Qt::NoModifier, p->place("DAM").toPoint());
  CHECK(d.window.workspace().selection().kind == "mark");
  CHECK(d.window.workspace().selection().id == "DAM");
  CHECK_THAT(d.evidence().toStdString(), Contains("DAM"));
  // A vector chosen on the plan is the current row of the table.
  const QPoint middle = ((p->place("REFB") * 3 + p->place("DAM")) / 4).toPoint();
  QTest::mouseClick(p, Qt::LeftButton, Qt::NoModifier, middle);
  REQUIRE(d.window.workspace().selection().kind == "vector");
  QTableView *t = d.table("Vectors");
  CHECK(t->currentIndex().data(Qt::UserRole + 1).toString().toStdString() == d.window.workspace().selection().id);
}

TEST_CASE("the plan zooms about the pointer, pans and fits") {
  DemoDriver demo;
  Driver &d = demo.d;
  d.section("GNSS");
  PlanView *p = plan(d);
  const QPointF mark = p->place("R11"), other = p->place("REFB");
  QWheelEvent wheel(mark, p->mapToGlobal(mark), {}, QPoint(0, 360), Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                    false);
  QApplication::sendEvent(p, &wheel);
  CHECK((p->place("R11") - mark).manhattanLength() < 1.5);
  CHECK((p->place("REFB") - mark).manhattanLength() > 1.5 * (other - mark).manhattanLength());
  QTest::mousePress(p, Qt::LeftButton, Qt::NoModifier, QPoint(40, 40));
  QMouseEvent move(QEvent::MouseMove, QPointF(90, 60), p->mapToGlobal(QPointF(90, 60)), Qt::NoButton, Qt::LeftButton,
                   Qt::NoModifier);
  QApplication::sendEvent(p, &move);
  QTest::mouseRelease(p, Qt::LeftButton, Qt::NoModifier, QPoint(90, 60));
  CHECK(std::abs(p->place("R11").x() - mark.x() - 50) < 2);
  p->setFocus();
  QTest::keyClick(p, Qt::Key_F);
  CHECK((p->place("R11") - mark).manhattanLength() < 1.5);
}

TEST_CASE("tables filter aloud, sort by value and copy") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  QTableView *t = d.table("Vectors");
  auto *filter = d.named<QLineEdit>("Vectors filter");
  REQUIRE(filter);
  QTest::keyClicks(filter, "R11");
  CHECK(t->model()->rowCount() == 12);
  bool said = false;
  for (auto *l : d.window.findChildren<QLabel *>())
    said = said || (l->isVisible() && l->text() == "30 rows hidden by the filter");
  CHECK(said);
  filter->clear();
  CHECK(t->model()->rowCount() == 42);
  // Lengths of different digits sort as numbers, not as text.
  t->sortByColumn(d.column(t, "Length m"), Qt::AscendingOrder);
  double last = 0;
  for (int r = 0; r < 42; ++r) {
    const double length = d.cell(t, r, "Length m").toDouble();
    CHECK(length >= last);
    last = length;
  }
  CHECK(d.cell(t, 0, "Length m").toDouble() < 3000);
  t->selectRow(0);
  t->setFocus();
  QTest::keyClick(t, Qt::Key_C, Qt::ControlModifier);
  CHECK_THAT(QApplication::clipboard()->text().toStdString(),
             Contains("\t") && Contains(d.cell(t, 0, "Length m").toStdString()));
}

TEST_CASE("a span dragged over a satellite is left out, the vector turns out of date and is solved without it") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  QTableView *t = d.table("Vectors");
  t->setCurrentIndex(t->model()->index(0, 0));
  const std::string id = d.window.workspace().selection().id;
  const std::size_t before = d.window.workspace().vector(id)->solved->residuals.size();
  auto *chart = d.named<SatelliteChart>("Satellites over time");
  REQUIRE(chart);
  REQUIRE(chart->isVisible());
  const QPoint from(60, 45), to(chart->width() - 80, 45);
  drag(chart, from, to);
  REQUIRE(d.window.workspace().job().state().left_out.size() == 1);
  const std::string item = d.window.workspace().job().state().left_out.begin()->first;
  CHECK_THAT(item, Contains(id + ":") && Contains("@2026-05-12T"));
  CHECK(d.window.workspace().vector(id)->stale);
  CHECK(d.verdict(Section::gnss) == "1 out of date");
  d.click("Solve vectors");
  d.wait();
  CHECK_FALSE(d.window.workspace().vector(id)->stale);
  CHECK(d.window.workspace().vector(id)->solved->residuals.size() < before);
  d.press(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.window.workspace().job().state().left_out.empty());
}

TEST_CASE("a vector gets a mask of its own, is solved alone, and compared with before") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  QTableView *t = d.table("Vectors");
  t->setCurrentIndex(t->model()->index(0, 0));
  const std::string id = d.window.workspace().selection().id;
  d.click("Settings of the vector");
  QTableView *own = d.table("Settings of this vector");
  d.edit(own, d.row_with(own, "Setting", "Elevation mask"), "This vector", "200");
  CHECK(d.window.workspace().job().state().vector_settings.empty()); // refused, and said so
  d.edit(own, d.row_with(own, "Setting", "Elevation mask"), "This vector", "15");
  CHECK(d.cell(own, d.row_with(own, "Setting", "Elevation mask"), "This vector") == "15");
  CHECK(d.verdict(Section::gnss) == "1 out of date");
  d.click("Solve this vector");
  d.wait();
  CHECK_FALSE(d.window.workspace().vector(id)->stale);
  CHECK(d.window.workspace().vector(id)->together);
  d.click("Compare of the vector");
  const std::string shown = d.named<QTextBrowser>("Before and after")->toPlainText().toStdString();
  CHECK_THAT(shown, Contains("before") && Contains("after less before") && Contains("with its session"));
  d.click("Integers of the vector");
  CHECK_THAT(d.named<QTextBrowser>("How the integers were settled")->toPlainText().toStdString(),
             Contains("success rate") && Contains("open before"));
  for (const char *picture : {"Strength of the vector", "Multipath of the vector", "Satellites of the vector"}) {
    d.click(picture);
    // Something is drawn beside the empty card.
    QWidget *card =
        d.named<QWidget>(std::string(picture) == "Satellites of the vector" ? "Satellites and dilution of precision"
                                                                            : "Satellites over time");
    REQUIRE(card);
    const QImage image = card->grab().toImage();
    std::set<QRgb> colours;
    for (int x = 0; x < image.width(); x += 3)
      for (int y = 0; y < image.height(); y += 3) colours.insert(image.pixel(x, y));
    CHECK(colours.size() > 20);
  }
}

TEST_CASE("a drag leaves a whole system out of every vector, on one carrier") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  QTableView *t = d.table("Vectors");
  t->setCurrentIndex(t->model()->index(0, 0));
  d.named<QComboBox>("A drag leaves out")->setCurrentText("system");
  d.named<QComboBox>("Carrier")->setCurrentText("L1");
  d.named<QComboBox>("Where")->setCurrentText("all vectors");
  auto *chart = d.named<SatelliteChart>("Satellites over time");
  REQUIRE(chart);
  const QPoint from(80, 45), to(chart->width() - 160, 45);
  drag(chart, from, to);
  REQUIRE(d.window.workspace().job().state().left_out.size() == 1);
  CHECK_THAT(d.window.workspace().job().state().left_out.begin()->first,
             Catch::Matchers::StartsWith("E.L1@2026-05-12T"));
}

TEST_CASE("the GNSS evidence report is written and holds what was solved") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  const std::string file = demo.folder / "gnss.html";
  CHECK(d.window.workspace().report(QString::fromStdString(file)).isEmpty());
  const std::string html = read_file(file);
  for (const char *part : {"Sessions solved together", "Closures", "From real numbers to integers", "R11-s1.rnx.gz",
                           "1.5152", "rim, slant", "with its session"})
    CHECK_THAT(html, Contains(part));
  CHECK(d.window.workspace().report(QString::fromStdString(demo.folder / "gnss.pdf")).isEmpty());
  CHECK(read_file(demo.folder / "gnss.pdf").substr(0, 5) == "%PDF-");
  CHECK_FALSE(d.window.workspace().report("/nowhere/at/all.html").isEmpty());
}

TEST_CASE("a doubt is found, gone to, and accepted with a reason") {
  DemoDriver demo;
  Driver &d = demo.d;
  d.section("Intake");
  d.click("Occupations part");
  QTableView *t = d.table("Occupations");
  d.edit(t, d.row_with(t, "Mark", "PS1"), "Antenna", "TESSEL T9");
  CHECK_THAT(d.named<QPushButton>("Doubts")->text().toStdString(), Contains("1 doubt"));
  CHECK_THAT(d.verdict(Section::intake).toStdString(), Contains("1 in doubt"));
  d.click("Doubts");
  QTableView *doubts = d.table("Doubts table");
  REQUIRE(doubts->model()->rowCount() == 1);
  doubts->setCurrentIndex(doubts->model()->index(0, 0));
  CHECK_THAT(d.evidence().toStdString(), Contains("TESSEL T9") && Contains("perhaps it is TESSEL T4"));
  d.section("Network");
  d.click("Go there");
  CHECK(d.window.workspace().selection().kind == "occupation");
  doubts->setCurrentIndex(QModelIndex());
  doubts->setCurrentIndex(doubts->model()->index(0, 0));
  d.click("Accept doubt");
  CHECK(d.window.workspace().job().open_doubts() == 1); // not without a reason
  QTest::keyClicks(d.named<QLineEdit>("Reason"), "no calibration exists");
  d.click("Accept doubt");
  CHECK(d.window.workspace().job().open_doubts() == 0);
  CHECK_THAT(d.named<QPushButton>("Doubts")->text().toStdString(), Contains("1 accepted"));
}

TEST_CASE("lines of the site lie behind the marks, are left out and drawn again, and change no number") {
  DemoDriver demo;
  Driver &d = demo.d;
  auto &w = d.window.workspace();
  d.section("GNSS");
  PlanView *p = plan(d);
  const QImage without = p->grab().toImage();
  const auto others = [&] {
    const QImage picture = p->grab().toImage();
    int n = 0;
    for (int y = 0; y < picture.height(); ++y)
      for (int x = 0; x < picture.width(); ++x) n += picture.pixel(x, y) != without.pixel(x, y);
    return n;
  };
  REQUIRE(others() == 0);
  const auto marks = w.plan_marks();
  REQUIRE(marks.size() > 4);
  const auto of = [&](const char *name) {
    return *std::find_if(marks.begin(), marks.end(), [&](const PlanMark &m) { return m.name == name; });
  };
  const PlanMark a = of("REFA"), b = of("REFB");
  std::string dxf = "0\nSECTION\n2\nENTITIES\n";
  for (int i = 0; i < 5; ++i)
    dxf += fmt::format("0\nLINE\n8\nROAD\n10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a.east + 900 * i, a.north,
                       b.east + 900 * i, b.north);
  dxf += "0\nENDSEC\n0\nEOF\n";
  const QPointF place = p->place("R11");
  CHECK(w.take_text("site.dxf", dxf).isEmpty());
  settle(50);
  CHECK(others() > 300);
  CHECK(p->place("R11") == place); // the view stays on the marks
  CHECK_THAT(p->accessibleDescription().toStdString(), Contains("5 lines of the site"));
  CHECK_THAT(w.last_intake().front().sentence, Contains("5 lines on 1 layer") && Contains("used for nothing"));
  std::string id;
  for (const SourceContent &c : w.job().snapshot()->contents())
    if (c.linework) id = c.source.id;
  w.select("source", id);
  settle(30);
  CHECK_THAT(d.evidence().toStdString(), Contains("5 lines on 1 layer") && !Contains("km from the job"));
  d.named<QLineEdit>("Reason")->setText("not needed");
  d.click("Do not draw it");
  settle(50);
  CHECK(others() == 0);
  d.click("Draw it");
  settle(50);
  CHECK(others() > 300);
  // Somewhere else altogether: it is said, not drawn about.
  CHECK(w.take_text("far.dxf", "0\nSECTION\n2\nENTITIES\n0\nLINE\n8\nA\n10\n5128000\n20\n415000\n11\n5128100\n21\n41510"
                               "0\n0\nENDSEC\n0\nEOF\n")
            .isEmpty());
  for (const SourceContent &c : w.job().snapshot()->contents())
    if (c.linework && c.source.name == "far.dxf") w.select("source", c.source.id);
  settle(30);
  CHECK_THAT(d.evidence().toStdString(), Contains("km from the job's marks"));
  CHECK(p->place("R11") == place);
  if (const char *shot = std::getenv("SHOT_LINES")) d.window.grab().save(shot);
}

TEST_CASE("layers of the plan are hidden one by one, say so, and stay hidden where the same thing is drawn again") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  auto &w = d.window.workspace();
  PlanView *p = plan(d);
  const auto marks = w.plan_marks();
  const auto of = [&](const char *name) {
    return *std::find_if(marks.begin(), marks.end(), [&](const PlanMark &m) { return m.name == name; });
  };
  const PlanMark a = of("REFA"), b = of("REFB");
  std::string dxf = "0\nSECTION\n2\nENTITIES\n";
  for (const char *layer : {"ROAD", "TREES"})
    for (int i = 1; i < 5; ++i) {
      const double east = 700.0 * (*layer == 'R' ? i : -i);
      dxf += fmt::format("0\nLINE\n8\n{}\n10\n{}\n20\n{}\n11\n{}\n21\n{}\n", layer, a.east + east, a.north,
                         b.east + east, b.north);
    }
  CHECK(w.take_text("site.dxf", dxf + "0\nENDSEC\n0\nEOF\n").isEmpty());
  w.select("", "");
  settle(50);
  const QImage whole = p->grab().toImage();
  const auto changed = [&] {
    const QImage now = p->grab().toImage();
    int n = 0;
    for (int y = 40; y < now.height(); ++y) // below the button, whose words change
      for (int x = 0; x < now.width(); ++x) n += now.pixel(x, y) != whole.pixel(x, y);
    return n;
  };
  const auto tick = [&](const QString &layer, Qt::CheckState state) {
    if (!d.named<QListWidget>("Layers of the plan")) d.click("Layers");
    auto *list = d.named<QListWidget>("Layers of the plan");
    REQUIRE(list);
    const auto found = list->findItems(layer, Qt::MatchExactly);
    INFO(layer.toStdString());
    REQUIRE(found.size() == 1);
    found.front()->setCheckState(state);
    settle(20);
  };
  REQUIRE(changed() == 0);
  tick("site.dxf: TREES", Qt::Unchecked);
  const int trees = changed();
  CHECK(trees > 100);
  CHECK(d.named<QPushButton>("Layers")->text() == "Layers: 1 hidden");
  tick("site.dxf: ROAD", Qt::Unchecked);
  CHECK(changed() > trees + 100);
  tick("Vectors", Qt::Unchecked);
  CHECK(d.named<QPushButton>("Layers")->text() == "Layers: 3 hidden");
  tick("Vectors that are dependent", Qt::Unchecked);
  w.select("mark", "R11");
  // What is hidden cannot be clicked either.
  const QPoint middle = ((p->place("REFB") * 3 + p->place("DAM")) / 4).toPoint();
  d.named<QListWidget>("Layers of the plan")->parentWidget()->close();
  QTest::mouseClick(p, Qt::LeftButton, Qt::NoModifier, middle);
  CHECK(d.window.workspace().selection().kind == "mark");
  // Another plan of the same window, and the next window, hide the same.
  d.section("Network");
  settle(20);
  CHECK(d.named<QPushButton>("Layers")->text() == "Layers: 4 hidden");
  tick("Names", Qt::Unchecked);
  CHECK(d.named<QPushButton>("Layers")->text() == "Layers: 5 hidden");
  d.click("Show all layers");
  CHECK(d.named<QPushButton>("Layers")->text() == "Layers");
  d.named<QListWidget>("Layers of the plan")->parentWidget()->close();
  d.section("GNSS");
  settle(20);
  CHECK(d.named<QPushButton>("Layers")->text() == "Layers");
  w.select("", "");
  settle(20);
  CHECK(changed() == 0);
}

TEST_CASE("a drawing comes into the job's grid by its own unit and order of axes, or says why it does not") {
  Linework l;
  l.lines.push_back({"A", {{1000, 2000}, {1010, 2000}}});
  const auto at = [&](const char *job) { return LineworkInGrid(l, job)(l.lines[0].points[0]); };
  const auto same = [](QPointF a, QPointF b, double by) { return std::hypot(a.x() - b.x(), a.y() - b.y()) < by; };
  CHECK(at("EPSG:25833") == QPointF(1000, 2000));
  CHECK(at("") == QPointF(1000, 2000));
  CHECK(at("local:46.3:13.9:480") == QPointF(1000, 2000));
  // New York Long Island in US survey feet: a drawing that names no unit is in that of the grid, one that does is not.
  CHECK(same(at("EPSG:2263"), QPointF(1000, 2000) * (1200.0 / 3937), 1e-9));
  l.unit_stated = true;
  CHECK(at("EPSG:2263") == QPointF(1000, 2000));
  // The same place through its own system: in feet, in degrees, and in a grid whose register puts north first.
  const Projection york("EPSG:2263");
  const Geodetic g = york.unproject(300000, 60000, 0);
  const auto through = [&](const char *crs, double x, double y, bool geographic, const char *job) {
    Linework own;
    own.crs = crs, own.geographic = geographic;
    own.lines.push_back({"A", {{x, y}, {x, y}}});
    return LineworkInGrid(own, job)(own.lines[0].points[0]);
  };
  const double ft = 3937.0 / 1200;
  CHECK(same(through("EPSG:2263", 300000 * ft, 60000 * ft, false, "EPSG:2263"), QPointF(300000, 60000), 1e-6));
  CHECK(same(through("EPSG:4269", g.lon * 180 / M_PI, g.lat * 180 / M_PI, true, "EPSG:2263"), QPointF(300000, 60000),
             1e-4));
  const GridPoint utm = Projection("EPSG:26918").project(g);
  CHECK(same(through("EPSG:2263", 300000 * ft, 60000 * ft, false, "EPSG:26918"), QPointF(utm.east, utm.north), 1e-4));
  const Projection gauss("EPSG:31467"); // its register puts the northing first
  const Geodetic h = gauss.unproject(3500000, 5500000, 0);
  const GridPoint other = Projection("EPSG:31468").project(h);
  CHECK(same(through("EPSG:31467", 3500000, 5500000, false, "EPSG:31468"), QPointF(other.east, other.north), 1e-4));
  CHECK_THROWS_WITH(through("EPSG:4326", 13.9, 46.3, true, "local:46.3:13.9:480"), Contains("the job's plane"));
  CHECK_THROWS_AS(through("EPSG:999999", 1, 2, false, "EPSG:25833"), InputError);
}
