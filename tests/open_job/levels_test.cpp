// Levels as the job keeps them: the demo's four books with all their mistakes, put right by decisions.
#include "formats/recipe_reading.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::vector<std::string> level_files() {
  std::vector<std::string> out;
  for (const char *f : {"levels-1a.txt", "levels-1b.txt", "levels-2a.txt", "levels-2b.txt", "benchmarks.csv"})
    out.push_back(std::string(AMPLETIE_SOURCE_DIR "/demo/levels/") + f);
  return out;
}
const LevelLine &line(const Job &job, const std::string &name) {
  for (const LevelLine &l : job.snapshot()->levels().lines)
    if (l.name == name) return l;
  throw std::runtime_error("no line " + name);
}
const Doubt *doubt(const Job &job, const std::string &kind) {
  for (const Doubt &d : job.doubts())
    if (d.kind == kind) return &d;
  return nullptr;
}
Job levelled(const std::string &path) {
  Job job = Job::create(path, demo_settings());
  for (const Intake &i : job.take(level_files())) REQUIRE(i.outcome == Intake::Outcome::taken);
  for (const char *mark : {"HB1", "HB2"}) job.decide("hold", mark, {{"how", "height"}}, "published benchmark");
  return job;
}
void chain(Job &job, const std::string &name, const std::string &after) {
  job.decide("set", line(job, name).parts.front(), {{"follows", line(job, after).parts.back()}}, "goes on");
}
/// Everything of the guide's walk but the staff.
void put_right(Job &job) {
  job.decide("set", line(job, "S1").id, {{"reverse", true}}, "walked the other way");
  job.decide("set", line(job, "N2").id, {{"rename", {{"K2", "R11"}, {"R11", "K2"}}}}, "names exchanged");
  chain(job, "N2", "N1");
  chain(job, "S1", "N1 + N2");
  chain(job, "S2", "N1 + N2 + S1");
}
/// The vectors of the demo without its levels, adjusted.
Job adjusted_demo(const std::string &path) {
  Job job = demo_job(path);
  solve(job);
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  return job;
}
std::map<std::string, double> truth() {
  std::map<std::string, double> out;
  const auto j = nlohmann::json::parse(gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/levels/truth.json.gz")));
  for (const auto &m : j.at("heights")) out[m.at("mark")] = m.at("height");
  return out;
}
} // namespace

TEST_CASE("the demo's books: what the doubts name, put right, closes and agrees with the truth") {
  TemporaryFolder folder;
  Job job = levelled(folder / "a.tie");
  const LevelReport &r = job.snapshot()->levels();
  REQUIRE(r.sources.size() == 4);
  for (const LevelSource &s : r.sources) CHECK(s.unread == 0);
  REQUIRE(r.lines.size() == 6);
  // The side run and the loop close by themselves; nothing else can yet.
  CHECK(line(job, "SP").misclosures.front().within_limit());
  CHECK(line(job, "DAM").misclosures.front().within_propagated());
  CHECK(line(job, "N1").misclosures.empty());
  put_right(job);
  const std::string all = "N1 + N2 + S1 + S2";
  CHECK(line(job, all).problem.empty());
  CHECK(line(job, all).misclosures.size() == 1);
  const Doubt *d = doubt(job, "level line misses");
  REQUIRE(d);
  REQUIRE(!d->causes.empty());
  CHECK_THAT(d->causes.front(), Contains("booked twice"));
  REQUIRE(doubt(job, "set-up questionable"));
  const std::string twice = doubt(job, "set-up questionable")->thing.id; // decisions make doubts anew
  // The set-up that was booked twice: both of its readings are left out.
  const LevelLine before = line(job, all);
  for (const LevelSetup &s : before.setups.setups)
    if (before.run.sights[s.back.front()].id == twice)
      for (const auto *part : {&s.back, &s.fore})
        for (std::size_t i : *part) job.decide("leave-out", before.run.sights[i].id, {}, "booked twice");
  CHECK(!doubt(job, "set-up questionable"));
  d = doubt(job, "level line misses");
  REQUIRE(d);
  bool staff = false;
  for (const auto &c : d->causes) staff = staff || c.find("staff B with a scale of -") == 0;
  CHECK(staff);
  // The certificate of staff B confirms it; it was used in S2 alone, so S2 is corrected before it is chained.
  const std::string s2 = line(job, all).parts.back(), s1 = line(job, all).parts[2];
  job.decide("set", s2, {{"follows", nullptr}}, "another staff");
  job.decide("set", s2, {{"staff-scale", -70.0}}, "certificate of staff B");
  CHECK(!doubt(job, "level line misses"));
  const auto &n = job.snapshot()->levels().network;
  REQUIRE(n);
  CHECK(n->adjustment.passes);
  const auto heights = truth();
  double nse = 0;
  int count = 0;
  for (const LevelNetworkMark &m : n->marks) {
    if (m.relative) continue;
    INFO(m.name << " " << m.height << " " << heights.at(m.name));
    CHECK(std::abs(m.height - heights.at(m.name)) < 3.5 * m.sd + 0.001);
    const double e = (m.height - heights.at(m.name)) / m.sd;
    nse += e * e, ++count;
  }
  CHECK(count == 9);
  CHECK(nse / count < 4);
  // Reopened: the same, from sources and decisions alone.
  const Job again = Job::open(folder / "a.tie");
  CHECK(again.snapshot()->levels().network->find("R11")->height == n->find("R11")->height);
  CHECK(again.snapshot()->levels().lines.size() == job.snapshot()->levels().lines.size());
}

