// A base that only a positioning service ties: the stand-in's answers, right and wrong, against what the job knows, and
// everything that hangs on the base.
#include "formats/recognise.h"
#include "formats/rinex_observation.h"
#include "geodesy/ellipsoid.h"
#include "results/job_results.h"
#include "service/service.h"
#include "support/test_job.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const std::string data = AMPLETIE_SOURCE_DIR "/demo/data/";

/// The stand-in's truth of a mark, in the orbits' frame and in the control's.
std::pair<Vec3, Vec3> truth_of(const std::string &mark) {
  static const auto truth = nlohmann::json::parse(plain_content(read_file(data + "truth.json.gz")));
  for (const auto &m : truth.at("marks"))
    if (m.at("name") == mark) {
      const auto v = [&](const char *key) { return Vec3(m.at(key).at(0), m.at(key).at(1), m.at(key).at(2)); };
      return {v("xyz"), v("control_frame_xyz")};
    }
  throw std::runtime_error("no truth of " + mark);
}

service::Answer answer(const std::string &file, const std::string &mark, std::uint64_t seed,
                       service::Mistake mistake = service::Mistake::none, double up = 0.009) {
  static std::map<std::string, std::vector<ObservationFile>> read;
  auto &sites = read[file];
  if (sites.empty()) sites = read_rinex_observations(plain_content(read_file(data + file)));
  service::Request r;
  r.observations = file, r.file = &sites.at(0), r.mistake = mistake;
  std::tie(r.mark, r.elsewhere) = truth_of(mark);
  service::Settings s;
  s.seed = seed, s.up = up, s.plan = up * 4 / 9;
  return service::answer(r, s);
}

struct Base {
  TemporaryFolder folder;
  Job job = Job::create(folder / "b.tie", demo_settings());
  explicit Base(const std::vector<std::string> &files) {
    std::vector<std::string> paths;
    for (const auto &f : files) paths.push_back(data + f);
    for (const Intake &i : job.take(paths)) REQUIRE(i.outcome == Intake::Outcome::taken);
  }
  std::string take(const std::string &name, const std::string &text) {
    const Intake i = job.take_bytes({{name, text}}).front();
    INFO(i.sentence);
    REQUIRE(i.outcome == Intake::Outcome::taken);
    for (const SourceContent &c : job.snapshot()->contents())
      if (c.source.name == name) return c.source.id;
    return {};
  }
  const Doubt *doubt(DoubtKind kind, const std::string &source) const {
    for (const Doubt &d : job.doubts())
      if (d.kind == kind && d.thing.id == source) return &d;
    return nullptr;
  }
};
} // namespace

TEST_CASE("each mistake of a service is told by its answer, as SINEX and as report, and none where there is none") {
  using M = service::Mistake;
  const std::pair<M, DoubtKind> cases[] = {{M::none, DoubtKind::answer_weak},
                                           {M::antenna, DoubtKind::answer_by_another_antenna},
                                           {M::height, DoubtKind::answer_by_another_height},
                                           {M::frame, DoubtKind::list_not_read},
                                           {M::weak, DoubtKind::answer_weak},
                                           {M::day, DoubtKind::answer_of_other_data}};
  const DoubtKind kinds[] = {DoubtKind::answer_by_another_antenna,
                             DoubtKind::answer_by_another_height,
                             DoubtKind::list_not_read,
                             DoubtKind::does_not_belong_here,
                             DoubtKind::answer_weak,
                             DoubtKind::answer_of_other_data};
  for (const auto &[mistake, expected] : cases) {
    Base b({"R07-s1.rnx.gz", "antennas.atx.gz", "antenna-points.csv"});
    std::vector<std::string> sources;
    for (std::uint64_t seed = 1; seed <= 20; ++seed) {
      const service::Answer a = answer("R07-s1.rnx.gz", "R07", seed, mistake, 0.006);
      sources.push_back(b.take(fmt::format("answer{}.snx", seed), a.sinex));
      sources.push_back(b.take(fmt::format("answer{}.txt", seed), a.report));
    }
    for (const std::string &source : sources) {
      INFO(static_cast<int>(mistake) << " " << source);
      for (DoubtKind k : kinds) CHECK((b.doubt(k, source) != nullptr) == (mistake != M::none && k == expected));
    }
    if (mistake == M::height) {
      const Doubt *d = b.doubt(expected, sources[0]);
      const double height = *b.job.snapshot()->occupations().at(0).antenna_height;
      CHECK(*d->effect_m == Approx(height).margin(1e-9));
      CHECK_THAT(d->sentence, Contains("antenna height of 0.0000 m"));
    }
    if (mistake == M::frame) {
      CHECK(b.job.snapshot()->published().empty());
      CHECK_THAT(b.doubt(expected, sources[0])->sentence, Contains("does not state the frame"));
      // Said once, it counts.
      b.job.decide("set", "source:" + sources[0], {{"frame", "ITRF2020"}}, "by the service's page");
      CHECK(b.job.snapshot()->published().count("R07") == 1);
    }
  }
}

