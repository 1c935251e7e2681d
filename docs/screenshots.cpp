// Drives the application through the demo job and saves one picture per main view.
// Usage: make_screenshots JOB.tie FOLDER [SCALED]   (JOB.tie as demo/make-job leaves it; it is changed)
#include "app/levels/level_closures.h"
#include "app/levels/level_picture.h"
#include "app/widgets/closure_plot.h"
#include "app/widgets/theme.h"
#include "app/window/doubts_drawer.h"
#include "app/window/main_window.h"
#include <QApplication>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QTableView>
#include <QtTest/QTest>
#include <cstdio>

using namespace ampletie;
using namespace ampletie::app;

int main(int argc, char **argv) {
  QApplication app(argc, argv);
  if (argc < 3) return 2;
  apply_theme(app);
  QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, argv[2]);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  const QString folder = argv[2];
  auto shoot = [&](const QString &name) {
    QTest::qWait(120);
    for (int i = 0; i < 2000 && window.workspace().judging(); ++i) QTest::qWait(5);
    QTest::qWait(150);
    window.grab().save(folder + "/" + name + ".png");
  };
  auto wait = [&] {
    QElapsedTimer t;
    t.start();
    do QTest::qWait(20);
    while ((window.workspace().busy() || window.workspace().judging()) && t.elapsed() < 60000);
  };
  shoot("empty");
  if (!window.open(argv[1])) return 1;
  Workspace &w = window.workspace();
  window.show_section(Section::intake);
  for (const Occupation &o : w.job().snapshot()->occupations())
    if (o.slant) w.select("occupation", o.id);
  shoot("intake");
  window.show_section(Section::gnss);
  w.solve();
  wait();
  std::string chosen;
  for (const VectorResult &v : w.job().vectors())
    if (v.from == "REFA" && v.to == "R11") chosen = v.id;
  w.select("vector", chosen);
  shoot("gnss");
  auto press = [&](const char *name) {
    for (auto *b : window.findChildren<QPushButton *>())
      if (b->accessibleName() == name && b->isVisible()) b->click();
  };
  for (auto [button, name] : {std::pair{"Strength of the vector", "gnss-strength"},
                              {"Multipath of the vector", "gnss-multipath"},
                              {"Satellites of the vector", "gnss-satellites"},
                              {"Integers of the vector", "gnss-integers"},
                              {"Settings of the vector", "gnss-settings"}}) {
    press(button);
    shoot(name);
  }
  // One vector with a setting of its own, solved again: before and after.
  w.decide("set", chosen, {{"mask", 20}}, "trees around the portal");
  w.solve({chosen});
  wait();
  press("Compare of the vector");
  shoot("gnss-compare");
  w.undo();
  press("Residuals of the vector");
  w.solve();
  wait();
  press("Closures part");
  if (!w.job().loops().loops.empty())
    for (auto *c : window.findChildren<ClosurePlot *>())
      if (c->isVisible()) {
        c->select(w.job().loops().loops.front().id);
        Q_EMIT c->chosen(w.job().loops().loops.front().id);
      }
  shoot("gnss-closures");
  press("Vectors part");
  w.adjust();
  wait();
  window.show_section(Section::network);
  w.select("mark", "R11");
  shoot("network");
  window.show_section(Section::datum);
  w.select("mark", "REFA");
  shoot("datum");
  // A doubt: one evening's reading was never put right.
  std::string pn1;
  for (const Occupation &o : w.job().snapshot()->occupations())
    if (o.mark == "PN1") pn1 = o.id;
  w.decide("set", pn1, {{"height", 1.487}}, "read again from the photo");
  window.show_section(Section::gnss);
  w.select("occupation", pn1);
  shoot("out-of-date");
  w.solve();
  wait();
  w.adjust();
  wait();
  window.show_section(Section::network);
  window.findChild<DoubtsDrawer *>()->toggle();
  if (!w.job().doubts().empty()) w.select("doubt", w.job().doubts().front().id);
  shoot("doubts");
  window.findChild<DoubtsDrawer *>()->toggle();
  w.undo();
  w.solve();
  wait();
  w.adjust();
  wait();
  window.show_section(Section::issue);
  w.select("", "");
  w.issue(folder + "/issue");
  shoot("issue");
  press("Asked part");
  w.select("mark", "R11");
  shoot("issue-asked");
  press("Marks part");
  window.show_settings();
  shoot("settings");
  window.show_decisions();
  shoot("decisions");
  // Field books: taken up with their mistakes, which the doubts name; one is put right.
  window.show_section(Section::traverse);
  const auto books = w.job().snapshot()->traverses();
  for (const auto &source : books.field.sources)
    w.decide("use", source.head.source_id, nlohmann::json::object(), "gone through");
  std::string route;
  for (const TraverseLine &l : w.job().snapshot()->traverses().lines)
    if (l.legs.size() > 5) route = l.id;
  w.select("traverse", route);
  shoot("traverse");
  press("Set-ups part");
  for (const auto &x : w.job().snapshot()->traverses().field.setups)
    if (x->setup.mark == "T06") w.select("station", x->setup.id);
  shoot("traverse-setups");
  press("Known marks part");
  shoot("traverse-checks");
  press("Marks part");
  shoot("traverse-marks");
  press("Files part");
  shoot("traverse-files");
  press("Traverses part");
  for (const Doubt &d : w.job().doubts())
    if (d.section == Section::traverse && d.state == Doubt::State::open && !d.causes.empty()) {
      w.select("doubt", d.id);
      break;
    }
  shoot("traverse-doubt");
  for (const auto &source : books.field.sources)
    w.decide("leave-out", source.head.source_id, nlohmann::json::object(), "not gone through yet");
  window.show_section(Section::levels);
  auto line = [&](const char *name) {
    for (const LevelLine &l : w.job().snapshot()->levels().lines)
      if (l.name == name) return l;
    return LevelLine{};
  };
  auto follow = [&](const char *name, const char *after) {
    w.decide("set", line(name).parts.front(), {{"follows", line(after).parts.back()}}, "goes on from there");
  };
  shoot("levels-taken");
  for (const char *name : {"N2", "S1", "S2"}) w.decide("use", line(name).id, nlohmann::json::object(), "gone through");
  w.decide("set", line("S1").id, {{"reverse", true}}, "walked the other way");
  w.decide("set", line("N2").id, {{"rename", {{"K2", "R11"}, {"R11", "K2"}}}}, "names exchanged in the book");
  follow("N2", "N1");
  follow("S1", "N1 + N2");
  follow("S2", "N1 + N2 + S1");
  for (auto *p : window.findChildren<LevelPicture *>())
    if (p->isVisible()) {
      p->select(line("N1 + N2 + S1 + S2").id);
      Q_EMIT p->chosen(line("N1 + N2 + S1 + S2").id);
    }
  shoot("levels");
  press("Closures part");
  for (auto *c : window.findChildren<LevelClosures *>())
    if (c->isVisible()) {
      const std::string worst = line("N1 + N2 + S1 + S2").id + "#0";
      c->select(worst);
      Q_EMIT c->chosen(worst);
    }
  shoot("levels-closures");
  w.decide("set", "instrument:DL7", {{"sd", 0.7}, {"until", "2027-03-31"}, {"collimation", {{"2026-05-13", 0.004}}}},
           "certificate and test");
  press("Instruments part");
  shoot("levels-instruments");
  w.undo();
  press("Lines part");
  // What the doubts name: a set-up booked twice, a staff of the wrong scale.
  const LevelLine whole = line("N1 + N2 + S1 + S2");
  for (const auto &t : whole.setups.troubles)
    if (t.what.find("same readings") != std::string::npos)
      for (std::size_t i : {t.sight, t.sight + 1})
        w.decide("leave-out", whole.run.sights[i].id, nlohmann::json::object(), "booked twice");
  w.decide("set", "staff:B", {{"scale", -70}}, "calibration of May 2026");
  w.adjust();
  wait();
  window.show_section(Section::network);
  press("Geoid part");
  w.select("mark", "R11");
  shoot("network-geoid");
  // What three more hours would reach at a mark that is to be built.
  w.decide("set", "plan:mark K7", {{"east", 412800}, {"north", 5122300}, {"height", 700}}, "plan");
  w.decide("set", "plan:session 1", {{"marks", "REFA,REFB,R11,K7"}, {"start", "2026-06-02T08:00:00"}, {"minutes", 60}},
           "plan");
  w.decide("set", "plan:session 2", {{"marks", "REFA,PN1,K7"}, {"start", "2026-06-02T12:30:00"}, {"minutes", 120}},
           "plan");
  w.decide("set", "plan:station K7", {{"targets", "R11,PN1"}}, "plan");
  press("Design part");
  QTest::qWait(6000);
  shoot("network-design");
  press("Geoid part");
  press("Residuals part");
  shoot("network-residuals");
  press("Groups part");
  QTest::qWait(4000); // found beside the window
  shoot("network-groups");
  press("Marks part");
  // The site's system of 1987: one of its marks was set anew since.
  window.show_section(Section::datum);
  w.take({qEnvironmentVariable("AMPLETIE_DEMO") + "/site/site-1987.csv"});
  wait();
  std::string site;
  for (const auto &c : w.job().snapshot()->contents())
    if (c.source.name == "site-1987.csv") site = c.source.id;
  w.decide("set", "fit:site 1987", {{"list", site}}, "the client's system");
  w.adjust();
  wait();
  press("Frame fits part");
  w.select("mark", "DAM");
  shoot("datum-fit");
  press("Systems part");
  for (auto *words : window.findChildren<QLineEdit *>())
    if (words->accessibleName() == "Search systems") words->setText("etrs89 utm");
  QTest::qWait(300);
  for (auto *table : window.findChildren<QTableView *>())
    if (table->accessibleName() == "Systems of the register") table->setCurrentIndex(table->model()->index(0, 0));
  shoot("datum-systems");
  press("Way part");
  shoot("datum-way");
  press("Lists part");
  shoot("datum-lists");
  press("Comparison part");
  shoot("datum-comparison");
  press("Published marks part");
  window.show_section(Section::levels);
  for (auto [button, name] : {std::pair{"Heights part", "levels-heights"},
                              {"Files part", "levels-files"},
                              {"Key in part", "levels-key-in"}}) {
    press(button);
    shoot(name);
  }
  // A pole walked along the road of the south portal.
  const QString road = qEnvironmentVariable("AMPLETIE_DEMO") + "/track/";
  w.take({road + "PN1-k1.rnx.gz", road + "PN1-k2.rnx.gz", road + "ROVER-k.rnx.gz", road + "broadcast-k.rnx.gz",
          road + "stops.csv"});
  wait();
  window.show_section(Section::gnss);
  w.solve();
  wait();
  press("Tracks part");
  if (!w.job().tracks().empty() && w.job().tracks().front().stops.size() > 3)
    w.select("stop", w.job().tracks().front().stops[3].id);
  QTest::qWait(100);
  shoot("gnss-tracks");
  return 0;
}
