// What residuals follow, groups that are let turn, and a solution of others as vectors: in the window.
#include "app/driver.h"
#include "app/network/pattern_strip.h"
#include "support/fix_survey.h"
#include <QComboBox>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// Two lists of fixes about one base; the second one's marks are stretched.
std::string two_lists(const TemporaryFolder &folder, double stretch) {
  const std::string path = folder / "two.tie";
  const Surveyed f;
  Surveyed other = f;
  for (auto &[name, x] : other.marks) x = f.base + (1 + stretch) * (x - f.base);
  std::mt19937_64 random(3);
  Job job = Job::create(path, Surveyed::settings());
  job.take_bytes({{"control.csv", f.control()},
                  {"own.csv", fixes(f, Vec3::Zero(), random, 0.002, true, 4)},
                  {"others.csv", fixes(other, Vec3::Zero(), random, 0.002, true, 4, "2026-05-14")}});
  job.decide("hold", "B1", {{"how", "full"}}, "published");
  return path;
}
std::string groups_words(Driver &d) { return d.named<QLabel>("Groups in words")->text().toStdString(); }
/// Chooses what is decided of a group, types it with a reason and presses the button.
void decide_of(Driver &d, const char *what, const char *value, const char *button) {
  auto *of = d.named<QComboBox>("Decide of the group");
  of->setCurrentIndex(of->findData(what));
  d.named<QLineEdit>("Factor of the group")->setText(value);
  d.named<QLineEdit>("Reason for the factor")->setText("their grid has another scale");
  d.click(button);
  settle(50);
}
} // namespace

TEST_CASE("vectors of others are let stretch in the window, say by how much, and stand as stated again") {
  TemporaryFolder folder;
  Driver d(two_lists(folder, 40e-6));
  auto &w = d.window.workspace();
  d.adjust();
  CHECK_FALSE(w.job().network()->result.adjustment.passes);
  d.section("Network");
  d.click("Groups part");
  auto *by = d.named<QComboBox>("Groups by");
  by->setCurrentIndex(by->findText("by source"));
  Q_EMIT by->activated(by->currentIndex());
  QTableView *t = d.table("Groups of observations");
  for (int i = 0; i < 2000 && (t->model()->rowCount() != 2 || !d.cell(t, 0, "Group").endsWith(".csv")); ++i) settle(5);
  t->setCurrentIndex(t->model()->index(d.row_with(t, "Group", "others.csv"), 0));
  settle(20);
  decide_of(d, "scale", "-4", "Weigh so"); // no standard deviation
  CHECK_THAT(groups_words(d), Contains("scale of the whole"));
  CHECK(w.job().state().groups.empty());
  decide_of(d, "scale", "100", "Weigh so");
  if (w.job().network_stale()) d.adjust();
  CHECK(w.job().network()->result.adjustment.passes);
  Driver::filled(t);
  for (int i = 0; i < 2000 && groups_words(d).find("stretched by") == std::string::npos; ++i) settle(5);
  CHECK_THAT(groups_words(d), Contains("others.csv: stretched by") && !Contains("turned by"));
  CHECK(d.cell(t, d.row_with(t, "Group", "others.csv"), "Decided") == "frame");
  decide_of(d, "rotation", "20", "Weigh so");
  if (w.job().network_stale()) d.adjust();
  for (int i = 0; i < 2000 && groups_words(d).find("turned by") == std::string::npos; ++i) settle(5);
  CHECK_THAT(groups_words(d), Contains("turned by"));
  if (const char *shot = std::getenv("SHOT_TURNED")) d.window.grab().save(shot);
  // As stated: the one that is chosen, the other stays.
  for (int i = 0; i < 2000 && !d.named<QPushButton>("As stated")->isEnabled(); ++i) settle(5);
  decide_of(d, "scale", "", "As stated");
  CHECK_FALSE(w.job().state().groups.at("source=others.csv").scale_ppm.value);
  CHECK(w.job().state().groups.at("source=others.csv").rotation_ppm.value == 20);
}

