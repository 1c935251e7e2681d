// Level closures, cards of levels, two names for one mark, readings left out, and a book of 50,000 rows.
#include "app/driver.h"
#include "app/levels/level_closures.h"
#include "app/levels/level_picture.h"
#include <QComboBox>
#include <QScrollBar>
#include <ctime>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {

std::string book(const std::string &run, const std::string &from, const std::string &to, int setups, double rise) {
  std::string out = "unit;m\nrun;" + run + ";DL7;A;2026-05-13\n";
  for (int k = 0; k < setups; ++k) {
    out += fmt::format("s;{};B;{:.5f};{:.2f};08:00:00;1;\n", k == 0 ? from : "", 2.0 + k * 37 % 101 * 1e-3, 35.0);
    out += fmt::format("s;{};F;{:.5f};{:.2f};08:01:00;1;\n", k == setups - 1 ? to : "",
                       2.0 + k * 37 % 101 * 1e-3 - rise / setups, 33.0);
  }
  return out + "end\n";
}

struct Levels {
  TemporaryFolder folder;
  std::unique_ptr<Driver> d;
  explicit Levels(const std::vector<std::pair<std::string, std::string>> &files) {
    const std::string path = folder / "l.tie";
    {
      Job job = Job::create(path, demo_settings());
      for (const Intake &i : job.take_bytes(files)) REQUIRE(i.outcome == Intake::Outcome::taken);
      const auto known = job.snapshot(); // each decision makes a new one
      for (const auto &[mark, p] : known->benchmarks()) job.decide("hold", mark, {{"how", "height"}}, "published");
    }
    d = std::make_unique<Driver>(path);
    d->section("Levels");
    settle(30);
  }
  app::Workspace &w() { return d->window.workspace(); }
  const LevelReport &report() { return w().job().snapshot()->levels(); }
  QString evidence() {
    settle(20);
    return d->window.findChild<app::EvidencePanel *>()->findChild<QTextBrowser *>()->toPlainText();
  }
};

const std::pair<std::string, std::string> benchmarks{"bench.csv", "mark,height,sd_u\nA,500.000,0\nB,504.020,0\n"};

} // namespace

TEST_CASE("closures stand in a table and a picture; a click in one chooses in the other") {
  Levels l({benchmarks,
            {"1.txt", book("R1", "A", "B", 100, 4)},
            {"2.txt", book("R2", "B", "A", 100, -4.019)},
            {"3.txt", book("R3", "A", "A", 30, 0.001)}});
  l.d->click("Closures part");
  QTableView *t = l.d->table("Level closures");
  // Two lines, one loop, and the section that was run both ways.
  REQUIRE(t->model()->rowCount() == 4);
  const int r1 = l.d->row_with(t, "Line", "R1");
  CHECK(l.d->cell(t, r1, "Verdict") == "✕ misses");
  CHECK(l.d->cell(t, r1, "Misclosure mm") == "−20.00");
  CHECK(l.d->cell(t, l.d->row_with(t, "Line", "R2"), "Verdict") == "■ closes");
  CHECK(l.d->cell(t, l.d->row_with(t, "Line", "R3"), "To") == "A (loop)");
  CHECK(l.d->cell(t, l.d->row_with(t, "To", "B (both ways)"), "Misclosure mm") == "−19.00");
  auto *plot = l.d->named<app::LevelClosures>("Level closures");
  REQUIRE(plot);
  std::string id;
  for (const LevelLine &x : l.report().lines)
    if (x.name == "R3") id = x.id;
  QTest::mouseClick(plot, Qt::LeftButton, Qt::NoModifier, plot->place(id + "#0").toPoint());
  CHECK(l.w().selection().id == id);
  CHECK(l.d->cell(t, t->currentIndex().row(), "Line") == "R3");
  CHECK_THAT(l.evidence().toStdString(), Contains("R3") && Contains("closes"));
  // A gross mistake stays inside the picture.
  for (const LevelLine &x : l.report().lines)
    if (!x.misclosures.empty()) CHECK(QRectF(plot->rect()).contains(plot->place(x.id + "#0")));
  // An order of a standard moves the verdict.
  l.w().decide("set", "limit", {{"level-order", "third order"}}, "asked for");
  settle(20);
  CHECK(l.d->cell(t, l.d->row_with(t, "Line", "R1"), "Verdict") != "✕ misses");
}

