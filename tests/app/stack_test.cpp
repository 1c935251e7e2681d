// Many days of a network in the window, without a job and beside one.
#include "app/driver.h"
#include "app/stack/stack_page.h"
#include "support/network_days.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct StackDriver {
  Driver d;
  std::string words() { return d.named<QLabel>("Stack says")->text().toStdString(); }
  void added_up() {
    for (int i = 0; i < 4000 && (i < 4 || words() == "Adding up …"); ++i) settle(5);
  }
  void type(const QString &field, const QString &text) {
    auto *e = d.named<QLineEdit>(field);
    REQUIRE(e);
    e->setFocus();
    e->selectAll();
    QTest::keyClicks(e, text);
    QTest::keyClick(e, Qt::Key_Return);
    added_up();
  }
  QTableView *marks() { return d.table("Velocities of the stack"); }
  QTableView *files() { return d.table("Files of the stack"); }
};
} // namespace

TEST_CASE("days dropped on the page become velocities; a jump is said by a button; a list leads into its frame") {
  TemporaryFolder folder;
  const std::string in = days(folder, 0.015);
  {
    StackDriver s;
    s.d.click("Add up days of a network");
    CHECK_THAT(s.words(), Contains("No job is needed"));
    s.d.drop({QString::fromStdString(in)});
    s.added_up();
    REQUIRE(s.marks()->model()->rowCount() == 4);
    CHECK(s.files()->model()->rowCount() == 60);
    CHECK_THAT(s.words(), Contains("TAFB looks as if it had jumped about 2019-0"));
    const int jumped = s.d.row_with(s.marks(), "Mark", "TAFB");
    CHECK(s.marks()->model()->index(jumped, 7).data().toString() == "▲ jump not said");
    auto *picture = s.d.named<StackPicture>("Mark over the days");
    REQUIRE(picture);
    CHECK(picture->accessibleDescription() == "TAFB on 60 days"); // looked at first
    s.d.click("Say this step");
    s.added_up();
    CHECK_THAT(s.words(), Contains("60 days, 4 marks") && Contains("in no frame"));
    CHECK_THAT(s.d.cell(s.marks(), s.d.row_with(s.marks(), "Mark", "TAFB"), "Steps").toStdString(),
               Contains("2019-0") && Contains("mm)"));
    CHECK_FALSE(s.d.named<QPushButton>("Take the list into the job")->isEnabled());
    // A list that is dropped alone is what was given.
    write_file(folder / "given.csv", given_of_three());
    s.d.drop({QString::fromStdString(folder / "given.csv")});
    s.added_up();
    CHECK(s.d.named<QLabel>("Given coordinates are")->text() == "given.csv");
    CHECK_THAT(s.words(), Contains("in ITRF2020"));
    CHECK(s.marks()->model()->index(s.d.row_with(s.marks(), "Mark", "TAFA"), 7).data().toString() ==
          "■ gives the datum");
    s.type("Epoch of the stack", "2021-07-02");
    CHECK_THAT(s.words(), Contains("coordinates of 2021.499"));
    // A click on a day finds its file.
    QTest::mouseMove(picture, QPoint(200, 100));
    auto *page = s.d.window.findChild<QWidget *>("stack");
    REQUIRE(page);
    s.d.press(Qt::Key_Escape);
    CHECK_FALSE(page->isVisible());
    CHECK(s.d.named<QPushButton>("New job"));
  }
  // The next day: what was chosen is there, and what came into the folder since.
  std::mt19937_64 random(9);
  write_file(in + "/d60.snx", day(60, 2021.5, random, 0.015));
  const std::string job = folder / "orvane.tie";
  { Job made = demo_job(job); }
  StackDriver s{Driver(job)};
  s.d.window.show_stack();
  s.added_up();
  CHECK(s.files()->model()->rowCount() == 61);
  CHECK_FALSE(s.d.named<QWidget>("doubts bar"));
  s.d.click("Take the list into the job");
  settle(20);
  CHECK_THAT(s.words(), Contains("among the job's sources"));
  CHECK(s.d.named<QPushButton>("Begin the stack anew")); // still on the page
  s.d.window.show_section(Section::intake);
  s.d.click("Sources part");
  CHECK(s.d.row_with(s.d.table("Sources"), "File", "stack-marks.csv") >= 0);
}

