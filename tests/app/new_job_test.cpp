// The page that a new job is made on, templates, the job menu, the guide inside the program.
#include "app/driver.h"
#include "app/widgets/heading_link.h"
#include "app/window/help_page.h"
#include "app/window/new_job_page.h"
#include "base/hash.h"
#include "job/settings.h"
#include "job/settings_template.h"
#include <QComboBox>
#include <QDateEdit>
#include <QFile>
#include <QListWidget>
#include <QMenu>
#include <QTextBlock>
#include <QToolButton>
#include <fstream>

using namespace ampletie;
using namespace ampletie::testing;
using namespace ampletie::app;

namespace {
/// Types into a field of the page and waits for what is searched.
void type(Driver &d, const QString &field, const QString &words) {
  auto *e = d.named<QLineEdit>(field);
  REQUIRE(e);
  e->setText(words);
  settle(260);
}
QString means(Driver &d) {
  QString html = d.named<QLabel>("What the job will be")->text();
  return html.remove(QRegularExpression("<[^>]*>"));
}
bool can_be_made(Driver &d) { return d.named<QPushButton>("Make the job")->isEnabled(); }
void choose_grid(Driver &d, const QString &code) {
  auto *list = d.named<QListWidget>("Grids found");
  for (int i = 0; i < list->count(); ++i)
    if (list->item(i)->text().startsWith(code + " ")) list->setCurrentRow(i);
  settle(20);
}
void choose_heights(Driver &d, const QString &code) {
  auto *box = d.named<QComboBox>("Heights of the job");
  const int at = box->findData(code);
  REQUIRE(at >= 0);
  box->setCurrentIndex(at);
  Q_EMIT box->activated(at);
  settle(10);
}
QAction *action_of(Driver &d, const QString &name) {
  QMenu *menu = d.named<QToolButton>("Job menu")->menu();
  Q_EMIT menu->aboutToShow();
  for (QAction *a : menu->actions())
    if (a->text().section('\t', 0, 0) == name) return a;
  return nullptr;
}
} // namespace

TEST_CASE("a new job is told what decides it, and is what was said") {
  TemporaryFolder folder;
  Driver d;
  d.press(Qt::Key_N, Qt::ControlModifier);
  REQUIRE(d.named<QLineEdit>("Title of the job"));
  CHECK_FALSE(can_be_made(d));
  CHECK(means(d).contains("Missing: the job has no title yet"));
  CHECK(means(d).contains("no verdict will be given"));
  type(d, "Title of the job", "Ring road");
  CHECK(means(d).contains("no grid is chosen"));
  type(d, "Place of the job", "46.29 abc");
  CHECK(means(d).contains("where it is cannot be read"));
  type(d, "Place of the job", "46d17'24\"N 13.88");
  type(d, "Search grids", "25833");
  choose_grid(d, "EPSG:25833");
  CHECK(means(d).contains("can be used there"));
  CHECK(means(d).contains("ETRF2000"));
  CHECK(means(d).contains("levels and benchmarks cannot take part"));
  CHECK(can_be_made(d));
  // A file is proposed that any system takes.
  auto *page = d.window.findChild<NewJobPage *>();
  REQUIRE(page);
  CHECK(page->file_name() == "Ring road.tie");
  type(d, "Title of the job", "  Ålesund/2: \"ring\"  ");
  CHECK(page->file_name() == "Ålesund-2- -ring-.tie");
  type(d, "Title of the job", "..");
  CHECK(page->file_name().isEmpty());
  type(d, "Title of the job", "Ring road");
  REQUIRE(action_of(d, "Look at the demo"));
  CHECK(action_of(d, "Look at the demo")->isEnabled());
  // Areas are named in full letters.
  type(d, "Search grids", "");
  type(d, "Place of the job", "-11.07 -77.59");
  auto *grids = d.named<QListWidget>("Grids found");
  REQUIRE(grids->count() > 5);
  for (int i = 0; i < grids->count(); ++i) CHECK_FALSE(grids->item(i)->text().contains(QChar(0xFFFD)));
  type(d, "Place of the job", "46d17'24\"N 13.88");
  type(d, "Search grids", "25833");
  choose_grid(d, "EPSG:25833");
  choose_heights(d, "EPSG:5773");
  CHECK(means(d).contains("EGM96"));
  d.named<QDateEdit>("Epoch of the job")->setDate(QDate(2026, 5, 12));
  type(d, "Asked in plan", "twenty");
  CHECK_FALSE(can_be_made(d)); // nonsense is no accuracy
  type(d, "Asked in plan", "20");
  type(d, "Geoid deviation", "150");
  CHECK(means(d).contains("known to 150 mm, as said"));
  REQUIRE(can_be_made(d));
  d.window.make_job_at(QString::fromStdString(folder / "ring.tie"));
  settle(30);
  REQUIRE(d.window.workspace().has_job());
  const JobSettings &s = d.window.workspace().job().state().settings;
  CHECK(s.title == "Ring road");
  CHECK(s.datum.crs == "EPSG:25833");
  CHECK(s.datum.vertical == "EPSG:5773");
  CHECK(s.datum.epoch == Approx(2026.36).margin(0.003));
  CHECK(s.asked.plan == Approx(0.020));
  CHECK(s.asked.height == 0);
  CHECK(s.datum.geoid_sd == Approx(0.150));
  // The sheet of what comes next is shown, and the files of the demo go into it.
  d.drop({QString(AMPLETIE_SOURCE_DIR "/demo/data/REFA-s1.rnx.gz")});
  for (int i = 0; i < 400 && d.window.workspace().job().snapshot()->occupations().empty(); ++i) settle(5);
  CHECK(d.window.workspace().job().snapshot()->occupations().size() == 1);
}

