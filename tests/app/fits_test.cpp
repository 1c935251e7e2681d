// A frame fit in the window: a list chosen, one bad pair left to check, undone, issued in the site's system; a geoid
// grid chosen in the evidence.
#include "app/driver.h"
#include "app/widgets/difference_picture.h"
#include "formats/geoid_grid.h"
#include "results/job_results.h"
#include <QComboBox>
#include <cmath>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("a fit is begun from a list, its bad pair is left to check, and the site's list is issued") {
  TemporaryFolder folder;
  const std::string path = folder / "f.tie";
  std::map<std::string, Vec3> site;
  {
    Job job = demo_job(path);
    solve(job);
    adjust(job);
    std::string list = "mark,e,n,height,sd_e,sd_n,sd_u\n";
    for (const auto &[name, p] : job.network()->positions) {
      const double e = p.grid.east - 415000, n = p.grid.north - 5128000, t = 0.2;
      site[name] = {5000 + std::cos(t) * e + std::sin(t) * n, 2000 - std::sin(t) * e + std::cos(t) * n,
                    *p.height - 100};
      Vec3 said = site[name];
      if (name == "R11") said += Vec3(0.06, -0.05, 0);
      list += fmt::format("{},{:.4f},{:.4f},{:.4f},0.004,0.004,0.005\n", name, said.x(), said.y(), said.z());
    }
    write_file(folder / "site.csv", list);
  }
  Driver d(path);
  auto &w = d.window.workspace();
  w.adjust();
  d.wait();
  d.section("Datum");
  d.click("Frame fits part");
  CHECK_THAT(d.named<QLabel>("Fit in words")->text().toStdString(), Contains("leads all marks into it"));
  w.take({QString::fromStdString(folder / "site.csv")});
  d.wait();
  auto *lists = d.named<QComboBox>("List of a new fit");
  REQUIRE(lists->findText("site.csv") >= 0);
  lists->setCurrentIndex(lists->findText("site.csv"));
  Q_EMIT lists->activated(lists->currentIndex());
  CHECK(d.named<QLineEdit>("Name of a new system")->text() == "site");
  d.click("Begin the fit");
  settle(50);
  if (w.job().network_stale()) {
    w.adjust();
    d.wait();
  }
  QTableView *t = d.table("Pairs of the fit");
  REQUIRE(t->model()->rowCount() == static_cast<int>(site.size()));
  CHECK_THAT(d.named<QLabel>("Fit in words")->text().toStdString(),
             Contains("disagrees") && Contains("R11 is wrong in plan"));
  const int bad = d.row_with(t, "Mark", "R11");
  CHECK(d.cell(t, bad, "plan").contains("fails"));
  CHECK(std::abs(d.cell(t, bad, "dE mm").replace("−", "-").toDouble() + 60) < 15);
  // The picture chooses the mark.
  auto *picture = d.named<app::DifferencePicture>("Frame fit in plan");
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, picture->place("R11").toPoint());
  CHECK(w.selection().id == "R11");
  // Left to check in plan: typed into its cell.
  d.edit(t, d.row_with(t, "Mark", "R11"), "Takes part in", "height");
  settle(50);
  CHECK_THAT(d.named<QLabel>("Fit in words")->text().toStdString(), Contains("agrees") && !Contains("disagrees"));
  CHECK(d.cell(t, d.row_with(t, "Mark", "R11"), "plan").contains("check"));
  // Found beside the window: on a busy machine it takes a moment.
  const auto until = [&](bool disagrees) {
    const auto words = [&] { return d.named<QLabel>("Fit in words")->text(); };
    for (int i = 0; i < 2000 && words().contains("disagrees") != disagrees; ++i) settle(5);
    return words().contains("disagrees");
  };
  w.undo();
  CHECK(until(true));
  w.redo();
  CHECK_FALSE(until(false));
  // Out altogether it stays in sight, and comes back.
  d.edit(t, d.row_with(t, "Mark", "R11"), "Takes part in", "none");
  settle(50);
  CHECK(d.cell(t, d.row_with(t, "Mark", "R11"), "Takes part in") == "none");
  CHECK(t->model()->rowCount() == static_cast<int>(site.size()));
  d.edit(t, d.row_with(t, "Mark", "R11"), "Takes part in", "height");
  settle(50);
  CHECK(d.cell(t, d.row_with(t, "Mark", "R11"), "plan").contains("check"));
  // Another model; the issue holds the site's own list.
  auto *plan = d.named<QComboBox>("Plan of the fit");
  plan->setCurrentIndex(plan->findData("rigid"));
  Q_EMIT plan->activated(plan->currentIndex());
  settle(50);
  CHECK_THAT(d.named<QLabel>("Fit in words")->text().toStdString(), Contains("plan by rigid"));
  d.section("Issue");
  settle(20);
  CHECK_THAT(d.named<QLabel>("issued files")->toolTip().toStdString(), Contains("and in site"));
  CHECK(w.issue(QString::fromStdString(folder / "out")).isEmpty());
  const std::string csv = read_file(folder / "out/control-site.csv");
  for (const auto &[name, p] : site) {
    const auto at = csv.find("\n" + name + ",");
    REQUIRE(at != std::string::npos);
    double e = 0, n = 0, h = 0;
    CHECK(std::sscanf(csv.c_str() + at + 1 + name.size(), ",%lf,%lf,%lf", &e, &n, &h) == 3);
    CHECK((Vec3(e, n, h) - p).norm() < 0.004);
  }
  CHECK_THAT(read_file(folder / "out/control.html"), Contains("System site") && Contains("+proj=affine"));
}

