#include "results/levels.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "formats/recipe_reading.h"
#include "levelling/height_system.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

/// A name that crews give to turning points: a short number, alone or after T or TP.
bool turning_point_name(const std::string &m) {
  std::string t = lower(m);
  if (t.rfind("tp", 0) == 0)
    t = t.substr(2);
  else if (t.rfind("t", 0) == 0)
    t = t.substr(1);
  return t.size() <= 4 && t.find_first_not_of("0123456789") == std::string::npos;
}

/// Takes the records of a level file apart into runs, sights and claims.
class LevelFileReader {
public:
  explicit LevelFileReader(const SourceContent &c) : c_(c) {}
  std::vector<LevelRun> runs;
  std::vector<HeightClaim> claims;

  void take(const RecipeRecord &r) {
    if (r.what == RecipeLine::What::run_start) {
      finish();
      explicit_runs = true;
      name_run(r);
    } else if (r.what == RecipeLine::What::run_end)
      finish();
    else if (r.what == RecipeLine::What::record)
      record(r);
  }

  /// Ends the run that is being read.
  void finish() {
    if (!run.sights.empty()) {
      ++n;
      run.id = content_id("l", c_.source.id + "|" + std::to_string(run.sights.front().line));
      run.source_id = c_.source.id;
      if (run.name.empty()) run.name = fmt::format("{} {}", c_.source.name, n);
      if (explicit_runs)
        runs.push_back(std::move(run));
      else
        for (LevelRun &part : split_at_breaks(run)) runs.push_back(std::move(part));
    }
    run = {};
  }

private:
  /// What nothing has said yet of the run.
  void name_run(const RecipeRecord &r) {
    if (run.name.empty()) run.name = r.text("run");
    if (run.instrument.empty()) run.instrument = r.text("instrument");
    if (run.date.empty()) run.date = r.text("date");
    if (const double sd = r.number("sd_km"); sd > 0 && !run.sd_km) run.sd_km = sd;
    if (const double sd = r.number("sd_setup"); sd > 0 && !run.sd_setup) run.sd_setup = sd;
  }

  void record(const RecipeRecord &r) {
    if (!explicit_runs && !run.sights.empty() && !r.text("run").empty() && r.text("run") != run.name) finish();
    name_run(r);
    const std::string kind = r.text("kind");
    if (const double h = r.number("height"); std::isfinite(h) && (kind.empty() || kind == "benchmark"))
      claims.push_back({r.text("mark"), h, r.line});
    if (kind == "back" || kind == "fore" || kind == "intermediate")
      sight(r,
            kind == "back"   ? SightKind::back
            : kind == "fore" ? SightKind::fore
                             : SightKind::intermediate,
            r.number("reading"));
    // A row of a book may hold both readings of a turning point: the fore sight comes first.
    sight(r, SightKind::intermediate, r.number("intermediate"));
    sight(r, SightKind::fore, r.number("fore"));
    sight(r, SightKind::back, r.number("back"));
  }

  void sight(const RecipeRecord &r, SightKind k, double reading) {
    if (!std::isfinite(reading)) return;
    StaffSight s;
    s.kind = k, s.reading = reading;
    s.id = content_id("r", fmt::format("{}|{}|{}", c_.source.id, r.line, sight_name(k)));
    s.mark = r.text("mark"), s.staff = r.text("staff"), s.time = r.text("time"), s.remark = r.text("remark");
    s.distance = r.number("distance");
    s.line = r.line;
    if (r.text("used") == "no") s.used = false, s.left_out_because = "left out by the crew";
    run.sights.push_back(std::move(s));
  }

  const SourceContent &c_;
  LevelRun run;
  bool explicit_runs = false;
  int n = 0;
};

