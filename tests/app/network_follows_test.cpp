// A network that stands follows what is decided, where that takes no time; what is seen of it is drawn once.
#include "app/driver.h"
#include "results/network_run.h"
#include "support/fix_survey.h"
#include <QImage>
#include <QWheelEvent>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// The demo, adjusted in the window, with the network's sheet before one.
struct Standing : SolvedDemoDriver {
  Standing() {
    d.window.workspace().follow_within(600); // a busy machine is no reason
    d.window.workspace().adjust();
    d.wait();
    d.section("Network");
    settle(50);
    REQUIRE(job().network());
    REQUIRE_FALSE(job().network_stale());
  }
  Workspace &w() { return d.window.workspace(); }
  const Job &job() { return d.window.workspace().job(); }
  /// Waits until the network is there again, for what a busy machine takes.
  bool follows() {
    for (int i = 0; i < 400 && job().network_stale(); ++i) settle(10);
    settle(20);
    return !job().network_stale();
  }
  /// The network adjusted by itself, from what the job is now.
  NetworkRun alone() { return run_network(*job().snapshot(), job().snapshot()->vectors(), {}); }
  /// That the network shown is the one of the job as it is, to the last bit.
  void check_same() {
    const NetworkRun fresh = alone(), &shown = *job().network();
    CHECK(shown.fingerprint == fresh.fingerprint);
    CHECK(shown.result.adjustment.values == fresh.result.adjustment.values);
    CHECK(shown.result.adjustment.vtpv == fresh.result.adjustment.vtpv);
  }
  /// One vector that takes part.
  std::string vector() {
    for (const VectorResult &v : job().vectors())
      if (v.used && v.independent && v.solved->solution == Solution::fixed) return v.id;
    throw std::runtime_error("no vector takes part");
  }
  int residual_rows() {
    const QString text = d.named<QPushButton>("Residuals part")->text();
    return text.section(' ', -1).toInt();
  }
  std::string summary() { return d.named<QTextBrowser>("Network summary")->toPlainText().toStdString(); }
};
const nlohmann::json nothing = nlohmann::json::object();

PlanView *plan(Driver &d) {
  for (auto *p : d.window.findChildren<PlanView *>())
    if (p->isVisible()) return p;
  throw std::runtime_error("no plan is visible");
}
} // namespace

TEST_CASE("the network follows a vector that is left out and another held mark, and goes back with them") {
  Standing s;
  const std::vector<double> before = s.job().network()->result.adjustment.values;
  const int residuals = s.residual_rows();
  CHECK(s.w().decide("leave-out", s.vector(), nothing, "tried").isEmpty());
  REQUIRE(s.follows());
  s.check_same();
  CHECK(s.job().network()->result.adjustment.values != before);
  // The sheet tells of it without being asked to adjust.
  CHECK_THAT(s.summary(), !Contains("out of date"));
  s.w().undo();
  REQUIRE(s.follows());
  CHECK(s.job().network()->result.adjustment.values == before);
  CHECK(s.residual_rows() == residuals);

  CHECK(s.w().decide("hold", "REFA", {{"how", "plan"}}, "tried").isEmpty());
  REQUIRE(s.follows());
  s.check_same();
  s.w().undo();
  REQUIRE(s.follows());
  CHECK(s.job().network()->result.adjustment.values == before);
}

TEST_CASE("decisions that come faster than the network follow too: the last one counts") {
  Standing s;
  std::vector<std::string> out;
  for (const VectorResult &v : s.job().vectors())
    if (v.used && v.independent && out.size() < 4) out.push_back(v.id);
  for (const std::string &v : out) CHECK(s.w().decide("leave-out", v, nothing, "tried").isEmpty());
  REQUIRE(s.follows());
  s.check_same();
  for (std::size_t i = 0; i < out.size(); ++i) s.w().undo();
  REQUIRE(s.follows());
  s.check_same();
}

TEST_CASE("a network that a decision leaves without datum stays out of date and says why when it is asked for") {
  Standing s;
  std::vector<std::string> held;
  for (const AdjustedMark &m : s.job().network()->result.marks)
    if (m.hold != Hold::none) held.push_back(m.name);
  REQUIRE_FALSE(held.empty());
  for (const std::string &m : held) CHECK(s.w().decide("release", m, nothing, "tried").isEmpty());
  settle(150);
  CHECK(s.job().network_stale());
  CHECK_THAT(s.summary(), Contains("out of date"));
  s.d.click("Adjust network");
  s.d.wait();
  CHECK(s.job().network_stale());
  CHECK_THAT(s.d.status().toStdString(), Contains("held"));
  // What is taken back needs no adjustment: it is the network that stood.
  for (std::size_t i = 0; i < held.size(); ++i) s.w().undo();
  REQUIRE(s.follows());
  s.check_same();
}

