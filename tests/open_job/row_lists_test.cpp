// Lists of fixes and of stops without heads that are known: nothing of them counts until it was said what stands in
// them, and then they are what the same list with heads is.
#include "formats/recipe_reading.h"
#include "results/measured.h"
#include "results/row_lists.h"
#include "support/fix_survey.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// The list with its heads taken off, other separators, and the status in another language.
std::string without_heads(std::string list) {
  list.erase(0, list.find('\n') + 1);
  std::replace(list.begin(), list.end(), ',', '|');
  for (std::size_t at = 0; (at = list.find("|fixed|", at)) != std::string::npos;) list.replace(at, 7, "|FEST|");
  return list;
}
const RowSource &only_list(const Job &job) {
  const auto &all = job.snapshot()->get(row_lists_result());
  REQUIRE(all.size() == 1);
  return all.front();
}
std::string recipe_text(std::vector<std::string> meanings) {
  std::string fields;
  for (std::size_t i = 0; i < meanings.size(); ++i)
    fields += (i ? "," : "") + fmt::format(R"({{"meaning":"{}","column":{}}})", meanings[i], i + 1);
  return R"({"format":"ample-tie recipe","version":1,"name":"field list","reads":"vectors","layout":"delimited",
"delimiter":"|","codes":{"status":{"FEST":"fixed"}},"lines":[{"name":"fix","what":"record","fields":[)" +
         fields + "]}]}";
}
} // namespace

TEST_CASE("fixes without heads count once a recipe says what they are, as the same list with heads does") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(12);
  const std::string list = fixes(f, Vec3::Zero(), random, 0.008, true);
  const auto begun = [&](const char *name) {
    Job job = Job::create(folder / name, Surveyed::settings());
    job.take_bytes({{"control.csv", f.control()}});
    job.decide("hold", "B1", {{"how", "full"}}, "");
    return job;
  };
  Job heads = begun("heads.tie");
  heads.take_bytes({{"fixes.csv", list}});
  adjust(heads);

  Job job = begun("a.tie");
  const auto taken = job.take_bytes({{"fixes.txt", without_heads(list)}}, "vectors");
  CHECK_THAT(taken[0].sentence, Contains("no recipe knows it"));
  CHECK(only_list(job).unsaid);
  CHECK(job.snapshot()->get(measured_result()).empty());
  const Doubt *d = doubt_of(job, "columns not said yet");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("nobody has said") && Contains("none of its vectors and fixes is used"));
  CHECK(d->section == Section::intake);
  CHECK_THROWS_WITH(adjust(job), Contains("nothing to adjust"));

  // A recipe that is taken later reads it by itself; what is wrong with it has its line.
  job.take_bytes({{"half.json", recipe_text({"to", "base", "x", "y"})}});
  CHECK(doubt_of(job, "columns not said yet"));
  CHECK_THAT(doubt_of(job, "columns not said yet")->sentence, Contains("unread, the first in line 1"));
  const std::string whole =
      recipe_text({"to", "base", "x", "y", "z", "time", "status", "epochs", "sd_x", "sd_y", "sd_z"});
  job.take_bytes({{"whole.json", std::string(whole).replace(whole.find("field list"), 10, "whole list")}});
  job.decide("set", "source:" + only_list(job).source_id, {{"recipe", "whole list"}}, "said");
  CHECK_FALSE(doubt_of(job, "columns not said yet"));
  CHECK(only_list(job).rows() == 9);
  adjust(job);
  REQUIRE(job.network()->positions.size() == heads.network()->positions.size());
  for (const auto &[mark, p] : heads.network()->positions)
    CHECK((job.network()->positions.at(mark).ecef.xyz - p.ecef.xyz).norm() < 1e-9);

  // Another recipe makes the network out of date; undo gives it back.
  const auto before = job.network()->positions;
  job.take_bytes({{"other.json", std::string(whole)
                                     .replace(whole.find("field list"), 10, "exchanged!")
                                     .replace(whole.find("\"sd_z\""), 6, "\"ignore\"")}});
  job.decide("set", "source:" + only_list(job).source_id, {{"recipe", "exchanged!"}}, "tried");
  CHECK(job.network_stale());
  CHECK(only_list(job).waits() + !only_list(job).problem.empty() + !job.snapshot()->get(measured_result()).empty() > 0);
  job.undo();
  CHECK_FALSE(job.network_stale());
  CHECK((job.network()->positions.at("101").ecef.xyz - before.at("101").ecef.xyz).norm() == 0);

  // Opened again it is read the same.
  Job again = Job::open(folder / "a.tie");
  CHECK(only_list(again).recipe == "whole list");
  CHECK(again.snapshot()->get(measured_result()).size() == 8);
}

TEST_CASE("a list of stops that is left out tells nothing any more") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", Surveyed::settings());
  job.take_bytes({{"stops.csv", "name,start,end\nK1,10:00:00,10:00:30\n"}});
  const auto stops = [&] {
    std::size_t n = 0;
    for (const SourceContent &c : job.snapshot()->contents()) n += c.stops ? c.stops->rows.size() : 0;
    return n;
  };
  CHECK(stops() == 1);
  job.decide("leave-out", only_list(job).source_id, nlohmann::json::object(), "of another day");
  CHECK(stops() == 0);
  job.undo();
  CHECK(stops() == 1);
}
