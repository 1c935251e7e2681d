// Several control lists in one job: they complete each other, and where they do not agree the surveyor is told.
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
constexpr const char *position_line = "mark,x,y,z,frame,epoch,sd_e,sd_n,sd_u\n"
                                      "REFA,{:.4f},1053871.4950,4582141.2552,ETRF2000,{},0.001,0.001,0.002\n";
constexpr const char *height_line = "mark,height,sd_height\nREFA,{:.4f},0.0010\n";

struct Lists {
  TemporaryFolder folder;
  Job job;
  explicit Lists(const std::vector<std::pair<std::string, std::string>> &files)
      : job(Job::create(folder / "a.tie", demo_settings())) {
    for (const Intake &i : job.take_bytes(files)) REQUIRE(i.outcome == Intake::Outcome::taken);
  }
  PublishedMark refa() const { return job.snapshot()->published().at("REFA"); }
};

/// A list with a comment of its own: which of two comes first hangs on what stands in them.
std::string commented(int n, const std::string &text) { return fmt::format("# copy {}\n", n) + text; }
std::string placed(int n, double x = 4293769.6102, const char *epoch = "2010.0") {
  return commented(n, fmt::format(position_line, x, epoch));
}
std::string raised(int n, double h = 265.1234) { return commented(n, fmt::format(height_line, h)); }
} // namespace

TEST_CASE("a list of positions and one of heights complete each other, whichever comes first") {
  std::set<bool> orders;
  for (int n = 0; n < 8; ++n) {
    Lists l({{"place.csv", placed(n)}, {"height.csv", raised(n)}});
    const Contents &all = l.job.snapshot()->contents();
    orders.insert(all[0].source.name == "place.csv");
    REQUIRE(l.refa().has_position());
    CHECK(l.refa().frame == "ETRF2000");
    CHECK(l.refa().where() == "place.csv line 3");
    REQUIRE(l.refa().height);
    CHECK(*l.refa().height == 265.1234);
    CHECK(*l.refa().sd_height == 0.001);
    CHECK(l.refa().where_height() == "height.csv line 3");
    CHECK(l.job.snapshot()->benchmarks().at("REFA").height == l.refa().height);
    CHECK_FALSE(doubt_of(l.job, "lists disagree"));
  }
  CHECK(orders.size() == 2);
}

TEST_CASE("lists that give a mark otherwise are doubted, with the file that is used and by how much") {
  for (int n = 0; n < 4; ++n) {
    Lists l({{"old.csv", placed(n)}, {"new.csv", placed(n, 4293769.6602)}});
    const Doubt *d = doubt_of(l.job, "lists disagree");
    REQUIRE(d);
    CHECK(d->about == "REFA");
    CHECK(*d->effect_m == Approx(0.05).margin(1e-6));
    CHECK_THAT(d->sentence, Contains("old.csv line 3") && Contains("new.csv line 3") && Contains("50.0 mm apart"));
    CHECK_THAT(d->sentence, Contains("that of " + l.refa().source_name + " is used"));
    // Leaving the other one out settles it, and so does the one that was used: then the other counts.
    const std::string unused = d->thing.id, used = l.refa().source_id;
    CHECK(unused != used);
    l.job.decide("leave-out", unused, nlohmann::json::object(), "replaced");
    CHECK_FALSE(doubt_of(l.job, "lists disagree"));
    CHECK(l.refa().source_id == used);
    l.job.undo();
    l.job.decide("leave-out", used, nlohmann::json::object(), "replaced");
    CHECK_FALSE(doubt_of(l.job, "lists disagree"));
    CHECK(l.refa().source_id == unused);
  }
}

