#include "base/angle.h"
#include "base/error.h"
#include "job/settings.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const Geodetic place{radians(46.2163), radians(13.7902), 312.4};

PublishedMark published(const Vec3 &xyz, const std::string &frame, const std::string &epoch) {
  PublishedMark p;
  p.name = "X";
  p.xyz = xyz, p.frame = frame, p.epoch = epoch;
  return p;
}
} // namespace

TEST_CASE("published coordinates reach the job's frame and epoch by every way of writing them") {
  const JobDatum d({"EPSG:25833", "EPSG:5773", "", 2026.36}, place);
  const Vec3 x = to_cartesian(place);
  const TaggedPoint plain = published_in_job(published(x, "", ""), d, {});
  CHECK((plain.xyz - x).norm() < 1e-9);
  SECTION("latitude, longitude, height") {
    PublishedMark p;
    p.name = "X";
    p.geodetic_deg = Vec3(46.2163, 13.7902, 312.4);
    CHECK((published_in_job(p, d, {}).xyz - x).norm() < 1e-8);
  }
  SECTION("grid with physical height") {
    const FullPosition f = d.describe(plain);
    PublishedMark p;
    p.name = "X";
    p.grid = Vec3(f.grid.east, f.grid.north, *f.height);
    CHECK((published_in_job(p, d, {}).xyz - x).norm() < 1e-6);
    p.frame = "ITRF2020";
    CHECK_THROWS_WITH(published_in_job(p, d, {}), Contains("job's frame"));
  }
  SECTION("velocity carries it from its epoch") {
    PublishedMark p = published(x, "ETRF2000", "2010.0");
    p.velocity = Vec3(0.001, 0.002, -0.001);
    CHECK((published_in_job(p, d, {}).xyz - x - *p.velocity * 16.36).norm() < 1e-9);
    p.epoch = "2010-01-01";
    CHECK((published_in_job(p, d, {}).xyz - x - *p.velocity * 16.36).norm() < 1e-9);
  }
  SECTION("another frame is changed by the register's operation, not assumed equal") {
    const TaggedPoint t = published_in_job(published(x, "ITRF2020", "2026.36"), d, {});
    CHECK((t.xyz - x).norm() > 0.5);
    CHECK(t.frame == d.frame());
  }
  SECTION("the frame changes at the published epoch, then the mark stands still where ground stands still") {
    // Taken to the job's epoch first, it would come out 0.35 m away.
    const JobDatum d2010({"EPSG:25833", "", "", 2010.0}, place);
    const Operation op = Operation::between("EPSG:9988", "EPSG:7930", place);
    const TaggedPoint t = published_in_job(published(x, "ITRF2020", "2026.36"), d2010, {});
    CHECK((t.xyz - op.forward(x, 2026.36)).norm() < 1e-6);
    CHECK((t.xyz - op.forward(x, 2010.0)).norm() > 0.3);
    CHECK(t.epoch == 2010.0);
    // A published velocity is one in the published frame.
    PublishedMark p = published(x, "ITRF2020", "2026.36");
    p.velocity = plate_velocity("Eurasia", x);
    CHECK((published_in_job(p, d2010, {}).xyz - t.xyz).norm() < 0.025); // 1.5 mm/yr at the most
    p.velocity = Vec3::Zero();
    CHECK((published_in_job(p, d2010, {}).xyz - op.forward(x, 2010.0)).norm() < 1e-4);
  }
  SECTION("where ground moves a mark needs a velocity, its own or its plate's") {
    DatumSettings moving{"EPSG:32633", "", "ITRF2020", 2026.36};
    const PublishedMark p = published(x, "ITRF2020", "2010.0");
    CHECK_THROWS_WITH(published_in_job(p, JobDatum(moving, place), {}), Contains("X") && Contains("plate"));
    moving.motion.plate = "Eurasia";
    const PlacedMark m = published_at(p, JobDatum(moving, place), 2026.36, {});
    CHECK((m.point.xyz - x - 16.36 * plate_velocity("Eurasia", x)).norm() < 1e-9);
    CHECK(m.motion_sd == Approx(0.01636));
    CHECK(m.moved_by == "plate Eurasia");
    // At the same epoch nothing moves, and nothing is asked.
    moving.motion.plate.clear();
    CHECK((published_in_job(published(x, "ITRF2020", "2026.36"), JobDatum(moving, place), {}).xyz - x).norm() < 1e-9);
  }
  SECTION("what cannot be used is refused by name") {
    CHECK_THROWS_WITH(published_in_job(published(x, "WGS 84", "2026.36"), d, {}), Contains("X") && Contains("WGS 84"));
    CHECK_THROWS_WITH(published_in_job(published(x, "ETRF2000", "last year"), d, {}), Contains("epoch"));
    PublishedMark nothing;
    nothing.name = "Y";
    CHECK_THROWS_WITH(published_in_job(nothing, d, {}), Contains("no published coordinates"));
    // An operation worse than the job allows.
    CHECK_THROWS_WITH(published_in_job(published(x, "ITRF2020", "2026.36"), d, {0.0001, false}), Contains("accuracy"));
  }
}

