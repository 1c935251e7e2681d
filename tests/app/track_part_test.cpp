// The demo's road through the window: dropped, solved, its stops named, left out, in the network.
#include "app/driver.h"
#include "app/gnss/satellite_chart.h"
#include "app/gnss/track_map.h"
#include "app/gnss/track_ribbon.h"
#include "app/widgets/column_menu.h"
#include <QCheckBox>
#include <QComboBox>
#include <QStackedWidget>
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const QString road = AMPLETIE_SOURCE_DIR "/demo/track/";
const QStringList files{road + "PN1-k1.rnx.gz",  road + "PN1-k2.rnx.gz",
                        road + "ROVER-k.rnx.gz", road + "broadcast-k.rnx.gz",
                        road + "stops.csv",      AMPLETIE_SOURCE_DIR "/demo/data/antennas.atx.gz"};
/// A job with the road's files; its path.
std::string with_the_road(const TemporaryFolder &folder) {
  Job job = Job::create(folder / "road.tie", demo_settings());
  std::vector<std::string> all;
  for (const QString &f : files) all.push_back(f.toStdString());
  job.take(all);
  return folder / "road.tie";
}
} // namespace

TEST_CASE("a pole walks along the road: files dropped, solved, stops read, renamed, left out and taken again") {
  TemporaryFolder folder;
  { Job::create(folder / "road.tie", demo_settings()); }
  Driver d(folder / "road.tie");
  d.drop(files);
  d.wait();
  d.section("GNSS");
  d.click("Tracks part");
  const auto words = [&] { return d.named<QLabel>("Track in words")->text().toStdString(); };
  CHECK_THAT(words(), Contains("No receiver of the job moved"));
  d.click("Solve vectors");
  d.wait();
  settle(50);
  CHECK_THAT(words(), Contains("from PN1") && Contains("fixed") && Contains("outside the data of PN1"));
  QTableView *t = d.table("Stops");
  REQUIRE(t->model()->rowCount() >= 7);
  const int a2 = d.row_with(t, "Stop", "A2");
  CHECK(d.cell(t, a2, "Result") == "■ fixed");
  CHECK(d.cell(t, a2, "By") == "list");
  // Chosen in the table, it is chosen in the pictures and explained in the evidence.
  t->setCurrentIndex(t->model()->index(a2, 0));
  settle(20);
  CHECK(d.window.workspace().selection().kind == "stop");
  CHECK_THAT(d.evidence().toStdString(), Contains("A2") && Contains("to the ARP") && Contains("set-up of its own"));
  const std::string id = d.window.workspace().selection().id;
  const auto stop = [&] { return *stop_of(d.window.workspace().job().tracks().front(), id); };
  // Another mark, typed into its cell; a space leaves it out.
  const auto cell = t->model()->index(a2, 1);
  t->model()->setData(cell, "K 12", Qt::EditRole);
  settle(50);
  CHECK(stop().mark == "K 12");
  d.press(Qt::Key_Space);
  settle(50);
  CHECK_FALSE(stop().used);
  CHECK(d.cell(t, d.row_with(t, "Stop", "K 12"), "Result") == "– left out");
  d.window.workspace().undo();
  d.window.workspace().undo();
  settle(50);
  // The pole was longer there: its height is typed, the stop lies lower.
  const Vec3 before = stop().d;
  t->model()->setData(t->model()->index(d.row_with(t, "Stop", "A2"), d.column(t, "Height")), "2.100", Qt::EditRole);
  settle(50);
  CHECK((stop().d - before).norm() == Approx(0.1).margin(1e-6));
  d.window.workspace().undo();
  settle(50);
  CHECK(stop().used);
  CHECK(stop().mark == "A2");
  // A span dragged over on the ribbon is left out: the track is out of date until it is solved again.
  auto *ribbon = d.named<TrackRibbon>("Track over time");
  REQUIRE(ribbon);
  CHECK_THAT(ribbon->accessibleDescription().toStdString(), Contains("epochs") && Contains("stops"));
  const QPoint from(200, ribbon->height() / 2), to(260, ribbon->height() / 2);
  QTest::mousePress(ribbon, Qt::LeftButton, {}, from);
  QTest::mouseMove(ribbon, to);
  QTest::mouseRelease(ribbon, Qt::LeftButton, {}, to);
  settle(50);
  CHECK_THAT(words(), Contains("out of date"));
  // Solved again without it: before and after in words, and stop by stop.
  CHECK(t->isColumnHidden(d.column(t, "Before")));
  CHECK_THAT(words(), !Contains("Solved again"));
  d.click("Solve vectors");
  d.wait();
  settle(50);
  CHECK_THAT(words(), Contains("Solved again: fixed") && Contains("epochs fixed in both moved"));
  REQUIRE_FALSE(t->isColumnHidden(d.column(t, "Before")));
  CHECK(d.cell(t, d.row_with(t, "Stop", "A4"), "Before").count(" · ") == 2);
  if (const char *shot = std::getenv("SHOT_BEFORE")) d.window.grab().save(shot);
  d.window.workspace().undo();
  d.click("Solve vectors");
  d.wait();
  settle(50);
  CHECK_THAT(words(), !Contains("out of date"));
  // By satellite: a span dragged over in a row leaves that satellite of this track out, and nothing else.
  d.named<QComboBox>("Track drawn as")->setCurrentText("residuals by satellite");
  settle(50);
  auto *chart = d.named<SatelliteChart>("Satellites of the track");
  REQUIRE(chart);
  REQUIRE(chart->isVisible());
  CHECK_THAT(chart->accessibleDescription().toStdString(), Contains("satellites; largest rms") && Contains("mm"));
  const QPoint a(150, 60), b(230, 60);
  QTest::mousePress(chart, Qt::LeftButton, {}, a);
  QTest::mouseMove(chart, b);
  QTest::mouseRelease(chart, Qt::LeftButton, {}, b);
  settle(50);
  CHECK_THAT(words(), Contains("out of date"));
  {
    const auto &left = d.window.workspace().job().state().left_out;
    REQUIRE(left.size() == 1);
    const std::string &what = left.begin()->first, track = d.window.workspace().job().tracks().front().id;
    CHECK(what.rfind(track + ":", 0) == 0);
    CHECK_THAT(what, !Contains(":all@") && Contains("@2026-"));
  }
  d.window.workspace().undo();
  settle(50);
  CHECK_THAT(words(), !Contains("out of date"));
  d.named<QComboBox>("Track drawn as")->setCurrentText("accuracy over time");
  settle(20);
  CHECK(ribbon->isVisible());
  // From above the flag of a stop is chosen too.
  auto *map = d.named<TrackMap>("Track from above");
  REQUIRE(map);
  CHECK_THAT(map->accessibleDescription().toStdString(), Contains("stops from above"));
  // Which columns the table of epochs gets is remembered; one stays.
  auto *columns = d.named<ColumnMenu>("Columns of epochs");
  REQUIRE(columns);
  CHECK(columns->chosen().join(' ') == "time x y z sd_e sd_n sd_u solution satellites");
  for (const QString &c : columns->chosen()) columns->findChild<QCheckBox *>(c)->click();
  CHECK(columns->chosen() == QStringList("satellites"));
  columns->findChild<QCheckBox *>("grid_east")->click();
  CHECK(ColumnMenu("epochs", {{"grid_east", ""}, {"satellites", ""}, {"time", ""}}, {"time"}).chosen().join(' ') ==
        "grid_east satellites");
  for (auto *button : columns->findChildren<QPushButton *>())
    if (button->text() == "The usual ones") button->click();
  CHECK(columns->chosen().size() == 9);
}

