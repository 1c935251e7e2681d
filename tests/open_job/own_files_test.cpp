// Files of other people, other jobs and other habits beside a job's own.
#include "formats/recipe_reading.h"
#include "judgement/left_over.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct Demo {
  TemporaryFolder folder;
  Job job;
  Demo() : job(demo_job(folder / "a.tie")) {}
  void list(const std::string &text) { job.take_bytes({{"other.csv", text}}); }
};
/// A mark beside the demo, written in another way.
std::string misread(const std::string &head, const std::string &cells) {
  return "mark," + head + "\nFAR," + cells + "\n";
}
} // namespace

TEST_CASE("coordinates that cannot belong here are a doubt with the likely mistake, and the rest goes on") {
  Demo d;
  // The demo lies near 46.28 N 13.86 E, 411700 E 5125700 N in its grid.
  const auto [head, cells, cause] = GENERATE(table<std::string, std::string, std::string>({
      {"east,north,height", "5125700,411700,500", "exchanged"},
      {"east,north,height", "1350721.8,16816601.0,1640.4", "in feet"},
      {"east,north,height", "33411700,5125700,500", "number of its zone"},
      {"east,north,height", "1000,5000,500", "local coordinates"},
      {"east,north,height", "411700,15125700,500", "other hemisphere"},
      {"east,north,height", "871700,5134000,500", "another zone"},
      {"lat,lon,h", "46.28,-13.86,500", "longitude has the wrong sign"},
      {"lat,lon,h", "-46.28,13.86,500", "latitude has the wrong sign"},
      {"lat,lon,h", "13.86,46.28,500", "exchanged"},
      {"lat,lon,h", "52.28,4.86,500", "another job"},
  }));
  INFO(cells);
  d.list(misread(head, cells));
  const Doubt *q = doubt_of(d.job, "does not belong here");
  REQUIRE(q);
  CHECK(q->about == "FAR");
  CHECK_THAT(q->sentence, Contains("other.csv line 2"));
  CHECK_THAT(fmt::format("{}", fmt::join(q->causes, "; ")), Contains(cause));
  CHECK(d.job.snapshot()->published().count("FAR") == 0);
  CHECK(d.job.snapshot()->published().count("REFA") == 1);
  CHECK_FALSE(doubt_of(d.job, "datum not usable"));
}

TEST_CASE("packed degrees that were read as decimal ones are recognised") {
  Demo d;
  // 46°55', 13°55' packed: 46.55 and 13.55 read as decimals lie within the job; a receiver on the mark tells.
  const JobSnapshot &s = *d.job.snapshot();
  const auto at = std::find_if(s.occupations().begin(), s.occupations().end(),
                               [&](const Occupation &x) { return !x.mark.empty() && !s.published().count(x.mark); });
  REQUIRE(at != s.occupations().end()); // the control list tells of its marks already
  const Occupation o = *at;
  const Geodetic g = to_geodetic(o.file->approximate);
  const auto packed = [](double rad) {
    const double deg = rad * 180 / M_PI, whole = std::floor(deg), m = std::floor((deg - whole) * 60);
    return whole + m / 100 + ((deg - whole) * 60 - m) * 60 / 10000;
  };
  d.list(fmt::format("mark,lat,lon,h\n{},{:.10f},{:.10f},{:.3f}\n", o.mark, packed(g.lat), packed(g.lon), g.h));
  const Doubt *q = doubt_of(d.job, "does not belong here");
  REQUIRE(q);
  CHECK_THAT(q->causes.at(0), Contains("packed"));
}

TEST_CASE("a local list leaves a GNSS job solvable; leaving the source out takes it out; accepting takes it in") {
  Demo d;
  std::string local = "mark,east,north,height\n";
  for (int i = 0; i < 12; ++i) local += fmt::format("L{},{},{},{}\n", i, 1000 + i, 5000 - i, 300);
  d.list(local);
  int n = 0;
  for (const Doubt &q : d.job.doubts()) n += q.kind == "does not belong here";
  CHECK(n == 1); // one for the file, not one for each of its marks
  CHECK_THAT(doubt_of(d.job, "does not belong here")->about, Contains("and 8 more"));
  const std::string source = doubt_of(d.job, "does not belong here")->thing.id;
  CHECK_NOTHROW(job_datum(*d.job.snapshot()));
  d.job.decide("leave-out", source, {}, "of the site's own system");
  CHECK_FALSE(doubt_of(d.job, "does not belong here"));
  CHECK(d.job.snapshot()->published().count("L0") == 0);
  d.job.undo();
  REQUIRE(doubt_of(d.job, "does not belong here"));
  d.job.decide("accept", doubt_of(d.job, "does not belong here")->id, {}, "it is meant so");
  CHECK(d.job.snapshot()->published().count("L0") == 1);
  // What was accepted stays in sight, with the reason, and is not told as left over.
  const Doubt *kept = doubt_of(d.job, "does not belong here");
  REQUIRE(kept);
  CHECK(kept->state == Doubt::State::accepted);
  CHECK(kept->accepted_because == "it is meant so");
  CHECK_THAT(kept->sentence, Contains("used all the same"));
  for (const LeftOver &x : left_over(*d.job.snapshot(), d.job.vectors(), nullptr)) CHECK(x.name != "L0");
}