TEST_CASE("what is no day, and what is mistyped, is said on the page; nothing is written over") {
  TemporaryFolder folder;
  const std::string in = days(folder);
  write_file(in + "/notes.txt", "no solution");
  const std::string whole = read_file(in + "/d03.snx");
  write_file(in + "/d03.snx", whole.substr(0, whole.size() / 2));
  StackDriver s;
  s.d.window.show_stack();
  s.added_up();
  s.d.click("Begin the stack anew");
  s.added_up();
  CHECK(s.marks()->model()->rowCount() == 0);
  s.d.drop({QString::fromStdString(in)});
  s.added_up();
  CHECK_THAT(s.words(), Contains("2 of the files took no part"));
  CHECK(s.d.cell(s.files(), 0, "File") == "d03.snx"); // what takes no part stands first
  CHECK_THAT(s.files()->model()->index(s.d.row_with(s.files(), "File", "notes.txt"), 3).data().toString().toStdString(),
             Contains("is no SINEX file"));
  s.type("Steps of the stack", "TAFA:2020");
  CHECK_THAT(s.words(), Contains("is no step"));
  CHECK(s.marks()->model()->rowCount() == 0); // no numbers beside a question that has no answer
  CHECK_FALSE(s.d.named<QPushButton>("Write the folder of the stack")->isEnabled());
  s.type("Steps of the stack", "TAFA@2020-01-01, NOBODY@2020-01-01");
  CHECK_THAT(s.words(), Contains("no file has a mark NOBODY"));
  s.type("Steps of the stack", "TAFA@2020-01-01");
  CHECK(s.marks()->model()->rowCount() == 4);
  auto *page = dynamic_cast<StackPage *>(s.d.window.findChild<QWidget *>("stack"));
  REQUIRE(page);
  CHECK(page->write_into(QString::fromStdString(folder / "out")) == "");
  CHECK_THAT(read_file(folder / "out/stack.html"), Contains("notes.txt") && Contains("TAFC"));
  CHECK_THAT(page->write_into(QString::fromStdString(folder / "out")).toStdString(), Contains("is there already"));
  CHECK_FALSE(std::filesystem::exists(folder / "out/marks.csv"));
  s.d.click("Begin the stack anew"); // for whoever comes next
  s.added_up();
}

TEST_CASE_METHOD(DemoDriver, "one comes back from the guide and from pages, and evidence stands beside sheets alone") {
  const auto evidence = [&] { return d.window.findChild<EvidencePanel *>()->isVisible(); };
  d.section("Levels");
  CHECK(evidence());
  d.window.show_stack();
  CHECK_FALSE(evidence());
  d.press(Qt::Key_F1); // the guide over the page
  CHECK(d.named<QWidget>("help"));
  d.press(Qt::Key_Escape);
  REQUIRE(d.named<QWidget>("stack"));
  CHECK_FALSE(evidence());
  d.press(Qt::Key_Escape);
  CHECK_FALSE(d.named<QWidget>("stack"));
  CHECK(d.table("Level lines"));
  CHECK(evidence());
  // The same from the page of a new job; and a section leads out of a page at once.
  d.window.show_new_job();
  d.press(Qt::Key_F1);
  d.press(Qt::Key_Escape);
  d.click("No new job");
  CHECK(d.table("Level lines"));
  d.window.show_stack();
  d.section("Network");
  CHECK(evidence());
  d.press(Qt::Key_Escape); // nothing to come back from
  CHECK(d.table("Network marks"));
}

TEST_CASE("a wrong line of what is given is told on the page, and nothing old is written while adding up") {
  TemporaryFolder folder;
  const std::string in = days(folder);
  StackDriver s;
  s.d.window.show_stack();
  s.added_up();
  s.d.click("Begin the stack anew");
  s.added_up();
  auto *page = s.d.window.findChild<StackPage *>();
  page->add({QString::fromStdString(in)});
  CHECK_FALSE(s.d.named<QPushButton>("Write the folder of the stack")->isEnabled());
  s.added_up();
  std::string given = given_of_three();
  const auto at = given.find("1707863");
  REQUIRE(at != std::string::npos);
  write_file(folder / "given.csv", given.replace(at, 7, "1707873")); // ten metres
  page->use_given(QString::fromStdString(folder / "given.csv"));
  CHECK_FALSE(s.d.named<QPushButton>("Take the list into the job")->isEnabled());
  CHECK_THAT(page->write_into(QString::fromStdString(folder / "out")).toStdString(), Contains("a moment"));
  s.added_up();
  CHECK_THAT(s.words(), Contains("does not agree with the days") && Contains("TAFB by east"));
  CHECK(s.marks()->model()->index(s.d.row_with(s.marks(), "Mark", "TAFB"), 7).data().toString() == "▲ given otherwise");
  // A folder that is no longer there is told, not forgotten.
  page->use_given({});
  s.added_up();
  std::filesystem::rename(in, in + "-gone");
  s.d.press(Qt::Key_Escape);
  s.d.window.show_stack();
  s.added_up();
  CHECK(s.files()->model()->rowCount() == 1);
  CHECK_THAT(s.words(), Contains("none of the files is a solution"));
  s.d.click("Begin the stack anew");
  s.added_up();
}