TEST_CASE("a level's card is filled in the table, wrong words are refused, a two-peg test goes onto it") {
  Levels l({benchmarks, {"1.txt", book("R1", "A", "B", 100, 4)}});
  l.d->click("Instruments part");
  QTableView *t = l.d->table("Levels in use");
  REQUIRE(t->model()->rowCount() == 1);
  CHECK(l.d->cell(t, 0, "Level") == "DL7");
  l.d->edit(t, 0, "mm/√km", "0,7"); // a decimal comma is a decimal point
  CHECK(l.report().lines.front().weights.sd_km == Approx(0.0007));
  l.d->edit(t, 0, "Certificate until", "tomorrow");
  CHECK(l.w().job().state().instruments.at("DL7").until.value.has_value() == false);
  l.d->edit(t, 0, "Certificate until", "2026-05-01");
  CHECK(l.d->cell(t, 0, "Certificate until") == "2026-05-01");
  CHECK(std::any_of(l.w().job().doubts().begin(), l.w().job().doubts().end(),
                    [](const Doubt &x) { return x.kind == "certificate run out"; }));
  l.d->edit(t, 0, "mm a set-up", "-3");
  CHECK(!l.w().job().state().instruments.at("DL7").sd_mm_setup.value);
  // From the middle and from beyond B: the line of sight rises 0.05 mm/m.
  const char *values[] = {"30", "1.5015", "30", "1.2015", "65", "1.60325", "5", "1.30025"};
  int i = 0;
  for (const char *place : {"First", "Second"})
    for (const char *what : {"to peg A, m", "reading A, m", "to peg B, m", "reading B, m"}) {
      auto *e = l.d->named<QLineEdit>(QString("%1 place, %2").arg(place, what));
      REQUIRE(e);
      e->setText(values[i++]);
    }
  auto *which = l.d->named<QComboBox>("Level that was tested");
  REQUIRE(which);
  which->setCurrentIndex(which->findText("DL7"));
  l.d->named<QLineEdit>("Day of the test")->setText("2026-05-13");
  l.d->click("Use the line of sight for all lines");
  settle(20);
  const auto &card = l.w().job().state().instruments.at("DL7");
  REQUIRE(card.lines_of_sight.count("2026-05-13"));
  CHECK(card.lines_of_sight.at("2026-05-13").value == Approx(0.05).margin(1e-4));
  CHECK(l.report().lines.front().corrections.collimation == Approx(5e-5).margin(1e-7));
  CHECK(l.d->cell(t, 0, "tested on") == "2026-05-13");
}

TEST_CASE("same mark? is answered in the evidence, and undone") {
  Levels l({{"bench.csv", "mark,height,sd_u\nHP7,500.000,0.0005\nB,504.000,0.0005\n"},
            {"1.txt", book("R1", "HP7", "B", 60, 4)},
            {"2.txt", book("R2", "hp 7", "B", 60, 4.0002)}});
  std::string id;
  for (const Doubt &x : l.w().job().doubts())
    if (x.kind == "same mark?") id = x.id;
  REQUIRE(!id.empty());
  l.w().select("doubt", id);
  CHECK_THAT(l.evidence().toStdString(), Contains("HP7 / hp 7") && Contains("agree"));
  l.d->click("Same mark: HP7");
  settle(20);
  for (const LevelLine &x : l.report().lines) CHECK(x.misclosures.size() == 1);
  CHECK(std::none_of(l.w().job().doubts().begin(), l.w().job().doubts().end(),
                     [](const Doubt &x) { return x.kind == "same mark?"; }));
  l.w().undo();
  settle(20);
  l.w().select("doubt", id);
  settle(20);
  // "Different marks" is an acceptance and asks for a reason.
  auto *reason = l.d->window.findChild<app::EvidencePanel *>()->findChild<QLineEdit *>();
  REQUIRE(reason);
  reason->setText("the old bolt above the new one");
  l.d->click("Different marks");
  settle(20);
  for (const Doubt &x : l.w().job().doubts()) CHECK((x.kind != "same mark?" || x.state == Doubt::State::accepted));
}

