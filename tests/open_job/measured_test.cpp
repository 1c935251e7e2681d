// Vectors and fixes that others measured, in the network: weights stated and by default, bases that move, checks,
// several of one mark, and what cannot be used.
#include "base/angle.h"
#include "judgement/left_over.h"
#include "judgement/trace.h"
#include "results/between.h"
#include "results/changes.h"
#include "results/measured_record.h"
#include "results/weight_groups.h"
#include "support/fix_survey.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const MeasuredVector &vector_to(const Job &job, const std::string &mark, int which = 0) {
  for (const MeasuredVector &v : job.snapshot()->get(measured_result()))
    if (v.to == mark && which-- == 0) return v;
  throw std::runtime_error("no vector to " + mark);
}
} // namespace

TEST_CASE("fixes from a base hold together in the network, and move along with it, to the digit") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(5);
  Job job = Job::create(folder / "a.tie", Surveyed::settings());
  // The base was started on an autonomous position, 3.1 m off.
  const Vec3 off(1.9, -2.2, 1.05);
  const auto taken = job.take_bytes({{"control.csv", f.control()}, {"fixes.csv", fixes(f, off, random, 0.008, true)}});
  CHECK_THAT(taken[1].sentence, Contains("0 vectors and 9 fixes"));
  job.decide("hold", "B1", {{"how", "full"}}, "");
  adjust(job);
  const NetworkRun &run = *job.network();
  REQUIRE(run.result.marks.size() == 5);
  CHECK(run.measured.size() == 8);
  double chi = 0;
  for (const AdjustedMark &m : run.result.marks) {
    if (m.name == "B1") continue;
    const Vec3 d = local_axes(to_geodetic(m.position.xyz)) * (m.position.xyz - f.marks.at(m.name));
    CHECK(d.norm() < 0.03);
    // The base's set-up stands over the mark truly; its weight is in the deviation, so this is a bound.
    chi += d.dot(m.network_cov_enu.inverse() * d) / 12;
    CHECK(m.independent_checks == 1);
  }
  CHECK(chi < 2.5);
  // Two set-ups of one base: what is repeated shows in loops.
  CHECK_FALSE(job.loops().loops.empty());
  // The base moves to where it is on another list: every fix moves by just that.
  const auto before = run.positions;
  const Vec3 step(0.5, -0.25, 0.125), there = f.base + step;
  job.decide("hold", "B1",
             {{"how", "full"}, {"xyz", {there.x(), there.y(), there.z()}}, {"sd_enu", {0.002, 0.002, 0.004}}},
             "a service's answer");
  CHECK(job.network_stale());
  adjust(job);
  for (const auto &[mark, p] : job.network()->positions)
    CHECK((p.ecef.xyz - before.at(mark).ecef.xyz - step).norm() < 1e-4); // the list has four decimals
  job.undo();
  adjust(job);
  for (const auto &[mark, p] : job.network()->positions) CHECK((p.ecef.xyz - before.at(mark).ecef.xyz).norm() == 0);
  // The way from a mark to its line, and to that of its base.
  std::set<long> lines;
  for (const TraceStep &t : trace_mark("103", *job.snapshot(), job.vectors(), job.network(), 100))
    if (t.source_id == vector_to(job, "103").source_id) lines.insert(t.line);
  CHECK(lines.count(vector_to(job, "103").line) == 1);
  CHECK(lines.count(2) == 1); // the base's own
}