TEST_CASE("leaving out a source takes out everything it told") {
  Demo d;
  for (const auto &c : Contents(d.job.snapshot()->contents())) {
    INFO(c.source.name);
    d.job.decide("leave-out", c.source.id, {}, "on trial");
    const JobSnapshot &s = *d.job.snapshot();
    if (c.source.name == "control.csv") CHECK(s.published().empty());
    for (const Occupation &o : s.occupations()) {
      if (o.source_id == c.source.id) CHECK_FALSE(o.used);
      if (c.antex) CHECK_FALSE(o.calibration);
    }
    if (c.navigation) CHECK(broadcast_messages(s).size() == 0);
    d.job.decide("use", c.source.id, {}, "");
    CHECK(d.job.state().left_out.empty());
  }
  CHECK(d.job.snapshot()->published().size() >= 2);
}

TEST_CASE("an empty marker name asks for one") {
  Demo d;
  d.job.take_bytes(
      {{"QX7_0512.rnx", "     3.04           OBSERVATION DATA    G                   RINEX VERSION / TYPE\n"
                        "                                                            MARKER NAME\n"
                        "G    1 C1C                                                  SYS / # / OBS TYPES\n"
                        "                                                            END OF HEADER\n"
                        "> 2026 05 12 08 00  0.0000000  0  1\nG01  21000000.000\n"}});
  const Doubt *q = doubt_of(d.job, "mark without a name");
  REQUIRE(q);
  CHECK_THAT(q->causes.at(0), Contains("QX7"));
  std::string id;
  for (const Occupation &o : d.job.snapshot()->occupations())
    if (o.mark.empty() && !o.used) id = o.id;
  REQUIRE_FALSE(id.empty());
  d.job.decide("set", id, {{"mark", "QX7"}}, "field sheet");
  CHECK_FALSE(doubt_of(d.job, "mark without a name"));
}

namespace {
const std::string comma_book = "PT,BS,FS\nBM1,1.500,\nP1,1.400,1.200\nBM2,,1.000\n";
const std::string shipped_book = "unit;m\nrun;R1;DL7;A\nh;BM1;H;100.0000\ns;BM1;B;1.50000;30.00;08:00:00;1;\n"
                                 "s;;F;1.20000;30.00;08:01:00;1;\ns;;B;1.40000;30.00;08:02:00;1;\n"
                                 "s;P9;F;1.00000;30.00;08:03:00;1;\nend\n";
std::string taught() {
  Recipe r = blank_recipe(comma_book, "taught");
  r.header_lines = 1;
  r = with_meaning(r, "BM1,1.500,", 0, 3, "mark");
  return write_recipe(r);
}
std::size_t sights(const Job &job) {
  std::size_t n = 0;
  for (const LevelSource &s : job.snapshot()->levels().sources)
    for (const LevelRun &r : s.runs()) n += r.sights.size();
  return n;
}
} // namespace

TEST_CASE("a book keeps the recipe that read it, whatever is taught for another") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  for (int i = 0; i < 4; ++i)
    job.take_bytes({{fmt::format("b{}.txt", i), shipped_book + std::string(static_cast<std::size_t>(i), '\n')}});
  const std::size_t before = sights(job);
  REQUIRE(before == 16);
  job.take_bytes({{"comma.csv", comma_book}}, "levels");
  job.take_bytes({{"taught.json", taught()}});
  CHECK(sights(job) == before);
  for (const LevelSource &s : job.snapshot()->levels().sources)
    if (s.name != "comma.csv") CHECK(s.recipe != "taught");
  // Said for one book it counts there, is questioned where it gets less out of it, and undo brings the old one back.
  std::string book;
  for (const LevelSource &s : job.snapshot()->levels().sources)
    if (s.name == "b0.txt") book = s.source_id;
  job.decide("set", "source:" + book, {{"recipe", "taught"}}, "tried");
  CHECK(sights(job) == before - 4);
  const Doubt *d = doubt_of(job, "less understood than before");
  REQUIRE(d);
  CHECK(d->about == "b0.txt");
  job.undo();
  CHECK(sights(job) == before);
  CHECK_FALSE(doubt_of(job, "less understood than before"));
}

TEST_CASE("a book that nothing could read is read by a recipe that comes later") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  job.take_bytes({{"comma.csv", comma_book}}, "levels");
  CHECK(sights(job) == 0);
  Recipe r = read_recipe(taught());
  r = with_meaning(r, "BM1,1.500,", 4, 9, "back");
  r = with_meaning(r, "P1,1.400,1.200", 9, 14, "fore");
  job.take_bytes({{"taught.json", write_recipe(r)}});
  CHECK(sights(job) == 4);
}

