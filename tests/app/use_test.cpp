// Habits and mistakes that have no place of their own: wrong files, nonsense in every setting, a job that somebody else
// has open, a keyboard alone, ears in place of eyes.
#include "app/driver.h"
#include "base/hash.h"
#include "job/settings.h"
#include <QAbstractSpinBox>
#include <QClipboard>
#include <QComboBox>

using namespace ampletie;
using namespace ampletie::testing;
using namespace ampletie::app;
using Catch::Matchers::Contains;

namespace {
/// All settings as they are shown, name by name.
std::map<std::string, std::string> settings_of(const Job &job) {
  std::map<std::string, std::string> out;
  for (const SettingInfo &i : setting_catalogue()) out[i.name] = setting_text(job.state().settings, i.name);
  return out;
}

} // namespace

TEST_CASE("nonsense in every setting is refused with a sentence, and what is taken comes back by undo") {
  DemoDriver demo;
  Driver &d = demo.d;
  d.press(Qt::Key_Comma, Qt::ControlModifier);
  QTableView *t = d.table("Settings");
  const auto before = settings_of(d.window.workspace().job());
  QString said;
  auto *model = qobject_cast<TableModel *>(qobject_cast<QSortFilterProxyModel *>(t->model())->sourceModel());
  const auto watch = QObject::connect(model, &TableModel::refused, &d.window, [&](const QString &why) { said = why; });
  int refused = 0, taken = 0;
  for (int r = 0; r < t->model()->rowCount(); ++r)
    for (const char *words : {"-1e300", "abc 12", "\"; drop", "0,0,0"}) {
      INFO(d.cell(t, r, "Setting").toStdString() << " = " << words);
      said.clear();
      const std::size_t decisions = d.window.workspace().job().decisions().size();
      t->model()->setData(t->model()->index(r, d.column(t, "Value")), words, Qt::EditRole);
      settle(0);
      if (!said.isEmpty()) {
        ++refused;
        CHECK(settings_of(d.window.workspace().job()) == before);
        CHECK(d.window.workspace().job().decisions().size() == decisions);
        continue;
      }
      ++taken; // a title may be anything
      d.window.workspace().undo();
      CHECK(settings_of(d.window.workspace().job()) == before);
    }
  QObject::disconnect(watch);
  CHECK(refused > 120);
  CHECK(taken < refused / 4);
}

TEST_CASE("wrong files are told one by one what they are; the job is as it was") {
  DemoDriver demo;
  Driver &d = demo.d;
  const TemporaryFolder &folder = demo.folder;
  const std::string rinex = gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/data/PN1-s1.rnx.gz"));
  const std::map<std::string, std::string> files{
      {"photo.jpg", std::string("\xFF\xD8\xFF\xE0\0\x10JFIF\0", 11) + std::string(4000, '\x7a')},
      {"empty.rnx", ""},
      {"letter.docx", std::string("PK\x03\x04\x14\0\0\0", 8) + "word/document.xml"},
      {"page.html", "<!DOCTYPE html><html><body><p>Not found</p></body></html>\n"},
      {"head-only.rnx", rinex.substr(0, 400)},
      {"numbers.bin",
       [] {
         std::string out;
         for (int i = 0; i < 5000; ++i) out += static_cast<char>((i * i + 7 * i) % 256);
         return out;
       }()},
      {"memo.txt", "Dear colleague,\n\nthe mark was destroyed in spring.\n"}};
  QStringList dropped;
  for (const auto &[name, bytes] : files) {
    write_file(folder / name, bytes);
    dropped << QString::fromStdString(folder / name);
  }
  dropped << QString::fromStdString(folder / "was-never-there.rnx") << QString::fromStdString(folder / ".");
  const Job &job = d.window.workspace().job();
  const std::size_t sources = job.snapshot()->contents().size(), decisions = job.decisions().size();
  d.section("Intake");
  d.drop(dropped);
  d.wait();
  d.click("Last drop part");
  QTableView *t = d.table("Last drop");
  CHECK(t->model()->rowCount() == dropped.size());
  for (int r = 0; r < t->model()->rowCount(); ++r) {
    const std::string what = d.cell(t, r, "What became of it").toStdString();
    INFO(d.cell(t, r, "File").toStdString() << ": " << what);
    CHECK_THAT(what, Contains("refused: "));
    CHECK(what.size() > 20); // a reason
  }
  CHECK(d.window.workspace().job().snapshot()->contents().size() == sources);
  CHECK(d.window.workspace().job().decisions().size() == decisions);
  // The same file again is no other one.
  d.drop({QString(AMPLETIE_SOURCE_DIR "/demo/data/PN1-s1.rnx.gz")});
  d.wait();
  CHECK_THAT(d.cell(t, 0, "What became of it").toStdString(), Contains("already"));
  CHECK(d.window.workspace().job().snapshot()->contents().size() == sources);
}

