// Every sheet says what the results say, row by row.
#include "app/driver.h"
#include "base/angle.h"
#include "publication/issue.h"
#include "publication/verify_issue.h"
#include "render/render.h"
#include "support/field_work.h"

using namespace ampletie;
using namespace ampletie::testing;

namespace {
/// The demo, solved and adjusted in the window.
struct AdjustedDemo : DemoDriver {
  AdjustedDemo() {
    d.window.workspace().solve();
    d.wait();
    d.window.workspace().adjust();
    d.wait();
    REQUIRE(d.window.workspace().job().network());
  }
  const Job &job() { return d.window.workspace().job(); }
};
double value(const QString &s) { return QString(s).replace(QChar(0x2212), '-').toDouble(); }
} // namespace

TEST_CASE("the network's sheet: marks, residuals and set-ups are those of the adjustment") {
  AdjustedDemo demo;
  Driver &d = demo.d;
  d.section("Network");
  const NetworkRun &run = *demo.job().network();
  auto *marks = d.table("Network marks");
  REQUIRE(marks->model()->rowCount() == static_cast<int>(run.result.marks.size()));
  for (const AdjustedMark &m : run.result.marks) {
    const int r = d.row_with(marks, "Mark", QString::fromStdString(m.name));
    CHECK(value(d.cell(marks, r, "East m")) == Approx(run.positions.at(m.name).grid.east).margin(6e-5));
    CHECK(value(d.cell(marks, r, "North m")) == Approx(run.positions.at(m.name).grid.north).margin(6e-5));
    if (m.hold == Hold::full)
      CHECK(d.cell(marks, r, "s E") == "held");
    else
      CHECK(value(d.cell(marks, r, "s E")) == Approx(1000 * std::sqrt(m.cov_enu(0, 0))).margin(0.06));
  }
  d.click("Residuals part");
  auto *residuals = d.table("Network residuals");
  std::size_t vectors = 0, setups = 0;
  for (const BlockTest &t : run.result.adjustment.tests) vectors += t.kind == "vector", setups += t.kind == "set-up";
  REQUIRE(residuals->model()->rowCount() == static_cast<int>(3 * vectors));
  for (const BlockTest &t : run.result.adjustment.tests) {
    if (t.kind != "vector") continue;
    const VectorResult &v = *d.window.workspace().vector(t.id);
    const QString name = QString::fromStdString(v.from + " → " + v.to);
    bool found = false;
    for (int r = 0; r < residuals->model()->rowCount(); ++r)
      found = found || (d.cell(residuals, r, "Observation") == name && d.cell(residuals, r, "") == "X" &&
                        std::abs(value(d.cell(residuals, r, "v mm")) - 1000 * t.observations[0].residual) < 0.06 &&
                        std::abs(value(d.cell(residuals, r, "w")) - t.observations[0].standardised) < 0.006);
    CHECK(found);
  }
  d.click("Set-ups part");
  CHECK(d.table("Network set-ups")->model()->rowCount() == static_cast<int>(setups));
  const QString summary = d.named<QTextBrowser>("Network summary")->toPlainText();
  CHECK(summary.contains(QString::number(run.result.adjustment.variance_factor, 'f', 2)));
  CHECK(summary.contains(QString("%1 observations").arg(run.result.adjustment.observations)));
  CHECK(summary.contains(run.result.adjustment.passes ? "passes" : "fails"));
}

TEST_CASE("the datum's sheet: published marks with their sources, positions as adjusted, the way from the orbits") {
  AdjustedDemo demo;
  Driver &d = demo.d;
  d.section("Datum");
  const JobSnapshot &s = *demo.job().snapshot();
  auto *published = d.table("Published marks");
  REQUIRE(published->model()->rowCount() == static_cast<int>(s.published().size()));
  for (const auto &[name, p] : s.published()) {
    const int r = d.row_with(published, "Mark", QString::fromStdString(name));
    CHECK(d.cell(published, r, "Held") == (name == "REFA" || name == "REFB" ? "▲ held" : "no"));
    CHECK(d.cell(published, r, "Source") == QString::fromStdString(p.source_name) + QString(" line %1").arg(p.line));
    if (p.sd_enu) CHECK(value(d.cell(published, r, "s U mm")) == Approx(1000 * p.sd_enu->z()).margin(0.06));
  }
  d.click("Positions part");
  auto *positions = d.table("Positions");
  for (const AdjustedMark &m : demo.job().network()->result.marks) {
    const FullPosition &p = demo.job().network()->positions.at(m.name);
    const int r = d.row_with(positions, "Mark", QString::fromStdString(m.name));
    CHECK(value(d.cell(positions, r, "h m")) == Approx(p.geodetic.h).margin(6e-5));
    CHECK(value(d.cell(positions, r, "Scale factor")) == Approx(p.grid.scale).margin(6e-9));
    CHECK(d.cell(positions, r, "Latitude") == QString::fromStdString(format_dms(degrees(p.geodetic.lat), 5)));
  }
  const QString words = d.named<QTextBrowser>("Datum in words")->toPlainText();
  for (const char *must : {"ETRF2000", "2026.36", "EPSG:25833", "from the orbits", "pipeline"})
    CHECK(words.contains(must));
  // What is released is no longer held, here too.
  CHECK(d.window.workspace().decide("release", "REFB", nlohmann::json::object(), "tried").isEmpty());
  settle(100);
  d.click("Published marks part");
  CHECK(d.cell(published, d.row_with(published, "Mark", "REFB"), "Held") == "no");
}

