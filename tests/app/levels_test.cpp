// Levels in the window: drop books, put right what the doubts name, issue nothing but a report.
#include "app/driver.h"
#include "app/levels/level_picture.h"
#include "app/widgets/recipe_view.h"
#include <QComboBox>
#include <QPlainTextEdit>
#include <QTableWidget>
#include <QTextBlock>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct LevelDriver {
  TemporaryFolder folder;
  std::string path;
  std::unique_ptr<Driver> d;
  LevelDriver() : path(folder / "l.tie") {
    { Job::create(path, demo_settings()); }
    d = std::make_unique<Driver>(path);
    d->section("Intake");
    QStringList files;
    for (const char *f : {"levels-1a.txt", "levels-1b.txt", "levels-2a.txt", "levels-2b.txt", "benchmarks.csv"})
      files << QString(AMPLETIE_SOURCE_DIR "/demo/levels/") + f;
    d->drop(files);
    for (const char *mark : {"HB1", "HB2"})
      d->window.workspace().decide("hold", mark, {{"how", "height"}}, "published");
    d->section("Levels");
    settle(30);
  }
  std::vector<std::string> lines() const {
    std::vector<std::string> out;
    for (const LevelLine &l : d->window.workspace().job().snapshot()->levels().lines) out.push_back(l.name);
    return out;
  }
  void choose(const QString &line) {
    QTableView *t = d->table("Level lines");
    t->setCurrentIndex(t->model()->index(d->row_with(t, "Line", line), 0));
    settle(20);
  }
  void chain_after(const QString &words) {
    auto *c = d->named<QComboBox>("Chain after");
    for (int i = 0; i < c->count(); ++i)
      if (c->itemText(i).contains(words)) {
        c->setCurrentIndex(i);
        Q_EMIT c->activated(i);
        settle(30);
        return;
      }
    FAIL("nothing to chain after: " << words.toStdString());
  }
};
} // namespace

TEST_CASE("drop level books, reverse, chain two days, leave a set-up out, hold and compute, report") {
  LevelDriver l;
  Driver &d = *l.d;
  CHECK(l.lines().size() == 6);
  QTableView *lines = d.table("Level lines");
  CHECK_THAT(d.cell(lines, d.row_with(lines, "Line", "SP"), "Verdict").toStdString(), Contains("closes"));
  l.choose("S1");
  CHECK_THAT(d.evidence().toStdString(), Contains("nothing closes it"));
  d.click("Reverse the line");
  settle(30);
  // The names that were exchanged are corrected in the book, where they stand.
  l.choose("N2");
  QTableView *book = d.table("Book");
  const int last = book->model()->rowCount() - 1;
  REQUIRE(d.cell(book, last, "Mark") == "K2");
  d.edit(book, last, "Mark", "R11");
  l.choose("N2");
  d.edit(book, d.row_with(book, "Mark", "R11"), "Mark", "K2");
  l.choose("N2");
  l.chain_after("N1");
  l.choose("S1");
  l.chain_after("N1 + N2");
  l.choose("S2");
  l.chain_after("S1");
  CHECK(l.lines().size() == 3);
  l.choose("N1 + N2 + S1 + S2");
  CHECK_THAT(d.evidence().toStdString(), Contains("booked twice"));
  // The row of the set-up that came twice: its readings are those of the row before.
  int twice = -1;
  for (int r = 2; r < book->model()->rowCount(); ++r)
    if (!d.cell(book, r, "Fore").isEmpty() && d.cell(book, r, "Fore") == d.cell(book, r - 1, "Fore") &&
        d.cell(book, r, "Rise") == d.cell(book, r - 1, "Rise"))
      twice = r;
  REQUIRE(twice > 0);
  book->setCurrentIndex(book->model()->index(twice, 0));
  settle(20);
  d.click("Leave the chosen set-up out");
  settle(30);
  CHECK_THAT(d.evidence().toStdString() +
                 d.cell(lines, d.row_with(lines, "Line", "N1 + N2 + S1 + S2"), "Misclosure mm").toStdString(),
             Contains("30."));
  // The certificate of staff B explains what is left: the line closes.
  d.click("Instruments part");
  QTableView *staffs = d.table("Staffs");
  d.edit(staffs, d.row_with(staffs, "Staff", "B"), "Scale ppm", "-70");
  d.click("Lines part");
  settle(20);
  CHECK_THAT(d.cell(lines, d.row_with(lines, "Line", "N1 + N2 + S1 + S2"), "Verdict").toStdString(),
             Contains("closes"));
  l.choose("N1 + N2 + S1 + S2");
  // The far benchmark computed instead of held, and held again.
  const int end = book->model()->rowCount() - 1;
  book->setCurrentIndex(book->model()->index(end, 0));
  settle(20);
  d.click("Compute the chosen benchmark");
  settle(20);
  const auto &report = d.window.workspace().job().snapshot()->levels();
  CHECK(report.line(report.lines[1].id)->computed.size() == 1);
  d.press(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.window.workspace().job().snapshot()->levels().lines[1].computed.empty());
  // Heights: before and after, provisional beside adjusted.
  d.click("Heights part");
  QTableView *heights = d.table("Heights");
  CHECK(d.row_with(heights, "Mark", "HB2") >= 0);
  CHECK_THAT(d.cell(heights, d.row_with(heights, "Mark", "HB2"), "State").toStdString(), Contains("known"));
  const QString html = QString::fromStdString(l.folder / "levels.html"),
                csv = QString::fromStdString(l.folder / "h.csv");
  CHECK(d.window.workspace().level_report(html) == "");
  CHECK(d.window.workspace().level_report(csv) == "");
  const std::string page = read_file(html.toStdString());
  for (const char *words : {"Misclosures before anything is shared out", "Books as observed",
                            "set-up left out in the book", "levels-2b.txt"})
    CHECK_THAT(page, Contains(words));
  CHECK_THAT(read_file(csv.toStdString()), Contains("HB2,"));
}