TEST_CASE("a job that another program has open is looked at, says so, and cannot be changed") {
  TemporaryFolder folder;
  const std::string path = folder / "shared.tie";
  Job owner = demo_job(path);
  Driver d(path);
  CHECK_THAT(d.window.windowTitle().toStdString(), Contains("reading only"));
  CHECK_THAT(d.status().toStdString(), Contains("reading only"));
  CHECK_THAT(d.window.workspace().decide("release", "REFA", nlohmann::json::object(), "").toStdString(),
             Contains("open in another program") || Contains("another program"));
  d.section("Datum");
  CHECK(d.table("Published marks")->model()->rowCount() > 0);
  d.window.workspace().take({QString(AMPLETIE_SOURCE_DIR "/demo/track/stops.csv")});
  d.wait();
  CHECK(d.window.workspace().job().snapshot()->contents().size() == owner.snapshot()->contents().size());
}

TEST_CASE("everything that can be worked with has a name, in every part of every section") {
  AdjustedDemoDriver demo;
  Driver &d = demo.d;
  int seen = 0;
  in_every_part(d, [&](const QString &where) {
    for (QWidget *w : d.window.findChildren<QWidget *>()) {
      if (!w->isVisible() || w->focusPolicy() == Qt::NoFocus || !w->isEnabled()) continue;
      if (w->objectName().startsWith("qt_") || w->inherits("QHeaderView") || w->inherits("QScrollBar")) continue;
      QString name = w->accessibleName();
      if (auto *b = qobject_cast<QAbstractButton *>(w); b && name.isEmpty()) name = b->text();
      if (!qobject_cast<QAbstractButton *>(w) && !qobject_cast<QLineEdit *>(w) && !qobject_cast<QComboBox *>(w) &&
          !qobject_cast<QTableView *>(w))
        continue;
      INFO(where.toStdString() << ": a " << w->metaObject()->className() << " called \""
                               << w->objectName().toStdString() << "\"");
      CHECK_FALSE(name.isEmpty());
      ++seen;
    }
  });
  CHECK(seen > 200);
}

TEST_CASE("numbers stand right, and no head is wider than its column, in every table of the adjusted demo") {
  AdjustedDemoDriver demo;
  Driver &d = demo.d;
  in_every_part(d, [&](const QString &where) {
    for (QTableView *t : d.window.findChildren<QTableView *>()) {
      if (!t->isVisible() || t->model()->rowCount() == 0) continue;
      auto *proxy = qobject_cast<QSortFilterProxyModel *>(t->model());
      auto *rows = proxy ? qobject_cast<TableModel *>(proxy->sourceModel()) : nullptr;
      if (!rows) continue;
      for (int c = 0; c < rows->columnCount(); ++c) {
        const Column &column = rows->columns[static_cast<std::size_t>(c)];
        INFO(where.toStdString() << ", " << t->accessibleName().toStdString() << ", " << column.title.toStdString());
        if (column.number) CHECK((t->model()->index(0, c).data(Qt::TextAlignmentRole).toInt() & Qt::AlignRight) != 0);
        QFont bold = t->horizontalHeader()->font();
        CHECK(QFontMetrics(bold).horizontalAdvance(column.title) <= t->columnWidth(c));
      }
    }
  });
}