TEST_CASE("a control list, a hold that brings its own coordinates, and what is missing") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  job.take_bytes(
      {{"list.csv",
        "mark,lat,lon,h,frame,epoch\nA,46.2163,13.7902,312.4,ETRF2000,2010.0\nB,46.1,13.9,400,ETRF2000,2010.0\n"}});
  CHECK(job.snapshot()->published().size() == 2);
  job.decide("hold", "A", {{"how", "full"}}, "");
  auto kinds = [&] {
    std::multiset<std::string> k;
    for (const Doubt &d : job.doubts()) k.insert(words(d.kind));
    return k;
  };
  CHECK(kinds().count("velocity missing") == 1);
  job.decide("hold", "C", {{"how", "plan"}}, "");
  CHECK(kinds().count("held without coordinates") == 1);
  job.decide("hold", "C",
             {{"how", "check"}, {"xyz", {4293769.6, 1053871.5, 4582141.3}}, {"sd_enu", {0.01, 0.01, 0.02}}}, "");
  CHECK(kinds().count("held without coordinates") == 0);
  CHECK(job.snapshot()->checks().at("C").decision > 0);
  CHECK_FALSE(job.snapshot()->published().count("C"));
  // Coordinates typed with a hold come before those of the list.
  job.decide("hold", "A", {{"how", "full"}, {"geodetic", {46.2163, 13.7902, 999.0}}}, "better source");
  CHECK(job.snapshot()->published().at("A").geodetic_deg->z() == 999.0);
}

TEST_CASE("settings: every one can be shown, set to what it shows, and refuses nonsense") {
  JobSettings s = demo_settings();
  for (const SettingInfo &i : setting_catalogue()) {
    INFO(i.name);
    // Every other value than the one it has: a log that says nothing would leave that.
    const std::string now = setting_text(s, i.name);
    std::vector<std::string> others;
    if (i.value.kind == SettingValue::Kind::choice) others = i.value.choices;
    if (i.value.kind == SettingValue::Kind::number)
      for (double share : {0.25, 0.75}) {
        const double v = i.value.least + share * (i.value.most - i.value.least);
        others.push_back(fmt::format("{:.6g}", i.value.whole ? std::floor(v) : v));
      }
    std::erase(others, now);
    if (i.value.kind != SettingValue::Kind::text) CHECK(!others.empty());
    for (const std::string &other : others) {
      const std::vector<Decision> log{{1, "", "", "", "set", i.target, {{i.name, setting_value(i.name, other)}}}};
      const std::string after = setting_text(fold(log).settings, i.name);
      CHECK(after != now);
      CHECK(setting_value(i.name, after) == setting_value(i.name, other));
    }
    const std::vector<Decision> same{{1, "", "", "", "set", i.target, {{i.name, setting_value(i.name, now)}}}};
    CHECK(setting_text(fold(same).settings, i.name) == now);
    if (i.value.kind == SettingValue::Kind::number) {
      CHECK_THROWS_AS(setting_value(i.name, fmt::format("{}", i.value.most * 2)), InputError);
      CHECK_THROWS_AS(setting_value(i.name, "a lot"), InputError);
      if (i.value.whole) CHECK_THROWS_AS(setting_value(i.name, fmt::format("{}", i.value.least + 0.5)), InputError);
    }
    if (i.value.kind == SettingValue::Kind::choice) CHECK_THROWS_AS(setting_value(i.name, "whatever"), InputError);
  }
  CHECK_THROWS_AS(setting_value("crs", "EPSG:4258"), InputError);
  CHECK_THROWS_AS(setting_value("realisation", "WGS 84"), InputError);
}

TEST_CASE("a datum that cannot be reached accurately enough raises a doubt, and nothing is adjusted in it") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  job.accept_vectors(solve_vectors(*job.snapshot(), {}, 0, {}));
  // WGS 84 names a family; a realisation of another age is reached with a stated accuracy worse than 1 mm.
  job.decide("set", "job", {{"realisation", "ITRF2000"}, {"transformation", 1.0}}, "try");
  const bool doubted = std::any_of(job.doubts().begin(), job.doubts().end(), [](const Doubt &d) {
    return d.kind == "transformation not accurate enough" || d.kind == "datum not usable";
  });
  bool refused = false;
  try {
    run_network(*job.snapshot(), job.vectors(), {});
  } catch (const InputError &) {
    refused = true;
  }
  CHECK(doubted == refused);
}