TEST_CASE("epochs are filtered aloud, a list of real time stands beside the stops, the way lies on the plan") {
  TemporaryFolder folder;
  Driver d(with_the_road(folder));
  auto &w = d.window.workspace();
  d.section("GNSS");
  d.click("Solve vectors");
  d.wait();
  d.click("Tracks part");
  settle(50);
  const TrackResult t = w.job().tracks().front();
  auto *which = d.named<QComboBox>("Epochs shown");
  const auto hidden = [&] {
    auto *l = d.window.findChild<QLabel *>("epochs hidden");
    return l->text().toStdString();
  };
  CHECK(hidden().empty());
  auto *map = d.named<TrackMap>("Track from above");
  const QImage all = map->grab().toImage();
  which->setCurrentText("what is not fixed");
  settle(30);
  CHECK(hidden() == fmt::format("{} of {} epochs hidden", t.solved->count(TrackState::fixed), t.solved->epochs.size()));
  CHECK(map->grab().toImage() != all);
  which->setCurrentText("all epochs");
  settle(30);
  CHECK(hidden().empty());
  CHECK(map->grab().toImage() == all);
  // Real time beside the stops: as measured, and one a decimetre off.
  QTableView *stops = d.table("Stops");
  CHECK(d.cell(stops, d.row_with(stops, "Stop", "A2"), "Real time") == "–");
  std::string list = "mark,base,x,y,z,time,status,frame,epoch,sd_x,sd_y,sd_z\n";
  const auto row = [&](const std::string &mark, const Vec3 &x) {
    list += fmt::format("{},PN1,{:.4f},{:.4f},{:.4f},,fixed,{},{:.4f},0.005,0.005,0.005\n", mark, x.x(), x.y(), x.z(),
                        frame_name(t.frame), t.epoch);
  };
  row("PN1", t.base_xyz);
  for (const TrackStop &s : t.stops)
    if (s.name == "A1" || s.name == "A2")
      row(s.mark, t.base_xyz + s.d + (s.name == "A1" ? Vec3(0.1, 0, 0) : Vec3(0, 0, 0)));
  CHECK(w.take_text("fixes.csv", list).isEmpty());
  settle(50);
  CHECK(d.cell(stops, d.row_with(stops, "Stop", "A2"), "Real time").startsWith("0 · "));
  CHECK(d.cell(stops, d.row_with(stops, "Stop", "A1"), "Real time") != "–");
  CHECK_FALSE(d.cell(stops, d.row_with(stops, "Stop", "A1"), "Real time").startsWith("0 · 0"));
  if (const char *shot = std::getenv("SHOT_TRACKS")) d.window.grab().save(shot);
  // The way on the job's plan, until the track is left out.
  d.click("Vectors part");
  settle(50);
  PlanView *plan = nullptr;
  for (auto *p : d.window.findChildren<PlanView *>())
    if (p->isVisible()) plan = p;
  REQUIRE(plan);
  w.select("mark", "");
  settle(20);
  const QImage with = plan->grab().toImage();
  if (const char *shot = std::getenv("SHOT_WAY")) d.window.grab().save(shot);
  CHECK(w.decide("leave-out", t.id, nlohmann::json::object(), "tried").isEmpty());
  settle(50);
  CHECK(plan->grab().toImage() != with);
}