TEST_CASE("decisions about runs: split, reverse, compute, leave out, undo") {
  TemporaryFolder folder;
  Job job = levelled(folder / "a.tie");
  const LevelLine n1 = line(job, "N1");
  job.decide("set", n1.id, {{"split", {{"PN1", true}}}}, "two days");
  REQUIRE(job.snapshot()->levels().lines.size() == 7);
  const LevelLine &part = line(job, "N1, part 2");
  CHECK(part.reduced.from == "PN1");
  CHECK(part.reduced.difference + line(job, "N1").reduced.difference == Approx(n1.reduced.difference).margin(2e-5));
  chain(job, "N1, part 2", "N1");
  CHECK(line(job, "N1 + N1, part 2").reduced.raw_difference == Approx(n1.reduced.raw_difference).margin(1e-9));
  job.undo();
  job.undo();
  CHECK(line(job, "N1").reduced.difference == n1.reduced.difference);
  job.decide("set", n1.id, {{"reverse", true}}, "try");
  CHECK(line(job, "N1").reduced.raw_difference == Approx(-n1.reduced.raw_difference).margin(1e-9));
  job.undo();
  job.decide("leave-out", n1.id, {}, "doubtful");
  CHECK(!line(job, "N1").used);
  for (const LevelSection &s : job.snapshot()->levels().sections) CHECK(s.line != n1.id);
  job.decide("use", n1.id, {}, "");
  put_right(job);
  const std::string all = "N1 + N2 + S1 + S2";
  // A benchmark that is computed, not held: nothing is shared out beyond it.
  job.decide("set", line(job, all).id, {{"computed", {{"HB2", true}}}}, "doubted");
  CHECK(line(job, all).heights.back().correction == 0);
  CHECK(!job.snapshot()->levels().network->find("HB2")->held);
  // The misclosure is shown all the same.
  CHECK(line(job, all).misclosures.size() == 1);
  // A height that the file claims is compared, never used.
  job.decide("hold", "HB1", {{"how", "height"}, {"height", 471.9}, {"sd_height", 0.001}}, "another list");
  const Doubt *claim = doubt(job, "height claimed otherwise");
  REQUIRE(claim);
  CHECK_THAT(claim->sentence, Contains("the job's is used"));
  CHECK(line(job, all).known.at("HB1").height == 471.9);
}

