// Control lists in layouts of their own, and what is said of a whole list: nothing of a guess is used before somebody
// has said it, mistakes are offered for correction, and every way back is open.
#include "base/error.h"
#include "geodesy/frame.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct ListJob {
  TemporaryFolder folder;
  Job job;
  explicit ListJob(const char *crs = "EPSG:25833", const char *vertical = "EPSG:5773", const char *frame = "")
      : job([&] {
          JobSettings s;
          s.title = "lists", s.datum = {crs, vertical, frame, 2026.3};
          return Job::create(folder / "l.tie", s);
        }()) {}
  Intake take(const std::string &name, const std::string &text, const std::string &as = {}) {
    return job.take_bytes({{name, text}}, as).front();
  }
  std::string id(const std::string &name) const {
    for (const SourceContent &c : job.snapshot()->contents())
      if (c.source.name == name) return c.source.id;
    return {};
  }
  const ListSource &list(const std::string &name) const {
    for (const ListSource &l : job.snapshot()->lists())
      if (l.name == name) return l;
    throw std::runtime_error("no list " + name);
  }
  void say(const std::string &name, const std::string &field, const std::string &value) {
    job.decide("set", "source:" + id(name), {{field, typed_field<SourceThing>(field, value)}}, "said");
  }
  void correct(const Doubt &d, std::size_t i = 0) {
    const Correction c = d.corrections.at(i);
    job.decide("set", "source:" + c.source, {{c.field, typed_field<SourceThing>(c.field, c.value)}}, "corrected");
  }
  bool published(const std::string &mark) const { return job.snapshot()->published().count(mark) > 0; }
};
constexpr const char *good = "mark,e,n,height\nA,500100.000,5126000.000,412.000\nB,500900.000,5126800.000,430.000\n"
                             "C,500300.000,5127100.000,440.000\n";
} // namespace

TEST_CASE("nothing of a list without heads is used until its columns were said, and undo takes that back") {
  ListJob l;
  l.take("known.csv", good);
  const Intake i = l.take("new.txt", "P1;5126300,000;500200,000;415,250\nP2;5126400,000;500300,000;416,250\n");
  REQUIRE(i.outcome == Intake::Outcome::taken);
  CHECK_THAT(i.sentence, Contains("1 mark, 2 north, 3 east, 4 physical height") && Contains("none of it is used"));
  CHECK_FALSE(l.published("P1"));
  const Doubt *d = doubt_of(l.job, "columns not said yet");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("nobody has said so") && Contains("none of its marks is used"));
  l.correct(*d);
  REQUIRE(l.published("P1"));
  CHECK(l.job.snapshot()->published().at("P1").grid == Vec3(500200, 5126300, 415.25));
  CHECK(l.job.snapshot()->published().at("P1").where() == "new.txt line 1");
  CHECK_FALSE(doubt_of(l.job, "columns not said yet"));
  {
    Job again = Job::open(l.folder / "l.tie"); // read anew from the file, nothing has changed
    CHECK(again.snapshot()->published().count("P1"));
    CHECK(again.snapshot()->published().count("A"));
    CHECK_FALSE(doubt_of(again, "columns not said yet"));
  }
  l.job.undo();
  CHECK_FALSE(l.published("P1"));
  CHECK(l.published("A"));
}

TEST_CASE("a list that nobody can guess is taken when it is said to be one, and read as it is pointed at") {
  ListJob l;
  l.take("known.csv", good);
  const std::string text = "pillar AA stands at 500100.5 / 5126000.5\n";
  CHECK(l.take("odd.txt", text).outcome == Intake::Outcome::refused);
  CHECK(l.take("odd.txt", text, "control").outcome == Intake::Outcome::taken);
  CHECK(l.list("odd.txt").waits());
  CHECK(doubt_of(l.job, "columns not said yet"));
  const std::string recipe =
      R"({"format": "ample-tie recipe", "version": 1, "name": "pillars", "reads": "control", "layout": "delimited",
    "delimiter": " ", "lines": [{"name": "mark", "fields": [{"meaning": "mark", "column": 2}, {"meaning": "east", "column": 5},
    {"meaning": "north", "column": 7}, {"meaning": "ignore", "column": 1}, {"meaning": "ignore", "column": 3},
    {"meaning": "ignore", "column": 4}, {"meaning": "ignore", "column": 6}]}]})";
  REQUIRE(l.job.take_bytes({{"pillars.json", recipe}}).front().outcome == Intake::Outcome::taken);
  l.say("odd.txt", "recipe", "pillars");
  REQUIRE(l.list("odd.txt").list);
  CHECK(l.list("odd.txt").list->rows[0].plan == Eigen::Vector2d(500100.5, 5126000.5));
  // The next list of that kind is read with it by itself.
  CHECK(l.take("odd2.txt", "pillar BB stands at 500110.5 / 5126010.5\n").outcome == Intake::Outcome::taken);
  REQUIRE(l.list("odd2.txt").list);
  CHECK(l.list("odd2.txt").recipe == "pillars");
}

