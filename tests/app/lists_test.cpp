// A control list without heads in the window: dropped, its columns looked at and said, a mistake of the whole list
// corrected by a button, and what is said of it taken back.
#include "app/datum/way_picture.h"
#include "app/driver.h"
#include "app/widgets/recipe_view.h"
#include "formats/recognise.h"
#include "formats/rinex_observation.h"
#include "results/measured.h"
#include "service/service.h"
#include "support/fix_survey.h"
#include <QComboBox>
#include <QPlainTextEdit>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// Selects a piece of the file that is shown.
void select_text(QPlainTextEdit *t, const QString &piece) {
  const qsizetype at = t->toPlainText().indexOf(piece);
  REQUIRE(at >= 0);
  QTextCursor c(t->document());
  c.setPosition(static_cast<int>(at));
  c.setPosition(static_cast<int>(at + piece.size()), QTextCursor::KeepAnchor);
  t->setTextCursor(c);
}
void choose(QTableView *t, int row) {
  t->setCurrentIndex(t->model()->index(row, 0));
  settle(30);
}
} // namespace

TEST_CASE("a list without heads is said in the window, corrected as a whole, and taken back") {
  TemporaryFolder folder;
  const std::string path = folder / "l.tie";
  {
    Job job = Job::create(path, demo_settings());
    job.take(demo_files());
    // North first with decimal commas, a code that nobody asked for, feet in the last column.
    write_file(folder / "gazette.txt", "S1;5128250,000;415820,000;612,250;K;2008,69\n"
                                       "S2;5128450,000;415920,000;613,250;K;2011,98\n");
    write_file(folder / "old.csv", "mark,e,n,height\nT1,33415900,5128300,600\nT2,33415910,5128310,601\n");
  }
  Driver d(path);
  auto &w = d.window.workspace();
  w.take({QString::fromStdString(folder / "gazette.txt"), QString::fromStdString(folder / "old.csv")});
  d.wait();
  settle(50);
  const auto published = [&](const char *mark) { return w.job().snapshot()->published().count(mark) > 0; };
  CHECK_FALSE(published("S1"));
  d.section("Datum");
  d.click("Lists part");
  settle(50);
  QTableView *t = d.table("Control lists");
  const int row = d.row_with(t, "File", "gazette.txt");
  CHECK(d.cell(t, row, "State") == "columns not said yet");
  choose(t, row);
  auto *view = d.named<app::RecipeView>("Control list as it is read");
  REQUIRE(view);
  auto *file = view->findChild<QPlainTextEdit *>();
  CHECK_THAT(file->toPlainText().toStdString(), Contains("S1;5128250,000"));
  // One click says that the columns are as proposed; what the proposal leaves unread is counted.
  select_text(file, "2008,69");
  REQUIRE(view->say("ignore").isEmpty());
  settle(50);
  CHECK(published("S1"));
  CHECK(w.job().snapshot()->published().at("S1").grid == Vec3(415820, 5128250, 612.25));
  CHECK(d.cell(t, d.row_with(t, "File", "gazette.txt"), "State") == "read by gazette.txt, as said");
  CHECK(d.cell(t, d.row_with(t, "File", "gazette.txt"), "Marks") == "2");
  // The height was another column: said by pointing at it.
  select_text(file, "2008,69");
  REQUIRE(view->say("physical_height").isEmpty());
  settle(50);
  CHECK(d.cell(t, d.row_with(t, "File", "gazette.txt"), "State") ==
        "pieces unread"); // what was the height means nothing
  CHECK_FALSE(published("S1"));
  d.click("The columns are so");
  settle(50);
  CHECK(w.job().snapshot()->published().at("S1").grid->z() == Approx(2008.69));
  w.undo();
  w.undo();
  settle(50);
  CHECK(w.job().snapshot()->published().at("S1").grid->z() == Approx(612.25));

  // The other list has its zone's number in front: the doubt offers what makes it good.
  CHECK_FALSE(published("T1"));
  const Doubt *doubt = doubt_of(w.job(), "does not belong here");
  REQUIRE(doubt);
  w.select("doubt", doubt->id);
  settle(50);
  d.click("Correct: the easting has the number of its zone, 33, in front");
  settle(50);
  REQUIRE(published("T1"));
  CHECK(w.job().snapshot()->published().at("T1").grid->x() == 415900);
  choose(t, d.row_with(t, "File", "old.csv"));
  CHECK(d.named<QLineEdit>("add to east of the list")->text() == "-33000000.000");
  CHECK(d.cell(t, d.row_with(t, "File", "old.csv"), "Said of it").contains("-33000000.000 m in east"));
  // Feet by the form, and back.
  auto *unit = d.named<QComboBox>("Unit of the list");
  unit->setCurrentIndex(unit->findData("ft"));
  Q_EMIT unit->activated(unit->currentIndex());
  settle(50);
  CHECK_FALSE(published("T1"));
  w.undo();
  w.undo();
  settle(50);
  CHECK_FALSE(published("T1"));
  CHECK(doubt_of(w.job(), "does not belong here"));
  if (const char *shot = std::getenv("SHOT")) {
    choose(t, d.row_with(t, "File", "gazette.txt"));
    settle(100);
    d.window.grab().save(shot);
  }
}