TEST_CASE("a pointing is left out of a book that was read otherwise for a while") {
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.crs = "local:46:13:0", s.datum.vertical.clear();
  Job job = Job::create(folder / "a.tie", s);
  Recipe r;
  r.name = "whole", r.reads = "pointings", r.header_lines = 1, r.unit = "m", r.angle_unit = "deg";
  RecipeLine l;
  l.name = "sight";
  for (const auto &[meaning, column] : {std::pair{"station", 0}, {"target", 1}, {"circle", 2}, {"slope", 3}}) {
    RecipeField f;
    f.meaning = meaning, f.at.column = column;
    l.fields.push_back(f);
  }
  r.lines.push_back(l);
  job.take_bytes({{"r.json", write_recipe(r)}});
  job.take_bytes({{"f.csv", "at,to,angle,slope\nA,B,0,500\nA,C,90,400\nA,D,100,300\n"}}, "pointings");
  REQUIRE(job.snapshot()->traverses().field.setups.size() == 1);
  // The other recipe's set-up begins with another line, and so is another set-up.
  r.name = "without the first", r.header_lines = 2;
  job.take_bytes({{"s.json", write_recipe(r)}});
  const std::string source = job.snapshot()->traverses().field.sources.front().head.source_id;
  const auto pointings = [&] { return job.snapshot()->traverses().field.setups.front()->setup.pointings; };
  const std::string last = pointings().back().id;
  job.decide("set", "source:" + source, {{"recipe", r.name}}, "tried");
  REQUIRE(pointings().size() == 2);
  job.undo();
  REQUIRE(pointings().size() == 3);
  job.decide("leave-out", last, {}, "hidden");
  CHECK_FALSE(pointings().back().used);
}

TEST_CASE("a table that ends inside a line is asked about") {
  Demo d;
  SECTION("list, in its last figure") {
    d.list("mark,lat,lon,h\nP1,46.28,13.86,512.250\nP2,46.281,13.861,514.175\nP3,46.282,13.862,51");
    const Doubt *q = doubt_of(d.job, "file cut off");
    REQUIRE(q);
    CHECK_THAT(q->sentence, Contains("its last figure, 51, has 0 decimals, those above it have 3"));
    d.job.decide("leave-out", q->thing.id, {}, "copied again");
    CHECK_FALSE(doubt_of(d.job, "file cut off"));
  }
  SECTION("list without a line end, whole") {
    d.list("mark,lat,lon,h\nP1,46.28,13.86,512.250\nP2,46.281,13.861,514.175\nP3,46.282,13.862,515.300");
    CHECK_FALSE(doubt_of(d.job, "file cut off"));
  }
  SECTION("list from a sheet that drops zeros") {
    d.list("mark,lat,lon,h\nP1,46.28,13.86,512.25\nP2,46.281,13.861,514.175\nP3,46.282,13.862,515");
    CHECK_FALSE(doubt_of(d.job, "file cut off"));
  }
  SECTION("book whose last word has no line end") {
    d.job.take_bytes({{"b.txt", shipped_book.substr(0, shipped_book.size() - 1)}});
    CHECK_FALSE(doubt_of(d.job, "file cut off"));
  }
  SECTION("book, in a reading") {
    d.job.take_bytes({{"b.txt", shipped_book.substr(0, shipped_book.find("1.00000") + 3)}});
    const Doubt *q = doubt_of(d.job, "file cut off");
    REQUIRE(q);
    CHECK(q->about == "b.txt");
    CHECK_THAT(q->sentence, Contains("4 cells, the others have 8 or more"));
  }
}

TEST_CASE("the books of a job are held to a size together, and what is refused leaves it as it was") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  std::string book = "unit;m\nrun;L;D;A\n";
  for (int i = 0; i < 400; ++i) book += "s;;B;1.50000;30;;1;\ns;;F;1.10000;30;;1;\n";
  while (book.size() < most_book_bytes * 2 / 5) book += std::string(4000, 'x') + "\n";
  const auto first = job.take_bytes({{"a.txt", book + "end\n"}, {"b.txt", book + "s;P1;B;1.5;30;;1;\nend\n"}});
  for (const Intake &i : first) CHECK(i.outcome == Intake::Outcome::taken);
  const auto more = job.take_bytes({{"c.txt", book + "s;P2;B;1.5;30;;1;\nend\n"}, {"k.csv", "mark,height\nP1,100\n"}});
  REQUIRE(more.size() == 2);
  CHECK(more[0].outcome == Intake::Outcome::refused);
  CHECK_THAT(more[0].sentence, Contains("20 MB together"));
  CHECK(more[1].outcome == Intake::Outcome::taken);
  CHECK(job.snapshot()->contents().size() == 3);
}
