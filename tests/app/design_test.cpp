// A plan in the window: typed, seen, dragged, taken back.
#include "app/driver.h"
#include "app/network/design_picture.h"
#include <QComboBox>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct PlannedDemo : DemoDriver {
  PlannedDemo() {
    d.section("Network");
    d.click("Design part");
  }
  void say(const QString &kind, const QString &what) {
    d.named<QComboBox>("Kind of what is planned")->setCurrentText(kind);
    auto *line = d.named<QLineEdit>("What is planned");
    line->setFocus();
    line->setText(what);
    d.click("Plan it");
    known();
  }
  /// Until the plan is computed.
  void known() {
    for (int i = 0; i < 3000 && (i < 3 || words().find("Computing") != std::string::npos); ++i) settle(5);
  }
  std::string words() { return d.named<QLabel>("Plan in words")->text().toStdString(); }
  std::string typed() { return d.named<QLineEdit>("What is planned")->text().toStdString(); }
  double plan95(const QString &mark) {
    QTableView *t = d.table("Marks that the plan reaches");
    return d.cell(t, d.row_with(t, "Mark", mark), "Plan mm").toDouble();
  }
};
} // namespace

TEST_CASE("what is planned is typed and shown at once; a mark is dragged, an item dropped, undo brings it back") {
  PlannedDemo s;
  Driver &d = s.d;
  const char *what = "What it is, and what it is worth";
  CHECK_THAT(s.words(), Contains("Nothing is planned"));
  s.say("session", "1 marks=REFA,REFB,K7 start=2026-06-02T08:00 minutes=60");
  QTableView *items = d.table("Planned");
  REQUIRE(items->model()->rowCount() == 1);
  CHECK_THAT(d.cell(items, 0, what).toStdString(), Contains("takes no part") && Contains("K7"));
  s.say("mark", "K7 east=412800 north=5122300 height=700");
  REQUIRE(items->model()->rowCount() == 2);
  CHECK_THAT(d.cell(items, d.row_with(items, "", "session 1"), what).toStdString(), Contains("satellites"));
  CHECK_THAT(d.cell(items, d.row_with(items, "", "session 1"), what).toStdString(), Contains("K7"));
  CHECK_THAT(s.words(), Contains("nothing would check K7"));
  const double before = s.plan95("K7");
  CHECK(before > 1);
  // What cannot be is refused in words, and nothing of it is kept.
  const std::size_t decisions = d.window.workspace().job().decisions().size();
  s.say("session", "2 marks=REFA,K7 start=soon");
  CHECK_THAT(s.words(), Contains("soon"));
  CHECK(d.window.workspace().job().decisions().size() == decisions);
  // The mark is dragged towards the other side of the picture: another decision, another accuracy.
  auto *picture = d.named<DesignPicture>("Plan of what is to be measured");
  REQUIRE(picture);
  const QPoint from = picture->place("K7").toPoint(), to = from + QPoint(60, -50);
  QTest::mousePress(picture, Qt::LeftButton, Qt::NoModifier, from);
  QMouseEvent move(QEvent::MouseMove, QPointF(to), picture->mapToGlobal(QPointF(to)), Qt::NoButton, Qt::LeftButton,
                   Qt::NoModifier);
  QApplication::sendEvent(picture, &move);
  QTest::mouseRelease(picture, Qt::LeftButton, Qt::NoModifier, to);
  s.known();
  CHECK(d.window.workspace().job().decisions().size() == decisions + 1);
  const auto east = [&] { return *d.window.workspace().job().state().plan.at("mark K7").east.value; };
  CHECK(east() > 412810);
  d.press(Qt::Key_Z, Qt::ControlModifier);
  s.known();
  CHECK(east() == 412800);
  CHECK(s.plan95("K7") == before);
  // A chosen item comes back into the line, is changed there, and dropped.
  items->setCurrentIndex(items->model()->index(d.row_with(items, "", "session 1"), 0));
  settle(20);
  CHECK_THAT(s.typed(), Contains("marks=REFA,REFB,K7") && Contains("minutes=60"));
  s.say("session", QString::fromStdString(s.typed()).replace("minutes=60", "minutes=240"));
  CHECK(s.plan95("K7") < before);
  items->setCurrentIndex(items->model()->index(d.row_with(items, "", "session 1"), 0));
  settle(20);
  d.click("No longer planned");
  s.known();
  CHECK(items->model()->rowCount() == 1);
  // A double click on free ground proposes a mark.
  QTest::mouseDClick(picture, Qt::LeftButton, Qt::NoModifier, QPoint(picture->width() - 60, picture->height() / 2));
  settle(20);
  CHECK_THAT(s.typed(), Catch::StartsWith("P1 east="));
}

TEST_CASE("a click is no movement, and what is taken out of the line is taken back") {
  PlannedDemo s;
  Driver &d = s.d;
  s.say("mark", "K7 east=412800 north=5122300 height=700"); // nothing determines it yet
  auto *picture = d.named<DesignPicture>("Plan of what is to be measured");
  REQUIRE(picture);
  const std::size_t decisions = d.window.workspace().job().decisions().size();
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, picture->place("K7").toPoint() + QPoint(2, 1));
  settle(20);
  CHECK(d.window.workspace().job().decisions().size() == decisions);
  s.say("session", "1 marks=REFA,K7 start=2026-06-02T08:00 minutes=60 mask=35");
  const double masked = s.plan95("K7");
  CHECK(d.window.workspace().job().state().plan.at("session 1").mask.value == 35);
  s.say("session", "1 marks=REFA,K7 start=2026-06-02T08:00 minutes=60");
  CHECK_FALSE(d.window.workspace().job().state().plan.at("session 1").mask.value);
  CHECK(s.plan95("K7") < masked);
}

TEST_CASE("what would help most is put into the line by a click, and planned by a second one") {
  PlannedDemo s;
  s.say("mark", "K7 east=412800 north=5122300 height=700");
  s.say("session", "1 marks=REFA,K7 start=2026-06-02T08:00 minutes=60");
  CHECK_THAT(s.words(), Contains("Would help most"));
  const double before = s.plan95("K7");
  Q_EMIT s.d.named<QLabel>("Plan in words")->linkActivated("0");
  CHECK_THAT(s.typed(), Contains("K7"));
  const int items = s.d.table("Planned")->model()->rowCount();
  s.d.click("Plan it");
  s.known();
  CHECK(s.d.table("Planned")->model()->rowCount() == items + 1);
  CHECK(s.plan95("K7") <= before);
  if (const char *shot = std::getenv("SHOT_DESIGN")) s.d.window.grab().save(shot);
  // A link of a plan that is no longer shown does nothing.
  Q_EMIT s.d.named<QLabel>("Plan in words")->linkActivated("17");
  CHECK(s.typed().empty());
}
