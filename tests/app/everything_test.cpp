// Chooses every row of every table and presses every button, in every state of the demo: nothing may reach the event
// loop as an exception.
#include "app/driver.h"
#include "app/window/application.h"
#include <QAbstractButton>
#include <QDialog>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;
using namespace ampletie::app;

namespace {

int failures() { return static_cast<Application *>(QApplication::instance())->failures; }

void wait_for_work(Driver &d) {
  for (int i = 0; i < 1200 && d.window.workspace().busy(); ++i) settle(50);
  settle(30);
}

void choose_every_row(Driver &d, int most) {
  for (const QString &s : all_sections) {
    d.section(s);
    settle(10);
    // The parts of a section are behind its tabs.
    QStringList parts{QString()};
    for (auto *b : d.window.findChildren<QAbstractButton *>())
      if (b->isVisible() && b->accessibleName().endsWith(" part")) parts << b->accessibleName();
    for (const QString &part : parts) {
      if (!part.isEmpty()) d.click(part);
      for (QTableView *t : d.window.findChildren<QTableView *>()) {
        if (!t->isVisible() || !t->model()) continue;
        const int rows = t->model()->rowCount(), step = std::max(1, rows / most);
        for (int r = 0; r < rows && r < t->model()->rowCount(); r += step) {
          t->setCurrentIndex(t->model()->index(r, 0));
          QApplication::processEvents();
        }
      }
    }
  }
}

void press_every_button(Driver &d) {
  std::set<QString> pressed;
  // Dialogs that ask for a file are closed again, menus too.
  QTimer closer;
  QObject::connect(&closer, &QTimer::timeout, [] {
    if (auto *w = qobject_cast<QDialog *>(QApplication::activeModalWidget())) w->reject();
    if (QWidget *menu = QApplication::activePopupWidget()) menu->close();
  });
  closer.start(30);
  for (const QString &s : all_sections) {
    d.section(s);
    for (int guard = 0; guard < 120; ++guard) {
      QPointer<QAbstractButton> next;
      for (auto *b : d.window.findChildren<QAbstractButton *>()) {
        const QString key = s + "|" + (b->accessibleName().isEmpty() ? b->text() : b->accessibleName());
        if (!b->isVisible() || !b->isEnabled() || b->accessibleName().startsWith("Section ") || pressed.count(key))
          continue;
        pressed.insert(key);
        next = b;
        break;
      }
      if (!next) break;
      next->click();
      settle(5);
      wait_for_work(d);
    }
  }
  CHECK(pressed.size() > 30);
}
} // namespace

TEST_CASE("every row chosen in every state of the demo") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Job job = demo_job(path);
    std::vector<std::string> more;
    for (const char *f :
         {"levels/levels-1a.txt", "levels/levels-1b.txt", "levels/levels-2a.txt", "levels/levels-2b.txt",
          "levels/benchmarks.csv", "stations/field-1a.txt", "stations/field-1b.txt", "stations/field-2.txt"})
      more.push_back(std::string(AMPLETIE_SOURCE_DIR "/demo/") + f);
    job.take(more);
    for (const char *m : {"HB1", "HB2"}) job.decide("hold", m, {{"how", "height"}}, "benchmark");
  }
  Driver d(path);
  const int before = failures();
  choose_every_row(d, 4); // fresh, with doubts
  CHECK(failures() == before);
  // As the demo stands: books and lines that nobody has gone through stay out of the network.
  for (const auto &c : Contents(d.window.workspace().job().snapshot()->contents()))
    if (c.source.kind == "pointings")
      d.window.workspace().decide("leave-out", c.source.id, nlohmann::json::object(), "not gone through yet");
  std::vector<std::string> lines;
  for (const LevelLine &l : d.window.workspace().job().snapshot()->levels().lines)
    if (l.name == "N2" || l.name == "S1" || l.name == "S2") lines.push_back(l.id);
  for (const auto &l : lines)
    d.window.workspace().decide("leave-out", l, nlohmann::json::object(), "not gone through yet");
  d.window.workspace().solve();
  wait_for_work(d);
  choose_every_row(d, 4);
  CHECK(failures() == before);
  d.window.workspace().adjust();
  wait_for_work(d);
  choose_every_row(d, 60); // T01 of Traverse › Marks once ended the program here
  CHECK(failures() == before);
  CHECK(d.window.workspace().issue(QString::fromStdString(folder / "issue")).toStdString() == "");
  choose_every_row(d, 4);
  press_every_button(d);
  choose_every_row(d, 4);
  CHECK(failures() == before);
}

TEST_CASE("no label shows markup in place of words: without a job, in an empty one, in the demo") {
  const auto look = [](Driver &d) {
    for (const char *section : {"Intake", "GNSS", "Levels", "Traverse", "Network", "Datum", "Issue"}) {
      d.section(section);
      for (auto *label : d.window.findChildren<QLabel *>())
        if (label->textFormat() != Qt::RichText) {
          INFO(section << ": " << label->text().toStdString());
          CHECK_FALSE(label->text().contains(QRegularExpression("</?(p|b|i|a|br|span|table|h[1-3])[ >/]")));
        }
    }
  };
  TemporaryFolder folder;
  {
    Driver d;
    look(d);
  }
  Job::create(folder / "empty.tie", demo_settings());
  {
    Driver d(folder / "empty.tie");
    look(d);
  }
  demo_job(folder / "demo.tie");
  Driver d(folder / "demo.tie");
  look(d);
}

TEST_CASE("an exception in a slot is told and the program goes on") {
  Driver d;
  auto *app = static_cast<Application *>(QApplication::instance());
  QString said;
  app->failed = [&](const QString &why) { said = why; };
  const int before = app->failures;
  QTimer::singleShot(0, &d.window, [] { throw std::out_of_range("map::at"); });
  settle(50);
  CHECK(app->failures == before + 1);
  CHECK(said.contains("map::at"));
  app->failed = {};
}

TEST_CASE("another job that is opened while one is solved keeps its own vectors") {
  TemporaryFolder folder;
  { demo_job(folder / "a.tie"); }
  {
    Job b = Job::create(folder / "b.tie", demo_settings());
    b.take(demo_files());
  }
  Driver d(folder / "a.tie");
  CHECK(d.window.workspace().solve());
  settle(300);
  d.window.open(QString::fromStdString(folder / "b.tie"));
  settle(300);
  wait_for_work(d);
  CHECK(d.window.workspace().job().store().path() == folder / "b.tie");
  CHECK(d.window.workspace().job().vectors().empty());
  CHECK_FALSE(d.window.workspace().busy());
  // What the first had solved until then is in its file.
  CHECK(Job::open(folder / "a.tie").snapshot()->occupations().size() == 14);
}

TEST_CASE("a name that looks like a page stays a name") {
  TemporaryFolder folder;
  {
    JobSettings s = demo_settings();
    s.title = "<img src=\"file:///etc/passwd\"><b>x</b>";
    Job::create(folder / "a.tie", s);
  }
  Driver d(folder / "a.tie");
  auto *title = d.named<QLabel>("job title");
  REQUIRE(title);
  CHECK(title->textFormat() == Qt::PlainText);
  for (auto *label : d.window.findChildren<QLabel *>())
    if (label->isVisible() && label->text().contains("<img")) CHECK(label->textFormat() == Qt::PlainText);
}
