#include "app/driver.h"
#include <QClipboard>
#include <QWheelEvent>
#include <catch2/catch.hpp>

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
void solve(Driver &d) {
  d.section("GNSS");
  d.click("Solve vectors");
  d.wait();
}
} // namespace

TEST_CASE("a selection in one is a selection in all") {
  DemoDriver demo;
  Driver &d = demo.d;
  solve(d);
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
  DemoDriver demo;
  Driver &d = demo.d;
  solve(d);
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
  DemoDriver demo;
  Driver &d = demo.d;
  solve(d);
  QTableView *t = d.table("Vectors");
  t->setCurrentIndex(t->model()->index(0, 0));
  const std::string id = d.window.workspace().selection().id;
  const std::size_t before = d.window.workspace().vector(id)->solved.residuals.size();
  auto *chart = d.window.findChild<ResidualChart *>();
  REQUIRE(chart->isVisible());
  const QPoint from(60, 45), to(chart->width() - 80, 45);
  QTest::mousePress(chart, Qt::LeftButton, Qt::NoModifier, from);
  QMouseEvent move(QEvent::MouseMove, QPointF(to), chart->mapToGlobal(QPointF(to)), Qt::NoButton, Qt::LeftButton,
                   Qt::NoModifier);
  QApplication::sendEvent(chart, &move);
  QTest::mouseRelease(chart, Qt::LeftButton, Qt::NoModifier, to);
  REQUIRE(d.window.workspace().job().state().left_out.size() == 1);
  const std::string item = d.window.workspace().job().state().left_out.begin()->first;
  CHECK_THAT(item, Contains(id + ":") && Contains("@2026-05-12T"));
  CHECK(d.window.workspace().vector(id)->stale);
  CHECK(d.verdict(Section::gnss) == "1 out of date");
  d.click("Solve vectors");
  d.wait();
  CHECK_FALSE(d.window.workspace().vector(id)->stale);
  CHECK(d.window.workspace().vector(id)->solved.residuals.size() < before);
  d.press(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.window.workspace().job().state().left_out.empty());
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