TEST_CASE("lists that agree within their rounding are not doubted, heights are compared by themselves") {
  CHECK_FALSE(doubt_of(Lists({{"a.csv", placed(1)}, {"b.csv", placed(2, 4293769.6110)}}).job, "lists disagree"));
  CHECK_FALSE(doubt_of(Lists({{"a.csv", raised(1)}, {"b.csv", raised(2, 265.1240)}}).job, "lists disagree"));
  const Lists l({{"a.csv", raised(1)}, {"b.csv", raised(2, 265.1260)}});
  const Doubt *d = doubt_of(l.job, "lists disagree");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("the height of REFA") && Contains("2.6 mm apart"));
  // What the surveyor typed is no list. (The first decision is the settings that the job was made with.)
  Lists typed({{"a.csv", placed(1)}, {"b.csv", raised(2)}});
  typed.job.decide("hold", "REFA", {{"how", "height"}, {"height", 265.2}, {"sd_height", 0.001}}, "levelled anew");
  CHECK(typed.refa().where_height() == "decision 2");
  CHECK_FALSE(doubt_of(typed.job, "lists disagree"));
}

TEST_CASE("a held mark that is moved without a velocity of its own is doubted, one of the job's epoch is not") {
  Lists l({{"a.csv", placed(1)}});
  l.job.decide("hold", "REFA", {{"how", "full"}}, "");
  const Doubt *d = doubt_of(l.job, "velocity missing");
  REQUIRE(d);
  // 16.36 years at the usual millimetre.
  CHECK_THAT(d->sentence, Contains("published at 2010.0") && Contains("goes with the ground") && Contains("16.4 mm"));
  Lists same({{"a.csv", placed(1, 4293769.6102, "2026-05-12")}});
  same.job.decide("hold", "REFA", {{"how", "full"}}, "");
  CHECK_FALSE(doubt_of(same.job, "velocity missing"));
}

TEST_CASE("a list in a system of the site's own does not push out the one that belongs here") {
  std::set<bool> orders;
  for (int n = 0; n < 12; ++n) {
    Lists l(
        {{"control.csv", placed(n)},
         {"third.csv", "mark,x,y,z,frame,epoch\nREFC,4297870.0,1051500.0,4578900.0,ETRF2000,2010.0\n"},
         {"other.csv", "mark,x,y,z,frame,epoch\nREFB,4298870.0,1051000.0,4577900.0,ETRF2000,2010.0\n"},
         {"site.csv", commented(n, "mark,e,n,height\nREFA,5012.345,1987.654,12.3\nREFB,5512.345,1187.654,14.3\n")}});
    const Contents &all = l.job.snapshot()->contents();
    for (std::size_t i = 0; i < all.size(); ++i)
      if (all[i].source.name == "site.csv") orders.insert(all[i].source.id < l.refa().source_id);
    CHECK(l.refa().source_name == "control.csv");
    CHECK(l.job.snapshot()->published().at("REFB").source_name == "other.csv");
    // Told either way: as a place that cannot be, or as one that the other lists contradict.
    CHECK((doubt_of(l.job, "does not belong here") || doubt_of(l.job, "lists disagree")));
  }
  CHECK(orders.size() == 2);
}

TEST_CASE("a height of another list stays when the place of a mark cannot be") {
  // In the same frame, but on the other side of the Earth; two marks say where the job is.
  const std::string elsewhere = "mark,x,y,z,frame,epoch\nREFA,-4293769.0,-1053871.0,4582141.0,ETRF2000,2010.0\n";
  const std::string here = "mark,x,y,z,frame,epoch\nREFC,4297870.0,1051500.0,4578900.0,ETRF2000,2010.0\n"
                           "REFD,4297770.0,1051600.0,4578900.0,ETRF2000,2010.0\n";
  for (int n = 0; n < 6; ++n) {
    Lists l({{"here.csv", here}, {"far.csv", commented(n, elsewhere)}, {"height.csv", raised(n)}});
    CHECK(doubt_of(l.job, "does not belong here"));
    CHECK_FALSE(l.job.snapshot()->published().count("REFA"));
    REQUIRE(l.job.snapshot()->benchmarks().count("REFA"));
    CHECK(l.job.snapshot()->benchmarks().at("REFA").where_height() == "height.csv line 3");
    // And it goes with the place that belongs, whichever list came first.
    Lists both({{"here.csv", here},
                {"far.csv", commented(n, elsewhere)},
                {"height.csv", raised(n)},
                {"place.csv", placed(n)}});
    CHECK(both.refa().source_name == "place.csv");
    REQUIRE(both.refa().height);
    CHECK(both.refa().where_height() == "height.csv line 3");
  }
}