TEST_CASE("a book of unknown making: point at the text, say what it is, and it is read") {
  LevelDriver l;
  Driver &d = *l.d;
  write_file(l.folder / "own.txt", "A,1.5000,\n,1.4000,0.5000\nB,,0.4000\n");
  d.window.workspace().take({QString::fromStdString(l.folder / "own.txt")}, "levels");
  d.click("Files part");
  settle(30);
  QTableView *files = d.table("Level files");
  const int row = d.row_with(files, "File", "own.txt");
  REQUIRE(row >= 0);
  CHECK_THAT(d.cell(files, row, "State").toStdString(), Contains("not used"));
  files->setCurrentIndex(files->model()->index(row, 0));
  settle(30);
  auto *view = d.window.findChild<app::RecipeView *>();
  auto *text = d.named<QPlainTextEdit>("The file and what it means");
  REQUIRE(view);
  REQUIRE(text);
  CHECK_THAT(text->toPlainText().toStdString(), Contains("1.4000"));
  auto point = [&](int line, int from, int to, const char *meaning) {
    QTextCursor c(text->document()->findBlockByNumber(line));
    const int at = c.position();
    c.setPosition(at + from);
    c.setPosition(at + to, QTextCursor::KeepAnchor);
    text->setTextCursor(c);
    auto *combo = d.named<QComboBox>("It means");
    combo->setCurrentIndex(combo->findData(meaning));
    d.click("Say what the selected text means");
    settle(30);
  };
  point(0, 0, 1, "mark");
  point(0, 2, 8, "back");
  point(1, 8, 14, "fore");
  const auto lines = l.lines();
  CHECK(std::find(lines.begin(), lines.end(), "own.txt 1") != lines.end());
  CHECK_THAT(d.cell(files, d.row_with(files, "File", "own.txt"), "State").toStdString(), Contains("read"));
}

TEST_CASE("a book is keyed in with the keyboard alone, what does not add up is said at once") {
  LevelDriver l;
  Driver &d = *l.d;
  d.click("Key in part");
  auto *t = d.named<QTableWidget>("Book to key in");
  auto *words = d.named<QLabel>("Whether the book adds up");
  REQUIRE(t);
  d.named<QLineEdit>("Name of the run")->setText("by hand");
  d.named<QLineEdit>("Height to start from")->setText("100");
  auto type = [&](const char *text) {
    d.activate();
    t->setFocus();
    t->editItem(t->currentItem());
    auto *e = qobject_cast<QLineEdit *>(QApplication::focusWidget());
    REQUIRE(e);
    QTest::keyClicks(e, text);
    QTest::keyClick(e, Qt::Key_Return);
    settle(20);
  };
  t->setCurrentCell(0, 0);
  // LEV-01: mark, back; then fore and back of each turn in one row, intermediate sights in rows of their own.
  for (const char *x : {"1", "1.234"}) type(x);
  CHECK(t->currentRow() == 1);
  type("2");
  t->setCurrentCell(1, 2);
  type("1.567");
  type("3");
  t->setCurrentCell(2, 2);
  type("0.987");
  for (const char *x : {"4", "2.3x45"}) type(x);
  CHECK_THAT(words->text().toStdString(), Contains("no number"));
  t->setCurrentCell(3, 3);
  for (const char *x : {"2.345", "1.111", "5"}) type(x);
  t->setCurrentCell(4, 2);
  type("1.876");
  for (const char *x : {"6", "0.654", "2.468", "7", "1.901"}) type(x);
  CHECK(t->item(6, 7)->text() == "99.9130");
  CHECK(t->item(2, 7)->text() == "100.2470");
  CHECK_THAT(words->text().toStdString(), Contains("−0.08700") || Contains("-0.08700"));
  d.click("Take the book into the job");
  settle(30);
  const auto lines = l.lines();
  REQUIRE(std::count(lines.begin(), lines.end(), "by hand") == 1);
  for (const LevelLine &x : d.window.workspace().job().snapshot()->levels().lines)
    if (x.name == "by hand") CHECK(x.reduced.difference == Approx(-0.087).margin(1e-9));
}

TEST_CASE("two pegs: a line of sight is found and becomes the job's correction") {
  LevelDriver l;
  Driver &d = *l.d;
  d.click("Instruments part");
  const std::pair<const char *, const char *> values[] = {
      {"First place, to peg A, m", "30"},  {"First place, reading A, m", "1.432"},
      {"First place, to peg B, m", "30"},  {"First place, reading B, m", "1.288"},
      {"Second place, to peg A, m", "63"}, {"Second place, reading A, m", "1.510"},
      {"Second place, to peg B, m", "3"},  {"Second place, reading B, m", "1.352"}};
  for (const auto &[name, value] : values) {
    auto *e = d.named<QLineEdit>(name);
    REQUIRE(e);
    e->setText(value);
  }
  CHECK_THAT(d.named<QLabel>("Two-peg result")->text().toStdString(), Contains("0.2333"));
  d.click("Use the line of sight for all lines");
  CHECK(d.window.workspace().job().state().settings.levels.collimation_mm_m == Approx(0.2333).margin(1e-4));
}
