// The geoid against levels and vectors in the network sheet; a long level file walked through in its view.
#include "app/driver.h"
#include "app/network/geoid_part.h"
#include "app/widgets/recipe_view.h"
#include <QPlainTextEdit>
#include <QTextBlock>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("h − H − N is listed and drawn after the adjustment of levels with vectors") {
  TemporaryFolder folder;
  const std::string path = folder / "g.tie";
  {
    Job job = demo_job(path);
    for (const char *f : {"levels-1a.txt", "benchmarks.csv"})
      job.take({std::string(AMPLETIE_SOURCE_DIR "/demo/levels/") + f});
    job.decide("hold", "HB1", {{"how", "height"}}, "published benchmark");
  }
  Driver d(path);
  auto &w = d.window.workspace();
  d.section("Network");
  d.click("Geoid part");
  CHECK(d.table("Geoid residuals")->model()->rowCount() == 0);
  w.solve();
  d.wait();
  w.adjust();
  d.wait();
  QTableView *t = d.table("Geoid residuals");
  REQUIRE(t->model()->rowCount() > 3);
  const NetworkRun &run = *w.job().network();
  for (int r = 0; r < t->model()->rowCount(); ++r) {
    const std::string mark = d.cell(t, r, "Mark").toStdString();
    const FullPosition &p = run.positions.at(mark);
    // What is shown is what the three numbers beside it say.
    const double shown = d.cell(t, r, "h − H − N mm").replace("−", "-").toDouble();
    const double h = d.cell(t, r, "h m").toDouble(), physical = d.cell(t, r, "H m").toDouble(),
                 n = d.cell(t, r, "N m").toDouble();
    CHECK(shown == Approx(1000 * (h - physical - n)).margin(1.3));
    CHECK(h == Approx(p.geodetic.h).margin(6e-5));
  }
  const int pn1 = d.row_with(t, "Mark", "PN1");
  CHECK(d.cell(t, pn1, "Known by") == "levels and vectors");
  CHECK(d.cell(t, d.row_with(t, "Mark", "REFB"), "Known by") == "neighbours");
  auto sd = [&](const char *mark) { return d.cell(t, d.row_with(t, "Mark", mark), "± mm").toDouble(); };
  CHECK(sd("PN1") < 30);
  CHECK(sd("REFB") > 100);
  // The picture chooses the mark, the plan's choice reaches the picture.
  auto *picture = d.named<app::GeoidPicture>("Geoid against levels and vectors");
  REQUIRE(picture);
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, picture->place("PN1").toPoint());
  CHECK(w.selection().kind == "mark");
  CHECK(w.selection().id == "PN1");
  CHECK(d.cell(t, t->currentIndex().row(), "Mark") == "PN1");
  w.select("mark", "R07");
  settle(20);
  CHECK(d.cell(t, t->currentIndex().row(), "Mark") == "R07");
  // To the issue a mark of levels alone brings its height, and no place that was guessed.
  d.section("Issue");
  QTableView *issue = d.table("Marks to issue");
  const int k1 = d.row_with(issue, "Mark", "K1");
  for (const char *column : {"East m", "North m", "95 % plan mm"}) CHECK(d.cell(issue, k1, column) == "–");
  CHECK(d.cell(issue, k1, "Height m").toDouble() == Approx(*run.positions.at("K1").height).margin(6e-5));
  CHECK(d.cell(issue, k1, "Origin") == "levels, height alone");
  CHECK(d.cell(issue, d.row_with(issue, "Mark", "HB1"), "Verdict") == "held as published");
  CHECK(d.cell(issue, d.row_with(issue, "Mark", "PN1"), "East m") != "–");
  d.section("Network");
  // Levelled differences stand among the residuals, with their line.
  d.click("Residuals part");
  QTableView *v = d.table("Network residuals");
  int levelled = 0;
  for (int r = 0; r < v->model()->rowCount(); ++r)
    if (d.cell(v, r, "") == "ΔH") {
      ++levelled;
      CHECK((d.cell(v, r, "Session") == "N1" || d.cell(v, r, "Session") == "SP"));
      v->setCurrentIndex(v->model()->index(r, 0));
      settle(20);
      CHECK(w.selection().kind == "level line");
    }
  CHECK(levelled >= 3);
}

TEST_CASE("a long level file is walked through, the first unread piece found") {
  TemporaryFolder folder;
  std::string text = "unit;m\nrun;L;DL7;A\n";
  for (int k = 0; k < 600; ++k) {
    text += fmt::format("s;{};B;{:.5f};30.00;08:00:00;1;\n", k == 0 ? "A" : "", 1.5 + k * 37 % 101 * 1e-3);
    text += fmt::format("s;{};F;{};30.00;08:00:00;1;\n", k == 599 ? "B" : "",
                        k == 500 ? std::string("1.4x") : fmt::format("{:.5f}", 1.4 + k * 41 % 97 * 1e-3));
  }
  text += "end\n";
  write_file(folder / "long.txt", text);
  { Job::create(folder / "l.tie", demo_settings()); }
  Driver d(folder / "l.tie");
  d.window.workspace().take({QString::fromStdString(folder / "long.txt")});
  d.section("Levels");
  d.click("Files part");
  settle(30);
  auto *page = d.named<QPlainTextEdit>("The file and what it means");
  REQUIRE(page);
  CHECK(page->toPlainText().startsWith("unit;m"));
  CHECK(page->document()->blockCount() <= 402);
  d.click("Later lines");
  settle(20);
  CHECK(!page->toPlainText().startsWith("unit;m"));
  d.click("Earlier lines");
  settle(20);
  CHECK(page->toPlainText().startsWith("unit;m"));
  CHECK(!d.named<QPushButton>("Earlier lines")->isEnabled());
  d.click("First unread line");
  settle(20);
  CHECK_THAT(page->textCursor().block().text().toStdString(), Contains("1.4x"));
  const auto marks = page->extraSelections();
  const bool underlined = std::any_of(marks.begin(), marks.end(), [](const QTextEdit::ExtraSelection &s) {
    return s.format.underlineStyle() == QTextCharFormat::WaveUnderline && s.cursor.selectedText() == "1.4x";
  });
  CHECK(underlined);
  // Seen: the rest is used.
  d.click("Unread was seen");
  settle(30);
  CHECK(!d.window.workspace().job().snapshot()->levels().lines.empty());
}
