// The graph of results: what it gives is what computing everything afresh gives, and it computes no more than it must.
#include "base/error.h"
#include "formats/geoid_grid.h"
#include "job/settings.h"
#include "results/design.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <random>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
using nlohmann::json;

/// A small job of all three techniques: five occupations, the demo's levels and field book.
Job small_job(const std::string &path) {
  Job job = Job::create(path, demo_settings());
  std::vector<std::string> files;
  for (const std::string &f : demo_files())
    if (f.find(".rnx") == std::string::npos || f.find("broadcast") != std::string::npos ||
        f.find("REFA-s1") != std::string::npos || f.find("PN1-s1") != std::string::npos ||
        f.find("R07-s1") != std::string::npos)
      files.push_back(f);
  for (const char *f :
       {"levels/benchmarks.csv", "levels/levels-1a.txt", "levels/levels-1b.txt", "stations/field-1a.txt"})
    files.push_back(std::string(AMPLETIE_SOURCE_DIR "/demo/") + f);
  files.push_back(AMPLETIE_SOURCE_DIR "/demo/site/site-1987.csv");
  job.take(files);
  // A list whose columns nobody has said, one in another zone, and a grid of the geoid.
  HeightGrid g;
  g.name = "small", g.south = 45.8, g.west = 13.4, g.step_lat = g.step_lon = 0.1, g.rows = g.columns = 13;
  for (int i = 0; i < g.rows * g.columns; ++i) g.values.push_back(47 + 0.01F * static_cast<float>(i % 13));
  job.take_bytes(
      {{"columns.txt", "N1;5128250,000;415820,000;612,250\nN2;5128450,000;415920,000;613,250\n"},
       {"zone.csv",
        "mark,e,n,height,crs\nZ1,874800.000,5139000.000,600,EPSG:25832\nK1,874900.000,5139100.000,601,EPSG:25832\n"},
       {"small.gtx", write_gtx(g)}});
  for (const auto &source : std::vector(job.snapshot()->traverses().field.sources))
    if (!source.used) job.decide("use", source.head.source_id, {}, "gone through");
  job.decide("hold", "REFA", {{"how", "full"}}, "published");
  return job;
}

/// Everything that people see of a job's results, to the last bit.
std::string picture(const JobSnapshot &s) {
  std::string out = s.get(network_key_result()) + "\n";
  for (const Occupation &o : s.occupations())
    out += fmt::format("{} {} {} {} {} {}\n", o.id, o.mark, o.setup, o.used, o.antenna_height.value_or(-9), o.antenna);
  for (const auto &[name, p] : s.published())
    out += fmt::format("{} {} {} {:.6f} {} {} {}\n", name, p.line, p.decision,
                       p.grid  ? p.grid->sum()
                       : p.xyz ? p.xyz->sum()
                               : 0.0,
                       p.frame, p.epoch, p.sd_enu ? p.sd_enu->sum() : 0.0);
  for (const ListSource &l : s.lists())
    out +=
        fmt::format("{} {} {} {} {}\n", l.name, l.waits(), l.problem, l.said.key(), l.list ? l.list->rows.size() : 0);
  for (const JobFit &f : s.get(fits_result()))
    out += fmt::format("{} {} {} {}\n", f.name, f.problem, f.input.pairs.size(), f.result.chi_squared);
  out += s.geoid_choice().file + "\n";
  const JobDesign &design = s.get(design_result());
  out += design.problem + design.sky + "\n";
  for (const PlannedItem &i : design.items)
    out += fmt::format("{} {} {} {}\n", i.id, i.words, i.problem, i.redundancy.value_or(-1));
  if (design.run)
    for (const AdjustedMark &m : design.run->result.marks) out += fmt::format("{} {}\n", m.name, m.cov_enu.trace());
  for (const auto &[name, p] : s.benchmarks()) out += fmt::format("{} {}\n", name, *p.height);
  for (const auto &[name, m] : s.misplaced()) out += name + m.sentence + "\n";
  for (const PlannedVector &p : s.get(plan_result())) out += p.id + p.fingerprint + p.session + "\n";
  for (const VectorResult &v : s.vectors())
    out += fmt::format("{} {} {} {} {}\n", v.id, v.used, v.stale, v.independent, v.together);
  for (const Loop &l : s.get(loops_result()).loops)
    out += fmt::format("{} {} {}\n", l.id, l.misclosure_enu.norm(), l.statistic);
  for (const LevelLine &l : s.levels().lines) {
    out += fmt::format("{} {} {} {}\n", l.name, l.used, l.problem, l.reduced.difference);
    for (const LineHeight &h : l.heights) out += fmt::format("{} {}\n", h.mark, h.height);
  }
  if (s.levels().network)
    for (const LevelNetworkMark &m : s.levels().network->marks)
      out += fmt::format("{} {} {}\n", m.name, m.height, m.sd);
  for (const TraverseLine &l : s.traverses().lines)
    out += fmt::format("{} {} {} {}\n", l.name, l.used, l.result.closure.linear, l.linear_limit);
  for (const auto &[name, m] : s.traverses().marks)
    out += fmt::format("{} {} {} {}\n", name, m.place.east, m.place.north, m.height.value_or(-9));
  for (const TraverseCause &c : s.get(traverse_findings_result()).causes)
    out += fmt::format("{} {} {}\n", c.sentence, c.gain, c.effect);
  for (const Doubt &d : s.get(doubts_result()))
    out += fmt::format("{} {} {} {} {} {} {} {}\n", d.id, words(d.kind), d.about, d.sentence, d.value.value_or(0),
                       d.effect_m.value_or(0), static_cast<int>(d.state), fmt::join(d.causes, ";"));
  return out;
}

