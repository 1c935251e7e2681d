// The pictures of one vector, driven by buttons, drags and clicks; strength and multipath come from a file that another
// thread reads.
#include "app/driver.h"
#include "app/gnss/satellite_chart.h"
#include "app/gnss/sky_plot.h"
#include "app/widgets/charts.h"
#include <QComboBox>
#include <catch2/catch.hpp>
#include <filesystem>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct SolvedDemo : SolvedDemoDriver {
  SolvedDemo() {
    QTableView *t = d.table("Vectors");
    t->selectRow(0);
    settle(30);
  }
  SatelliteChart *chart() { return d.named<SatelliteChart>("Satellites over time"); }
  std::string words() { return chart()->accessibleDescription().toStdString(); }
  /// Until the other thread has read the file.
  void until_read() {
    for (int i = 0; i < 500 && words().find("Reading") == 0; ++i) QTest::qWait(10);
  }
  const VectorResult &vector() { return *d.window.workspace().selected_vector(); }
  /// Over the row `row` from one share of the width to another.
  void drag_row(int row, double from, double to) {
    SatelliteChart *c = chart();
    const int rows = static_cast<int>(std::stoi(words()));
    const double high = (c->height() - 50.0) / rows, wide = c->width() - 132;
    const int y = static_cast<int>(28 + high * (row + 0.5));
    const auto at = [&](double share) { return QPoint(static_cast<int>(52 + wide * share), y); };
    QTest::mousePress(c, Qt::LeftButton, Qt::NoModifier, at(from));
    QMouseEvent move(QEvent::MouseMove, QPointF(at(to)), c->mapToGlobal(QPointF(at(to))), Qt::NoButton, Qt::LeftButton,
                     Qt::NoModifier);
    QApplication::sendEvent(c, &move);
    QTest::mouseRelease(c, Qt::LeftButton, Qt::NoModifier, at(to));
    settle(20);
  }
  std::string last_target() { return d.window.workspace().job().decisions().back().target; }
  void choose(const QString &combo, const QString &item) {
    auto *c = d.named<QComboBox>(combo);
    REQUIRE(c);
    REQUIRE(c->findText(item) >= 0);
    c->setCurrentIndex(c->findText(item));
    settle(20);
  }
};
} // namespace

TEST_CASE("residuals, strength and multipath of a vector; a drag leaves out what is said, for whom it is said") {
  SolvedDemo s;
  CHECK_THAT(s.words(), Contains("satellites; largest rms") && Contains("mm"));
  s.d.click("Strength of the vector");
  s.until_read();
  CHECK_THAT(s.words(), Contains("dB-Hz"));
  const int satellites = std::stoi(s.words());
  CHECK(satellites >= 8);
  s.d.click("Multipath of the vector");
  s.until_read();
  CHECK_THAT(s.words(), Contains(" m, ") && !Contains("dB"));
  CHECK(std::stoi(s.words()) == satellites);
  s.d.click("Residuals of the vector");
  CHECK_THAT(s.words(), Contains("mm"));

  const std::string id = s.vector().id;
  s.drag_row(0, 0.25, 0.5);
  CHECK_THAT(s.last_target(), Catch::StartsWith(id + ":") && Contains("@2026-05-12T"));
  CHECK(s.last_target().find(".") == std::string::npos); // all of its carriers
  s.d.window.workspace().undo();
  settle(20);
  s.choose("A drag leaves out", "everything");
  s.choose("Where", "all vectors");
  s.drag_row(1, 0.6, 0.4); // backwards is the same span
  CHECK_THAT(s.last_target(), Catch::StartsWith("all@"));
  s.d.window.workspace().undo();
  settle(20);
  s.choose("A drag leaves out", "system");
  const auto *carriers = s.d.named<QComboBox>("Carrier");
  REQUIRE(carriers->count() > 1);
  const QString carrier = carriers->itemText(1);
  s.choose("Carrier", carrier);
  CHECK_THAT(s.words(), Contains("satellites"));
  s.drag_row(0, 0.1, 0.2);
  CHECK(s.last_target().substr(1, 4) == "." + carrier.toStdString() + "@");
  // A click is no span.
  const std::size_t decisions = s.d.window.workspace().job().decisions().size();
  s.drag_row(2, 0.5, 0.5);
  CHECK(s.d.window.workspace().job().decisions().size() == decisions);
}

