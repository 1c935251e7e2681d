// What is asked of the marks, entered and judged on the sheet Issue.
#include "app/driver.h"
#include "app/evidence/evidence.h"
#include "app/issue/accuracy_part.h"
#include <QTextBrowser>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("accuracy is asked for in the sheet, mark by mark the verdict follows") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  { Job job = demo_job(path); }
  Driver d(path);
  auto &w = d.window.workspace();
  d.section("Issue");
  d.click("Asked part");
  QTableView *t = d.table("Accuracy asked for");
  REQUIRE(t->model()->rowCount() == 2);
  // Before anything is adjusted it can be entered.
  d.edit(t, 0, "Plan mm", "20");
  CHECK(d.cell(t, 0, "Plan mm") == "20");
  w.solve();
  d.wait();
  w.adjust();
  d.wait();
  auto *answer = d.named<QTextBrowser>("May I issue?");
  CHECK_THAT(answer->toPlainText().toStdString(), Contains("reach the accuracy asked for"));
  CHECK(d.cell(t, 0, "Short") == "0");
  CHECK(d.cell(t, 0, "Class").startsWith("5 mm, "));
  // A group of its own, first named, then given a figure; a wrong one is refused in words.
  d.edit(t, 1, "Marks", "P*");
  const int group = d.row_with(t, "Marks", "P*");
  REQUIRE(group >= 0);
  CHECK(d.cell(t, group, "Plan mm") == "20");
  CHECK(d.cell(t, group, "Count") == "2");
  d.edit(t, group, "Plan mm", "much");
  CHECK(d.cell(t, group, "Plan mm") == "20");
  d.edit(t, group, "Plan mm", "1");
  CHECK(d.cell(t, d.row_with(t, "Marks", "P*"), "Short") == "2");
  CHECK_THAT(answer->toPlainText().toStdString(), Contains("2 of 5 do not reach"));
  d.click("Marks part");
  QTableView *marks = d.table("Marks to issue");
  const int pn1 = d.row_with(marks, "Mark", "PN1"), r07 = d.row_with(marks, "Mark", "R07");
  CHECK_THAT(d.cell(marks, pn1, "Verdict").toStdString(), Contains("accuracy not reached"));
  CHECK(d.cell(marks, pn1, "plan asked") == "1");
  CHECK(d.cell(marks, r07, "Verdict") == "✓ fit to issue");
  // The picture chooses the mark; the evidence says what is missing.
  d.click("Asked part");
  auto *picture = d.named<app::AccuracyPicture>("Accuracy reached against what is asked");
  REQUIRE(picture);
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, picture->place("PN1").toPoint());
  CHECK(w.selection().id == "PN1");
  const auto *evidence = d.window.findChild<app::EvidencePanel *>()->findChild<QTextBrowser *>();
  CHECK_THAT(evidence->toPlainText().toStdString(), Contains("Not reached: plan"));
  // An emptied name takes the group away; undo brings it back.
  d.edit(t, d.row_with(t, "Marks", "P*"), "Marks", "");
  CHECK(t->model()->rowCount() == 2);
  w.undo();
  settle(20);
  CHECK(d.row_with(t, "Marks", "P*") >= 0);
}