TEST_CASE("each mistake of a whole list is named, offered for correction, and made good by it") {
  struct Case {
    const char *text, *crs, *cause;
    Vec3 right;
  };
  const Case cases[] = {
      {"mark,e,n,height\nP,5126300,500200,415\n", "EPSG:25833", "east and north are exchanged", {500200, 5126300, 415}},
      {"mark,e,n,height\nP,1641076.115,16818569.554,1361.548\n", "EPSG:25833", "feet", {500200, 5126300, 415}},
      {"mark,e,n,height\nP,33500200,5126300,415\n", "EPSG:25833", "number of its zone, 33", {500200, 5126300, 415}},
      {"mark,e,n,height\nP,-500200,5126300,415\n", "EPSG:25833", "sign of west", {500200, 5126300, 415}},
      {"mark,e,n,height\nP,500200,-4873700,415\n", "EPSG:25833", "other hemisphere", {500200, 5126300, 415}}};
  for (const Case &c : cases) {
    INFO(c.text);
    ListJob l(c.crs);
    l.take("known.csv", good);
    l.take("wrong.csv", c.text);
    const Doubt *d = doubt_of(l.job, "does not belong here");
    REQUIRE(d);
    REQUIRE(!d->causes.empty());
    std::size_t which = 0;
    while (which < d->corrections.size() && d->corrections[which].words.find(c.cause) == std::string::npos) ++which;
    REQUIRE(which < d->corrections.size());
    CHECK_FALSE(l.published("P"));
    l.correct(*d, which);
    REQUIRE(l.published("P"));
    CHECK((*l.job.snapshot()->published().at("P").grid - c.right).norm() < 0.002);
    CHECK_FALSE(doubt_of(l.job, "does not belong here"));
  }
}

TEST_CASE("signs, order and packing of geodetic lists, in the southern and western hemispheres") {
  // Santiago's area: latitude −33°27', longitude −70°40'.
  const char *known =
      "mark,lat,lon,h,frame\nA,-33.450000,-70.660000,550,ITRF2014\nB,-33.460000,-70.650000,560,ITRF2014\n"
      "C,-33.455000,-70.655000,560,ITRF2014\n";
  for (const auto &[text, cause] : {std::pair{"P,33.452000,-70.657000,555", "latitude has the wrong sign"},
                                    {"P,-33.452000,70.657000,555", "longitude has the wrong sign"},
                                    {"P,33.452000,70.657000,555", "latitude and longitude have the wrong sign"},
                                    {"P,-70.657000,-33.452000,555", "exchanged"},
                                    {"P,-33.27072,-70.39252,555", "packed"}}) {
    INFO(text);
    ListJob l("EPSG:32719", "", "ITRF2014"); // UTM zone 19S
    l.take("known.csv", known);
    l.take("wrong.csv", std::string("mark,lat,lon,h,frame\n") + text + ",ITRF2014\n");
    const Doubt *d = doubt_of(l.job, "does not belong here");
    if (std::string(cause) == "packed" && !d) continue; // within the reach of the job: nothing tells
    REQUIRE(d);
    std::size_t which = 0;
    while (which < d->corrections.size() && d->corrections[which].words.find(cause) == std::string::npos) ++which;
    REQUIRE(which < d->corrections.size());
    l.correct(*d, which);
    const auto &list = *l.list("wrong.csv").list;
    CHECK(list.rows[0].geodetic->x() == Approx(-33.452).epsilon(1e-9));
    CHECK(list.rows[0].geodetic->y() == Approx(-70.657).epsilon(1e-9));
  }
}

TEST_CASE("a list in the grid of the neighbouring zone is led over; one on another datum is refused in words") {
  // One place in both zones: 15°E is the edge between UTM 32 and 33... 12°E; values by PROJ's cs2cs, checked in the
  // test by leading there and back.
  ListJob l;
  l.take("known.csv", good);
  const Projection utm33("EPSG:25833"), utm32("EPSG:25832");
  const GridPoint q = utm32.project(utm33.unproject(500200, 5126300, 0));
  l.take("west.csv", fmt::format("mark,e,n,height,crs\nP,{:.4f},{:.4f},415,EPSG:25832\n", q.east, q.north));
  REQUIRE(l.published("P"));
  const JobDatum datum = job_datum(*l.job.snapshot());
  const TaggedPoint p = published_in_job(l.job.snapshot()->published().at("P"), datum, {0.02, false});
  const FullPosition full = datum.describe(p);
  CHECK(full.grid.east == Approx(500200).margin(2e-4));
  CHECK(full.grid.north == Approx(5126300).margin(2e-4));
  CHECK(*full.height == Approx(415).margin(1e-4));
  l.take("old.csv", "mark,e,n,height,crs\nQ,5000200,5126300,415,EPSG:31467\n"); // a legacy datum
  CHECK_FALSE(l.published("Q"));
  const Doubt *d = doubt_of(l.job, "does not belong here");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("another datum"));
}

