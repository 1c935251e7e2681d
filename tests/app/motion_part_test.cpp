// Velocities from three campaigns in the window.
#include "app/driver.h"
#include "app/network/motion_picture.h"
#include "publication/issue.h"
#include "support/fix_survey.h"
#include <QComboBox>
#include <catch2/catch.hpp>
#include <fstream>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("records of earlier campaigns are dropped: the mark that moves stands out, over the years and in numbers") {
  TemporaryFolder folder;
  std::mt19937_64 random(8);
  QStringList records;
  for (int year : {2023, 2024}) {
    const std::string file = folder / (std::to_string(year) + ".json");
    std::ofstream(file)
        << prepare_issue(campaign(folder / (std::to_string(year) + ".tie"), year, random), {}).record.text;
    records << QString::fromStdString(file);
  }
  { campaign(folder / "now.tie", 2026, random); }
  Driver d(folder / "now.tie");
  d.section("Network");
  d.click("Velocities part");
  const auto words = [&] { return d.named<QLabel>("Velocities in words")->text().toStdString(); };
  const auto known = [&] {
    for (int i = 0; i < 2000 && (i < 3 || words().find("Estimating") != std::string::npos); ++i) settle(5);
  };
  known();
  CHECK_THAT(words(), Contains("record"));
  d.drop(records);
  d.wait();
  d.window.workspace().adjust();
  d.wait();
  d.section("Network"); // the drop led to Intake
  known();
  QTableView *t = d.table("Velocities of the marks");
  REQUIRE(t->model()->rowCount() == 5);
  CHECK_THAT(words(), Contains("1 of 5 marks move against the others, from 3 times"));
  const int moving = d.row_with(t, "Mark", "104");
  CHECK_THAT(d.cell(t, moving, "Up mm/yr").toStdString(), Contains("−") && Contains("±"));
  CHECK(d.cell(t, d.row_with(t, "Mark", "B1"), "Times") == "held");
  // The one that moves is looked at first; another is chosen.
  auto *picture = d.named<MotionPicture>("Mark over the years");
  REQUIRE(picture);
  CHECK_THAT(picture->accessibleDescription().toStdString(), Contains("104 at 3 times"));
  t->setCurrentIndex(t->model()->index(d.row_with(t, "Mark", "101"), 0));
  settle(20);
  CHECK_THAT(picture->accessibleDescription().toStdString(), Contains("101"));
  CHECK(d.window.workspace().selection().id == "101");
  t->setCurrentIndex(t->model()->index(d.row_with(t, "Mark", "B1"), 0));
  settle(20);
  CHECK_THAT(picture->accessibleDescription().toStdString(), Contains("held at all times"));
  // In the frame what is held is no result; a velocity can be kept of held marks only.
  auto *against = d.named<QComboBox>("Velocities against");
  against->setCurrentIndex(1);
  Q_EMIT against->activated(1);
  settle(20);
  CHECK(t->model()->rowCount() == 4);
  CHECK_FALSE(d.named<QPushButton>("Keep as its velocity")->isEnabled());
  CHECK_THAT(words(), Contains("move in the frame"));
  // A check that was typed gets the velocity, and keeps what was typed.
  Workspace &w = d.window.workspace();
  const Vec3 at = w.job().network()->positions.at("104").ecef.xyz;
  REQUIRE(w.decide("hold", "104",
                   {{"how", "check"}, {"xyz", {at.x(), at.y(), at.z()}}, {"frame", "ETRF2000"}, {"epoch", "2026.36"}},
                   "the dam's own survey") == "");
  w.adjust();
  d.wait();
  known();
  t->setCurrentIndex(t->model()->index(d.row_with(t, "Mark", "104"), 0));
  settle(20);
  REQUIRE(d.named<QPushButton>("Keep as its velocity")->isEnabled());
  d.click("Keep as its velocity");
  const HoldDecision &h = w.job().state().holds.at("104");
  REQUIRE(h.velocity);
  CHECK((local_axes(to_geodetic(at)) * *h.velocity - moving_104).norm() < 0.006);
  CHECK(h.how == Hold::check);
  REQUIRE(h.xyz);
  CHECK(*h.xyz == at);
}