TEST_CASE("what nobody would notice stands beside a mark, and whether the control agrees above the groups") {
  AdjustedDemoDriver demo;
  Driver &d = demo.d;
  d.section("Network");
  QTableView *t = d.table("Network marks");
  t->setCurrentIndex(t->model()->index(d.row_with(t, "Mark", "R07"), 0));
  settle(20);
  CHECK_THAT(d.evidence().toStdString(), Contains("An error that no test would notice moves it by up to"));
  d.click("Groups part");
  auto *words = d.named<QLabel>("Groups in words");
  REQUIRE(words);
  for (int i = 0; i < 400 && !words->text().contains("Holding more"); ++i) settle(10);
  const std::string said = words->text().toStdString();
  CHECK_THAT(said, Contains("free <b>") && Contains("minimal <b>") && Contains("held <b>"));
  CHECK_THAT(said, Contains("the control agrees with the observations"));
}

TEST_CASE("space leaves out what is chosen in a table, and once more uses it again") {
  SolvedDemoDriver demo;
  Driver &d = demo.d;
  const std::map<QString, QString> tables{{"Intake", "Occupations"}, {"GNSS", "Vectors"}};
  for (const auto &[section, name] : tables) {
    INFO(section.toStdString());
    d.section(section);
    settle(10);
    QTableView *t = d.table(name);
    for (int r : {0, 3}) {
      t->setCurrentIndex(t->model()->index(r, 0));
      const std::string id = d.window.workspace().selection().id;
      REQUIRE_FALSE(id.empty());
      t->setFocus();
      QTest::keyClick(t, Qt::Key_Space);
      settle(20);
      CHECK(d.window.workspace().job().state().left_out.count(id) == 1);
      CHECK(d.window.workspace().selection().id == id); // what is chosen stays chosen
      t->setFocus();
      QTest::keyClick(t, Qt::Key_Space);
      settle(20);
      CHECK(d.window.workspace().job().state().left_out.count(id) == 0);
    }
  }
}

namespace {
using Tables = std::map<std::string, std::string>; ///< what every table of every part shows, row by row, in any order

std::string shown_in(const QTableView *t) {
  QStringList rows;
  for (int r = 0; r < t->model()->rowCount(); ++r) {
    QStringList cells;
    for (int c = 0; c < t->model()->columnCount(); ++c) cells << t->model()->index(r, c).data().toString();
    rows << cells.join('\t');
  }
  rows.sort();
  return rows.join('\n').toStdString();
}
/// What becomes known beside the window is waited for: until twice the same is shown, and nothing says that it comes.
Tables all_tables(Driver &d) {
  Tables out;
  const auto comes = [&] {
    const auto *l = d.named<QLabel>("Groups in words");
    return l && l->text().contains("in turn …");
  };
  in_every_part(d, [&](const QString &where) {
    for (auto *t : d.window.findChildren<QTableView *>()) {
      if (!t->isVisible()) continue;
      std::string now = shown_in(t), before;
      for (int i = 0; i < 400 && (now != before || comes()); ++i) {
        before = now;
        settle(40);
        now = shown_in(t);
      }
      out[where.toStdString() + ": " + t->accessibleName().toStdString()] = now;
    }
  });
  return out;
}
void same(const Tables &a, const Tables &b) {
  REQUIRE(a.size() == b.size());
  for (const auto &[name, text] : a) {
    INFO(name);
    REQUIRE(b.count(name));
    CHECK(b.at(name) == text);
  }
}
} // namespace