TEST_CASE("go there leads from a doubt about levels to its line") {
  Levels l({benchmarks, {"1.txt", book("R1", "A", "B", 100, 4)}});
  l.d->section("Datum");
  std::string id;
  for (const Doubt &x : l.w().job().doubts())
    if (x.kind == "level line misses") id = x.id;
  REQUIRE(!id.empty());
  l.w().select("doubt", id);
  l.d->click("Go there");
  settle(30);
  CHECK(l.w().selection().kind == "level line");
  CHECK(l.d->named<QTableView>("Level lines"));
}

TEST_CASE("a reading is left out with the space bar, a line with its reason; both come back") {
  Levels l({benchmarks, {"1.txt", book("R1", "A", "B", 20, 4.02)}});
  QTableView *lines = l.d->table("Level lines");
  lines->setCurrentIndex(lines->model()->index(0, 0));
  settle(20);
  QTableView *book = l.d->table("Book");
  book->setCurrentIndex(book->model()->index(3, 0));
  settle(20);
  CHECK_THAT(l.evidence().toStdString(), Contains("Staff reading") && Contains("1.txt line"));
  const int before = l.report().lines.front().reduced.setups;
  l.d->press(Qt::Key_Space);
  settle(30);
  CHECK(l.report().lines.front().reduced.setups < before);
  CHECK_THAT(l.evidence().toStdString(), Contains("left out"));
  l.d->press(Qt::Key_Space);
  settle(30);
  CHECK(l.report().lines.front().reduced.setups == before);
  l.w().select("level line", l.report().lines.front().id);
  settle(20);
  auto *reason = l.d->window.findChild<app::EvidencePanel *>()->findChild<QLineEdit *>();
  reason->setText("walked in the dark");
  auto *leave = l.d->window.findChild<app::EvidencePanel *>();
  for (auto *b : leave->findChildren<QPushButton *>())
    if (b->text() == "Leave line out" && b->isVisible()) b->click();
  settle(30);
  CHECK(!l.report().lines.front().used);
  CHECK(l.report().lines.front().left_out_because == "walked in the dark");
  CHECK(l.d->cell(lines, 0, "Verdict") == "– left out");
  l.w().undo();
  settle(20);
  CHECK(l.report().lines.front().used);
}

TEST_CASE("the picture of the lines chooses, and shows what is chosen") {
  Levels l({benchmarks, {"1.txt", book("R1", "A", "B", 20, 4.02)}, {"2.txt", book("R2", "B", "C", 20, 1)}});
  auto *picture = l.d->named<app::LevelPicture>("Level picture");
  if (!picture) picture = l.d->window.findChild<app::LevelPicture *>();
  REQUIRE(picture);
  for (const LevelLine &x : l.report().lines) {
    const QPointF at = picture->place(x.id);
    REQUIRE(!at.isNull());
    QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, at.toPoint());
    settle(20);
    CHECK(l.w().selection().id == x.id);
    QTableView *lines = l.d->table("Level lines");
    CHECK(l.d->cell(lines, lines->currentIndex().row(), "Line") == QString::fromStdString(x.name));
  }
}

TEST_CASE("a book of 50,000 rows scrolls, and a decision about it answers") {
  Levels l({benchmarks, {"1.txt", book("R1", "A", "B", 50000, 4.02)}});
  QTableView *lines = l.d->table("Level lines");
  lines->setCurrentIndex(lines->model()->index(0, 0));
  settle(50);
  QTableView *book = l.d->table("Book");
  REQUIRE(book->model()->rowCount() > 50000);
  QScrollBar *bar = book->verticalScrollBar();
  int slow = 0;
  const int frames = 200;
  for (int i = 0; i < frames; ++i) {
    const std::clock_t start = std::clock(); // its own time: other tests run beside it
    bar->setValue(static_cast<int>(static_cast<long long>(bar->maximum()) * (i * 37 % frames) / frames));
    book->viewport()->repaint();
    slow += 1000.0 * static_cast<double>(std::clock() - start) / CLOCKS_PER_SEC > 33;
  }
  CHECK((slow <= frames / 20 || slowness > 1)); // speed is not judged in slow builds
}