TEST_CASE("a base is tied by a service's answer in the window, the way is whole then, and an own grid is defined") {
  TemporaryFolder folder;
  const std::string path = folder / "b.tie", data = AMPLETIE_SOURCE_DIR "/demo/data/";
  service::Request r;
  const auto sites = read_rinex_observations(plain_content(read_file(data + "REFA-s1.rnx.gz")));
  const auto truth = nlohmann::json::parse(plain_content(read_file(data + "truth.json.gz")));
  for (const auto &m : truth.at("marks"))
    if (m.at("name") == "REFA")
      for (int k = 0; k < 3; ++k) r.mark[k] = m.at("xyz").at(static_cast<std::size_t>(k));
  r.observations = "REFA-s1.rnx.gz", r.file = &sites.at(0);
  write_file(folder / "refa.snx", service::answer(r, {}).sinex);
  {
    Job job = Job::create(path, demo_settings());
    std::vector<std::string> files;
    for (const char *f :
         {"REFA-s1.rnx.gz", "R07-s1.rnx.gz", "broadcast.rnx.gz", "antennas.atx.gz", "antenna-points.csv"})
      files.push_back(data + f);
    job.take(files);
  }
  Driver d(path);
  auto &w = d.window.workspace();
  d.section("Datum");
  d.click("Way part");
  auto *way = d.named<app::WayPicture>("Way of the datum");
  REQUIRE(way);
  const auto problem_of = [&](WayStation::Kind kind) {
    for (const WayStation &s : way->stations())
      if (s.kind == kind) return s.problem;
    return std::string("no such station");
  };
  w.take({QString::fromStdString(folder / "refa.snx")});
  d.wait();
  settle(50);
  CHECK_THAT(problem_of(WayStation::Kind::held), Contains("hold a published mark"));
  CHECK_FALSE(problem_of(WayStation::Kind::issued).empty());
  const Doubt *untied = doubt_of(w.job(), "base not tied");
  REQUIRE(untied);
  w.select("doubt", untied->id);
  settle(50);
  d.click("Hold REFA as observed, by this answer");
  settle(50);
  CHECK(w.job().state().holds.at("REFA").how == Hold::weighted);
  CHECK_FALSE(doubt_of(w.job(), "base not tied"));
  w.solve();
  d.wait();
  w.adjust();
  d.wait();
  settle(50);
  for (const WayStation &s : way->stations()) {
    INFO(s.title);
    CHECK(s.problem.empty());
  }
  const auto change = std::find_if(way->stations().begin(), way->stations().end(),
                                   [](const auto &s) { return s.kind == WayStation::Kind::change; });
  REQUIRE(change != way->stations().end());
  CHECK(*change->moves_m == Approx(1.0).margin(0.1)); // "differ by about 1 m" (ETRS89 against ITRF in 2026)
  if (const char *shot = std::getenv("SHOT2")) d.window.grab().save(shot);
  // A grid of the site's own by a mark and a bearing.
  d.click("Frame fits part");
  settle(50);
  d.named<QLineEdit>("Name of a new system")->setText("tunnel");
  auto *origin = d.named<QComboBox>("Mark of an own grid");
  origin->setCurrentText("R07");
  d.named<QComboBox>("Mark that the bearing goes to")->setCurrentText("REFA");
  d.named<QLineEdit>("East in the own grid")->setText("1000");
  d.click("Define the own grid");
  CHECK(w.job().state().fits.empty()); // the north is missing, and that is said
  d.named<QLineEdit>("North in the own grid")->setText("2000");
  d.named<QLineEdit>("Bearing in the own grid")->setText("100°00'00\"");
  d.click("Define the own grid");
  settle(80);
  REQUIRE(w.job().fits().size() == 1);
  CHECK(w.job().fits()[0].problem == "");
  CHECK_THAT(d.named<QLabel>("Fit in words")->text().toStdString(),
             Contains("given") && Contains("by R07 at 1000.000, 2000.000"));
  QTableView *led = d.table("Marks in the system");
  CHECK(d.cell(led, d.row_with(led, "Mark", "R07"), "East m") == "1000.0000");
  CHECK(d.cell(led, d.row_with(led, "Mark", "R07"), "s E mm") == "0.0");
  if (const char *shot = std::getenv("SHOT3")) d.window.grab().save(shot);
  w.undo();
  settle(50);
  CHECK(w.job().fits().empty());
  w.undo();
  settle(50);
  CHECK(doubt_of(w.job(), "base not tied"));
}