LevelSource read_levels(const SourceContent &c, const Recipe &recipe, double score) {
  LevelSource out;
  out.source_id = c.source.id, out.name = c.source.name;
  out.recipe = recipe.name, out.score = score;
  out.used = std::make_shared<Recipe>(recipe);
  LevelFileReader reader(c);
  const RecipeReading q = read_with(recipe, source_text(c), {}, 0, [&](const RecipeRecord &r) { reader.take(r); });
  out.telling = q.telling;
  out.unread = q.unread, out.unit_conflict = q.unit_conflict;
  out.first_unread_line = q.first_unread.line, out.first_unread_why = q.first_unread.why;
  reader.finish();
  std::vector<LevelRun> &runs = reader.runs;
  out.claims = std::move(reader.claims);
  // Every run is compared with every other over the same marks: a book that falls to pieces is no book.
  constexpr std::size_t most_runs = 2000;
  if (runs.size() > most_runs) {
    out.unread = std::max<std::size_t>(out.unread, 1);
    out.first_unread_line = runs[most_runs].sights.front().line;
    out.first_unread_why =
        fmt::format("the book falls into {} runs, more than {}: are its marks or the beginnings of its "
                    "runs read from the wrong place?",
                    runs.size(), most_runs);
    runs.clear();
  }
  out.kept = std::make_shared<std::vector<LevelRun>>(std::move(runs));
  return out;
}

struct Part {
  LevelRun run;
  std::string follows;
};

/// What the decisions make of the runs of all sources: parts, before they are chained.
std::vector<Part> parts_of(const std::vector<LevelSource> &sources, const JobState &state) {
  std::vector<Part> out;
  for (const LevelSource &src : sources) {
    if (src.blocked()) continue;
    for (LevelRun run : src.runs()) {
      const auto edits = state.runs.find(run.id);
      for (StaffSight &s : run.sights) {
        if (const auto left = state.left_out.find(s.id); left != state.left_out.end())
          s.used = false, s.left_out_because = left->second.reason;
        if (const auto used = state.taken_up.find(s.id); used != state.taken_up.end() && !state.left_out.count(s.id))
          s.used = true, s.left_out_because.clear();
        if (const auto m = state.sight_marks.find(s.id); m != state.sight_marks.end()) s.mark = m->second.value;
        if (edits != state.runs.end())
          if (const auto m = edits->second.rename.find(s.mark); m != edits->second.rename.end())
            s.mark = m->second.value;
        s.mark = state.mark_name(s.mark);
      }
      if (edits != state.runs.end() && edits->second.name.value) run.name = *edits->second.name.value;
      // Cut first, in the direction of the book, then turn what is to be turned.
      const std::string whole = run.id;
      std::vector<LevelRun> pieces;
      pieces.push_back(std::move(run));
      if (edits != state.runs.end())
        for (const auto &[mark, seq] : edits->second.split) {
          for (std::size_t i = 0; i < pieces.size(); ++i) {
            try {
              auto [a, b] = split_at(pieces[i], mark);
              pieces[i] = a;
              pieces.insert(pieces.begin() + static_cast<std::ptrdiff_t>(i) + 1, b);
              break;
            } catch (const InputError &) {
            }
          }
        }
      for (std::size_t i = 0; i < pieces.size(); ++i) {
        if (i > 0) {
          // A part has an id of its own, made of its first sight, so that decisions about it stay with it.
          pieces[i].id = content_id("l", whole + "|" + pieces[i].sights.front().id);
          pieces[i].name += fmt::format(", part {}", i + 1);
        }
        const auto own = state.runs.find(pieces[i].id);
        Part p{std::move(pieces[i]), ""};
        if (own != state.runs.end()) {
          if (own->second.name.value) p.run.name = *own->second.name.value;
          if (own->second.reverse.value.value_or(false)) p.run = reversed(p.run);
          p.follows = own->second.follows.value.value_or("");
        }
        out.push_back(std::move(p));
      }
    }
  }
  return out;
}

/// The day of a run as its file writes it, year first; empty when that is no day.
std::string day_of(const LevelRun &run) {
  std::string d = run.date;
  if (d.size() == 8 && d.find_first_not_of("0123456789") == std::string::npos)
    d = d.substr(0, 4) + "-" + d.substr(4, 2) + "-" + d.substr(6);
  const auto t = parse_iso(d.substr(0, 10));
  return t ? iso(*t).substr(0, 10) : std::string();
}