TEST_CASE("heights alone, a plane of the site's own, and what cannot be") {
  TemporaryFolder folder;
  Driver d;
  d.window.show_new_job();
  auto *kind = d.named<QComboBox>("Kind of coordinates");
  type(d, "Title of the job", "Heights of the dam");
  kind->setCurrentIndex(2);
  Q_EMIT kind->activated(2);
  CHECK(means(d).contains("needs its height system"));
  kind->setCurrentIndex(1);
  Q_EMIT kind->activated(1);
  CHECK(means(d).contains("needs the place"));
  type(d, "Place of the job", "-33.9, 151.2"); // the other hemisphere
  CHECK(can_be_made(d));
  d.window.make_job_at(QString::fromStdString(folder / "plane")); // the ending comes by itself
  settle(30);
  REQUIRE(d.window.workspace().has_job());
  CHECK(d.window.workspace().job().state().settings.datum.crs.rfind("local:-33.9", 0) == 0);
  CHECK(std::filesystem::exists(folder / "plane.tie"));
  // A second one at the same place is refused with a sentence on the page; the first stays open.
  d.window.show_new_job();
  type(d, "Title of the job", "Another");
  kind->setCurrentIndex(1);
  Q_EMIT kind->activated(1);
  type(d, "Place of the job", "-33.9 151.2");
  d.window.make_job_at(QString::fromStdString(folder / "plane.tie"));
  settle(30);
  CHECK_FALSE(d.named<QLabel>("New job says")->text().isEmpty());
  CHECK(d.window.workspace().job().state().settings.title == "Heights of the dam");
  d.press(Qt::Key_Escape);
  CHECK(d.named<QLineEdit>("Title of the job") == nullptr);
  CHECK(d.window.findChild<EvidencePanel *>()->isVisible());
}