TEST_CASE("a satellite that is chosen on the chart is chosen in the sky, and the other pictures stand beside them") {
  SolvedDemo s;
  std::optional<SatId> chosen;
  QObject::connect(s.chart(), &SatelliteChart::satellite_chosen, [&](std::optional<SatId> sat) { chosen = sat; });
  s.drag_row(1, 0.5, 0.5);
  REQUIRE(chosen);
  auto *sky = s.d.named<SkyPlot>("Sky plot");
  REQUIRE(sky);
  std::optional<SatId> in_sky;
  QObject::connect(sky, &SkyPlot::satellite_chosen, [&](std::optional<SatId> sat) { in_sky = sat; });
  // Somewhere on the sky there is a track; a click into the middle of nothing chooses none.
  for (int y = 10; y < sky->height() && !in_sky; y += 6)
    for (int x = 10; x < sky->width() && !in_sky; x += 6)
      QTest::mouseClick(sky, Qt::LeftButton, Qt::NoModifier, QPoint(x, y));
  CHECK(in_sky);
  s.d.click("Satellites of the vector");
  CHECK(s.d.named<CountChart>("count chart"));
  s.d.click("Integers of the vector");
  auto *integers = s.d.named<QTextBrowser>("How the integers were settled");
  REQUIRE(integers);
  CHECK_THAT(integers->toPlainText().toStdString(), Contains("ratio") && Contains("open before"));
  s.d.click("Compare of the vector");
  REQUIRE(s.d.named<QTextBrowser>("Before and after"));
  s.d.click("Settings of the vector");
  QTableView *settings = s.d.table("Settings of this vector");
  CHECK(settings->model()->rowCount() > 3);
}

TEST_CASE("epochs that can no longer be read are said to be where they should be drawn, and harm nothing else") {
  SolvedDemo s;
  // Opened again nothing of the observations has been read; then somebody moves the job's file.
  s.d.window.open(QString::fromStdString(s.path));
  settle(50);
  s.d.section("GNSS");
  s.d.table("Vectors")->selectRow(1);
  settle(30);
  const std::string away = s.path + ".away";
  std::filesystem::rename(s.path, away);
  s.d.click("Strength of the vector");
  s.until_read();
  CHECK_THAT(s.words(), Contains("orvane.tie"));
  s.d.click("Residuals of the vector");
  CHECK_THAT(s.words(), Contains("mm"));
  std::filesystem::rename(away, s.path);
  s.d.click("Strength of the vector");
  s.until_read();
  CHECK_THAT(s.words(), Contains("dB-Hz"));
}

TEST_CASE("a bar of the time chart is chosen by a click, and its occupation stands in the evidence") {
  DemoDriver demo;
  Driver &d = demo.d;
  d.section("Intake");
  auto *chart = d.named<OccupationChart>("Time chart of occupations");
  REQUIRE(chart);
  bool found = false;
  for (int y = 4; y < chart->height() && !found; y += 4)
    for (int x = chart->width() / 3; x < chart->width() && !found; x += 9) {
      QTest::mouseClick(chart, Qt::LeftButton, Qt::NoModifier, QPoint(x, y));
      found = d.window.workspace().selection().kind == "occupation";
    }
  REQUIRE(found);
  const Occupation *o = d.window.workspace().occupation(d.window.workspace().selection().id);
  REQUIRE(o);
  CHECK_THAT(d.evidence().toStdString(), Contains(o->mark) && Contains(o->antenna.substr(0, 6)));
}