TEST_CASE(
    "a list of fixes in another language is said by pointing, deviations in millimetres, and enters the network") {
  TemporaryFolder folder;
  const Surveyed f;
  const std::string path = folder / "f.tie";
  {
    Job job = Job::create(path, Surveyed::settings());
    job.take_bytes({{"control.csv", f.control()}});
    job.decide("hold", "B1", {{"how", "full"}}, "");
    std::string list = "Punkt;Basis;X;Y;Z;mp;mh;Art\n";
    const auto row = [&](const std::string &mark, const Vec3 &x) {
      list += fmt::format("{};B1;{:.4f};{:.4f};{:.4f};{};{};fest\n", mark, x.x(), x.y(), x.z(), 8, 15);
    };
    row("B1", f.base);
    for (const auto &[name, x] : f.marks) row(name, x), row(name, x + Vec3(0.004, -0.003, 0.005));
    write_file(folder / "fixes.txt", list);
  }
  Driver d(path);
  auto &w = d.window.workspace();
  w.take({QString::fromStdString(folder / "fixes.txt")}, "vectors");
  d.wait();
  settle(50);
  // The doubt leads to where it can be said.
  const Doubt *doubt = doubt_of(w.job(), "columns not said yet");
  REQUIRE(doubt);
  d.section("Network");
  w.select("doubt", doubt->id);
  settle(50);
  d.click("Go there");
  settle(50);
  QTableView *t = d.table("Lists of vectors and stops");
  REQUIRE(t->isVisible());
  CHECK(d.cell(t, 0, "State") == "columns not said yet");
  auto *view = d.named<app::RecipeView>("List as it is read");
  auto *file = view->findChild<QPlainTextEdit *>();
  REQUIRE(file->toPlainText().startsWith("Punkt;Basis"));
  auto *meaning = d.named<QComboBox>("It means");
  const std::vector<std::pair<const char *, QString>> columns{{"to", "101"},
                                                              {"base", "B1"},
                                                              {"x", QString::number(f.marks.at("101").x(), 'f', 4)},
                                                              {"y", QString::number(f.marks.at("101").y(), 'f', 4)},
                                                              {"z", QString::number(f.marks.at("101").z(), 'f', 4)}};
  for (const auto &[what, piece] : columns) {
    INFO(what);
    // The first row of a mark other than the base is pointed at.
    const qsizetype line = file->toPlainText().indexOf("101;");
    const qsizetype at = file->toPlainText().indexOf(piece, line);
    REQUIRE(at >= 0);
    QTextCursor c(file->document());
    c.setPosition(static_cast<int>(at));
    c.setPosition(static_cast<int>(at + piece.size()), QTextCursor::KeepAnchor);
    file->setTextCursor(c);
    CHECK(view->say(what).toStdString() == "");
    settle(20);
  }
  // Deviations in millimetres, by the two choices and the button.
  for (const auto &[what, piece] : {std::pair{"sd_plan", ";8;"}, {"sd_up", ";15;"}}) {
    const qsizetype at = file->toPlainText().indexOf(piece, file->toPlainText().indexOf("101;"));
    QTextCursor c(file->document());
    c.setPosition(static_cast<int>(at) + 1);
    c.setPosition(static_cast<int>(at) + static_cast<int>(std::strlen(piece)) - 1, QTextCursor::KeepAnchor);
    file->setTextCursor(c);
    meaning->setCurrentIndex(meaning->findData(what));
    settle(20);
    d.named<QComboBox>("In the unit")->setCurrentText("mm");
    d.click("Say what the selected text means");
    settle(30);
  }
  CHECK(d.cell(t, 0, "State") == "pieces unread"); // "fest" is not said yet
  select_text(file, "fest");
  CHECK(view->say("status=fixed").isEmpty());
  settle(50);
  CHECK_THAT(d.cell(t, 0, "State").toStdString(), Contains("read by fixes.txt, as said"));
  CHECK(d.cell(t, 0, "Rows") == "9");
  if (const char *shot = std::getenv("SHOT_ROWS")) d.window.grab().save(shot);
  CHECK_THAT(d.named<QWidget>("Section Network")->accessibleDescription().toStdString(), Contains("to adjust"));
  d.section("Network");
  d.adjust();
  REQUIRE(w.job().network());
  CHECK(w.job().network()->measured.size() == 8);
  for (const MeasuredVector &v : w.job().snapshot()->get(measured_result())) {
    CHECK(v.weight_words == "stated");
    CHECK(std::sqrt(v.cov.trace()) == Approx(std::sqrt(2 * 0.008 * 0.008 + 0.015 * 0.015)).epsilon(1e-6));
    CHECK(v.status == MeasuredVector::Status::fixed);
  }
}