TEST_CASE("default weights are listed, groups are those of fixes, checks are compared and never used") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(6);
  Job job = Job::create(folder / "a.tie", Surveyed::settings());
  std::string list = fixes(f, Vec3::Zero(), random, 0.006, false);
  const Vec3 wrong = f.marks.at("104") + Vec3(0.4, 0, 0);
  list.insert(list.find('\n'), ",check");
  list += fmt::format("104,B1,{:.4f},{:.4f},{:.4f},2026-05-12T15:00:00,float,3,yes\n", wrong.x(), wrong.y(), wrong.z());
  job.take_bytes({{"control.csv", f.control()}, {"fixes.csv", list}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  adjust(job);
  const Doubt *d = doubt_of(job, "default weights");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("8 of 9") && Contains("10 mm + 1 ppm"));
  CHECK_FALSE(doubt_of(job, "not fixed")); // a check does nothing
  const WeightGroups groups(*job.snapshot(), job.vectors(), network_input(*job.snapshot(), job.vectors()));
  CHECK(groups.group("kind", vector_to(job, "101").id, "vector") == "kind=fixes");
  CHECK(groups.group("source", vector_to(job, "101").id, "vector") == "source=fixes.csv");
  CHECK(groups.group("day", vector_to(job, "101").id, "vector") == "day=2026-05-12");
  const MeasuredVector check = vector_to(job, "104", 2);
  CHECK_FALSE(check.in_network());
  const auto off = MeasuredDifferences(*job.snapshot(), job.network()).to(check);
  REQUIRE(off);
  CHECK(off->enu.norm() == Approx(0.4).margin(0.02));
  const Vec3 without = job.network()->positions.at("104").ecef.xyz;
  // By decision it is used, and then it is no fixed one.
  job.decide("use", check.id, nlohmann::json::object(), "");
  CHECK(doubt_of(job, "not fixed"));
  adjust(job);
  CHECK((job.network()->positions.at("104").ecef.xyz - without).norm() > 1e-4);
  job.decide("leave-out", check.id, nlohmann::json::object(), "check shot");
  adjust(job);
  CHECK((job.network()->positions.at("104").ecef.xyz - without).norm() == 0);
  bool said = false;
  for (const LeftOver &x : left_over(*job.snapshot(), job.vectors(), job.network()))
    said = said || (x.kind == "fix" && x.because == "check shot");
  CHECK(said);
  // The default is a setting.
  job.decide("set", "weight", {{"fix", 30}, {"fix-up", 60}}, "an old rover");
  CHECK(job.network_stale());
  CHECK_THAT(vector_to(job, "101").weight_words, Contains("30 mm + 1 ppm, up 60 mm"));
}