TEST_CASE("settings are kept as a template, and another job begins with them") {
  TemporaryFolder folder;
  const QString file = QString::fromStdString(folder / "tunnels.json");
  {
    DemoDriver demo;
    auto &w = demo.d.window.workspace();
    REQUIRE(w.decide("set", "limit", {{"loop", 7}}, "own limit").isEmpty());
    REQUIRE(w.decide("set", "limit", {{"asked-plan", 15}}, "contract").isEmpty());
    CHECK(demo.d.window.keep_template_as(file).isEmpty());
    CHECK(demo.d.status().contains("settings kept as"));
  }
  Driver d;
  d.window.show_new_job();
  auto *page = d.window.findChild<NewJobPage *>();
  REQUIRE(page->use_template(file).isEmpty());
  settle(260);
  CHECK(d.named<QLabel>("Template of the job")->text() == "tunnels");
  CHECK(d.named<QLineEdit>("Asked in plan")->text() == "15");
  CHECK_FALSE(can_be_made(d)); // title and epoch are the job's own
  type(d, "Title of the job", "The next tunnel");
  REQUIRE(can_be_made(d));
  d.window.make_job_at(QString::fromStdString(folder / "next.tie"));
  settle(30);
  const JobSettings &s = d.window.workspace().job().state().settings;
  CHECK(s.datum.crs == "EPSG:25833");
  CHECK(s.datum.vertical == "EPSG:5773");
  CHECK(setting_text(s, "loop") == "7");
  CHECK(s.title == "The next tunnel");
  // Wrong files leave the page as it is and say why.
  d.window.show_new_job();
  std::ofstream(folder / "no.json") << "{\"a\": 1}";
  std::ofstream(folder / "newer.json") << "{\"ample_tie_template\": 9, \"settings\": {}}";
  std::ofstream(folder / "odd.json") << "{\"ample_tie_template\": 1, \"settings\": {\"wind\": \"strong\"}}";
  std::ofstream(folder / "bad.json") << "{\"ample_tie_template\": 1, \"settings\": {\"loop\": \"wide\"}}";
  for (const auto &[name, words] : {std::pair{"no.json", "no template"},
                                    {"newer.json", "version 9"},
                                    {"odd.json", "wind"},
                                    {"bad.json", "loop"},
                                    {"gone.json", ""}}) {
    INFO(name);
    const QString why = page->use_template(QString::fromStdString(folder / name));
    CHECK(why.contains(name));
    CHECK(why.contains(words));
  }
}

TEST_CASE("every setting goes into a template and comes back; title and epoch do not") {
  JobSettings s;
  s.title = "mine", s.datum = {"EPSG:25833", "EPSG:5773", "ETRF2000", 2024.5};
  s.loop_mm = 4, s.orbits = "precise", s.together = false, s.asked.plan = 0.012;
  const JobSettings back = read_template(write_template(s));
  for (const SettingInfo &i : setting_catalogue()) {
    INFO(i.name);
    if (std::string(i.name) == "title" || std::string(i.name) == "epoch") continue;
    CHECK(setting_text(back, i.name) == setting_text(s, i.name));
  }
  CHECK(back.title == JobSettings().title);
  CHECK(write_template(s).find("mine") == std::string::npos);
  CHECK(write_template(JobSettings()).find("\"settings\": {}") !=
        std::string::npos); // what is as it is by itself is not said
}