TEST_CASE("levels and vectors in one network: physical heights, the geoid's error, the trace") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  job.take(level_files());
  for (const char *mark : {"HB1", "HB2"}) job.decide("hold", mark, {{"how", "height"}}, "published benchmark");
  put_right(job);
  REQUIRE(doubt(job, "set-up questionable"));
  const std::string twice = doubt(job, "set-up questionable")->thing.id; // decisions make doubts anew
  const LevelLine before = line(job, "N1 + N2 + S1 + S2");
  for (const LevelSetup &s : before.setups.setups)
    if (before.run.sights[s.back.front()].id == twice)
      for (const auto *part : {&s.back, &s.fore})
        for (std::size_t i : *part) job.decide("leave-out", before.run.sights[i].id, {}, "booked twice");
  const std::string s2 = line(job, "N1 + N2 + S1 + S2").parts.back();
  job.decide("set", s2, {{"follows", nullptr}}, "another staff");
  job.decide("set", s2, {{"staff-scale", -70.0}}, "certificate");
  solve(job);
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  const NetworkRun &run = *job.network();
  CHECK(run.levels.size() > 8);
  CHECK(run.result.adjustment.passes);
  const auto heights = truth();
  for (const AdjustedMark &m : run.result.marks) {
    const auto it = heights.find(m.name);
    if (it == heights.end()) continue;
    INFO(m.name << " correction " << m.geoid_correction << " sd " << m.height_sd);
    CHECK(std::abs(*run.positions.at(m.name).height - it->second) < 4 * m.height_sd + 0.001);
  }
  CHECK(*run.positions.at("HB1").height == Approx(*job.snapshot()->benchmarks().at("HB1").height).margin(1e-6));
  // The truth's geoid lies a decimetre or two from the grid, and that is what the surface finds.
  const auto dam =
      std::find_if(run.result.marks.begin(), run.result.marks.end(), [](const auto &m) { return m.name == "R11"; });
  CHECK(std::abs(dam->geoid_correction) > 0.01);
  CHECK(dam->geoid_correction_sd < 0.02);
  const auto trace = trace_mark("R11", *job.snapshot(), job.vectors(), &run);
  int levels = 0, files = 0;
  for (const TraceStep &t : trace)
    levels += t.kind == "level", files += t.kind == "source" && t.text.find("levels-") == 0;
  CHECK(levels > 2);
  CHECK(files > 2);
  // A mark whose place a list gives, to which only levels lead: its plan stays unknown, and nothing is missing for it.
  job.decide("hold", "K1", {{"how", "check"}, {"geodetic", {46.318, 13.882, 905.31}}}, "from a map");
  const NetworkRun again = run_network(*job.snapshot(), job.vectors(), {});
  for (const AdjustedMark &m : again.result.marks)
    if (m.name == "K1") CHECK(!m.plan_known);
  job.undo();
  // Another instrument's whim: a decimetre in a reading is found by the network and by the line.
  const LevelLine &l = line(job, "N1 + N2 + S1");
  std::string fore;
  for (const StaffSight &s : l.run.sights)
    if (s.mark == "K1" && s.kind == SightKind::fore) fore = s.id;
  REQUIRE(!fore.empty());
  job.decide("leave-out", fore, {}, "try");
  CHECK(job.network_stale());
}

TEST_CASE("levels that the vectors contradict are named with the size of it and both origins") {
  // One set-up that says PN1 lies a metre under R07; the truth is 618 m, known to the grid of the geoid's decimetres.
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  job.take_bytes({{"l.txt", "unit;m\nrun;L;DL7;A\ns;PN1;B;2.00000;30;;1;\ns;R07;F;1.00000;30;;1;\nend\n"}});
  solve(job);
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  const Doubt *d = doubt(job, "levels and vectors disagree");
  REQUIRE(d);
  CHECK(d->about == "PN1 – R07");
  CHECK(d->effect_m == Approx(1098.80 - 480.63 - 1).margin(1));
  CHECK_THAT(d->sentence,
             Contains("levels (L, 0.06 km)") && Contains("vectors") && Contains("geoid") && Contains("617."));
}

TEST_CASE("of several levels that fail the likeliest comes first, and the others say so") {
  // Three lines in a chain between marks of vectors, all right but one by 0.8 m.
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  const auto height = [&](const char *m) { return *job.network()->positions.at(m).height; };
  const auto run = [&](const char *name, const char *from, const char *to, double mistake) {
    return fmt::format("run;{};DL7;A\ns;{};B;{:.5f};40;;1;\ns;{};F;1.00000;40;;1;\nend\n", name, from,
                       height(to) - height(from) + mistake + 1, to);
  };
  const std::string book =
      "unit;m\n" + run("a", "DAM", "PS1", 0) + run("b", "PS1", "PN1", 0) + run("c", "PN1", "R07", 0.8);
  job.take_bytes({{"l.txt", book}});
  job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
  std::vector<const Doubt *> found, off;
  for (const Doubt &d : job.doubts()) {
    if (d.kind == "levels and vectors disagree") found.push_back(&d);
    if (d.kind == "geoid off") off.push_back(&d);
  }
  REQUIRE(found.size() > 1);
  CHECK(found[0]->about == "PN1 – R07");
  CHECK(found[0]->effect_m == Approx(0.8).margin(0.2));
  CHECK_THAT(found[1]->causes.front(), Contains("PN1 – R07 fails more clearly"));
  CHECK(found[0]->causes.size() == 1); // no way of going wrong is named that does not explain it
  for (const Doubt *d : off) {
    CHECK(*d->effect_m < *found[0]->effect_m);
    CHECK_THAT(d->causes.back(), Contains("PN1 – R07"));
  }
}

