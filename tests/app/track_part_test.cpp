// The demo's road through the window: dropped, solved, its stops named, left out, in the network.
#include "app/driver.h"
#include "app/gnss/track_map.h"
#include "app/gnss/track_ribbon.h"
#include <QStackedWidget>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const QString road = AMPLETIE_SOURCE_DIR "/demo/track/";
}

TEST_CASE("a pole walks along the road: files dropped, solved, stops read, renamed, left out and taken again") {
  TemporaryFolder folder;
  { Job::create(folder / "road.tie", demo_settings()); }
  Driver d(folder / "road.tie");
  d.drop({road + "PN1-k1.rnx.gz", road + "PN1-k2.rnx.gz", road + "ROVER-k.rnx.gz", road + "broadcast-k.rnx.gz",
          road + "stops.csv", AMPLETIE_SOURCE_DIR "/demo/data/antennas.atx.gz"});
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
  d.window.workspace().undo();
  settle(50);
  CHECK_THAT(words(), !Contains("out of date"));
  // From above the flag of a stop is chosen too.
  auto *map = d.named<TrackMap>("Track from above");
  REQUIRE(map);
  CHECK_THAT(map->accessibleDescription().toStdString(), Contains("stops from above"));
}