TEST_CASE("a list in a national grid of before satellites goes through the agency's grid of shifts") {
  // BeTA2007 and the answers of PROJ's cs2cs (Debian: proj-data, proj-bin) for the same points.
  ListJob l("EPSG:25832", "");
  l.take("known.csv", "mark,e,n,height\nA,500100,5540000,412\nB,500900,5540800,430\nC,500300,5540500,430\n");
  CHECK(l.take("beta.gsb", read_file("/usr/share/proj/BETA2007.gsb")).outcome == Intake::Outcome::taken);
  l.take("old.csv", "mark,e,n,height\nP,3500200.000,5541900.000,415\nQ,3500900.000,5542100.000,416\n");
  CHECK_FALSE(l.published("P"));
  l.say("old.csv", "crs", "EPSG:31467");
  CHECK_FALSE(l.published("P"));
  REQUIRE(doubt_of(l.job, "does not belong here"));
  l.say("old.csv", "through", l.id("beta.gsb"));
  REQUIRE(l.published("P"));
  for (const auto &[mark, e, n] : {std::tuple{"P", 3500200.0, 5541900.0}, {"Q", 3500900.0, 5542100.0}}) {
    FILE *pipe = ::popen(fmt::format("echo {} {} | cs2cs -d 5 EPSG:31467 EPSG:25832", n, e).c_str(), "r");
    REQUIRE(pipe);
    double x = 0, y = 0;
    REQUIRE(std::fscanf(pipe, "%lf %lf", &x, &y) == 2);
    ::pclose(pipe);
    const Vec3 got = *l.job.snapshot()->published().at(mark).grid;
    CHECK((got.head<2>() - Eigen::Vector2d(x, y)).norm() < 1e-4);
  }
  // Without the grid of shifts it waits, and says so; outside of it likewise.
  l.job.decide("leave-out", l.id("beta.gsb"), nlohmann::json::object(), "another one");
  CHECK_FALSE(l.published("P"));
  CHECK_THAT(l.list("old.csv").problem, Contains("not in the job"));
}

TEST_CASE("frame, epoch and accuracy are said once for a list, and change what it publishes") {
  ListJob l;
  l.take("known.csv", good);
  l.take("base.csv", "mark,x,y,z\nBASE,4293769.6122,1053871.4959,4582141.2553\n");
  CHECK(l.job.snapshot()->published().at("BASE").frame.empty());
  l.say("base.csv", "frame", "ITRF2020");
  l.say("base.csv", "epoch", "2026.36");
  l.say("base.csv", "sd", "0.004");
  l.say("base.csv", "sd_height", "0.010");
  const PublishedMark p = l.job.snapshot()->published().at("BASE");
  CHECK(p.frame == "ITRF2020");
  CHECK(p.epoch == "2026.36");
  CHECK((*p.sd_enu - Vec3(0.004, 0.004, 0.010)).norm() < 1e-5); // and what three weeks of moving ground add
  CHECK_THROWS_WITH(typed_field<SourceThing>("frame", "nowhere"), Contains("no frame"));
  CHECK_THROWS_WITH(typed_field<SourceThing>("unit", "cubit"), Contains("unit is one of m, ft, us-ft"));
  CHECK_THROWS_WITH(typed_field<SourceThing>("epoch", "soon"), Contains("no year"));
  CHECK_THROWS_AS(typed_field<SourceThing>("crs", "EPSG:999999"), InputError);
  // ITRF2020 at 2026.36 and ETRF2000 lie 0.8 m apart here: the place that counts has moved.
  const JobDatum datum = job_datum(*l.job.snapshot());
  const Vec3 now = published_in_job(p, datum, {0.02, false}).xyz;
  l.say("base.csv", "frame", "");
  l.say("base.csv", "epoch", "");
  const Vec3 before = published_in_job(l.job.snapshot()->published().at("BASE"), datum, {0.02, false}).xyz;
  CHECK((now - before).norm() > 0.6);
  CHECK((now - before).norm() < 1.2);
}