TEST_CASE("the job menu says what can be done, copies the job, and leaves the open one open") {
  TemporaryFolder folder;
  {
    Driver empty;
    CHECK(action_of(empty, "New job …")->isEnabled());
    CHECK_FALSE(action_of(empty, "Copy the job as …")->isEnabled());
    CHECK_FALSE(action_of(empty, "Settings")->isEnabled());
    CHECK(empty.window.copy_job_to("/tmp/x.tie") == "no job is open");
  }
  DemoDriver demo;
  Driver &d = demo.d;
  for (const char *name : {"New job …", "Open …", "Copy the job as …", "Settings", "Keep the settings as a template …",
                           "Decisions", "The plan as the whole sheet", "Find …", "Guide", "Keys", "Close the window"}) {
    INFO(name);
    REQUIRE(action_of(d, name));
    CHECK(action_of(d, name)->isEnabled());
  }
  const QString to = QString::fromStdString(folder / "second.tie");
  REQUIRE(d.window.copy_job_to(to).isEmpty());
  CHECK(d.window.copy_job_to(to).contains("is there already"));
  CHECK(d.window.copy_job_to(QString::fromStdString(demo.path)) == "that is the open job itself");
  // What is decided now is the open job's alone.
  REQUIRE(d.window.workspace().decide("set", "job", {{"title", "changed"}}, "after the copy").isEmpty());
  const Job copy = Job::open(to.toStdString());
  CHECK(copy.state().settings.title == "Orvane tunnel control");
  CHECK(copy.snapshot()->occupations().size() == d.window.workspace().job().snapshot()->occupations().size());
  CHECK(copy.decisions().size() + 1 == d.window.workspace().job().decisions().size());
  CHECK(d.window.workspace().job().state().settings.title == "changed");
  action_of(d, "Settings")->trigger();
  settle(20);
  CHECK(d.table("Settings")->isVisible());
}

TEST_CASE("F1 opens the guide at the section that is shown; links stay inside; Esc leads back") {
  DemoDriver demo;
  Driver &d = demo.d;
  auto *text = d.window.findChild<GuideText *>();
  const auto heading = [&] { return text->textCursor().block().text(); };
  for (const auto &[section, at] :
       {std::pair{"Levels", "Levels"}, {"Intake", "Taking files"}, {"Network", "Network"}, {"Issue", "Issue"}}) {
    d.section(section);
    d.press(Qt::Key_F1);
    INFO(section);
    REQUIRE(text->isVisible());
    CHECK(heading() == at);
    settle(30);
    // It stands at the top of the page, where the page goes on below it.
    CHECK((std::abs(text->cursorRect().top()) < 40 || QString(section) == "Issue"));
    d.press(Qt::Key_Escape);
    CHECK_FALSE(text->isVisible());
    CHECK(d.window.findChild<JobLine *>()->isVisible());
  }
  d.press(Qt::Key_F1);
  auto *page = d.window.findChild<HelpPage *>();
  auto *headings = d.named<QListWidget>("Headings of the guide");
  CHECK(headings->count() > 10);
  // From page to page, and not out of the folder.
  d.click("Formats page");
  CHECK(page->page() == "formats.md");
  CHECK(text->toPlainText().size() > 3000);
  Q_EMIT text->anchorClicked(QUrl("guide/README.md#levels"));
  CHECK(page->page() == "guide/README.md");
  CHECK(heading() == "Levels");
  Q_EMIT text->anchorClicked(QUrl("https://example.org/"));
  CHECK(d.named<QLabel>("Search of the guide says")->text().contains("not opened from here"));
  page->show_page("../../README.md");
  CHECK(text->toPlainText().contains("There is no page"));
  page->show_page("guide/README.md");
  // Searching: found, found again, not there.
  auto *words = d.named<QLineEdit>("Search the guide");
  words->setText("two-peg");
  settle(20);
  CHECK(text->textCursor().selectedText().toLower() == "two-peg");
  const int first = text->textCursor().position();
  QTest::keyClick(words, Qt::Key_Return);
  CHECK((text->textCursor().position() != first || text->toPlainText().count("two-peg", Qt::CaseInsensitive) == 1));
  words->setText("zzzz");
  settle(20);
  CHECK(d.named<QLabel>("Search of the guide says")->text() == "not on this page");
  d.click("Back to the job");
  CHECK_FALSE(text->isVisible());
}

