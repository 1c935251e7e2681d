// What leaves the house, through the window: marks that stay out, own columns, a second person; and the field sheet.
#include "app/driver.h"
#include "app/intake/watch_part.h"
#include "app/widgets/column_menu.h"
#include <QCheckBox>
#include <QComboBox>
#include <catch2/catch.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::string adjusted(const TemporaryFolder &folder) {
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  return folder / "a.tie";
}
} // namespace

TEST_CASE("marks kept out, own columns, decimals and a second person through the window, read in the folder") {
  TemporaryFolder folder;
  Driver d(adjusted(folder));
  Workspace &w = d.window.workspace();
  d.section("Issue");
  d.click("Marks part");
  QTableView *marks = d.table("Marks to issue");
  marks->setCurrentIndex(marks->model()->index(d.row_with(marks, "Mark", "DAM"), 0));
  settle(30);
  d.press(Qt::Key_Space);
  settle(30);
  CHECK(d.cell(marks, d.row_with(marks, "Mark", "DAM"), "Verdict") == "– stays out");
  d.click("Printed part");
  settle(30);
  QTableView *choices = d.table("How it is printed");
  d.edit(choices, d.row_with(choices, "Choice", "Decimals of coordinates"), "Value", "3");
  settle(30);
  CHECK(d.cell(choices, d.row_with(choices, "Choice", "Decimals of coordinates"), "Value") == "3");
  d.edit(choices, d.row_with(choices, "Choice", "Second person"), "Value", "asked");
  d.edit(choices, d.row_with(choices, "Choice", "Mark records"), "Value", "a page each");
  settle(30);
  auto *columns = d.named<ColumnMenu>("Columns of the own list");
  REQUIRE(columns);
  for (const char *c : {"mark", "east", "north", "height"}) columns->findChild<QCheckBox *>(c)->click();
  settle(30);
  CHECK(w.job().state().settings.issue.columns == "mark east north height");
  if (const char *shot = std::getenv("SHOT_PRINTED")) d.window.grab().save(shot);
  // Nobody looked at it yet: refused in words.
  auto *into = d.named<QLineEdit>("Folder to issue into");
  into->setText(QString::fromStdString(folder / "out"));
  d.click("Issue control");
  settle(30);
  CHECK_FALSE(std::filesystem::exists(folder / "out"));
  CHECK_THAT(d.named<QLabel>("Who looked at it")->text().toStdString(),
             Contains("nothing is issued until somebody does"));
  d.named<QLineEdit>("Second person")->setText("B. Other");
  d.named<QLineEdit>("What was looked at")->setText("heights against the field sheet");
  d.click("Sign as second person");
  settle(30);
  CHECK_THAT(d.named<QLabel>("Who looked at it")->text().toStdString(),
             Contains("B. Other looked at them as they are now"));
  d.click("Issue control");
  settle(100);
  REQUIRE(std::filesystem::exists(folder / "out/record.json"));
  const std::string list = read_file(folder / "out/list.csv");
  CHECK_THAT(list, Contains("mark,east,north,height") && !Contains("DAM"));
  CHECK(std::filesystem::exists(folder / "out/marks.pdf"));
  const auto record = nlohmann::json::parse(read_file(folder / "out/record.json"));
  CHECK(record.at("second_check").at("by") == "B. Other");
  CHECK(record.at("kept_out")[0] == "DAM");
  CHECK_THAT(read_file(folder / "out/control.html"), Contains("<svg") && Contains("Who answers for it"));
}

TEST_CASE("the field sheet is keyed in; what differs from the files is a doubt that one click settles") {
  TemporaryFolder folder;
  { demo_job(folder / "a.tie"); }
  Driver d(folder / "a.tie");
  Workspace &w = d.window.workspace();
  d.section("Intake");
  d.click("Field sheet part");
  settle(30);
  const Occupation o = [&] {
    for (const Occupation &x : w.job().snapshot()->occupations())
      if (x.mark == "PN1") return x;
    throw std::runtime_error("no PN1");
  }();
  const auto type = [&](const char *what, const QString &text) {
    d.named<QLineEdit>(QString("Field sheet: ") + what)->setText(text);
  };
  type("mark", "PN1");
  type("height", QString::number(o.measured + 0.1, 'f', 3).replace('.', ','));
  type("from", QString::fromStdString(iso(o.start).substr(0, 16)));
  type("to", QString::fromStdString(iso(o.stop).substr(0, 16)));
  d.click("Add to the field sheet");
  settle(50);
  QTableView *sheet = d.table("Field sheet");
  REQUIRE(sheet->model()->rowCount() == 1);
  CHECK_THAT(d.cell(sheet, 0, "Against its file").toStdString(), Contains("the file has"));
  if (const char *shot = std::getenv("SHOT_FIELD")) d.window.grab().save(shot);
  // What cannot be is refused, and what was typed stays.
  type("mark", "X");
  type("height", "tall");
  d.click("Add to the field sheet");
  settle(30);
  CHECK(sheet->model()->rowCount() == 1);
  CHECK(d.named<QLineEdit>("Field sheet: height")->text() == "tall");
  // Corrected in the sheet they agree.
  d.edit(sheet, 0, "Height m", QString::number(o.measured, 'f', 4));
  settle(50);
  CHECK(d.cell(sheet, 0, "Against its file") == "✓ agrees");
}

TEST_CASE("a watched folder: what grows is shown, what is whole is taken, and who watches no longer takes nothing") {
  TemporaryFolder folder;
  std::filesystem::create_directory(folder / "in");
  { Job::create(folder / "a.tie", demo_settings()); }
  Driver d(folder / "a.tie");
  Workspace &w = d.window.workspace();
  d.section("Intake");
  auto *part = d.window.findChild<WatchPart *>();
  REQUIRE(part);
  part->set_pace(0.05, 1.5 * slowness);
  part->watch(QString::fromStdString(folder / "in"));
  const std::string all = gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/data/PN1-s1.rnx.gz"));
  write_file(folder / "in/PN1.rnx", all.substr(0, all.size() / 2));
  for (int i = 0; i < 200 && part->count() == 0; ++i) settle(10);
  REQUIRE(part->count() == 1);
  CHECK(w.job().snapshot()->occupations().empty());
  write_file(folder / "in/PN1.rnx", all);
  for (int i = 0; i < 600 && w.job().snapshot()->occupations().empty(); ++i) settle(10);
  REQUIRE(w.job().snapshot()->occupations().size() == 1);
  CHECK(w.job().snapshot()->occupations()[0].mark == "PN1");
  d.click("Watched part");
  settle(100);
  QTableView *t = d.table("Watched files");
  CHECK(d.cell(t, 0, "State") == "taken");
  CHECK(d.cell(t, 0, "Last epoch") == "2026-05-12 08:59:45");
  CHECK(d.named<QLabel>("Watched folder")->textFormat() == Qt::RichText);
  if (const char *shot = std::getenv("SHOT_WATCH")) d.window.grab().save(shot);
  d.click("Watch no longer");
  write_file(folder / "in/PN2.rnx", all + " ");
  settle(400);
  CHECK(w.job().snapshot()->occupations().size() == 1);
}