LevelCorrections corrections_of(const JobState &state, const LevelLine &line, const RunEdits *edits) {
  const LevelSettings &l = state.settings.levels;
  LevelCorrections c;
  c.collimation = 1e-3 * l.collimation_mm_m;
  c.curvature = l.curvature, c.refraction_coefficient = l.refraction;
  c.staff_scale_ppm = l.staff_ppm;
  c.staff_expansion_ppm_per_k = l.staff_expansion, c.staff_temperature = l.staff_temperature;
  for (const auto &[staff, ppm] : state.staffs) c.staff_ppm[staff] = ppm.value;
  if (const auto card = state.instruments.find(line.run.instrument); card != state.instruments.end())
    if (const auto *test = card->second.line_of_sight(line.day)) c.collimation = 1e-3 * test->second.value;
  if (edits) {
    if (edits->staff_ppm.value) c.staff_scale_ppm = *edits->staff_ppm.value, c.staff_ppm.clear();
    if (edits->staff_temperature.value) c.staff_temperature = *edits->staff_temperature.value;
    if (edits->collimation_mm_m.value) c.collimation = 1e-3 * *edits->collimation_mm_m.value;
  }
  return c;
}

void describe(LevelLine &l) {
  const LevelCorrections &c = l.corrections;
  if (c.collimation != 0)
    l.remarks.push_back(fmt::format("line of sight {:+.4f} mm/m, {:+.2f} mm over an unbalance of {:.1f} m",
                                    1000 * c.collimation, -1000 * c.collimation * l.reduced.unbalance,
                                    l.reduced.unbalance));
  if (c.curvature) l.remarks.push_back(fmt::format("curvature and refraction with k = {:g}", c.refraction_coefficient));
  if (l.height.done)
    l.remarks.push_back(
        fmt::format("to {} heights {:+.2f} mm over the line ({}); geopotential difference {:+.3f} m²/s²",
                    height_type_name(l.height.type), 1000 * l.height.correction,
                    l.height.type == HeightType::normal_orthometric || l.height.gravity_marks == 0
                        ? std::string("normal gravity")
                        : fmt::format("gravity measured at {} mark{}", l.height.gravity_marks,
                                      l.height.gravity_marks == 1 ? "" : "s"),
                    l.height.geopotential));
  const auto use = staff_use(l.run, l.setups);
  for (const auto &[staff, ppm] : c.staff_ppm)
    if (const auto up = use.find(staff); up != use.end() && ppm != 0)
      l.remarks.push_back(fmt::format("staff {} {:+.1f} ppm over {:+.1f} m: {:+.2f} mm", staff, ppm, up->second.rise,
                                      1e-3 * ppm * up->second.rise));
  if (const double warm = c.staff_expansion_ppm_per_k * (c.staff_temperature - c.staff_reference_temperature);
      warm != 0)
    l.remarks.push_back(fmt::format("staffs at {:+g} °C: {:+.1f} ppm, {:+.2f} mm", c.staff_temperature, warm,
                                    1e-3 * warm * l.reduced.raw_difference));
  if (c.staff_scale_ppm != 0)
    l.remarks.push_back(fmt::format("staff scale {:+.1f} ppm: {:+.2f} mm", c.staff_scale_ppm,
                                    1e-3 * c.staff_scale_ppm * l.reduced.raw_difference));
}