/// A decision as a surveyor might make it; perhaps one that is refused.
void decide_something(Job &job, std::mt19937_64 &random) {
  const auto s = job.snapshot();
  const auto pick = [&](const auto &all) -> const auto & {
    if (all.empty()) throw InputError("there is none");
    return all[random() % all.size()];
  };
  const auto &field = s->traverses().field;
  const double x = static_cast<double>(random() % 1000) / 1000;
  const std::vector<std::string> marks{"REFA", "PN1", "R07", "DAM", "K1", "HB1", "NEW"};
  switch (random() % 33) {
  case 0:
    job.decide("set", pick(s->occupations()).id, {{"height", 1.2 + x}}, "");
    break;
  case 1:
    job.decide("set", pick(s->occupations()).id, {{"mark", pick(marks)}}, "");
    break;
  case 2:
    job.decide("leave-out", pick(s->occupations()).id, {}, "bad");
    break;
  case 3:
    job.decide("use", pick(s->occupations()).id, {}, "");
    break;
  case 4:
    job.decide("hold", pick(marks), {{"how", x < 0.3 ? "height" : x < 0.6 ? "full" : "check"}}, "");
    break;
  case 5:
    job.decide("release", pick(marks), {}, "");
    break;
  case 6:
    job.decide("set", "solve", {{"mask", 7 + std::floor(10 * x)}}, "");
    break;
  case 7:
    job.decide("set", "limit", {{"level-limit", 1 + std::floor(9 * x)}, {"loop", 2 + std::floor(9 * x)}}, "");
    break;
  case 8:
    job.decide("set", "levels", {{"curvature", x < 0.5 ? "yes" : "no"}, {"staff-scale", std::floor(20 * x)}}, "");
    break;
  case 9:
    job.decide("set", "traverse", {{"balance", x < 0.5 ? "least squares" : "transit rule"}, {"k", x}}, "");
    break;
  case 10:
    job.decide("set", "weight", {{"direction", 1 + x}, {"centring", 1 + x}}, "");
    break;
  case 11:
    job.decide("set", pick(s->levels().lines).id, {{"reverse", x < 0.5}}, "");
    break;
  case 12:
    job.decide(x < 0.5 ? "leave-out" : "use", pick(s->levels().lines).id, {}, "bad");
    break;
  case 13:
    job.decide(x < 0.5 ? "leave-out" : "use", pick(pick(s->levels().lines).run.sights).id, {}, "bad");
    break;
  case 14:
    job.decide("set", pick(field.setups)->setup.id, {{"height", 1.4 + x}}, "");
    break;
  case 15:
    job.decide(x < 0.5 ? "leave-out" : "use", pick(pick(field.setups)->setup.pointings).id, {}, "bad");
    break;
  case 16:
    job.decide("set", "mark:" + pick(marks), {{"gravity", 9.8 + x / 100}}, "");
    break;
  case 17:
    job.decide("set", "mark:" + pick(marks), {{"same_as", pick(marks)}}, "");
    break;
  case 18:
    if (!job.doubts().empty()) job.decide("accept", pick(job.doubts()).id, {}, "known");
    break;
  case 19:
    job.decide("set", "asked:" + pick(marks), {{"plan", x / 100}}, "");
    break;
  case 20:
    job.decide(x < 0.5 ? "leave-out" : "use", pick(*s->inputs().contents).source.id, {}, "another job's");
    break;
  case 21: {
    const ListSource &l = pick(s->lists());
    const std::pair<const char *, const char *> said[] = {
        {"unit", "ft"},        {"unit", ""},   {"exchanged", "yes"},     {"exchanged", "no"},
        {"turned", "east"},    {"turned", ""}, {"add_east", "-1000000"}, {"add_north", "100"},
        {"frame", "ITRF2020"}, {"frame", ""},  {"epoch", "2020"},        {"sd", "0.01"},
        {"seen", "yes"}};
    const auto &[name, value] = said[random() % std::size(said)];
    job.decide("set", "source:" + l.source_id, {{name, typed_field<SourceThing>(name, value)}}, "");
    break;
  }
  case 22: {
    const ListSource &l = pick(s->lists());
    job.decide("set", x < 0.5 ? "fit:one" : "fit:two", {{"list", x < 0.8 ? json(l.source_id) : json()}}, "");
    break;
  }
  case 27:
    job.decide("set", x < 0.5 ? "group:kind=levels" : "group:kind=vectors",
               {{"factor", x < 0.8 ? json(1 + x) : json()}}, "a card");
    break;
  case 28:
    job.decide("set", "also:west", {{"crs", x < 0.7 ? json("EPSG:25832") : json()}}, "");
    break;
  case 29:
    job.decide("set", "traverse:" + pick(field.setups)->setup.id,
               {{"start_toward", x < 0.8 ? json(pick(marks)) : json()}}, "");
    break;
  case 30:
    job.decide("set", "traverse:" + pick(field.setups)->setup.id, {{"start_bearing", x < 0.8 ? json(360 * x) : json()}},
               "");
    break;
  case 31:
    job.decide("set", x < 0.5 ? "plan:mark Q1" : "plan:mark Q2",
               {{"east", 412800 + 100 * x}, {"north", 5128300}, {"height", 700}, {"planned", x < 0.8}}, "");
    break;
  case 32:
    job.decide("set", "plan:station " + pick(marks), {{"targets", "Q1," + pick(marks)}, {"planned", x < 0.8}}, "");
    break;
  case 23:
    job.decide("set", "pair:one|" + pick(marks), {{"use", x < 0.5 ? "check" : "none"}}, "");
    break;
  case 24:
    for (const SourceContent &c : s->contents())
      if (c.geoid) job.decide("set", "source:" + c.source.id, {{"geoid", x < 0.6}}, "");
    break;
  case 25:
    job.decide("set", "job", {{"crs", x < 0.5 ? "EPSG:25833" : "EPSG:25832"}}, "");
    break;
  default:
    x < 0.6 ? job.undo() : job.redo();
  }
}

