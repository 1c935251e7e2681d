// What would make a job's network agree: mistakes are made as decisions, and the causes must name them in words that
// lead back to them.
#include "judgement/findings.h"
#include "judgement/height_causes.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const std::vector<NetworkCause> &causes_of(const Job &job) { return job.snapshot()->get(network_causes_result()); }
const nlohmann::json nothing = nlohmann::json::object();
} // namespace

TEST_CASE("a height typed wrong is named with what was read, and its correction puts it right") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  CHECK(causes_of(job).empty()); // all tests pass
  const std::string wrong = occupation_of(job, "PS1", 1);
  job.decide("set", wrong, {{"height", 1.603}}, "typed wrong");
  solve(job);
  adjust(job);
  REQUIRE_FALSE(job.network()->result.adjustment.passes);
  const auto &causes = causes_of(job);
  REQUIRE(causes.size() >= 2);
  // Two set-ups over a mark of vectors alone: nobody can tell which, and both stand first, the same in every respect.
  const NetworkCause *own = nullptr;
  for (std::size_t i = 0; i < 2; ++i) {
    const Explanation &e = causes[i].explanation;
    REQUIRE(e.mistakes.size() == 1);
    CHECK(e.mistakes[0].kind == MistakeKind::antenna_height);
    CHECK(e.clears());
    CHECK(e.moved == "PS1");
    CHECK(std::abs(std::abs(e.mistakes[0].size[0]) - 0.1) < 3.3 * e.mistakes[0].sd[0]);
    if (causes[i].thing.id == wrong) own = &causes[i];
  }
  REQUIRE(own);
  CHECK_THAT(own->mistake,
             Contains("the height of the antenna in PS1 05-12 08:00 was entered") && Contains("too large"));
  CHECK_THAT(own->effect, Contains("all tests pass then") && Contains("PS1 moves by"));
  CHECK(own->section == Section::intake);
  REQUIRE(own->corrections.size() == 1);
  CHECK(std::stod(own->corrections[0].value) == Approx(1.503).margin(0.015));
  // The doubt of the whole network carries them.
  const Doubt *d = doubt_of(job, "global test failed");
  REQUIRE(d);
  CHECK(d->causes.size() == 3);
  CHECK(d->causes[0] == causes[0].sentence());
  CHECK_FALSE(d->corrections.empty());
  // What it says is what happens.
  const double after = own->explanation.variance_factor;
  job.decide("set", wrong, {{"height", std::stod(own->corrections[0].value)}}, "as the cause says");
  solve(job);
  adjust(job);
  CHECK(causes_of(job).empty());
  CHECK(job.network()->result.adjustment.variance_factor == Approx(after).margin(0.15));
}

TEST_CASE("a published height that is wrong is named, not the field work") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  // Three stations held, the third by its own list, a decimetre too high.
  solve(job);
  adjust(job);
  const FullPosition p = job.network()->positions.at("DAM");
  const auto list = [&](double up) {
    return fmt::format(
        "mark,lat,lon,h,frame,epoch,sd_e_mm,sd_n_mm,sd_u_mm\nDAM,{:.10f},{:.10f},{:.4f},ETRF2000,2026.36,1,1,1\n",
        p.geodetic.lat * 180 / M_PI, p.geodetic.lon * 180 / M_PI, p.geodetic.h + up);
  };
  job.take_bytes({{"dam.csv", list(0.25)}});
  job.decide("hold", "DAM", nothing, "published");
  solve(job);
  adjust(job);
  REQUIRE_FALSE(causes_of(job).empty());
  const NetworkCause &first = causes_of(job).front();
  CHECK(first.explanation.mistakes[0].kind == MistakeKind::held_height);
  CHECK(first.explanation.mistakes[0].about == "DAM");
  CHECK(first.explanation.mistakes[0].size[0] == Approx(0.25).margin(0.03));
  CHECK_THAT(first.mistake, Contains("the height that DAM is held at is") && Contains("too large"));
  CHECK(first.section == Section::network);
}

TEST_CASE("levels in feet are named beside the vectors that contradict them") {
  CHECK_THAT(level_causes(12.0, 12.0 - 12.0 * 0.3048, 0.01).front(), Contains("feet"));
  CHECK_THAT(level_causes(-3.2, -6.4, 0.01).front(), Contains("other way"));
  CHECK(level_causes(12.0, 8.3, 2.0).empty()); // not known well enough
  CHECK(level_causes(0, 1, 0.01).empty());
}

TEST_CASE("of levels alone what a mistake moves is a height, and it is said") {
  TemporaryFolder folder;
  JobSettings heights;
  heights.title = "levels", heights.datum.vertical = "EPSG:5773", heights.datum.epoch = 2026.36;
  Job job = Job::create(folder / "l.tie", heights);
  std::vector<std::string> files;
  for (const auto &e : std::filesystem::directory_iterator(AMPLETIE_SOURCE_DIR "/demo/levels"))
    if (e.path().extension() == ".txt" || e.path().filename() == "benchmarks.csv") files.push_back(e.path().string());
  std::sort(files.begin(), files.end());
  job.take(files);
  for (const char *mark : {"HB1", "HB2"}) job.decide("hold", mark, {{"how", "height"}}, "published benchmark");
  adjust(job);
  REQUIRE_FALSE(job.network()->result.adjustment.passes); // one of the demo's books was walked the other way
  REQUIRE_FALSE(causes_of(job).empty());
  const NetworkCause &first = causes_of(job).front();
  CHECK(first.explanation.mistakes[0].kind == MistakeKind::level);
  CHECK_FALSE(first.explanation.moved.empty());
  CHECK(first.explanation.moves > 1);
  CHECK_THAT(first.effect, Contains(first.explanation.moved + " moves by"));
}