/// Lines that turn on two marks or more in common, compared section by section.
void pair_lines(LevelReport &out, double limit) {
  std::map<std::string, std::vector<std::size_t>> lines_of; // mark → lines that turn on it
  for (std::size_t i = 0; i < out.lines.size(); ++i) {
    const LevelLine &l = out.lines[i];
    if (!l.used || !l.problem.empty()) continue;
    for (const LevelPoint &p : l.reduced.points) {
      if (!p.turn || !is_named(p.mark)) continue;
      auto &all = lines_of[p.mark];
      if (all.empty() || all.back() != i) all.push_back(i);
    }
  }
  std::map<std::pair<std::size_t, std::size_t>, int> common;
  for (const auto &[mark, all] : lines_of)
    for (std::size_t a = 0; a < all.size(); ++a)
      for (std::size_t b = a + 1; b < all.size(); ++b) ++common[{all[a], all[b]}];
  for (const auto &[pair, marks] : common) {
    if (marks < 2) continue;
    const LevelLine &a = out.lines[pair.first], &b = out.lines[pair.second];
    LinePair p{a.id, b.id, double_running(a.reduced, b.reduced, limit)};
    if (!p.result.sections.empty()) out.pairs.push_back(std::move(p));
  }
}

} // namespace

std::vector<std::pair<const LevelSource *, const LevelRun *>> LevelReport::runs_of(const LevelLine &l) const {
  std::set<std::string> sights;
  for (const StaffSight &s : l.run.sights) sights.insert(s.id);
  std::vector<std::pair<const LevelSource *, const LevelRun *>> out;
  for (const LevelSource &src : sources)
    for (const LevelRun &r : src.runs())
      if (std::any_of(r.sights.begin(), r.sights.end(), [&](const StaffSight &s) { return sights.count(s.id) > 0; }))
        out.emplace_back(&src, &r);
  return out;
}

const LevelLine *LevelReport::line(const std::string &id) const {
  for (const LevelLine &l : lines)
    if (l.id == id) return &l;
  return nullptr;
}