TEST_CASE(
    "a base on an autonomous position is tied by an answer; what hangs on it moves along, and undo takes it back") {
  Base b({"REFA-s1.rnx.gz", "R07-s1.rnx.gz", "R11-s1.rnx.gz", "broadcast.rnx.gz", "antennas.atx.gz",
          "antenna-points.csv"});
  b.job.decide("set", occupation_of(b.job, "R11", 1), {{"height_to", "rim"}, {"slant", true}}, "field sheet");
  b.take("refa.snx", answer("REFA-s1.rnx.gz", "REFA", 7).sinex);
  const Doubt *untied = doubt_of(b.job, "base not tied");
  REQUIRE(untied);
  CHECK_THAT(untied->sentence, Contains("refa.snx gives REFA in ITRF2020 at 2026.35987"));
  REQUIRE(untied->corrections.size() == 2);
  CHECK(untied->corrections[0].hold == "REFA");
  b.job.decide("hold", "REFA", {{"how", untied->corrections[0].value}}, "tied by the service");
  CHECK_FALSE(doubt_of(b.job, "base not tied"));
  solve(b.job);
  adjust(b.job);
  // The orbits' frame at the session's epoch; the truth by the stand-in, moved by the published transformation.
  std::map<std::string, Vec3> first;
  for (const AdjustedMark &m : b.job.network()->result.marks) {
    first[m.name] = m.position.xyz;
    const Mat3 axes = local_axes(to_geodetic(m.position.xyz));
    const Vec3 error = axes * (m.position.xyz - truth_of(m.name).second);
    INFO(m.name << " " << error.transpose());
    const Mat3 cov = m.network_cov_enu;
    CHECK(error.dot(cov.ldlt().solve(error)) < 16.3); // χ² of three at 0.001
    CHECK(std::sqrt(cov(2, 2)) > 0.009);              // no better than its tie
  }
  REQUIRE(first.size() == 3);
  // Another answer of the service: all marks go with the base, to a hundredth of a millimetre.
  const std::string old = [&] {
    for (const SourceContent &c : b.job.snapshot()->contents())
      if (c.source.name == "refa.snx") return c.source.id;
    return std::string();
  }();
  b.job.decide("leave-out", old, nlohmann::json::object(), "asked again");
  b.take("refa-2.txt", answer("REFA-s1.rnx.gz", "REFA", 8).report);
  solve(b.job);
  adjust(b.job);
  const Vec3 moved =
      b.job.network()->result.marks.at(0).position.xyz - first.at(b.job.network()->result.marks.at(0).name);
  CHECK(moved.norm() > 0.002);
  for (const AdjustedMark &m : b.job.network()->result.marks) {
    INFO(m.name);
    CHECK((m.position.xyz - first.at(m.name) - moved).norm() < 2e-5);
  }
  b.job.undo();
  b.job.undo();
  CHECK(b.job.state().holds.empty());
}