std::set<std::string> computed(const JobSnapshot &s) {
  std::set<std::string> out;
  for (const ResultStatus &r : s.status())
    if (r.anew) out.insert(r.result->name);
  return out;
}

} // namespace

TEST_CASE("after every one of 200 random decisions the results are those of computing everything afresh") {
  TemporaryFolder folder;
  Job job = small_job(folder / "g.tie");
  solve(job);
  std::mt19937_64 random(17);
  int made = 0, refused = 0;
  while (made < 200) {
    try {
      decide_something(job, random);
      ++made;
    } catch (const InputError &) {
      ++refused;
      continue;
    }
    INFO(made << ": " << job.decisions().back().verb << " " << job.decisions().back().target << " "
              << job.decisions().back().value.dump());
    if (made % 25 == 0) try {
        solve(job);
        adjust(job);
      } catch (const InputError &) {
        // as it stands it has no datum
      }
    const JobSnapshot afresh(job.snapshot()->inputs(), nullptr);
    REQUIRE(picture(*job.snapshot()) == picture(afresh));
  }
  CHECK(refused < 400);
  // What was decided is read back as it was.
  const std::string before = picture(*job.snapshot());
  Job again = Job::open(folder / "g.tie");
  CHECK(picture(*again.snapshot()) == before);
}