namespace {
/// Reads the job's level books with the recipes that suit them.
void read_sources(const Contents &contents, const JobState &state, LevelReadings &readings, LevelReport &out) {
  RecipeChooser chooser(contents, state, "levels", readings.best);
  for (const auto &c : contents) {
    if (c.source.kind != "levels") continue;
    const auto choice = chooser.choose(c);
    const auto read = [&](const Recipe &recipe) -> const LevelSource & {
      auto &kept = readings.read[c.source.id + write_recipe(recipe)];
      if (!kept) kept = std::make_shared<LevelSource>(read_levels(c, recipe, choice.score));
      return *kept;
    };
    out.sources.push_back(read(choice.recipe));
    if (choice.otherwise) {
      out.sources.back().otherwise = read(*choice.otherwise).telling;
      out.sources.back().otherwise_recipe = choice.otherwise->name;
    }
    out.sources.back().seen = state.seen.count(c.source.id) > 0;
  }
  std::sort(out.sources.begin(), out.sources.end(),
            [](const auto &a, const auto &b) { return std::tie(a.name, a.source_id) < std::tie(b.name, b.source_id); });
}

/// A run with all that follow it, as one line.
LevelLine chained_line(Part &first, const std::vector<Part> &parts) {
  LevelLine l;
  l.id = first.run.id, l.name = first.run.name;
  l.parts = {first.run.id};
  l.run = std::move(first.run); // nothing follows from it any more
  for (std::string last = l.id;;) {
    const auto next = std::find_if(parts.begin(), parts.end(), [&](const Part &p) { return p.follows == last; });
    if (next == parts.end() || std::find(l.parts.begin(), l.parts.end(), next->run.id) != l.parts.end()) break;
    try {
      l.run = chained(l.run, next->run);
    } catch (const InputError &e) {
      l.problem = e.reason();
    }
    l.parts.push_back(next->run.id);
    l.name += " + " + next->run.name;
    last = next->run.id;
    if (!l.problem.empty()) break;
  }
  return l;
}

/// Weights of a line: the job's, its level's card, the book's, what was decided; the later the stronger.
void weigh(LevelLine &l, const JobState &state, const RunEdits *edits) {
  const LevelSettings &set = state.settings.levels;
  l.weights = {1e-3 * set.sd_mm_km, 1e-3 * set.sd_mm_setup};
  if (const auto card = state.instruments.find(l.run.instrument); card != state.instruments.end()) {
    const InstrumentCard &c = card->second;
    if (c.sd_mm_km.value) l.weights = {1e-3 * *c.sd_mm_km.value, 0}, l.own_weights = true;
    if (c.sd_mm_setup.value) l.weights.sd_setup = 1e-3 * *c.sd_mm_setup.value, l.own_weights = true;
  }
  if (l.run.sd_km) l.weights = {*l.run.sd_km, 0}, l.own_weights = true;
  if (l.run.sd_setup) l.weights.sd_setup = *l.run.sd_setup, l.own_weights = true;
  if (edits) {
    if (edits->sd_mm_km.value) l.weights = {1e-3 * *edits->sd_mm_km.value, 0}, l.own_weights = true;
    if (edits->sd_mm_setup.value) l.weights.sd_setup = 1e-3 * *edits->sd_mm_setup.value, l.own_weights = true;
  }
}

/// The known heights that a line meets. A list is a statement; what holds is what the surveyor said. A mark that is
/// only to be checked is no anchor.
void meet_known(LevelLine &l, const JobState &state, const std::map<std::string, PublishedMark> &published) {
  for (const LevelPoint &p : l.reduced.points) {
    const auto m = published.find(p.mark);
    if (m == published.end() || !m->second.height) continue;
    const auto h = state.holds.find(p.mark);
    if (h == state.holds.end() || h->second.how == Hold::plan || h->second.how == Hold::check ||
        h->second.how == Hold::none)
      continue;
    l.known[p.mark] = {*m->second.height, m->second.sd_height.value_or(0)};
  }
}

/// Where a line begins above the sea: from a known mark on it, else from what its file claims.
std::optional<double> starting_height(const LevelLine &l, const LevelReport &r, const JobState &state) {
  std::optional<double> start = start_height(l.reduced, l.known);
  for (const LevelSource &src : r.sources)
    for (const HeightClaim &c : src.claims)
      if (start)
        break;
      else if (const LevelPoint *p = l.reduced.find(state.mark_name(c.mark)))
        start = c.height - p->difference;
  return start;
}

void compute_line(LevelLine &l, const JobState &state, const std::map<std::string, PublishedMark> &published,
                  const LevelReport &r, const LevelPlaces &places) {
  const auto found = state.runs.find(l.id);
  const RunEdits *edits = found == state.runs.end() ? nullptr : &found->second;
  const LevelSettings &set = state.settings.levels;
  l.setups = find_setups(l.run);
  l.day = day_of(l.run);
  l.corrections = corrections_of(state, l, edits);
  l.reduced = reduce_run(l.run, l.setups, l.corrections);
  if (l.setups.setups.empty() && l.problem.empty()) l.problem = "no complete set-up: nothing can be reduced";
  weigh(l, state, edits);
  if (edits)
    for (const auto &[mark, seq] : edits->computed) l.computed.push_back(mark);
  meet_known(l, state, published);
  if (set.height_correction && !places.latitude.empty())
    if (const auto start = starting_height(l, r, state))
      l.height = reduce_to_height_system(l.reduced, *start, set.height_type, places);
  l.misclosures = misclosures(l.reduced, l.known, set.limits(), l.weights);
  l.heights = line_heights(l.reduced, l.known, set.distribution, l.weights, l.computed);
  auto left = state.left_out.find(l.id);
  if (left == state.left_out.end()) left = state.left_out.find(l.run.source_id); // the whole file
  if (left != state.left_out.end()) l.used = false, l.left_out_because = left->second.reason;
  describe(l);
}

/// All levels together. It follows every decision at once; what is too large for that waits for the network.
void adjust_alone(LevelReport &out) {
  constexpr std::size_t most_sections = 20'000;
  if (out.sections.size() > most_sections)
    out.network_problem = fmt::format("{} sections between named marks are more than {}: they are adjusted with the "
                                      "network only",
                                      out.sections.size(), most_sections);
  else if (!out.sections.empty()) {
    LevelNetworkInput in;
    for (const LevelSection &s : out.sections)
      in.levels.push_back({s.id, s.from, s.to, s.line, s.difference, s.sd, s.length});
    for (const LevelLine &l : out.lines)
      for (const auto &[mark, h] : l.known)
        if (std::find(l.computed.begin(), l.computed.end(), mark) == l.computed.end()) in.held[mark] = {h.height, h.sd};
    try {
      out.network = adjust_levels(in, {});
    } catch (const std::exception &e) {
      out.network_problem = e.what();
    }
  }
}
} // namespace