TEST_CASE("levels in feet or walked the other way are recognised by the vectors") {
  TemporaryFolder folder;
  Job job = adjusted_demo(folder / "a.tie");
  const auto height = [&](const char *m) { return *job.network()->positions.at(m).height; };
  const double rise = height("R07") - height("R11"); // some 127 m
  for (const auto &[factor, why] : {std::pair{1 / 0.3048, "in feet"}, {-1.0, "the other way"}}) {
    const auto out = job.take_bytes(
        {{"l.txt", fmt::format("unit;m\nrun;L;DL7;A\ns;R11;B;{:.5f};40;;1;\ns;R07;F;1.00000;40;;1;\nend\n",
                               factor * rise + 1)}});
    job.accept_network(run_network(*job.snapshot(), job.vectors(), {}));
    const Doubt *d = doubt(job, "levels and vectors disagree");
    REQUIRE(d);
    CHECK_THAT(d->causes.front(), Contains(why));
    const auto snapshot = job.snapshot();
    for (const auto &c : snapshot->contents())
      if (c.source.name == "l.txt" && !job.state().left_out.count(c.source.id))
        job.decide("leave-out", c.source.id, {}, "wrong");
  }
}

TEST_CASE("unread text blocks a file until it was seen; a recipe that is taken reads it") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  std::string book = read_file(AMPLETIE_SOURCE_DIR "/demo/levels/levels-1a.txt");
  const auto at = book.find("0.54507");
  REQUIRE(at != std::string::npos);
  book.replace(at, 7, "0.5450/");
  write_file(folder / "book.txt", book);
  REQUIRE(job.take({folder / "book.txt"}).front().outcome == Intake::Outcome::taken);
  CHECK(job.snapshot()->levels().lines.empty());
  const Doubt *d = doubt(job, "level file not understood");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("letters where a number should be"));
  job.decide("set", "source:" + job.snapshot()->levels().sources.front().source_id, {{"seen", true}}, "a smudge");
  CHECK(job.snapshot()->levels().lines.size() == 2);
  CHECK(!doubt(job, "level file not understood"));
  // A file of another making: unknown until it is said to be levels, then pointed at, then read.
  write_file(folder / "own.csv", "Punkt,Rueck,Vor\nA,1.5000,\n,1.4000,0.5000\nB,,0.4000\n");
  CHECK(job.take({folder / "own.csv"}).front().outcome == Intake::Outcome::refused);
  CHECK(job.take({folder / "own.csv"}, "levels").front().outcome == Intake::Outcome::taken);
  const auto own = [&]() -> const LevelSource & {
    for (const auto &s : job.snapshot()->levels().sources)
      if (s.name == "own.csv") return s;
    throw std::runtime_error("not there");
  };
  CHECK(own().blocked());
  Recipe r = *own().used;
  const std::string row = "A,1.5000,";
  r = with_meaning(r, row, 0, 1, "mark");
  r = with_meaning(r, row, 2, 8, "back");
  r = with_meaning(r, ",1.4000,0.5000", 8, 14, "fore");
  r.header_lines = 1;
  r.name = "three columns";
  REQUIRE(job.take_bytes({{"three.json", write_recipe(r)}}).front().outcome == Intake::Outcome::taken);
  // The best match is used from now on, here and for the next file of the kind.
  CHECK(own().unread == 0);
  CHECK(own().recipe == "three columns");
  const LevelLine &l = line(job, "own.csv 1");
  CHECK(l.reduced.from == "A");
  CHECK(l.reduced.to == "B");
  CHECK(l.reduced.difference == Approx(2.0).margin(1e-9));
  write_file(folder / "own2.csv", "Punkt,Rueck,Vor\nB,1.1000,\nC,,0.9000\n");
  CHECK_THAT(job.take({folder / "own2.csv"}).front().sentence, Contains("three columns"));
  const Job again = Job::open(folder / "a.tie");
  CHECK(again.snapshot()->levels().lines.size() == job.snapshot()->levels().lines.size());
}