TEST_CASE("a network that a decision leaves without any observation is judged all the same") {
  // That nothing is left is found so fast that the window has hardly asked for it.
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    const Surveyed f;
    std::mt19937_64 random(3);
    Job job = Job::create(path, Surveyed::settings());
    job.take_bytes({{"control.csv", f.control()}, {"own.csv", fixes(f, Vec3::Zero(), random, 0.002, true, 4)}});
    job.decide("hold", "B1", {{"how", "full"}}, "published");
  }
  Driver d(path);
  Workspace &w = d.window.workspace();
  std::string list;
  for (const SourceContent &c : Contents(w.job().snapshot()->contents()))
    if (c.source.name == "own.csv") list = c.source.id;
  for (int k = 0; k < 15; ++k) {
    d.adjust();
    REQUIRE_FALSE(w.job().network_stale());
    CHECK(w.decide("leave-out", list, nothing, "tried") == "");
    settle(5); // ends the test where it would wait for ever
    CHECK(w.job().network_stale());
    w.undo();
    settle(5);
  }
}

TEST_CASE("a network that nobody has adjusted, or whose vectors are out of date, waits for who works on it") {
  SolvedDemoDriver demo;
  Workspace &w = demo.d.window.workspace();
  CHECK(w.decide("hold", "REFA", {{"how", "plan"}}, "tried").isEmpty());
  settle(100);
  CHECK_FALSE(w.job().network());
  w.undo();
  w.adjust();
  demo.d.wait();
  REQUIRE_FALSE(w.job().network_stale());
  // Another height: the vectors are to be solved first.
  const std::string occupation = w.job().snapshot()->occupations().front().id;
  CHECK(w.decide("set", occupation, {{"height", 1.9}}, "tried").isEmpty());
  settle(100);
  CHECK(w.job().network_stale());
}

TEST_CASE("residuals and set-ups stand by size, and the heads count what they would show") {
  Standing s;
  s.d.click("Residuals part");
  QTableView *t = s.d.table("Network residuals");
  CHECK(t->model()->rowCount() == s.residual_rows());
  double last = 1e9;
  for (int r = 0; r < t->model()->rowCount(); ++r) {
    const double w = std::abs(s.d.cell(t, r, "w").replace(QChar(0x2212), '-').toDouble());
    CHECK(w <= last + 0.0051);
    last = w;
  }
  s.d.click("Set-ups part");
  QTableView *setups = s.d.table("Network set-ups");
  CHECK(s.d.named<QPushButton>("Set-ups part")->text().section(' ', -1).toInt() == setups->model()->rowCount());
  last = 1e9;
  for (int r = 0; r < setups->model()->rowCount(); ++r) {
    const double w = std::abs(s.d.cell(setups, r, "w height").replace(QChar(0x2212), '-').toDouble());
    CHECK(w <= last + 0.0051);
    last = w;
  }
  // A table that was hidden while the job changed is right when it is shown.
  CHECK(s.w().decide("leave-out", s.vector(), nothing, "tried").isEmpty());
  REQUIRE(s.follows());
  s.d.click("Residuals part");
  CHECK(s.d.table("Network residuals")->model()->rowCount() == s.residual_rows());
}

TEST_CASE("a plan that is painted again is the plan that was drawn, and shows at once what was chosen") {
  Standing s;
  PlanView *p = plan(s.d);
  const auto seen = [&] {
    settle(30);
    return p->grab().toImage();
  };
  s.w().select("mark", "DAM");
  const QImage chosen = seen();
  p->repaint();
  CHECK(seen() == chosen);
  s.w().select("mark", "PN1");
  const QImage other = seen();
  CHECK(other != chosen);
  s.w().select("mark", "DAM");
  CHECK(seen() == chosen);
  // Keys that move it draw it anew, and a fit brings it back.
  p->setFocus();
  const QImage focused = seen();
  QWheelEvent wheel(QPointF(50, 50), p->mapToGlobal(QPointF(50, 50)), {}, QPoint(0, 240), Qt::NoButton, Qt::NoModifier,
                    Qt::NoScrollPhase, false);
  QApplication::sendEvent(p, &wheel);
  CHECK(seen() != focused);
  QTest::keyClick(p, Qt::Key_F);
  CHECK(seen() == focused);
  // What is decided is drawn: a vector that is left out is no longer solid.
  CHECK(s.w().decide("leave-out", s.vector(), nothing, "tried").isEmpty());
  REQUIRE(s.follows());
  CHECK(seen() != focused);
}

TEST_CASE("a large plan shows what was decided a moment after the tables, whatever is painted in between") {
  TemporaryFolder folder;
  const std::string path = folder / "many.tie";
  {
    Job job = Job::create(path, demo_settings());
    std::string list = "mark,latitude,longitude,ellipsoidal_height,frame,epoch\n";
    for (int i = 0; i < 144; ++i)
      list +=
          fmt::format("M{},{:.6f},{:.6f},500,ETRF2000,2010.0\n", i, 46.2 + 0.002 * (i / 12), 13.8 + 0.003 * (i % 12));
    job.take_bytes({{"many.csv", list}});
  }
  Driver d(path);
  d.section("Datum");
  settle(50);
  PlanView *p = plan(d);
  const QImage before = p->grab().toImage();
  CHECK(d.window.workspace().decide("hold", "M70", {{"how", "full"}}, "tried") == "");
  p->repaint(); // before its time
  settle(50);
  const QImage after = p->grab().toImage();
  CHECK(after != before);
  d.window.workspace().undo();
  settle(50);
  CHECK(p->grab().toImage() == before);
}