TEST_CASE("a geoid grid is chosen where it is looked at") {
  TemporaryFolder folder;
  const std::string path = folder / "g.tie";
  static_cast<void>(demo_job(path));
  HeightGrid g;
  g.name = "trial", g.south = 45, g.west = 12, g.step_lat = g.step_lon = 0.25, g.rows = g.columns = 13;
  g.values.assign(169, 47.5F);
  write_file(folder / "trial.gtx", write_gtx(g));
  Driver d(path);
  auto &w = d.window.workspace();
  w.take({QString::fromStdString(folder / "trial.gtx")});
  d.wait();
  std::string id;
  for (const auto &c : w.job().snapshot()->contents())
    if (c.geoid) id = c.source.id;
  w.select("source", id);
  settle(20);
  const auto evidence = [&] { return d.evidence().toStdString(); };
  CHECK_THAT(evidence(), Contains("Grid of a geoid") && Contains("do not go through this grid"));
  d.click("Heights through this grid");
  settle(20);
  CHECK_THAT(evidence(), Contains("Physical heights go through this grid"));
  d.section("Datum");
  CHECK_THAT(d.window.findChild<QTextBrowser *>("datum words")->toPlainText().toStdString(),
             Contains("trial.gtx, bilinear"));
  w.select("source", id);
  settle(20);
  d.click("Read it bicubic");
  settle(20);
  CHECK_THAT(evidence(), Contains("bicubic"));
}

TEST_CASE("a grid is searched for where the job is, described, and used") {
  DemoDriver demo;
  Driver &d = demo.d;
  auto &w = d.window.workspace();
  d.section("Datum");
  d.click("Systems part");
  settle(200);
  QTableView *t = d.table("Systems of the register");
  REQUIRE(t->model()->rowCount() > 10);
  CHECK_THAT(d.named<QLabel>("Systems found")->text().toStdString(), Contains("grids where the job is"));
  const int all = t->model()->rowCount();
  d.named<QLineEdit>("Search systems")->setText("etrs89 utm 33n");
  settle(250);
  CHECK(t->model()->rowCount() < all);
  const auto words = [&] { return d.window.findChild<QTextBrowser *>("system words")->toPlainText().toStdString(); };
  const auto choose = [&](const char *code) {
    t->setCurrentIndex(t->model()->index(d.row_with(t, "Code", code), 0));
    settle(20);
  };
  choose("EPSG:25833");
  CHECK_THAT(words(), Contains("Can be used here") && Contains("ETRF2000") && Contains("It is the job's"));
  CHECK_FALSE(d.named<QPushButton>("Use the system")->isEnabled());
  d.named<QLineEdit>("Search systems")->setText("etrs89 laea");
  settle(250);
  choose("EPSG:3035");
  d.click("Use the system");
  settle(20);
  CHECK(w.job().state().settings.datum.crs == "EPSG:3035");
  w.undo();
  CHECK(w.job().state().settings.datum.crs == "EPSG:25833");
  // One that cannot be used says why, and offers nothing.
  d.named<QLineEdit>("Search systems")->setText("mgi austria gk east");
  settle(250);
  if (t->model()->rowCount() > 0) {
    t->setCurrentIndex(t->model()->index(0, 0));
    settle(20);
    CHECK_THAT(words(), Contains("Cannot be used here"));
    CHECK_FALSE(d.named<QPushButton>("Use the system")->isEnabled());
  }
}

TEST_CASE("earlier coordinates are compared with the network") {
  TemporaryFolder folder;
  const std::string path = folder / "c.tie";
  {
    Job job = demo_job(path);
    solve(job);
    adjust(job);
    std::string list = "mark,x,y,z,frame,epoch,sd_e,sd_n,sd_u\n";
    for (const AdjustedMark &m : job.network()->result.marks) {
      Vec3 x = m.position.xyz;
      if (m.name == "R07") x += Vec3(0.03, -0.06, 0);
      if (m.hold == Hold::none)
        list +=
            fmt::format("{},{:.4f},{:.4f},{:.4f},ETRF2000,2026-05-12,0.003,0.003,0.005\n", m.name, x.x(), x.y(), x.z());
    }
    write_file(folder / "earlier.csv", list);
  }
  Driver d(path);
  auto &w = d.window.workspace();
  w.adjust();
  d.wait();
  d.section("Datum");
  d.click("Comparison part");
  settle(20);
  CHECK_THAT(d.named<QLabel>("Comparison in words")->text().toStdString(), Contains("Take earlier coordinates"));
  w.take({QString::fromStdString(folder / "earlier.csv")});
  d.wait();
  w.adjust();
  d.wait();
  QTableView *t = d.table("Comparison with published coordinates");
  REQUIRE(t->model()->rowCount() == 5);
  CHECK(d.cell(t, d.row_with(t, "Mark", "R07"), "Verdict") == "disagrees");
  CHECK(d.cell(t, d.row_with(t, "Mark", "PN1"), "Verdict") == "agrees");
  CHECK_THAT(d.named<QLabel>("Comparison in words")->text().toStdString(),
             Contains("Nothing that the differences have in common"));
}
