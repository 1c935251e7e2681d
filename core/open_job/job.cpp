#include "open_job/job.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/median.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/landxml_survey.h"
#include "formats/recipe_reading.h"
#include "judgement/record_compare.h"
#include "judgement/traverse_causes.h"
#include "results/vector_plan.h"
#include "traverse/field_book.h"
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <pwd.h>
#include <unistd.h>

namespace ampletie {
namespace {

std::string author() {
  for (const char *name : {"AMPLETIE_AUTHOR", "USER", "LOGNAME"})
    if (const char *v = std::getenv(name); v && *v) return printable(utf8_text(v));
  // Batch systems set no environment: the login name is known all the same.
  if (const passwd *who = ::getpwuid(::geteuid()); who && who->pw_name && *who->pw_name)
    return printable(utf8_text(who->pw_name));
  return "user " + std::to_string(::geteuid());
}

/// Text as it goes into the log: UTF-8 on lines that can be read; throws for names that cannot be.
void tidy(nlohmann::json &v) {
  if (v.is_number_float() && !std::isfinite(v.get<double>()))
    throw InputError("a value that is no finite number cannot be decided");
  if (v.is_string()) {
    std::string t = utf8_text(v.get_ref<const std::string &>());
    check_name(t, "\"" + printable(t.substr(0, 40)) + "\"");
    v = std::move(t);
  }
  if (v.is_array())
    for (auto &x : v) tidy(x);
  if (!v.is_object()) return;
  nlohmann::json out = nlohmann::json::object();
  for (auto &[name, x] : v.items()) {
    const std::string t = utf8_text(name);
    check_name(t, "\"" + printable(t.substr(0, 40)) + "\"");
    tidy(x);
    out[t] = std::move(x);
  }
  v = std::move(out);
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
    if (!f->cut_off.empty()) out += fmt::format(" (cut off at its end, {})", f->cut_off);
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
    const RecipeReading q = read_with(recipe, *c.text, {}, 0, [](const RecipeRecord &) {});
    return fmt::format("levels, {} records, read with \"{}\" ({:.0f} %){}", q.count, recipe.name, 100 * best->score,
                       q.unread ? fmt::format(", {} pieces unread", q.unread) : "");
  }
  if (c.control) {
    std::string extra;
    for (const auto &u : c.control->unread_columns) extra += (extra.empty() ? ", columns not read: " : ", ") + u;
    if (c.control->passed_over) extra += fmt::format(", {} provisional ones passed over", c.control->passed_over);
    return fmt::format("control list with {} mark{}{}", c.control->rows.size(), c.control->rows.size() == 1 ? "" : "s",
                       extra);
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
      if (s.state.settings.datum.crs.empty()) continue;
      if (!grid) grid.emplace(s.state.settings.datum.crs, s.grid_origin);
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
  if (!s.datum.crs.empty()) Projection check(s.datum.crs);
  if (!s.datum.vertical.empty()) vertical_name(s.datum.vertical);
  if (!s.datum.realisation.empty() && !frame_by_name(s.datum.realisation))
    throw InputError("\"" + s.datum.realisation + "\" names no frame realisation that is known");
  nlohmann::json value{{"title", s.title},
                       {"crs", s.datum.crs},
                       {"vertical", s.datum.vertical},
                       {"realisation", s.datum.realisation},
                       {"epoch", s.datum.epoch}};
  tidy(value);
  Job job(Store::create(path, nullptr, {{0, utc_now(), author(), "job set up", "set", "job", value}}));
  job.reload();
  return job;
}

Job Job::open(const std::string &path) {
  Job job(Store::open(path));
  job.reload();
  return job;
}

std::vector<VectorResult> Job::stored_vectors() const {
  std::vector<VectorResult> out;
  for (const StoredResult &r : store_.results("vector")) {
    try {
      out.push_back(from_stored(r));
    } catch (const std::exception &) {
      // A cache written by another version is computed again.
    }
  }
  return out;
}

void Job::reload() {
  log_ = store_.decisions();
  contents_.clear();
  std::vector<Recipe> recipes = job_recipes({});
  std::vector<Source> sources = store_.sources();
  std::stable_partition(sources.begin(), sources.end(), [](const Source &s) { return s.kind == "recipe"; });
  for (const Source &s : sources) {
    SourceContent c;
    c.source = s;
    try {
      if (s.damage.empty()) {
        c = read_source(s.name, store_.source_bytes(s.id), recipes, s.kind);
        c.source = s;
        if (c.recipe) recipes.push_back(*c.recipe);
      }
    } catch (const InputError &e) {
      c.source.damage = e.reason();
    } catch (const std::exception &e) {
      c.source.damage = std::string("it cannot be read: ") + e.what();
    }
    contents_.push_back(std::move(c));
  }
  std::sort(contents_.begin(), contents_.end(), [](const auto &a, const auto &b) { return a.source.id < b.source.id; });
  vectors_ = stored_vectors();
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
  } catch (const std::exception &) {
  }
}

namespace {
/// What the job computes with: sources that are left out tell nothing, books and observations apart, which are shown
/// as left out.
Contents taken_in(const Contents &all, const JobState &state) {
  Contents out = all;
  for (SourceContent &c : out)
    if (state.left_out.count(c.source.id) && c.source.kind != "levels" && c.source.kind != "pointings") {
      SourceContent bare;
      bare.source = c.source;
      if (c.source.kind == "observation" || c.source.kind == "rtcm3") bare.sites = c.sites;
      c = std::move(bare);
    }
  return out;
}

std::string reason_of(const std::exception &e) {
  const auto *input = dynamic_cast<const InputError *>(&e);
  return input ? input->reason() : std::string("the computation failed: ") + e.what();
}
} // namespace

void Job::refold() {
  auto s = std::make_shared<JobSnapshot>();
  traverse_findings_ = {};
  s->state = fold(log_);
  s->contents = taken_in(contents_, s->state);
  // A part that fails is told and does not take the others along.
  const auto part = [&](Section section, auto &&compute) {
    try {
      compute();
    } catch (const std::exception &e) {
      s->troubles.push_back({section, reason_of(e)});
    }
  };
  part(Section::intake, [&] { s->occupations = occupations(s->contents, s->state); });
  part(Section::datum, [&] { s->published = published_marks(s->contents, s->state); });
  part(Section::datum, [&] { find_misplaced(*s); });
  for (const auto &[name, p] : s->published)
    if (p.height) s->benchmarks[name] = p;
  for (const auto &[name, m] : s->misplaced)
    if (m.published.height) s->benchmarks[name] = m.published;
  part(Section::levels, [&] {
    const bool levelled =
        std::any_of(contents_.begin(), contents_.end(), [](const auto &c) { return c.source.kind == "levels"; });
    const LevelPlaces places = levelled ? level_places(*s, s->published) : LevelPlaces{};
    std::erase_if(s->published, [](const auto &p) { return !p.second.has_position(); });
    s->levels =
        std::make_shared<LevelReport>(job_levels(s->contents, s->state, s->benchmarks, level_readings_, places));
  });
  std::erase_if(s->published, [](const auto &p) { return !p.second.has_position(); });
  part(Section::gnss, [&] {
    const std::vector<PlannedVector> plan = plan_vectors(*s);
    refresh(vectors_, *s, plan);
    unsolved_ = plan.size() - vectors_.size();
  });
  if (std::any_of(contents_.begin(), contents_.end(), [](const auto &c) { return c.source.kind == "pointings"; }))
    part(Section::traverse, [&] {
      find_known_places(*s);
      LevelHeights levels;
      if (s->levels->network)
        for (const LevelNetworkMark &m : s->levels->network->marks)
          if (!m.relative) levels[m.name] = {m.height, m.sd};
      lines_.context = known_key_;
      auto t = std::make_shared<TraverseReport>(job_traverses(job_setups(s->contents, s->state, setup_readings_),
                                                              s->state, known_places_, datum_.get(), &lines_, levels));
      traverse_findings_ = judge_traverses(*t, s->state, known_places_, datum_.get());
      s->traverses = t;
    });
  snapshot_ = s;
  part(Section::gnss, [&] {
    const JobSettings &set = s->state.settings;
    std::string key = network_fingerprint(*s, vectors_) + fmt::format("{:g} {:g}", set.loop_mm, set.loop_ppm);
    for (const VectorResult &v : vectors_)
      if (v.error.empty() && v.used && !v.independent) key += v.id + v.fingerprint;
    if (key == loops_key_) return;
    loops_key_ = key;
    loops_ = {};
    try {
      if (!vectors_.empty()) loops_ = job_loops(*s, vectors_);
    } catch (const InputError &) {
      // a datum that cannot be used is a doubt of its own
    }
  });
  auto records = store_.issue_records();
  std::erase_if(records, is_provisional);
  try {
    doubts_ = find_doubts(*snapshot_, vectors_, loops_, traverse_findings_,
                          network_ && !network_stale() ? network_.get() : nullptr, records);
  } catch (const std::exception &e) {
    s->troubles.push_back({Section::network, reason_of(e)});
    doubts_ = plain_doubts(*snapshot_);
  }
}

void Job::find_misplaced(JobSnapshot &s) {
  const DatumSettings &settings = s.state.settings.datum;
  if (settings.crs.empty()) return;
  Surroundings around;
  if (is_local(settings.crs)) {
    // Where a local plane lies on the Earth is said, not found; its middle is that of the marks in it.
    std::vector<double> east, north;
    for (const auto &[name, p] : s.published)
      if (p.grid) east.push_back(p.grid->x()), north.push_back(p.grid->y());
    if (!east.empty())
      s.grid_origin = {std::round(median(east) / 1000) * 1000, std::round(median(north) / 1000) * 1000};
    around.centre = to_cartesian(local_place(settings.crs));
  } else
    around = surroundings(s.occupations, s.published, settings);
  s.centre = around.centre;
  if (!s.centre) return;
  std::optional<JobDatum> datum;
  try {
    datum.emplace(job_datum(s));
  } catch (const InputError &) {
    return; // a datum that cannot be used is a doubt of its own
  }
  const OperationPolicy policy{s.state.settings.worst_transformation_m, false};
  auto placed = s.published;
  std::erase_if(placed, [](const auto &p) { return !p.second.has_position(); });
  const auto convert = [&](const PublishedMark &p) { return published_in_job(p, *datum, policy).xyz; };
  const auto accepted = [&](const PublishedMark &p) { return misplaced_accepted(s.state, p); };
  s.misplaced = ampletie::find_misplaced(placed, around, settings, convert, accepted);
  for (const auto &[mark, m] : s.misplaced)
    if (!m.accepted) s.published.erase(mark);
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
    const std::string name = printable(utf8_text(std::filesystem::path(p).filename().string()));
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
  std::size_t books = 0; // everything that hangs on a book is some forty times its size
  for (const auto &c : contents_) books += book_bytes(c);
  // Recipes first: what comes with them may need them.
  auto ordered = files;
  std::stable_partition(ordered.begin(), ordered.end(), [](const auto &f) { return looks_like_recipe(f.second); });
  for (const auto &[name, bytes] : ordered) {
    try {
      check_name(name, "the name of the file");
      SourceContent c = read_source(name, bytes, recipes, as);
      c.source.order = static_cast<long>(contents_.size() + read.size()) + 1;
      if (c.recipe) recipes.push_back(*c.recipe);
      auto same = [&](const SourceContent &k) { return k.source.id == c.source.id; };
      if (std::any_of(contents_.begin(), contents_.end(), same) || std::any_of(read.begin(), read.end(), same)) {
        out.push_back({name, "already here", Intake::Outcome::already_here});
        continue;
      }
      if (book_bytes(c) > 0 && books + book_bytes(c) > most_book_bytes)
        throw InputError("level and field books of one job are held to 20 MB together: make another job for it");
      books += book_bytes(c);
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
    } catch (const std::bad_alloc &) {
      out.push_back({name, "it asks for more memory than there is", Intake::Outcome::refused});
    } catch (const std::exception &e) {
      out.push_back({name, std::string("it cannot be read: ") + e.what(), Intake::Outcome::refused});
    }
  }
  if (fresh.empty()) return out;
  store_.add_sources(fresh);
  for (auto &c : read) contents_.push_back(std::move(c));
  std::sort(contents_.begin(), contents_.end(), [](const auto &a, const auto &b) { return a.source.id < b.source.id; });
  refold();
  return out;
}

void Job::try_last() {
  const std::vector<Trouble> before = snapshot_->troubles;
  const long seq = log_.back().seq;
  const bool withdrawal = log_.back().verb == "withdraw";
  std::string why;
  refold();
  if (const auto bad = state().unreadable.find(seq); bad != state().unreadable.end()) why = bad->second;
  // What undoes may leave other parts failing: it is the way out.
  if (!withdrawal)
    for (const Trouble &t : snapshot_->troubles)
      if (std::find(before.begin(), before.end(), t) == before.end()) why = t.sentence;
  if (why.empty()) return;
  log_.pop_back();
  refold();
  throw InputError(why);
}

long Job::decide(const std::string &verb, const std::string &target, nlohmann::json value, const std::string &reason) {
  if (store_.read_only()) throw InputError(store_.path(), 0, store_.why_read_only());
  Decision d{0, utc_now(), author(), printable(utf8_text(reason)), verb, utf8_text(target), std::move(value)};
  if (printable(d.target) != d.target || d.target.size() > 1000)
    throw InputError("what is decided about has a name that cannot be used: it " +
                     (d.target.size() > 1000 ? "is too long" : name_problem(d.target)));
  if (d.value.is_null()) d.value = nlohmann::json::object();
  tidy(d.value);
  d.seq = log_.empty() ? 1 : log_.back().seq + 1;
  log_.push_back(d);
  try_last();
  try {
    log_.back().seq = store_.append(d);
  } catch (...) {
    log_.pop_back();
    refold();
    throw;
  }
  if (log_.back().seq != d.seq) refold();
  return log_.back().seq;
}

const Decision *Job::decision(long number) const {
  for (const Decision &d : log_)
    if (d.seq == number) return &d;
  return nullptr;
}

long Job::undo() {
  const long seq = undo_target(log_);
  if (seq) decide("withdraw", "decision", {{"decision", seq}}, "undo");
  return seq;
}

long Job::redo() {
  const long seq = redo_target(log_);
  if (!seq) return 0;
  const long again = decision(seq)->value.value("decision", 0L);
  decide("withdraw", "decision", {{"decision", seq}}, "redo");
  return again;
}

void Job::replace_vectors(std::vector<VectorResult> vectors) {
  for (const VectorResult &v : vectors_) {
    const auto now = std::find_if(vectors.begin(), vectors.end(), [&](const auto &n) { return n.id == v.id; });
    if (now != vectors.end() && now->fingerprint != v.fingerprint) before_[v.id] = v;
  }
  vectors_ = std::move(vectors);
}

void Job::take_kept_vectors() {
  if (store_.read_only()) return; // nothing could be kept
  replace_vectors(stored_vectors());
  refold();
}

void Job::accept_vectors(std::vector<VectorResult> vectors, std::vector<StoredResult> stored) {
  replace_vectors(std::move(vectors));
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