TEST_CASE("a decision computes what it concerns and nothing else") {
  TemporaryFolder folder;
  Job job = small_job(folder / "g.tie");
  picture(*job.snapshot());
  const auto after = [&](const std::string &verb, const std::string &target, const nlohmann::json &value) {
    job.decide(verb, target, value, "because");
    picture(*job.snapshot());
    return computed(*job.snapshot());
  };
  using Names = std::set<std::string>;
  CHECK(after("set", "style:WALL", {{"symbol", "cross"}}) == Names{});
  CHECK(after("set", "job", {{"times", "local"}}) == Names{});
  CHECK(after("accept", job.doubts().front().id, {}) == Names{"what belongs here", "doubts"});
  CHECK(after("set", "asked:PN1", {{"plan", 0.01}}) == Names{"doubts: network", "doubts"});
  const Names limit = after("set", "limit", {{"level-limit", 3}});
  CHECK(limit.count("levels"));
  CHECK_FALSE(limit.count("plan of vectors"));
  CHECK_FALSE(limit.count("occupations"));
  CHECK_FALSE(limit.count("set-ups"));
  const Names height = after("set", occupation_of(job, "PN1", 1), {{"height", 1.6}});
  CHECK(height.count("plan of vectors"));
  CHECK_FALSE(height.count("levels"));
  CHECK_FALSE(height.count("set-ups"));
  const std::string setup = job.snapshot()->traverses().field.setups.front()->setup.id;
  const Names station = after("set", setup, {{"height", 1.6}});
  CHECK(station.count("traverses"));
  CHECK_FALSE(station.count("levels"));
  CHECK_FALSE(station.count("plan of vectors"));
  // Undone, everything is as it was: nothing is computed but what hangs on the numbers of decisions.
  job.undo();
  picture(*job.snapshot());
  CHECK_FALSE(computed(*job.snapshot()).count("levels"));
}

TEST_CASE("a result that reads another without saying so is a mistake of the program that shows at once") {
  static const Result<int> sly{
      "sly", Section::intake, {}, {}, [](const JobSnapshot &s) { return static_cast<int>(s.occupations().size()); }};
  const JobSnapshot s;
  CHECK_THROWS_AS(s.get(sly), std::logic_error);
}

TEST_CASE("a mark that gets another name after its vectors were solved, with nothing held, freezes nothing") {
  TemporaryFolder folder;
  Job job = small_job(folder / "g.tie");
  solve(job);
  job.decide("leave-out", job.snapshot()->published().at("REFA").source_id, {}, "not ours");
  for (const Occupation &o : std::vector(job.snapshot()->occupations()))
    job.decide("set", o.id, {{"mark", "N" + o.mark}}, "renamed");
  CHECK(job.loops().loops.size() < 10);
}