TEST_CASE("the second day: closed and opened again, every table shows what it showed") {
  AdjustedDemoDriver demo;
  for (const char *f : {"levels-1a.txt", "benchmarks.csv"})
    demo.d.window.workspace().take({QString(AMPLETIE_SOURCE_DIR "/demo/levels/") + f});
  demo.d.wait();
  demo.d.window.workspace().adjust();
  demo.d.wait();
  Tables before = all_tables(demo.d);
  CHECK(before.size() > 25);
  const std::string copy = demo.folder / "second-day.tie";
  REQUIRE(demo.d.window.copy_job_to(QString::fromStdString(copy)).isEmpty());
  Driver again(copy);
  again.window.workspace().adjust();
  again.wait();
  Tables after = all_tables(again);
  // What a drop said is of that day.
  for (Tables *t : {&before, &after})
    std::erase_if(*t, [](const auto &x) { return x.first.find("Last drop") != std::string::npos; });
  same(before, after);
}

TEST_CASE("a day's decisions, all taken back one by one, leave every table as it was") {
  AdjustedDemoDriver demo;
  Driver &d = demo.d;
  auto &w = d.window.workspace();
  Tables before = all_tables(d);
  const std::size_t decisions = w.job().decisions().size();
  int made = 0;
  const auto decide = [&](const QString &why) {
    INFO(why.toStdString());
    CHECK(why.isEmpty());
    ++made;
  };
  const nlohmann::json nothing = nlohmann::json::object();
  decide(w.decide("set", occupation_of(w.job(), "R07", 2), {{"height", 1.4}}, "typed wrong"));
  decide(w.decide("leave-out", occupation_of(w.job(), "DAM", 1), nothing, "tripod moved"));
  decide(w.decide("release", "REFB", nothing, "is it stable?"));
  decide(w.decide("hold", "PN1", {{"how", "plan"}}, "on trial"));
  decide(w.decide("set", "limit", {{"loop", 3}}, "stricter"));
  decide(w.decide("set", "solve", {{"mask", 15}}, "trees"));
  decide(w.decide("set", "job", {{"title", "Something else"}}, "renamed"));
  decide(w.decide("set", "mark:R11", {{"same_as", "R07"}}, "are they one?"));
  settle(100);
  Tables changed = all_tables(d);
  CHECK(changed != before);
  for (int i = 0; i < made; ++i) w.undo();
  settle(100);
  // Nothing is gone from the log: it says what was decided and that it was taken back.
  CHECK(w.job().decisions().size() >= decisions + static_cast<std::size_t>(made));
  w.solve();
  d.wait();
  w.adjust();
  d.wait();
  same(before, all_tables(d));
}

TEST_CASE("every table is copied with its heads, and says how many rows a filter hides") {
  AdjustedDemoDriver demo;
  Driver &d = demo.d;
  int copied = 0, filtered = 0;
  in_every_part(d, [&](const QString &where) {
    for (auto *t : d.window.findChildren<QTableView *>()) {
      // Where a book is keyed in is no table of rows.
      if (!t->isVisible() || t->model()->rowCount() == 0 || t->accessibleName() == "Book to key in") continue;
      INFO(where.toStdString() << ": " << t->accessibleName().toStdString());
      const int rows = t->model()->rowCount();
      d.activate();
      t->selectAll();
      t->setFocus();
      QTest::keyClick(t, Qt::Key_C, Qt::ControlModifier);
      const QStringList lines = QApplication::clipboard()->text().split('\n', Qt::SkipEmptyParts);
      if (t->selectionMode() == QAbstractItemView::ExtendedSelection) {
        CHECK(lines.size() == rows + 1);
        for (const QString &line : lines) CHECK(line.count('\t') == t->model()->columnCount() - 1);
        CHECK(lines.front().section('\t', 0, 0) == t->model()->headerData(0, Qt::Horizontal).toString());
        ++copied;
      }
      auto *filter = d.named<QLineEdit>(t->accessibleName() + " filter");
      if (!filter) continue;
      filter->setText("no row has these words");
      settle(0);
      CHECK(t->model()->rowCount() == 0);
      bool said = false;
      for (auto *l : d.window.findChildren<QLabel *>())
        said |= l->isVisible() && l->text() == QString("%1 rows hidden by the filter").arg(rows);
      CHECK(said);
      filter->clear();
      settle(0);
      CHECK(t->model()->rowCount() == rows);
      ++filtered;
    }
  });
  CHECK(copied + filtered > 20);
}