TEST_CASE("the issue's sheet answers, row by row, and what was issued is compared with today") {
  AdjustedDemo demo;
  Driver &d = demo.d;
  d.section("Issue");
  settle(200);
  auto *marks = d.table("Marks to issue");
  const NetworkRun &run = *demo.job().network();
  REQUIRE(marks->model()->rowCount() == static_cast<int>(run.result.marks.size()));
  const QString answer = d.named<QTextBrowser>("May I issue?")->toPlainText();
  CHECK(answer.contains(QString("%1 marks in ETRF2000").arg(run.result.marks.size())));
  const auto open = demo.job().open_doubts();
  CHECK(answer.contains(open ? QString("%1 doubt").arg(open) : QString("Yes")));
  d.named<QLineEdit>("issue folder")->setText(QString::fromStdString(demo.folder / "issued"));
  d.click("Issue control");
  settle(300);
  d.click("Records part");
  auto *records = d.table("Issue records");
  REQUIRE(records->model()->rowCount() == 1);
  CHECK(d.cell(records, 0, "What") == "control");
  CHECK(d.cell(records, 0, "Marks") == QString::number(run.result.marks.size()));
  CHECK(d.cell(records, 0, "Today") == "the same");
  // The folder that the window wrote stands for itself, drawn anew in another order of things.
  const VerifiedIssue folder = verify_issue(demo.folder / "issued", [](const Report &r, const std::string &suffix) {
    return suffix == ".pdf" ? render_pdf(r) : render_html(r);
  });
  CHECK(folder.holds());
  CHECK(folder.files.size() >= 5);
  CHECK(folder.sha256 == demo.job().store().issue_records().front().sha256);
  // Another height, solved and adjusted again: the record stands, and the difference is said.
  const std::string o = occupation_of(demo.job(), "R11", 1);
  CHECK(d.window.workspace().decide("set", o, {{"height", 1.63}}, "found in the book").isEmpty());
  d.window.workspace().solve();
  d.wait();
  d.window.workspace().adjust();
  d.wait();
  CHECK(d.cell(records, 0, "Today").contains("moved by"));
}

TEST_CASE("decisions stand in the log with who, why and what became of them") {
  DemoDriver demo;
  Driver &d = demo.d;
  auto &w = d.window.workspace();
  CHECK(w.decide("hold", "PN1", {{"how", "full"}}, "thought better of").isEmpty());
  w.undo();
  settle(50);
  d.window.show_decisions();
  auto *log = d.table("Decisions");
  REQUIRE(log->model()->rowCount() == static_cast<int>(w.job().decisions().size()));
  const int undone = d.row_with(log, "Reason", "thought better of");
  CHECK(d.cell(log, undone, "State").contains("withdrawn"));
  CHECK(d.cell(log, undone, "Decision").contains("PN1"));
  CHECK(d.cell(log, d.row_with(log, "Reason", "field sheet: read slant to the rim"), "State") != "withdrawn");
  for (int r = 0; r < log->model()->rowCount(); ++r) {
    CHECK_FALSE(d.cell(log, r, "Who").isEmpty());
    CHECK_FALSE(d.cell(log, r, "When (UTC)").isEmpty());
  }
}

TEST_CASE("the finder leads to marks, sources, vectors and commands by the keyboard alone") {
  AdjustedDemo demo;
  Driver &d = demo.d;
  const auto find = [&](const QString &what) {
    d.press(Qt::Key_K, Qt::ControlModifier);
    auto *edit = d.named<QLineEdit>("Find");
    REQUIRE(edit);
    edit->setText(what);
    QTest::keyClick(edit, Qt::Key_Return);
    settle(60);
  };
  find("R07 mark");
  CHECK(d.window.workspace().selection() == app::Selection{"mark", "R07"});
  CHECK(d.evidence().contains("R07"));
  find("control.csv");
  CHECK(d.window.workspace().selection().kind == "source");
  const VectorResult &v = demo.job().vectors().front();
  find(QString::fromStdString(v.from + " → " + v.to));
  CHECK(d.window.workspace().selection().kind == "vector");
  CHECK(d.named<QTableView>("Vectors"));
  find("Go to Network");
  CHECK(d.named<QTableView>("Network marks"));
  // A mark that only levels know.
  for (const char *f : {"levels-1a.txt", "benchmarks.csv"})
    d.window.workspace().take({QString(AMPLETIE_SOURCE_DIR "/demo/levels/") + f});
  d.wait();
  const std::string turning = demo.job().snapshot()->levels().sections.front().to;
  find(QString::fromStdString(turning) + " mark");
  CHECK(d.window.workspace().selection() == app::Selection{"mark", turning});
  d.section("Network");
  find("nothing is called so");
  CHECK(d.named<QTableView>("Network marks")); // and nothing happens
  d.press(Qt::Key_Escape);
}

TEST_CASE("files are read and jobs opened by another thread, while the window is drawn") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  { demo_job(path); }
  Driver d;
  Watchdog watch;
  REQUIRE(d.window.open(QString::fromStdString(path)));
  auto &w = d.window.workspace();
  for (const ResultStatus &s : w.job().snapshot()->status())
    if (std::string(s.result->name) == "occupations" || std::string(s.result->name) == "what belongs here")
      CHECK(s.by != std::this_thread::get_id());
  // A file that is no job leaves the job that is open.
  write_file(folder / "no.tie", "not a job");
  CHECK_FALSE(d.window.open(QString::fromStdString(folder / "no.tie")));
  REQUIRE(w.has_job());
  CHECK(w.job().store().path() == path);
  // The same one again.
  CHECK(d.window.open(QString::fromStdString(path)));
  w.take({QString::fromStdString(folder / "no.tie"), QString::fromStdString(folder / "missing.rnx")});
  REQUIRE(w.last_intake().size() == 2);
  CHECK(w.last_intake()[0].outcome == Intake::Outcome::refused);
  CHECK(w.last_intake()[1].outcome == Intake::Outcome::refused);
}
