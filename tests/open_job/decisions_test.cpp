#include "base/error.h"
#include "job/settings.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
std::string told(const Job &job) {
  std::string s = setting_text(job.state().settings, "ratio") + setting_text(job.state().settings, "title");
  for (const auto &[mark, h] : job.state().holds) s += mark + hold_name(h.how);
  for (const auto &[item, why] : job.state().left_out) s += item + why.reason;
  for (const Occupation &o : job.snapshot()->occupations())
    s += o.id + o.mark + std::to_string(o.measured) + o.measured_to + (o.slant ? "s" : "v") + (o.used ? "u" : "-");
  return s;
}
} // namespace

TEST_CASE("undo and redo walk the decisions, and nothing that was decided is lost") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  const std::string start = told(job);
  job.decide("set", "limit", {{"ratio", 4.0}}, "stricter");
  const std::string one = told(job);
  job.decide("hold", "REFA", {{"how", "full"}, {"xyz", {4293769.6, 1053871.5, 4582141.3}}}, "published");
  const std::string two = told(job);
  job.undo();
  CHECK(told(job) == one);
  job.undo();
  CHECK(told(job) == start);
  job.redo();
  CHECK(told(job) == one);
  job.redo();
  CHECK(told(job) == two);
  CHECK_FALSE(job.can_redo());
  job.undo();
  job.decide("set", "limit", {{"ratio", 5.0}}, "stricter still");
  CHECK_FALSE(job.can_redo());
  CHECK(job.decisions().size() == 9);
  CHECK_THROWS_AS(setting_value("ratio", "many"), InputError);
  CHECK_THROWS_AS(setting_value("mask", "91"), InputError);
  CHECK_THROWS_AS(setting_value("colour", "red"), InputError);
}

TEST_CASE("two hundred random decisions, withdrawn and made again, with restarts between: the same state") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  std::mt19937_64 random(2026);
  auto pick = [&](int n) { return static_cast<int>(random() % static_cast<std::uint64_t>(n)); };
  std::string occupation;
  {
    Job job = Job::create(path, demo_settings());
    for (const auto &f : demo_files())
      if (f.find("PN1-s1") != std::string::npos) job.take({f});
    occupation = job.snapshot()->occupations().at(0).id;
  }
  auto job = std::make_unique<Job>(Job::open(path));
  for (int i = 0; i < 200; ++i) {
    const std::string before = told(*job);
    switch (pick(6)) {
    case 0:
      job->decide("set", occupation, {{"height", 1.0 + 0.001 * pick(900)}}, "book");
      break;
    case 1:
      job->decide("set", "limit", {{"ratio", 2.0 + pick(5)}}, "limit");
      break;
    case 2:
      job->decide(pick(2) ? "hold" : "release", "M" + std::to_string(pick(3)),
                  {{"how", "full"}, {"xyz", {4293769.6, 1053871.5, 4582141.3 + pick(9)}}}, "hold");
      break;
    case 3:
      job->decide(pick(2) ? "leave-out" : "use", occupation, nlohmann::json::object(), "trees");
      break;
    case 4:
      if (job->can_undo()) {
        job->undo();
        const std::string undone = told(*job);
        job->redo();
        REQUIRE(told(*job) == before);
        job->undo();
        REQUIRE(told(*job) == undone);
      }
      break;
    default:
      job.reset(); // the writer must let go before the file is opened again
      job = std::make_unique<Job>(Job::open(path));
      REQUIRE(told(*job) == before);
    }
  }
}
