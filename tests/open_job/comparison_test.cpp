// The network against what lists publish: what agrees, one mark that moved, and what all have in common.
#include "base/angle.h"
#include "judgement/comparison.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct Published {
  TemporaryFolder folder;
  Job job;
  Published() : job(demo_job(folder / "a.tie")) {
    solve(job);
    adjust(job);
  }
  /// Another list of the five computed marks, moved by `change`, with its own few millimetres.
  std::vector<std::string> compare(const std::function<Vec3(const std::string &, const TaggedPoint &)> &change,
                                   const char *frame = "ETRF2000") {
    std::string list = "mark,x,y,z,frame,epoch,sd_e,sd_n,sd_u\n";
    int k = 0;
    for (const AdjustedMark &m : job.network()->result.marks) {
      if (m.hold == Hold::full) continue;
      ++k;
      const Vec3 x = change(m.name, m.position) + 0.002 * Vec3(std::sin(2.0 * k), std::cos(3.0 * k), std::sin(5.0 * k));
      list +=
          fmt::format("{},{:.4f},{:.4f},{:.4f},{},2026-05-12,0.003,0.003,0.005\n", m.name, x.x(), x.y(), x.z(), frame);
    }
    const std::string name = fmt::format("earlier-{}.csv", ++taken);
    REQUIRE(job.take_bytes({{name, list}})[0].outcome == Intake::Outcome::taken);
    solve(job); // a published mark is the base of its session
    adjust(job);
    result = compare_with_published(*job.snapshot(), *job.network());
    std::vector<std::string> out;
    for (const SystematicPart &p : result.systematic) out.push_back(p.sentence);
    std::string id;
    for (const auto &c : job.snapshot()->contents())
      if (c.source.name == name) id = c.source.id;
    job.decide("leave-out", id, nlohmann::json::object(), "looked at");
    return out;
  }
  Comparison result;
  int taken = 0;
};
Vec3 enu(const TaggedPoint &p, double e, double n, double u) {
  const Geodetic g = to_geodetic(p.xyz);
  return p.xyz + local_axes(g.lat, g.lon).transpose() * Vec3(e, n, u);
}
} // namespace

TEST_CASE("differences against a list are judged by what both are worth, and what they have in common is named") {
  Published t;
  // As it is: nothing to say.
  CHECK(t.compare([](const std::string &, const TaggedPoint &p) { return p.xyz; }).empty());
  CHECK(t.result.marks.size() == 5);
  for (const ComparedMark &m : t.result.marks) CHECK((m.plan_passes && m.up_passes && m.stated));
  // One mark moved.
  CHECK(t.compare([](const std::string &name, const TaggedPoint &p) {
           return name == "R07" ? enu(p, 0.05, 0, 0) : p.xyz;
         }).empty()); // it is no systematic part of the others
  REQUIRE_FALSE(t.result.marks.empty());
  CHECK(t.result.marks.front().name == "R07");
  CHECK_FALSE(t.result.marks.front().plan_passes);
  CHECK(t.result.marks.front().difference.x() == Approx(-0.05).margin(0.004));
  // ITRF said to be ETRF: half a metre and more to the north-east.
  const FrameChange itrf(*frame_by_name("ETRF2000"), *frame_by_name("ITRF2020"),
                         t.job.network()->result.marks.front().position.xyz);
  auto said = t.compare([&](const std::string &, const TaggedPoint &p) { return itrf(p).xyz; });
  REQUIRE_FALSE(said.empty());
  CHECK_THAT(said[0], Contains("earlier-3.csv") && Contains("as if what is published were in ITRF2020"));
  // Physical heights given as ellipsoidal ones.
  said = t.compare([&](const std::string &name, const TaggedPoint &p) {
    return enu(p, 0, 0, -*t.job.network()->positions.at(name).undulation);
  });
  REQUIRE_FALSE(said.empty());
  CHECK_THAT(said[0], Contains("as if physical heights stood for ellipsoidal ones"));
  // Of 2009 in ITRF2020, and nobody said so: seventeen years along the plate, and what lies between the frames.
  said = t.compare([&](const std::string &, TaggedPoint p) {
    p.epoch = 2009;
    return itrf(p).xyz;
  });
  REQUIRE_FALSE(said.empty());
  CHECK_THAT(said[0], Contains("in ITRF2020 at that epoch") && Contains("2009"));
  // Heights of the phase centre of an antenna of the job.
  const Occupation &any = t.job.snapshot()->occupations().front();
  const double centre = any.calibration->frequencies.at("G01").offset_neu.z();
  said = t.compare([&](const std::string &, const TaggedPoint &p) { return enu(p, 0, 0, centre); });
  REQUIRE_FALSE(said.empty());
  CHECK_THAT(said[0], Contains("phase centre") && Contains(fmt::format("({:.0f} mm)", 1000 * centre)));
  // A shift that nothing explains is not explained.
  said = t.compare([&](const std::string &, const TaggedPoint &p) { return enu(p, 0.2, 0.3, -0.4); });
  REQUIRE_FALSE(said.empty());
  CHECK_THAT(said[0], !Contains("as if"));
  // A turn of ten seconds about the middle of the site.
  const Vec3 middle = t.job.network()->result.marks.front().position.xyz;
  said = t.compare([&](const std::string &, const TaggedPoint &p) {
    const Geodetic g = to_geodetic(middle);
    const Vec3 d = local_axes(g.lat, g.lon) * (p.xyz - middle);
    const double a = 10 * rad_per_arcsec;
    return enu(p, a * d.y(), -a * d.x(), 0);
  });
  bool turned = false;
  for (const std::string &x : said) turned = turned || x.find("turned by") != std::string::npos;
  CHECK(turned);
}