TEST_CASE("P makes the plan the whole sheet; P, Esc and another section give back what stood beside it") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  d.window.workspace().adjust();
  d.wait();
  d.section("Network");
  const auto plan = [&]() -> PlanView * {
    for (auto *p : d.window.findChildren<PlanView *>())
      if (p->isVisible()) return p;
    return nullptr;
  };
  REQUIRE(plan());
  const int narrow = plan()->width();
  const auto tables = [&] {
    int n = 0;
    for (auto *t : d.window.findChildren<QTableView *>()) n += t->isVisible();
    return n;
  };
  const int before = tables();
  REQUIRE(before > 0);
  for (const Qt::Key back : {Qt::Key_P, Qt::Key_Escape}) {
    d.press(Qt::Key_P);
    REQUIRE(plan());
    CHECK(plan()->width() > 2 * narrow);
    CHECK(tables() == 0);
    CHECK(d.named<QPushButton>("Adjust network")); // the head stays
    d.press(back);
    CHECK(tables() == before);
    CHECK(plan()->width() == narrow);
  }
  d.press(Qt::Key_P);
  d.section("Issue");
  d.section("Network");
  CHECK(tables() == before);
  // A choice on the plan is a choice everywhere, there too.
  d.press(Qt::Key_P);
  d.window.workspace().select("mark", "R07");
  settle(30);
  CHECK(d.evidence().contains("R07"));
  d.press(Qt::Key_P);
  d.click("Causes part"); // has no plan
  d.press(Qt::Key_P);
  CHECK(d.status().contains("no plan"));
}

TEST_CASE("every heading and every page that the guide links to is there") {
  Driver d;
  auto *page = d.window.findChild<HelpPage *>();
  auto *text = d.window.findChild<GuideText *>();
  const QString root = docs_folder();
  REQUIRE_FALSE(root.isEmpty());
  page->show_page("guide/README.md");
  QFile file(root + "/guide/README.md");
  REQUIRE(file.open(QIODevice::ReadOnly));
  const QString guide = QString::fromUtf8(file.readAll());
  int links = 0;
  QRegularExpression link("\\]\\(([^)]+)\\)");
  for (auto m = link.globalMatch(guide); m.hasNext();) {
    const QString to = m.next().captured(1);
    INFO(to.toStdString());
    if (to.endsWith(".png") || to.contains("://")) continue;
    Q_EMIT text->anchorClicked(QUrl(to));
    CHECK_FALSE(text->toPlainText().startsWith("There is no page"));
    page->show_page("guide/README.md");
    ++links;
  }
  CHECK(links >= 3);
}

TEST_CASE("jobs across the world: the page says what each grid means there, and makes what it says can be made") {
  // Place, grid, heights, realisation, and words of the page; grids of other units, axes and hemispheres.
  const struct {
    const char *place, *grid, *heights, *realisation, *words;
  } jobs[] = {
      {"46.29 13.88", "EPSG:25833", "EPSG:5773", "", "ETRF2000"},
      {"-41.29, 174.78", "EPSG:2193", "", "", "Transverse Mercator"},          // north first, the other hemisphere
      {"40.71 -74.0", "EPSG:6539", "EPSG:5773", "NAD83(2011)", "Long Island"}, // US survey feet
      {"-16.68 -49.26", "EPSG:31982", "", "", "SIRGAS 2000"},                  // a frame of one epoch
      {"-33.87 151.21", "EPSG:7856", "", "", "zone 56"},
      {"64.14 -21.94", "EPSG:5325", "", "", "Lambert"},
  };
  TemporaryFolder folder;
  Driver d;
  int made = 0, refused = 0;
  for (const auto &j : jobs) {
    INFO(j.grid);
    d.window.show_new_job();
    type(d, "Title of the job", QString("Job in ") + j.grid);
    type(d, "Place of the job", j.place);
    type(d, "Search grids", QString(j.grid).section(':', 1));
    choose_grid(d, j.grid);
    CHECK(means(d).contains(j.words));
    CHECK(means(d).contains(j.grid));
    type(d, "Realisation of the frame", j.realisation);
    if (*j.heights) choose_heights(d, j.heights);
    const QString said = means(d);
    CHECK((said.contains("can be used there") || said.contains("used")));
    if (!can_be_made(d)) {
      CHECK(said.contains("Missing: ")); // a sentence, not silence
      ++refused;
      continue;
    }
    const std::string path = folder / (std::string("job") + std::to_string(made + refused) + ".tie");
    d.window.make_job_at(QString::fromStdString(path));
    settle(30);
    if (std::filesystem::exists(path)) {
      const JobSettings &s = d.window.workspace().job().state().settings;
      CHECK(s.datum.crs == j.grid);
      CHECK(s.title == std::string("Job in ") + j.grid);
      CHECK_FALSE(d.named<QLineEdit>("Title of the job")); // the job is shown
      ++made;
    } else {
      CHECK(d.named<QLabel>("New job says")->text().size() > 20);
      ++refused;
    }
  }
  CHECK(made >= 4);
  CHECK(made + refused == 6);
}