LevelReport job_levels(const Contents &contents, const JobState &state,
                       const std::map<std::string, PublishedMark> &published, LevelReadings &readings,
                       const LevelPlaces &places) {
  LevelReport out;
  if (std::none_of(contents.begin(), contents.end(), [](const auto &c) { return c.source.kind == "levels"; }))
    return out;
  read_sources(contents, state, readings, out);
  std::vector<Part> parts = parts_of(out.sources, state);
  std::set<std::string> ids, following;
  for (const Part &p : parts) ids.insert(p.run.id);
  for (const Part &p : parts)
    if (!p.follows.empty() && ids.count(p.follows)) following.insert(p.run.id);
  for (Part &first : parts) {
    if (following.count(first.run.id)) continue;
    LevelLine l = chained_line(first, parts);
    compute_line(l, state, published, out, places);
    out.lines.push_back(std::move(l));
  }
  std::sort(out.lines.begin(), out.lines.end(),
            [](const auto &a, const auto &b) { return std::tie(a.name, a.id) < std::tie(b.name, b.id); });
  pair_lines(out, state.settings.levels.section_limit());
  out.sections = level_sections(out, {});
  adjust_alone(out);
  return out;
}

std::vector<LevelSection> level_sections(const LevelReport &r, const std::vector<std::string> &positioned) {
  const std::set<std::string> places(positioned.begin(), positioned.end());
  std::set<std::string> known;
  for (const LevelLine &l : r.lines)
    for (const auto &[m, h] : l.known) known.insert(m);
  std::vector<LevelSection> out;
  for (const LevelLine &l : r.lines) {
    if (!l.used || !l.problem.empty()) continue;
    const auto &points = l.reduced.points;
    auto counts = [&](const LevelPoint &p, bool end) {
      if (!is_named(p.mark)) return false;
      return end || known.count(p.mark) || places.count(p.mark) || !turning_point_name(p.mark);
    };
    auto section = [&](const LevelPoint &a, const LevelPoint &b) {
      LevelSection s;
      s.line = l.id, s.from = a.mark, s.to = b.mark;
      s.difference = b.difference - a.difference;
      s.length = std::abs(b.distance - a.distance), s.setups = std::max(1, std::abs(b.setups - a.setups));
      s.sd = std::sqrt(std::max(l.weights.variance(s.length, s.setups), 1e-10));
      s.side = !b.turn;
      s.id = content_id("d", fmt::format("{}|{}|{}|{:.3f}", l.id, a.mark, b.mark, b.distance));
      out.push_back(s);
    };
    // A run that only unnamed points end has nothing that could be held or met.
    std::size_t last = 0;
    std::vector<std::size_t> nodes; // turns that are marks of the network
    for (std::size_t i = 0; i < points.size(); ++i) {
      if (!points[i].turn) continue;
      const bool end = i == 0 || i + 1 == points.size() ||
                       std::none_of(points.begin() + static_cast<std::ptrdiff_t>(i) + 1, points.end(),
                                    [](const LevelPoint &p) { return p.turn; });
      if (!counts(points[i], end)) continue;
      if (!nodes.empty() && points[last].mark != points[i].mark) section(points[last], points[i]);
      nodes.push_back(i);
      last = i;
    }
    // Side shots hang on the nearest mark of the network before them, else after.
    for (std::size_t i = 0; i < points.size(); ++i) {
      if (points[i].turn || !is_named(points[i].mark) || turning_point_name(points[i].mark) || nodes.empty()) continue;
      const auto after = std::lower_bound(nodes.begin(), nodes.end(), i);
      section(points[after == nodes.begin() ? nodes.front() : *(after - 1)], points[i]);
    }
  }
  return out;
}

} // namespace ampletie
