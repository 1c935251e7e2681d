#include "job/job.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/landxml_survey.h"
#include "formats/recipe_reading.h"
#include "job/record_compare.h"
#include "job/traverse_causes.h"
#include "traverse/field_book.h"
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>

namespace ampletie {
namespace {

std::string author() {
  for (const char *name : {"AMPLETIE_AUTHOR", "USER", "LOGNAME"})
    if (const char *v = std::getenv(name); v && *v) return v;
  return "unknown";
}

std::size_t pointings(const FieldBook &b) {
  std::size_t n = 0;
  for (const StationSetup &s : b.setups) n += s.pointings.size();
  return n;
}

std::string describe(const SourceContent &c, const std::vector<Recipe> &recipes) {
  std::string out;
  for (const auto &f : c.sites) {
    out += out.empty() ? "" : "; ";
    out += fmt::format("observations{} {}, {} to {}, {} epochs", f->moving ? " of a moving antenna after" : " at",
                       f->marker.empty() ? "an unnamed mark" : f->marker, iso(f->epochs.front().time).substr(0, 16),
                       iso(f->epochs.back().time).substr(11, 5), f->epochs.size());
    if (f->repeated_epochs) out += fmt::format(" ({} repeated epochs stepped over)", f->repeated_epochs);
  }
  if (c.navigation)
    out +=
        fmt::format("{}broadcast orbits, {} messages{}", out.empty() ? "" : "; ", c.navigation->size(),
                    c.navigation->skipped ? fmt::format(" ({} of other kinds not used)", c.navigation->skipped) : "");
  if (!out.empty()) return out;
  if (c.clock) return fmt::format("clocks of {} satellites", c.clock->satellites.size());
  if (c.ionosphere) return fmt::format("{} ionosphere maps", c.ionosphere->maps.size());
  if (c.ocean_loading) return fmt::format("ocean loading coefficients of {} places", c.ocean_loading->size());
  if (c.sp3) return fmt::format("precise orbits in {}, {} epochs", c.sp3->frame, c.sp3->epochs.size());
  if (c.antex) return fmt::format("calibrations of {} antennas", c.antex->receivers.size());
  if (c.antenna_points) return fmt::format("dimensions of {} antenna points", c.antenna_points->size());
  if (c.recipe) return fmt::format("recipe \"{}\" for {}", c.recipe->name, c.recipe->reads);
  if (c.text && looks_like_landxml_survey(*c.text)) {
    const FieldBook book = build_field_book(read_landxml_survey(*c.text), c.source.id);
    return fmt::format("LandXML survey, {} set-ups, {} pointings{}", book.setups.size(), pointings(book),
                       book.reading.unread ? fmt::format(", {} pieces unread", book.reading.unread) : "");
  }
  if (c.source.kind == "levels" || c.source.kind == "pointings") {
    const bool levels = c.source.kind == "levels";
    std::vector<Recipe> own = recipes;
    std::erase_if(own, [&](const Recipe &r) { return r.reads != c.source.kind; });
    const auto best = best_recipe(own, *c.text);
    if (!best)
      return fmt::format("text taken as {}: no recipe knows it, say what it means under {}, Files", c.source.kind,
                         levels ? "Levels" : "Traverse");
    const Recipe &recipe = own[best->index];
    if (!levels) {
      const FieldBook book = read_field_book(recipe, *c.text, c.source.id);
      return fmt::format("field book of a total station, {} set-ups, {} pointings, read with \"{}\" ({:.0f} %){}",
                         book.setups.size(), pointings(book), recipe.name, 100 * best->score,
                         book.reading.unread ? fmt::format(", {} pieces unread", book.reading.unread) : "");
    }
    const RecipeReading q = read_with(recipe, *c.text);
    return fmt::format("levels, {} records, read with \"{}\" ({:.0f} %){}", q.records.size(), recipe.name,
                       100 * best->score, q.unread ? fmt::format(", {} pieces unread", q.unread) : "");
  }
  if (c.control) {
    std::string extra;
    for (const auto &u : c.control->unread_columns) extra += (extra.empty() ? ", columns not read: " : ", ") + u;
    return fmt::format("control list with {} marks{}", c.control->rows.size(), extra);
  }
  return "";
}

/// Where marks lie, as well as the corrections of levelled differences need it (a second of arc is plenty), and the
/// gravity there. Marks of levels alone have their latitude from `published` too.
LevelPlaces level_places(const JobSnapshot &s, const std::map<std::string, PublishedMark> &all) {
  LevelPlaces out;
  std::optional<Projection> grid;
  for (const Occupation &o : s.occupations)
    if (o.file->approximate.norm() > 6e6) out.latitude.try_emplace(o.mark, to_geodetic(o.file->approximate).lat);
  for (const auto &[name, p] : all) {
    if (p.xyz) out.latitude[name] = to_geodetic(*p.xyz).lat;
    if (p.geodetic_deg) out.latitude[name] = radians(p.geodetic_deg->x());
    if (p.grid && !p.xyz && !p.geodetic_deg && !out.latitude.count(name)) {
      if (!grid) grid.emplace(s.state.settings.datum.crs);
      out.latitude[name] = grid->unproject(p.grid->x(), p.grid->y(), 0).lat;
    }
    if (p.gravity) out.gravity[name] = *p.gravity;
  }
  return out;
}

} // namespace

Job::Job(Store store) : store_(std::move(store)) {}

Job Job::create(const std::string &path, const JobSettings &s) {
  // Unknown systems are refused before a file is made.
  Projection check(s.datum.crs);
  if (!s.datum.vertical.empty()) system_name(s.datum.vertical);
  Job job(Store::create(path));
  job.reload();
  job.decide("set", "job",
             {{"title", s.title},
              {"crs", s.datum.crs},
              {"vertical", s.datum.vertical},
              {"realisation", s.datum.realisation},
              {"epoch", s.datum.epoch}},
             "job set up");
  return job;
}

Job Job::open(const std::string &path) {
  Job job(Store::open(path));
  job.reload();
  return job;
}

void Job::reload() {
  log_ = store_.decisions();
  contents_.clear();
  std::vector<Recipe> recipes = job_recipes({});
  std::vector<Source> sources = store_.sources();
  std::stable_partition(sources.begin(), sources.end(), [](const Source &s) { return s.kind == "recipe"; });
  for (const Source &s : sources) {
    SourceContent c = read_source(s.name, store_.source_bytes(s.id), recipes, s.kind);
    if (c.recipe) recipes.push_back(*c.recipe);
    if (c.source.id != s.id)
      throw InputError(store_.path(), 0, "the source " + s.name + " inside the job has changed: the file is damaged");
    c.source = s;
    contents_.push_back(std::move(c));
  }
  std::sort(contents_.begin(), contents_.end(), [](const auto &a, const auto &b) { return a.source.id < b.source.id; });
  for (const StoredResult &r : store_.results("vector")) {
    try {
      vectors_.push_back(from_stored(r));
    } catch (const std::exception &) {
      // A cache written by another version is computed again.
    }
  }
  refold();
  bool current = !store_.results("network").empty();
  for (const VectorResult &v : vectors_) current = current && !v.stale;
  if (!current) return;
  // An adjustment takes milliseconds: it is made again rather than stored, and shown only when it is the same.
  try {
    NetworkRun run = run_network(*snapshot_, vectors_, {});
    if (store_.results("network").front().fingerprint == run.fingerprint) {
      network_ = std::make_unique<NetworkRun>(std::move(run));
      refold();
    }
  } catch (const InputError &) {
  }
}

void Job::refold() {
  auto s = std::make_shared<JobSnapshot>();
  s->contents = contents_;
  s->state = fold(log_);
  s->occupations = occupations(s->contents, s->state);
  s->published = published_marks(s->contents, s->state);
  for (const auto &[name, p] : s->published)
    if (p.height) s->benchmarks[name] = p;
  const bool levelled =
      std::any_of(contents_.begin(), contents_.end(), [](const auto &c) { return c.source.kind == "levels"; });
  const LevelPlaces places = levelled ? level_places(*s, s->published) : LevelPlaces{};
  std::erase_if(s->published, [](const auto &p) { return !p.second.has_position(); });
  s->levels = std::make_shared<LevelReport>(job_levels(s->contents, s->state, s->benchmarks, level_readings_, places));
  refresh(vectors_, *s);
  if (std::any_of(contents_.begin(), contents_.end(), [](const auto &c) { return c.source.kind == "pointings"; })) {
    find_known_places(*s);
    LevelHeights levels;
    if (s->levels->network)
      for (const LevelNetworkMark &m : s->levels->network->marks)
        if (!m.relative) levels[m.name] = {m.height, m.sd};
    lines_.context = known_key_;
    auto t = std::make_shared<TraverseReport>(job_traverses(job_setups(s->contents, s->state, setup_readings_),
                                                            s->state, known_places_, datum_.get(), &lines_, levels));
    t->tests = traverse_tests(*t, weather(*t));
    t->causes = explain_traverses(*t, s->state, known_places_, datum_.get());
    s->traverses = t;
  }
  snapshot_ = s;
  const JobSettings &set = snapshot_->state.settings;
  std::string key = network_fingerprint(*snapshot_, vectors_) + fmt::format("{:g} {:g}", set.loop_mm, set.loop_ppm);
  for (const VectorResult &v : vectors_)
    if (v.error.empty() && v.used && !v.independent) key += v.id + v.fingerprint;
  if (key != loops_key_) {
    loops_key_ = key;
    try {
      loops_ = vectors_.empty() ? LoopReport{} : job_loops(*snapshot_, vectors_);
    } catch (const InputError &) {
      loops_ = {}; // a datum that cannot be used is a doubt of its own
    }
  }
  auto records = store_.issue_records();
  std::erase_if(records, is_provisional);
  doubts_ = find_doubts(*snapshot_, vectors_, loops_, network_ && !network_stale() ? network_.get() : nullptr,
                        records.empty() ? nullptr : &records.back());
}

void Job::find_known_places(const JobSnapshot &s) {
  const std::string key = network_fingerprint(s, vectors_);
  if (key == known_key_) return;
  known_key_ = key;
  known_places_.clear();
  datum_.reset();
  try {
    datum_ = std::make_shared<JobDatum>(job_datum(s));
  } catch (const InputError &) {
    return; // nothing tells where the job is: traverses are local
  }
  const OperationPolicy policy{s.state.settings.worst_transformation_m, false};
  const auto put = [&](const std::string &mark, const TaggedPoint &p, const Mat3 &cov, double height_sd, bool held) {
    KnownPlace k;
    k.position = datum_->describe(p);
    k.cov_enu = cov, k.height_sd = height_sd, k.held = held;
    const auto h = s.state.holds.find(mark);
    k.check = h != s.state.holds.end() && h->second.how == Hold::check;
    known_places_[mark] = k;
  };
  // Between marks of one site a geoid's error is alike; this is on the safe side.
  const double geoid_sd = datum_->geoid() ? datum_->geoid()->sd_m().value_or(0) : 0;
  for (const auto &[mark, h] : s.state.holds) {
    const auto p = s.published.find(mark);
    if (p == s.published.end() || (h.how != Hold::full && h.how != Hold::plan && h.how != Hold::weighted)) continue;
    try {
      const Vec3 sd = p->second.sd_enu.value_or(Vec3::Zero());
      put(mark, published_in_job(p->second, *datum_, policy), sd.cwiseAbs2().asDiagonal(),
          p->second.grid ? p->second.sd_height.value_or(sd.z()) : std::hypot(sd.z(), geoid_sd), true);
    } catch (const InputError &) {
      // A coordinate that cannot be brought into the job's frame is a doubt of its own.
    }
  }
  try {
    const NetworkParts parts = network_parts(s, vectors_, *datum_);
    if (parts.input.vectors.empty()) return;
    const NetworkResult r = adjust_network(parts.input, {});
    for (const AdjustedMark &m : r.marks)
      if (m.plan_known) {
        const auto k = known_places_.find(m.name);
        if (k != known_places_.end() && k->second.held) continue;
        put(m.name, m.position, m.network_cov_enu,
            m.height_sd > 0 ? m.height_sd : std::hypot(std::sqrt(m.network_cov_enu(2, 2)), geoid_sd), false);
        if (auto &p = known_places_[m.name].position; p.height) *p.height -= m.geoid_correction;
      }
  } catch (const std::exception &) {
    // Without a datum there are the held marks alone.
  }
}

bool Job::network_stale() const {
  if (!network_) return false;
  for (const VectorResult &v : vectors_)
    if (v.stale && v.used) return true;
  return network_->fingerprint != network_fingerprint(*snapshot_, vectors_);
}

std::size_t Job::open_doubts() const {
  return static_cast<std::size_t>(
      std::count_if(doubts_.begin(), doubts_.end(), [](const Doubt &d) { return d.state == Doubt::State::open; }));
}

std::vector<Intake> Job::take(const std::vector<std::string> &paths, const std::string &as) {
  std::vector<std::pair<std::string, std::string>> files;
  std::vector<Intake> failed;
  for (const std::string &p : paths) {
    const std::string name = std::filesystem::path(p).filename().string();
    try {
      if (std::filesystem::is_directory(p)) throw InputError(name, 0, "a folder: drop the files in it");
      files.emplace_back(name, read_file(p));
    } catch (const InputError &e) {
      failed.push_back({name, e.reason(), Intake::Outcome::refused});
    }
  }
  auto out = take_bytes(files, as);
  out.insert(out.end(), failed.begin(), failed.end());
  return out;
}

std::vector<Intake> Job::take_bytes(const std::vector<std::pair<std::string, std::string>> &files,
                                    const std::string &as) {
  std::vector<Intake> out;
  std::vector<std::pair<Source, std::string>> fresh;
  Contents read;
  std::vector<Recipe> recipes = job_recipes(contents_);
  // Recipes first: what comes with them may need them.
  auto ordered = files;
  std::stable_partition(ordered.begin(), ordered.end(), [](const auto &f) { return looks_like_recipe(f.second); });
  for (const auto &[name, bytes] : ordered) {
    try {
      SourceContent c = read_source(name, bytes, recipes, as);
      if (c.recipe) recipes.push_back(*c.recipe);
      auto same = [&](const SourceContent &k) { return k.source.id == c.source.id; };
      if (std::any_of(contents_.begin(), contents_.end(), same) || std::any_of(read.begin(), read.end(), same)) {
        out.push_back({name, "already here", Intake::Outcome::already_here});
        continue;
      }
      const bool name_taken =
          std::any_of(contents_.begin(), contents_.end(), [&](const auto &k) { return k.source.name == name; });
      c.source.taken_at = utc_now();
      out.push_back(
          {name,
           describe(c, recipes) + (name_taken ? "; a different file of this name is already here, both are kept" : ""),
           name_taken ? Intake::Outcome::same_name_other_content : Intake::Outcome::taken});
      fresh.emplace_back(c.source, bytes);
      read.push_back(std::move(c));
    } catch (const InputError &e) {
      out.push_back(
          {name, e.line() ? fmt::format("line {}: {}", e.line(), e.reason()) : e.reason(), Intake::Outcome::refused});
    }
  }
  if (fresh.empty()) return out;
  store_.add_sources(fresh);
  for (auto &c : read) contents_.push_back(std::move(c));
  std::sort(contents_.begin(), contents_.end(), [](const auto &a, const auto &b) { return a.source.id < b.source.id; });
  refold();
  return out;
}

long Job::decide(const std::string &verb, const std::string &target, nlohmann::json value, const std::string &reason) {
  Decision d{0, utc_now(), author(), reason, verb, target, std::move(value)};
  d.seq = store_.append(d);
  log_.push_back(d);
  refold();
  return d.seq;
}

void Job::undo() {
  const long seq = undo_target(log_);
  if (seq) decide("withdraw", "decision", {{"decision", seq}}, "undo");
}

void Job::redo() {
  const long seq = redo_target(log_);
  if (seq) decide("withdraw", "decision", {{"decision", seq}}, "redo");
}

void Job::accept_vectors(std::vector<VectorResult> vectors, std::vector<StoredResult> stored) {
  for (const VectorResult &v : vectors_) {
    const auto now = std::find_if(vectors.begin(), vectors.end(), [&](const auto &n) { return n.id == v.id; });
    if (now != vectors.end() && now->fingerprint != v.fingerprint) before_[v.id] = v;
  }
  vectors_ = std::move(vectors);
  if (stored.size() != vectors_.size()) {
    stored.clear();
    for (const VectorResult &v : vectors_) stored.push_back(to_stored(v));
  }
  store_.put_results("vector", stored);
  refold();
}

void Job::accept_network(NetworkRun run) {
  store_.put_results(
      "network",
      {{"network", "network", run.fingerprint, {{"variance_factor", run.result.adjustment.variance_factor}}, {}}});
  network_ = std::make_unique<NetworkRun>(std::move(run));
  refold();
}

} // namespace ampletie
