// One held mark and a bearing: by the published place of a second mark that is not held, or typed. Network and traverse
// are in the grid, with its scale; nothing of the second mark but its bearing counts.
#include "support/field_work.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct OneMark {
  TemporaryFolder folder;
  FieldWork work{47};
  Job job;
  OneMark() : job(Job::create(folder / "t.tie", settings())) {
    FieldWork::weigh(job);
    const Vec3 &a = work.known.at("A").position.ecef.xyz;
    job.decide("hold", "A", {{"how", "full"}, {"xyz", {a.x(), a.y(), a.z()}}, {"sd_enu", {0.001, 0.001, 0.001}}}, "");
    job.take_bytes({{"field.txt", station::simulate(work.scenario).files.front().text}});
  }
  static JobSettings settings() {
    JobSettings s = demo_settings();
    s.datum.epoch = 2026.36;
    return s;
  }
  std::string start() const { return job.snapshot()->traverses().lines.at(0).id; }
  void publish(const char *mark, double longer) {
    const FullPosition p = work.describe(mark), a = work.describe("A");
    const double f = 1 + longer / std::hypot(p.grid.east - a.grid.east, p.grid.north - a.grid.north);
    job.take_bytes(
        {{"far.csv", fmt::format("mark,east,north,height,sd_e_mm,sd_n_mm,sd_u_mm\n{},{:.4f},{:.4f},{:.4f},5,5,5\n",
                                 mark, a.grid.east + f * (p.grid.east - a.grid.east),
                                 a.grid.north + f * (p.grid.north - a.grid.north), *p.height)}});
  }
  double worst_in_sd() {
    adjust(job);
    double worst = 0;
    for (const AdjustedMark &m : job.network()->result.marks) {
      if (m.hold == Hold::full) continue;
      const Vec3 d = local_axes(to_geodetic(m.position.xyz)) * (m.position.xyz - work.describe(m.name).ecef.xyz);
      const Eigen::Vector2d plan = d.head<2>();
      worst = std::max(worst, std::sqrt(plan.dot(m.network_cov_enu.topLeftCorner<2, 2>().inverse() * plan)));
      CHECK(plan.norm() < 0.08);
    }
    return worst;
  }
};
} // namespace

TEST_CASE("a traverse is turned to the published place of a mark that is not held, whatever its distance is") {
  OneMark t;
  CHECK_THROWS_AS(adjust(t.job), InputError);
  // Twenty centimetres too far: the bearing is right all the same, and no distance is held.
  t.publish("Z1", 0.2);
  const Doubt *d = doubt_of(t.job, "local traverse");
  REQUIRE(d);
  REQUIRE(d->corrections.size() == 1);
  CHECK(d->corrections[0].value == "Z1");
  CHECK(d->corrections[0].route == t.start());
  t.job.decide("set", "traverse:" + t.start(), {{d->corrections[0].field, d->corrections[0].value}}, "");
  CHECK_FALSE(doubt_of(t.job, "local traverse"));
  CHECK(t.worst_in_sd() < 4.5);
  const TraverseLine &l = t.job.snapshot()->traverses().lines.at(0);
  CHECK_FALSE(l.local_bearing);
  REQUIRE_FALSE(l.remarks.empty());
  CHECK_THAT(l.remarks.front(), Contains("Z1, which is not held"));
  // Provisional coordinates are the grid's, over half a kilometre and more.
  for (const char *mark : {"T2", "B"}) {
    const auto &p = t.job.snapshot()->traverses().marks.at(mark);
    CHECK(std::hypot(p.place.east - t.work.describe(mark).grid.east, p.place.north - t.work.describe(mark).grid.north) <
          0.05);
  }
  t.job.undo();
  CHECK(doubt_of(t.job, "local traverse"));
}

TEST_CASE("a typed grid bearing turns network and traverse, with the grid's scale") {
  OneMark t;
  const GridPoint a = t.work.describe("A").grid, b = t.work.describe("T1").grid;
  t.job.decide(
      "set", "traverse:" + t.start(),
      {{"start_bearing", std::atan2(b.east - a.east, b.north - a.north) * 180 / M_PI}, {"start_bearing_sd", 1.0}},
      "from an earlier survey");
  CHECK(t.worst_in_sd() < 4.5);
  const auto &p = t.job.snapshot()->traverses().marks.at("T1");
  CHECK(std::hypot(p.place.east - b.east, p.place.north - b.north) < 0.006);
}

TEST_CASE("the place of a check mark turns no traverse") {
  OneMark t;
  t.publish("Z1", 0);
  t.job.decide("set", "traverse:" + t.start(), {{"start_toward", "Z1"}}, "");
  CHECK_FALSE(t.job.snapshot()->traverses().lines.at(0).local_bearing);
  t.job.decide("hold", "Z1", {{"how", "check"}}, "");
  CHECK(t.job.snapshot()->traverses().lines.at(0).local_bearing);
  CHECK(doubt_of(t.job, "local traverse"));
  t.job.undo();
  CHECK_FALSE(t.job.snapshot()->traverses().lines.at(0).local_bearing);
}
