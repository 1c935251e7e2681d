// The field sheet and the pictures of the demo against its files.
#include "base/text.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::vector<Doubt> doubts_of(const Job &job, DoubtKind kind) {
  std::vector<Doubt> out;
  for (const Doubt &d : job.doubts())
    if (d.kind == kind) out.push_back(d);
  return out;
}
void enter(Job &job, const std::string &name, nlohmann::json value) {
  job.decide("set", "field:" + name, std::move(value), "");
}
} // namespace

TEST_CASE("what the crew wrote down is set against the files: agreement is silent, differences say both") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  const Occupation o = [&] {
    for (const Occupation &x : job.snapshot()->occupations())
      if (x.mark == "PN1") return x;
    throw std::runtime_error("no PN1");
  }();
  const auto at = [](GpsTime t) { return iso(t).substr(0, 16) + ":00"; };
  // As it is.
  enter(job, "1",
        {{"mark", "PN1"}, {"height", o.measured}, {"to", o.measured_to}, {"start", at(o.start)}, {"stop", at(o.stop)}});
  CHECK(doubts_of(job, DoubtKind::field_sheet_differs).empty());
  CHECK(doubts_of(job, DoubtKind::field_entry_without_file).empty());
  // Another height: both numbers, and a button that takes it.
  enter(job, "1", {{"height", o.measured + 0.1}});
  {
    const auto found = doubts_of(job, DoubtKind::field_sheet_differs);
    REQUIRE(found.size() == 1);
    CHECK_THAT(found[0].sentence, Contains(fmt::format("{:.3f} m", o.measured)) &&
                                      Contains(fmt::format("{:.3f} m", o.measured + 0.1)) &&
                                      Contains("field sheet (1)"));
    CHECK(found[0].effect_m == Approx(0.1));
    REQUIRE(found[0].corrections.size() == 1);
    CHECK(found[0].corrections[0].occupation == o.id);
    // Taken, it is settled.
    job.decide("set", std::string(o.id), typed_fields<OccupationThing>({"height=" + found[0].corrections[0].value}, 0),
               "");
    CHECK(doubts_of(job, DoubtKind::field_sheet_differs).empty());
    job.undo();
    job.undo();
  }
  CHECK(doubts_of(job, DoubtKind::field_sheet_differs).empty());
  // A height within what two readings differ by is the same.
  enter(job, "1", {{"height", o.measured + 0.0015}});
  CHECK(doubts_of(job, DoubtKind::field_sheet_differs).empty());
  // Another mark at that time: the file is of PN1, the crew says R99.
  enter(job, "1", {{"mark", "R99"}, {"height", o.measured}});
  {
    const auto found = doubts_of(job, DoubtKind::field_sheet_differs);
    REQUIRE(found.size() == 1);
    CHECK_THAT(found[0].sentence, Contains("R99 at that time"));
    REQUIRE(found[0].corrections.size() == 1);
    CHECK(found[0].corrections[0].field == "mark");
  }
  // Hours off: no file is of that time.
  enter(job, "1", {{"mark", "PN1"}, {"start", "2026-05-20T08:00:00"}, {"stop", "2026-05-20T09:00:00"}});
  CHECK(doubts_of(job, DoubtKind::field_sheet_differs).empty());
  REQUIRE(doubts_of(job, DoubtKind::field_entry_without_file).size() == 1);
  // An entry without a mark is none.
  enter(job, "1", {{"mark", nullptr}});
  CHECK(job.state().field_sheet.empty());
  CHECK(doubts_of(job, DoubtKind::field_entry_without_file).empty());
}

TEST_CASE("two entries of one mark each have their own file; what cannot be is refused") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  std::vector<Occupation> all;
  for (const Occupation &x : job.snapshot()->occupations())
    if (x.mark == "PN1") all.push_back(x);
  REQUIRE(all.size() == 2);
  for (std::size_t i = 0; i < 2; ++i)
    enter(job, std::to_string(i),
          {{"mark", "PN1"}, {"start", iso(all[i].start).substr(0, 19)}, {"stop", iso(all[i].stop).substr(0, 19)}});
  CHECK(doubts_of(job, DoubtKind::field_entry_without_file).empty());
  // Exchanged heights are found at both.
  if (std::abs(all[0].measured - all[1].measured) > 0.003) {
    enter(job, "0", {{"height", all[1].measured}, {"to", all[1].measured_to}});
    enter(job, "1", {{"height", all[0].measured}, {"to", all[0].measured_to}});
    CHECK(doubts_of(job, DoubtKind::field_sheet_differs).size() == 2);
  }
  // A third one has none left.
  enter(job, "2", {{"mark", "PN1"}, {"start", iso(all[0].start).substr(0, 19)}});
  CHECK(doubts_of(job, DoubtKind::field_entry_without_file).size() == 1);
  CHECK_THROWS_WITH(enter(job, "3", {{"mark", "A"}, {"height", -3}}), Contains("between"));
  CHECK_THROWS_WITH(enter(job, "3", {{"mark", "A"}, {"start", "yesterday"}}), Contains("is no time"));
  CHECK_THROWS_WITH(enter(job, "3", {{"weather", "rain"}}), Contains("no \"weather\""));
}

TEST_CASE(
    "a photo belongs to nothing until it was said; by its name or place a mark is offered; elsewhere is a doubt") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  const std::string photos = AMPLETIE_SOURCE_DIR "/tests/data/attachments/";
  const auto taken = job.take_bytes({{"R11 north.JPG", read_file(photos + "north-east.jpg")},
                                     {"IMG_0042.jpg", read_file(photos + "south-west.jpg")}});
  REQUIRE(taken.size() == 2);
  CHECK(taken[0].outcome == Intake::Outcome::taken);
  CHECK_THAT(taken[0].sentence, Contains("photo (JPEG)") && Contains("46.30127°"));
  auto found = doubts_of(job, DoubtKind::attachment_of_nothing);
  REQUIRE(found.size() == 2);
  const Doubt &named = found[0].about == "R11 north.JPG" ? found[0] : found[1];
  REQUIRE_FALSE(named.corrections.empty());
  CHECK(named.corrections[0].value == "R11");
  const std::string photo = named.corrections[0].source,
                    other = (found[0].about == "R11 north.JPG" ? found[1] : found[0]).thing.id;
  job.decide("set", "source:" + photo, {{"of", "R11"}}, "");
  CHECK(doubts_of(job, DoubtKind::attachment_of_nothing).size() == 1);
  CHECK(doubts_of(job, DoubtKind::picture_taken_elsewhere).empty());
  // The other was taken on another continent.
  job.decide("set", "source:" + other, {{"of", "R11"}}, "");
  found = doubts_of(job, DoubtKind::picture_taken_elsewhere);
  REQUIRE(found.size() == 1);
  CHECK_THAT(found[0].sentence, Contains("km from R11"));
  // The job is what it was: opened again it knows them.
  job.undo();
  const Job again = Job::open(folder / "a.tie");
  CHECK(again.state().attachments.size() == 1);
}