TEST_CASE("recent jobs stand in the menu with their titles, and open from there") {
  TemporaryFolder folder;
  const std::string one = folder / "one.tie", two = folder / "two.tie";
  for (const auto &[path, title] : {std::pair{&one, "The first one"}, {&two, "The second one"}}) {
    JobSettings s = demo_settings();
    s.title = title;
    Job::create(*path, s);
  }
  Driver d(one);
  REQUIRE(d.window.open(QString::fromStdString(two)));
  settle(30);
  const auto recent = [&]() -> QMenu * { return action_of(d, "Recent jobs")->menu(); };
  REQUIRE(recent());
  QAction *first = nullptr;
  for (QAction *a : recent()->actions())
    if (a->text() == "The first one – one.tie") first = a;
  REQUIRE(first);
  first->trigger();
  settle(30);
  CHECK(d.window.workspace().job().state().settings.title == "The first one");
  CHECK(d.window.windowTitle().startsWith("The first one"));
  // One that is gone is offered no more.
  std::filesystem::remove(two);
  for (QAction *a : recent()->actions()) CHECK(a->text() != "The second one – two.tie");
}

TEST_CASE("every doubt is explained in the guide, and its page opens at it") {
  QFile file(docs_folder() + "/guide/doubts.md");
  REQUIRE(file.open(QIODevice::ReadOnly));
  const QString page = QString::fromUtf8(file.readAll());
  for (int k = 0; k <= static_cast<int>(DoubtKind::issue_record_damaged); ++k) {
    const QString name = words(static_cast<DoubtKind>(k));
    INFO(name.toStdString());
    const auto at = page.indexOf("\n### " + name + "\n");
    REQUIRE(at > 0);
    const QString text = page.mid(at + 6 + name.size()).section("\n#", 0, 0);
    CHECK(text.trimmed().size() > 25);
  }
  DemoDriver demo;
  Driver &d = demo.d;
  auto &w = d.window.workspace();
  std::string atx;
  for (const SourceContent &c : w.job().snapshot()->contents())
    if (c.antex) atx = c.source.id;
  REQUIRE(w.decide("leave-out", atx, nlohmann::json::object(), "without calibrations").isEmpty());
  d.wait();
  REQUIRE(!w.job().doubts().empty());
  const Doubt doubt = w.job().doubts().front();
  w.select("doubt", doubt.id);
  settle(20);
  auto *help = d.window.findChild<HelpPage *>();
  auto *text = d.window.findChild<GuideText *>();
  d.press(Qt::Key_F1);
  REQUIRE(help->isVisible());
  CHECK(help->page() == "guide/doubts.md");
  CHECK(text->textCursor().block().text() == QString::fromStdString(words(doubt.kind)));
  d.press(Qt::Key_Escape);
  CHECK_FALSE(help->isVisible());
  // The same by the link in the evidence.
  help->show_page("guide/README.md");
  auto *evidence = d.window.findChild<QTextBrowser *>("evidence text");
  CHECK_THAT(evidence->toPlainText().toStdString(), Contains("What this doubt means"));
  Q_EMIT evidence->anchorClicked(QUrl("guide:" + heading_link(words(doubt.kind))));
  settle(10);
  REQUIRE(help->isVisible());
  CHECK(text->textCursor().block().text() == QString::fromStdString(words(doubt.kind)));
}
