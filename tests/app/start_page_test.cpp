// What a person sees before a job is open.
#include "app/driver.h"
#include "app/window/start_page.h"
#include <QDir>
#include <QFileInfo>
#include <QMenu>
#include <QToolButton>

using namespace ampletie;
using namespace ampletie::testing;
using namespace ampletie::app;
using Catch::Matchers::Contains;

namespace {
std::vector<QString> rows(Driver &d) {
  std::vector<QString> out;
  for (auto *r : d.window.findChildren<RecentRow *>())
    if (r->isVisible()) out.push_back(r->job().title);
  return out;
}
void forget_all() {
  for (const RecentJob &j : recent_jobs()) forget(j.path);
}
} // namespace

TEST_CASE("the window without a job offers to make, open and look; nothing is cut off") {
  forget_all();
  Driver d;
  for (const char *b : {"New job", "Open a job"}) REQUIRE(d.named<QPushButton>(b));
  CHECK_FALSE(d.named<QTableView>("Occupations"));
  CHECK(rows(d).empty());
  for (auto *l : d.window.findChildren<QLabel *>()) {
    if (!l->isVisible() || l->wordWrap() || l->text().isEmpty()) continue;
    INFO(l->text().toStdString());
    CHECK(l->width() >= l->sizeHint().width());
  }
  // Files that are dropped before there is a job are not swallowed.
  d.drop({AMPLETIE_SOURCE_DIR "/demo/track/stops.csv"});
  settle(10);
  CHECK_THAT(d.named<QLabel>("Start page says")->text().toStdString(), Contains("open or make a job first"));
}

TEST_CASE("recent jobs stand with their state, are opened by a click, and those that are gone are told and forgotten") {
  forget_all();
  TemporaryFolder folder;
  const std::string path = folder / "orvane.tie";
  {
    Job job = demo_job(path);
    solve(job);
  }
  {
    Driver d(path);
    CHECK(d.named<QTableView>("Vectors"));
    CHECK_FALSE(d.named<QPushButton>("New job"));
  }
  auto known = recent_jobs();
  REQUIRE(known.size() == 1);
  CHECK(known[0].title == "Orvane tunnel control");
  REQUIRE(known[0].states.size() == 7);
  CHECK(known[0].states[1] == SectionStatus::State::clean); // GNSS: solved
  CHECK(known[0].states[4] != SectionStatus::State::clean); // not adjusted
  remember({QString::fromStdString(folder / "gone.tie"), "A job that was moved", QDateTime::currentDateTime(), {}, {}});
  Driver d;
  REQUIRE(rows(d) == std::vector<QString>{"A job that was moved", "Orvane tunnel control"});
  auto click = [&](const QString &title) {
    for (auto *r : d.window.findChildren<RecentRow *>())
      if (r->isVisible() && r->job().title == title) {
        QTest::mouseClick(r, Qt::LeftButton);
        return;
      }
  };
  click("A job that was moved");
  settle(20);
  CHECK_THAT(d.named<QLabel>("Start page says")->text().toStdString(), Contains("gone.tie is no longer there"));
  CHECK(rows(d) == std::vector<QString>{"Orvane tunnel control"});
  click("Orvane tunnel control");
  d.wait();
  CHECK(d.window.workspace().has_job());
  CHECK(d.named<QTableView>("Vectors"));
  // A list that somebody else wrote over is no list.
  forget_all();
  CHECK(recent_jobs().empty());
}

TEST_CASE("a dozen jobs are remembered, the latest first, each once") {
  forget_all();
  for (int i = 0; i < 15; ++i)
    remember(
        {QString("/jobs/%1.tie").arg(i), QString("job %1").arg(i), QDateTime::currentDateTime(), {}, "not issued"});
  remember({"/jobs/9.tie", "job 9 again", QDateTime::currentDateTime(), {SectionStatus::State::doubt}, "1 in doubt"});
  const auto all = recent_jobs();
  REQUIRE(all.size() == 12);
  CHECK(all[0].title == "job 9 again");
  CHECK(all[0].verdict == "1 in doubt");
  CHECK(std::count_if(all.begin(), all.end(), [](const RecentJob &j) { return j.path == "/jobs/9.tie"; }) == 1);
  forget_all();
}

TEST_CASE("the demo is made in a fresh copy and opened") {
  if (demo_folder().isEmpty()) return;
  qputenv("AMPLETIE_DEMO", AMPLETIE_SOURCE_DIR "/demo");
  Driver d;
  REQUIRE(d.named<QPushButton>("Look at the demo"));
  d.click("Look at the demo");
  for (int i = 0; i < 3000 && !d.window.workspace().has_job(); ++i) settle(20);
  d.wait();
  REQUIRE(d.window.workspace().has_job());
  CHECK(d.window.workspace().job().state().settings.title == "Orvane tunnel control");
  CHECK(d.window.workspace().job().snapshot()->occupations().size() == 14);
  const QString made = QFileInfo(QString::fromStdString(d.window.workspace().job().store().path())).absolutePath();
  CHECK_THAT(made.toStdString(), Contains("ample-tie-demo"));
  // From the menu, where a job is open: it is said there that another one is being made.
  QMenu *menu = d.named<QToolButton>("Job menu")->menu();
  Q_EMIT menu->aboutToShow();
  for (QAction *a : menu->actions())
    if (a->text() == "Look at the demo") a->trigger();
  CHECK(d.status().contains("Making the demo job"));
  const auto folder_now = [&] {
    return QFileInfo(QString::fromStdString(d.window.workspace().job().store().path())).absolutePath();
  };
  for (int i = 0; i < 3000 && folder_now() == made; ++i) settle(20);
  d.wait();
  CHECK(folder_now() != made);
  const QString again = folder_now();
  forget_all();
  QDir(made).removeRecursively(), QDir(again).removeRecursively();
}