TEST_CASE("a fix without its base's place is not used before somebody says where it stood") {
  TemporaryFolder folder;
  const Surveyed f;
  Job job = Job::create(folder / "a.tie", Surveyed::settings());
  const Vec3 &x = f.marks.at("101");
  job.take_bytes({{"control.csv", f.control()},
                  {"fixes.csv", fmt::format("mark,base,x,y,z\n101,B1,{:.4f},{:.4f},{:.4f}\n", x.x(), x.y(), x.z())}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  CHECK_THAT(vector_to(job, "101").problem, Contains("taken to stand"));
  const Doubt *d = doubt_of(job, "measured and not usable");
  REQUIRE(d);
  REQUIRE(d->corrections.size() == 1);
  CHECK_THROWS_AS(adjust(job), InputError);
  job.decide("set", "source:" + d->corrections[0].source, {{d->corrections[0].field, d->corrections[0].value}},
             "crew's note");
  CHECK(vector_to(job, "101").problem.empty());
  adjust(job);
  CHECK((job.network()->positions.at("101").ecef.xyz - x).norm() < 2e-4);
}

TEST_CASE("a base far from its mark is refused, and what stands in two lists counts once") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(9);
  Job job = Job::create(folder / "a.tie", Surveyed::settings());
  // Three metres off is what a receiver makes of itself; a wrong sign of the longitude is not.
  const Geodetic at = to_geodetic(f.marks.at("101")), base = to_geodetic(f.base);
  const auto row = [](const Geodetic &g, double sign) {
    return fmt::format("{:.9f},{:.9f},{:.4f}", degrees(g.lat), sign * degrees(g.lon), g.h);
  };
  const std::string list = fixes(f, Vec3(1, 2, 2), random, 0.008, true);
  job.take_bytes({{"control.csv", f.control()},
                  {"a.csv", list},
                  {"sign.csv", "mark,base,lat,lon,h,base_lat,base_lon,base_h\n101,B1," + row(at, -1) + "," +
                                   row(base, -1) + "\n"}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  const MeasuredVector wrong =
      vector_to(job, "101", job.snapshot()->get(measured_result()).front().source_name == "sign.csv" ? 0 : 2);
  CHECK_THAT(wrong.problem, Contains("km from where B1 is") && Contains("wrong sign"));
  for (const MeasuredVector &v : job.snapshot()->get(measured_result()))
    if (v.source_name == "a.csv") CHECK_THAT(v.base_words, Contains("3.0") && Contains("from where B1 is"));
  adjust(job);
  const auto before = job.network()->positions;
  const double sd = std::sqrt(job.network()->result.marks.back().cov_enu.trace());
  // Saved once more by another program: another file with the same rows.
  job.take_bytes({{"b.csv", list + "\n"}});
  adjust(job);
  CHECK(job.network()->measured.size() == 8);
  CHECK(std::sqrt(job.network()->result.marks.back().cov_enu.trace()) == Approx(sd).epsilon(1e-9));
  CHECK_THAT(doubt_of(job, "measured and not usable")->sentence, Contains("counts once") || Contains("km from"));
  static_cast<void>(before);
}

TEST_CASE("others' vectors: frames are turned, east-north-up needs a place, what is unknown is said") {
  TemporaryFolder folder;
  const Surveyed f;
  Job job = Job::create(folder / "a.tie", Surveyed::settings());
  // 60 km in ITRF2020: its orientation against ETRF2000 is milliarcseconds, millimetres here.
  const Vec3 d(12000, -58000, 9000);
  job.take_bytes(
      {{"control.csv", f.control()},
       {"v.csv",
        "from,to,dx,dy,dz,sd_x,sd_y,sd_z,frame,epoch\nB1,FAR,12000,-58000,9000,0.01,0.01,0.01,ITRF2020,2026.36\n"
        "B1,X,1,2,3,0.01,0.01,0.01,Atlantis,\n"},
       {"enu.csv",
        "from,to,de,dn,du,sd_e,sd_n,sd_u\nB1,E1,100,0,0,0.003,0.003,0.005\nNOWHERE,E2,100,0,0,0.003,0.003,0.005\n"}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  adjust(job);
  const Frame itrf = *frame_by_name("ITRF2020"), etrf = *frame_by_name("ETRF2000");
  const Vec3 turned = FrameChange(itrf, etrf, f.base).linear_part(2026.36) * d;
  CHECK((turned - d).norm() > 0.005);
  CHECK((job.network()->positions.at("FAR").ecef.xyz - f.base - turned).norm() < 2e-4);
  const Vec3 east = local_axes(to_geodetic(f.base)) * (job.network()->positions.at("E1").ecef.xyz - f.base);
  CHECK((east - Vec3(100, 0, 0)).norm() < 2e-4);
  CHECK_THAT(vector_to(job, "X").problem, Contains("Atlantis"));
  CHECK_THAT(vector_to(job, "E2").problem, Contains("NOWHERE"));
  int lost = 0;
  for (const Doubt &x : job.doubts()) lost += x.kind == "measured and not usable";
  CHECK(lost == 2);
}

TEST_CASE(
    "fixes in the grid with physical heights, among vectors of the demo: the same marks, and a wrong one stands out") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  const auto alone = job.network()->positions;
  const auto row = [&](const std::string &mark, double de, double dh) {
    const FullPosition &p = alone.at(mark);
    return fmt::format("{};REFA;{:.4f};{:.4f};{:.4f};fixed\n", mark, p.grid.east + de, p.grid.north, *p.height + dh);
  };
  const FullPosition &base = alone.at("REFA");
  job.take_bytes({{"fixes.csv",
                   "Name;Base;Easting;Northing;Height;Status\n" +
                       fmt::format("REFA;REFA;{:.4f};{:.4f};{:.4f};\n", base.grid.east, base.grid.north, *base.height) +
                       row("R07", 0, 0) + row("R11", 0, 0) + row("PS1", 0.25, 0)}});
  REQUIRE(vector_to(job, "R07").problem.empty());
  adjust(job);
  for (const char *mark : {"R07", "R11"})
    CHECK((job.network()->positions.at(mark).ecef.xyz - alone.at(mark).ecef.xyz).norm() < 0.004);
  const Doubt *d = doubt_of(job, "vector suspicious");
  bool found = false;
  for (const Doubt &x : job.doubts())
    found = found || (x.thing.kind == Thing::Kind::measured && x.thing.id == vector_to(job, "PS1").id);
  CHECK(found);
  static_cast<void>(d);
}

TEST_CASE("beside a base held in its physical height a fix is as good as it is, not as the geoid") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(8);
  JobSettings s = demo_settings();
  Job job = Job::create(folder / "a.tie", s);
  job.take_bytes({{"fixes.csv", fixes(f, Vec3::Zero(), random, 0.008, true)}});
  // By grid and physical height: its ellipsoidal height is as uncertain as EGM96.
  job.decide("hold", "B1", {{"how", "full"}, {"grid", {407500.0, 5122500.0, 452.0}}, {"sd_enu", {0.002, 0.002, 0.004}}},
             "");
  adjust(job);
  const NetworkRun &run = *job.network();
  for (const AdjustedMark &m : run.result.marks) CHECK(std::sqrt(m.cov_enu(2, 2)) > 0.2);
  const Between b = between(run, "B1", "102");
  // So do covariances that are issued and compared: each mark's own, and what they have in common.
  const Eigen::MatrixXd joint = joint_covariance(run, {"B1", "102"});
  for (const AdjustedMark &m : run.result.marks)
    if (m.name == "B1" || m.name == "102") {
      const Eigen::Index up = m.name == "B1" ? 2 : 5;
      CHECK(joint(up, up) == Approx(m.cov_enu(2, 2)).epsilon(1e-6));
    }
  CHECK(std::sqrt(joint(2, 2) + joint(5, 5) - 2 * joint(2, 5)) < 0.012);
  CHECK(std::sqrt(b.cov_enu(2, 2)) < 0.012);
  MeasuredDifferences differences(*job.snapshot(), &run);
  for (const MeasuredVector &v : job.snapshot()->get(measured_result())) {
    const auto d = differences.to(v);
    REQUIRE(d);
    CHECK(std::sqrt(d->cov(2, 2)) < 0.016);
    CHECK(std::abs(d->enu.z()) < 0.03);
  }
}

TEST_CASE("errors of marks by fixes agree with what is printed, set-ups of base and pole included") {
  // Each shot with its own noise and its own erection of the pole, the base's erection common to all.
  std::mt19937_64 random(77);
  std::normal_distribution<double> normal;
  const Surveyed f;
  const Mat3 axes = local_axes(to_geodetic(f.base));
  const auto erection = [&] {
    return Vec3(axes.transpose() * Vec3(0.001 * normal(random), 0.001 * normal(random), 0.001 * normal(random)));
  };
  TemporaryFolder folder;
  double sum = 0;
  int n = 0, inside = 0;
  for (int seed = 0; seed < 80; ++seed) {
    std::string list = "mark,base,x,y,z,time,status,sd_e,sd_n,sd_u\n";
    const Vec3 base = erection();
    list += fmt::format("B1,B1,{:.5f},{:.5f},{:.5f},,,0.001,0.001,0.001\n", f.base.x(), f.base.y(), f.base.z());
    int minute = 0;
    for (const auto &[name, x] : f.marks)
      for (int k = 0; k < 2; ++k) {
        const Vec3 noise =
            axes.transpose() * Vec3(0.006 * normal(random), 0.007 * normal(random), 0.012 * normal(random));
        const Vec3 found = x + noise + erection() - base;
        list += fmt::format("{},B1,{:.5f},{:.5f},{:.5f},2026-05-12T{:02}:{:02}:00,fixed,0.006,0.007,0.012\n", name,
                            found.x(), found.y(), found.z(), 9 + 3 * k, minute++);
      }
    Job job = Job::create(folder / fmt::format("{}.tie", seed), Surveyed::settings());
    job.take_bytes({{"control.csv", f.control()}, {"fixes.csv", list}});
    job.decide("hold", "B1", {{"how", "full"}}, "");
    adjust(job);
    for (const AdjustedMark &m : job.network()->result.marks) {
      if (m.name == "B1") continue;
      const Vec3 d = local_axes(to_geodetic(m.position.xyz)) * (m.position.xyz - f.marks.at(m.name));
      const double chi = d.dot(m.cov_enu.inverse() * d);
      sum += chi, n += 3;
      inside += chi < 7.815; // 95 % of three degrees
    }
  }
  CAPTURE(sum / n, inside);
  CHECK(sum / n > 0.88);
  CHECK(sum / n < 1.12); // known to 0.046 of 960 components
  CHECK(inside > 0.91 * n / 3);
}

TEST_CASE("fixes alone in a job whose datum cannot be used: the adjustment says why") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(3);
  JobSettings s = Surveyed::settings();
  s.datum.crs = "EPSG:3912", s.datum.realisation = "ETRF2000";
  Job job = Job::create(folder / "a.tie", s);
  job.take_bytes({{"control.csv", f.control()}, {"fixes.csv", fixes(f, Vec3::Zero(), random, 0.008, true)}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  CHECK_THROWS_WITH(adjust(job), Contains("MGI") && Contains("older_datum"));
  job.decide("set", "job", {{"older_datum", 2000}}, "");
  CHECK_NOTHROW(adjust(job));
}

TEST_CASE("a list of fixes that ends inside a line is said to be cut off; rows of a second list are one doubt") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(4);
  Job job = Job::create(folder / "a.tie", Surveyed::settings());
  const std::string list = fixes(f, Vec3::Zero(), random, 0.008, true);
  job.take_bytes({{"control.csv", f.control()}, {"a.csv", list}});
  CHECK_FALSE(doubt_of(job, "file cut off"));
  job.take_bytes({{"b.csv", list.substr(0, list.size() - 2)}});
  CHECK(doubt_of(job, "file cut off"));
  int repeated = 0;
  for (const Doubt &d : job.doubts())
    repeated += d.kind == "measured and not usable" && d.sentence.find("counts once") != std::string::npos;
  CHECK(repeated == 1); // for seven or eight rows
}