TEST_CASE("residuals stand against length, height, bearing and time; a click on a point selects its observation") {
  TemporaryFolder folder;
  Driver d(two_lists(folder, 0));
  d.adjust();
  d.section("Network");
  settle(100);
  auto *strip = d.named<PatternStrip>("Residuals against length, height, bearing and time");
  REQUIRE(strip);
  CHECK(strip->shown() >= 3);
  CHECK_THAT(strip->accessibleDescription().toStdString(), Contains("No residuals follow"));
  if (const char *shot = std::getenv("SHOT_PATTERNS")) d.window.grab().save(shot);
  const auto patterns =
      residual_patterns(*d.window.workspace().job().snapshot(), *d.window.workspace().job().network());
  QTest::mouseClick(strip, Qt::LeftButton, Qt::NoModifier, strip->place(0, 2).toPoint());
  CHECK(d.window.workspace().selection().kind == "measured");
  const bool there = std::any_of(patterns[0].points.begin(), patterns[0].points.end(),
                                 [&](const auto &p) { return p.id == d.window.workspace().selection().id; });
  CHECK(there);
  // Beside nothing is nothing chosen.
  const auto before = d.window.workspace().selection().id;
  QTest::mouseClick(strip, Qt::LeftButton, Qt::NoModifier, QPoint(3, 3));
  CHECK(d.window.workspace().selection().id == before);
  // Marks held where they are not: what pulls to one side is seen in the residuals.
  auto &w = d.window.workspace();
  const Surveyed f;
  int i = 0;
  for (const auto &[name, x] : f.marks) {
    const Vec3 to = f.base + (1 + 400e-6) * (x - f.base);
    CHECK(w.decide("hold", name,
                   {{"how", "full"}, {"xyz", {to.x(), to.y(), to.z()}}, {"sd_enu", {0.001, 0.001, 0.001}}}, "tried")
              .isEmpty());
    if (++i == 3) break;
  }
  d.adjust();
  settle(100);
  CHECK_THAT(strip->accessibleDescription().toStdString(), Contains("vectors, north") && Contains("height difference"));
  CHECK_FALSE(strip->toolTip().isEmpty());
  if (const char *shot = std::getenv("SHOT_PATTERNS_BAD")) d.window.grab().save(shot);
}

TEST_CASE("a solution that was taken becomes vectors from its evidence, and a control list again") {
  TemporaryFolder folder;
  const std::string path = folder / "s.tie";
  {
    const Surveyed f;
    std::string rows, matrix;
    static constexpr const char *types[] = {"STAX", "STAY", "STAZ"};
    int index = 0;
    const auto add = [&](const std::string &name, const Vec3 &x) {
      for (int k = 0; k < 3; ++k, ++index) {
        rows += fmt::format(" {:5} {:6} {:4}  A    1 26:132:43200 m    2 {:21.14E} 2.00000E-03\n", index + 1, types[k],
                            name, x[k]);
        matrix += fmt::format(" {:5} {:5} {:21.14E}\n", index + 1, index + 1, 4e-6);
      }
    };
    add("B1", f.base);
    for (const auto &[name, x] : f.marks) add(name, x);
    Job job = Job::create(path, Surveyed::settings());
    job.take_bytes({{"control.csv", f.control()},
                    {"centre.snx", "%=SNX 2.02 SIM 26:132:00000 SIM 26:131:00000 26:132:00000 P 00015 2 S\n"
                                   "+FILE/COMMENT\n frame ETRF2000\n-FILE/COMMENT\n+SOLUTION/ESTIMATE\n" +
                                       rows + "-SOLUTION/ESTIMATE\n+SOLUTION/MATRIX_ESTIMATE L COVA\n" + matrix +
                                       "-SOLUTION/MATRIX_ESTIMATE L COVA\n%ENDSNX\n"}});
    job.decide("hold", "B1", {{"how", "full"}}, "published");
  }
  Driver d(path);
  auto &w = d.window.workspace();
  std::string id;
  for (const SourceContent &c : w.job().snapshot()->contents())
    if (c.source.name == "centre.snx") id = c.source.id;
  w.select("source", id);
  settle(50);
  CHECK_THAT(d.evidence().toStdString(), Contains("5 stations with their joint covariance") && Contains("no part"));
  d.click("Its differences as vectors");
  settle(50);
  CHECK_THAT(d.evidence().toStdString(), Contains("are vectors of the network"));
  d.adjust();
  REQUIRE(w.job().network());
  CHECK(w.job().network()->result.marks.size() == 5);
  d.section("Network");
  d.click("Measured part");
  Driver::filled(d.table("Measured elsewhere"));
  CHECK(d.table("Measured elsewhere")->model()->rowCount() == 4);
  w.select("source", id);
  settle(50);
  d.click("No vectors from it");
  settle(50);
  CHECK(w.job().snapshot()->get(measured_result()).empty());
}
