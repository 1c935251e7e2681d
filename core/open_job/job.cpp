#include "open_job/job.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/blocks_of_source.h"
#include "job/settings.h"
#include "results/vector_fingerprint.h"
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <mutex>
#include <pwd.h>
#include <unistd.h>

namespace ampletie {
namespace {

std::string author() {
  for (const char *name : {"AMPLETIE_AUTHOR", "USER", "LOGNAME"})
    if (const char *v = std::getenv(name); v && *v) return printable(utf8_text(v));
  // Batch systems set no environment: the login name is known all the same.
  static const std::string login = [] {
    const passwd *who = ::getpwuid(::geteuid());
    return who && who->pw_name && *who->pw_name ? printable(utf8_text(who->pw_name))
                                                : "user " + std::to_string(::geteuid());
  }();
  return login;
}

/// Text as it goes into the log: UTF-8 on lines that can be read; throws for names that cannot be.
void tidy(nlohmann::json &v, std::string_view of = {}) {
  // What is said in sentences, and no name of anything.
  constexpr std::string_view sentences[] = {"monument", "access", "remark", "looked", "columns"};
  constexpr std::size_t longest = 2000;
  if (v.is_number_float() && !std::isfinite(v.get<double>()))
    throw InputError("a value that is no finite number cannot be decided");
  if (v.is_string()) {
    std::string t = utf8_text(v.get_ref<const std::string &>());
    // A grid that is described in full is longer than any name; its own setting has checked it.
    const bool sentence = std::find(std::begin(sentences), std::end(sentences), of) != std::end(sentences);
    if (sentence && printable(t) == t) {
      if (t.size() > longest) throw InputError(fmt::format("what is said is longer than {} characters", longest));
    } else if (!is_described(t) || printable(t) != t)
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
    tidy(x, t);
    out[t] = std::move(x);
  }
  v = std::move(out);
}

} // namespace

Job::Job(Store store) : store_(std::move(store)) {}

Job Job::create(const std::string &path, const JobSettings &s) {
  // Unknown systems are refused before a file is made.
  nlohmann::json value{{"title", s.title}, {"epoch", s.datum.epoch}};
  for (const auto &[name, text] :
       {std::pair{"crs", &s.datum.crs}, {"vertical", &s.datum.vertical}, {"realisation", &s.datum.realisation}})
    value[name] = setting_value(name, *text);
  tidy(value);
  // So is what nothing can be computed in: families of frames without a realisation, datums that nothing leads to.
  if (!s.datum.crs.empty() && !is_local(s.datum.crs)) {
    const Projection grid(s.datum.crs);
    // Of older datums only the frame: the grid that leads to one is taken afterwards.
    if (const auto middle = grid.middle(); middle && !on_older_datum(grid))
      JobDatum usable(s.datum, *middle);
    else
      frame_of(s.datum, grid);
  }
  // Whatever else differs from what the program has by itself was said too, and is kept as decisions of its own.
  const JobSettings plain;
  std::map<std::string, nlohmann::json> said;
  for (const SettingInfo &i : setting_catalogue()) {
    const bool set_up = std::string_view(i.target) == "job" && value.contains(i.name);
    if (const std::string now = setting_text(s, i.name); !set_up && now != setting_text(plain, i.name))
      said[i.target][i.name] = setting_value(i.name, now);
  }
  std::vector<Decision> first{{0, utc_now(), author(), "job set up", "set", "job", value}};
  for (const auto &[target, values] : said)
    first.push_back({0, utc_now(), author(), "said when the job was made", "set", target, values});
  Job job(Store::create(path, nullptr, first));
  job.reload();
  return job;
}

Job Job::open(const std::string &path) {
  Job job(Store::open(path));
  job.reload();
  return job;
}

namespace {
/// Reads the observations of a source from the job's file again. `now`: what of them is in memory.
std::shared_ptr<const ObservationSource>
observations_in(const std::string &job, const Source &s, std::shared_ptr<RecentlyRead> recent,
                const std::shared_ptr<const ObservationSource::Sites> &now = {}) {
  const std::string path = std::filesystem::absolute(job).string();
  const auto or_say_why = [path, s](const auto &read) {
    try {
      return read();
    } catch (const InputError &e) {
      throw InputError(s.name, 0, "cannot be read from " + path + " any more: " + e.reason());
    }
  };
  return std::make_shared<ObservationSource>(
      [=, recent = std::move(recent)] {
        return or_say_why([&] {
          const SourceContent c = read_source(s.name, Store::beside(path).source_bytes(s.id), {}, s.kind);
          if (c.sites.empty()) throw InputError("it held observations when it was taken and holds none now");
          auto sites = c.sites.front()->source()->sites();
          recent->keep(sites);
          return sites;
        });
      },
      now,
      [=](std::size_t place, const BlockSink &take) {
        BlocksOfSource blocks([&](std::size_t site, const ObservationFile &block) {
          if (site == place) take(block);
        });
        const Store store = Store::beside(path);
        // What the blocks are taken for may fail by itself: that is not the file's fault.
        store.source_pieces(s.id, [&](std::string_view piece) { blocks.add(piece); });
        return blocks.finish();
      });
}

/// What a reading that is kept was made of: the readers, and the bytes as they lie in the file.
std::string site_fingerprint(const Store &store, const std::string &source) {
  const std::string bytes = store.packed_hash(source);
  return bytes.empty() ? "" : std::string(site_reading) + " " + bytes;
}
} // namespace

nlohmann::json Job::rest_in_file(SourceContent &c) const {
  if (c.sites.empty()) return {};
  const auto now = c.sites.front()->source()->sites();
  recent_->keep(now);
  nlohmann::json sites = kept_sites(c.sites);
  c.sites = sites_from_kept(sites, observations_in(store_.path(), c.source, recent_, now));
  return c.source.kind == "observation" ? sites : nlohmann::json();
}

void Job::keep_sites(std::map<std::string, nlohmann::json> by_source) {
  if (store_.read_only()) return;
  std::vector<StoredResult> out;
  for (auto &[source, sites] : by_source)
    if (const std::string made_of = site_fingerprint(store_, source); !made_of.empty())
      out.push_back({"site", source, made_of, std::move(sites), {}});
  if (!out.empty()) store_.add_results(out);
}

/// Several files at a time. What cannot be read says why.
Contents Job::read_contents() {
  std::vector<Source> sources = store_.sources();
  std::map<std::string, StoredResult> kept; // of observations, by source
  for (StoredResult &r : store_.results("site")) kept[r.id] = std::move(r);
  // Recipes first: what came with them may need them.
  const auto others =
      std::stable_partition(sources.begin(), sources.end(), [](const Source &s) { return s.kind == "recipe"; });
  std::vector<Recipe> recipes = job_recipes({});
  Contents contents(sources.size());
  struct Bytes {
    std::string bytes;
    ObservationSites sites; // as they were kept: then nothing needs to be unpacked
    std::exception_ptr why_not;
  };
  std::map<std::string, nlohmann::json> fresh; // sites that were read and are to be kept
  std::mutex fresh_use;
  const auto fetch = [&](std::size_t i) {
    Bytes out;
    try {
      if (!sources[i].damage.empty()) return out;
      const auto k = kept.find(sources[i].id);
      if (k != kept.end() && k->second.fingerprint == site_fingerprint(store_, k->first)) try {
          out.sites = sites_from_kept(k->second.data, observations_in(store_.path(), sources[i], recent_));
          if (!out.sites.empty()) return out;
        } catch (const std::exception &) {
          // A damaged cache is no loss: the file is read.
        }
      out.bytes = store_.source_bytes(sources[i].id);
    } catch (...) {
      out.why_not = std::current_exception();
    }
    return out;
  };
  const auto read = [&](std::size_t i, Bytes b) {
    SourceContent &c = contents[i];
    c.source = sources[i];
    try {
      if (b.why_not) std::rethrow_exception(b.why_not);
      if (!c.source.damage.empty()) return;
      c.sites = std::move(b.sites);
      if (!c.sites.empty()) return;
      c = read_source(sources[i].name, b.bytes, recipes, sources[i].kind);
      c.source = sources[i];
      if (nlohmann::json sites = rest_in_file(c); !sites.is_null()) {
        const std::lock_guard lock(fresh_use);
        fresh[c.source.id] = std::move(sites);
      }
    } catch (const InputError &e) {
      c.source.damage = e.reason();
    } catch (const std::exception &e) {
      c.source.damage = std::string("it cannot be read: ") + e.what();
    }
  };
  const auto first = static_cast<std::size_t>(others - sources.begin());
  for (std::size_t i = 0; i < first; ++i) {
    read(i, fetch(i));
    if (contents[i].recipe) recipes.push_back(*contents[i].recipe);
  }
  fetch_and_work(
      sources.size() - first, [&](std::size_t i) { return fetch(first + i); },
      [&](std::size_t i, Bytes b) { read(first + i, std::move(b)); });
  std::sort(contents.begin(), contents.end(), [](const auto &a, const auto &b) { return a.source.id < b.source.id; });
  keep_sites(std::move(fresh));
  return contents;
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
  contents_ = std::make_shared<const Contents>(read_contents());
  solved_ = std::make_shared<const std::vector<VectorResult>>(stored_vectors());
  issued_ = std::make_shared<const std::vector<IssueRecord>>(store_.issue_records());
  std::vector<TrackResult> tracks;
  FoundMotions motions;
  // A cache written by another version is computed again.
  for (const StoredResult &r : store_.results("track")) try {
      tracks.push_back(track_from_stored(r));
    } catch (const std::exception &) {
    }
  for (const StoredResult &r : store_.results("motion")) try {
      motions[r.id] = motion_from_stored(r);
    } catch (const std::exception &) {
    }
  tracks_ = std::make_shared<const std::vector<TrackResult>>(std::move(tracks));
  motions_ = std::make_shared<const FoundMotions>(std::move(motions));
  look_again();
  const auto kept = store_.results("network");
  const bool same = !kept.empty() && kept.front().fingerprint == snapshot_->get(network_key_result());
  if (auto renewed = with_present_fingerprints(*solved_, *snapshot_)) {
    solved_ = std::make_shared<const std::vector<VectorResult>>(std::move(*renewed));
    ++solved_times_;
    look_again();
  }
  if (!same) return;
  for (const VectorResult &v : vectors())
    if (v.stale) return;
  // An adjustment takes milliseconds: it is made again rather than stored, and shown only when it is the same.
  try {
    adjusted_ = std::make_shared<const NetworkRun>(run_network(*snapshot_, vectors(), {}));
    look_again();
  } catch (const std::exception &) {
    // it is made again when it is asked for
  }
}

void Job::look_again() {
  behind_ = false;
  JobInputs in;
  in.contents = contents_;
  folding_.follow(log_);
  in.state = std::make_shared<const JobState>(folding_.state());
  in.slices = folding_.keys();
  const auto key = [&](Slice s) -> std::string & { return in.slices[static_cast<std::size_t>(s)]; };
  for (const SourceContent &c : *contents_) key(Slice::contents) += c.source.id + c.source.damage;
  key(Slice::contents) = sha256_hex(key(Slice::contents));
  key(Slice::solved) = std::to_string(solved_times_);
  key(Slice::tracks) = std::to_string(tracks_times_);
  for (const auto &[id, m] : *motions_) key(Slice::motions) += id;
  if (adjusted_) key(Slice::adjusted) = adjusted_->fingerprint;
  for (const IssueRecord &r : *issued_) key(Slice::issued) += r.id + r.sha256 + r.damage;
  in.solved = solved_, in.tracks = tracks_, in.motions = motions_, in.adjusted = adjusted_, in.issued = issued_;
  snapshot_ = std::make_shared<const JobSnapshot>(std::move(in), snapshot_.get());
}

void Job::add_issue_record(const IssueRecord &r) {
  store_.add_issue_record(r);
  issued_ = std::make_shared<const std::vector<IssueRecord>>(store_.issue_records());
  look_again();
}

std::size_t Job::open_doubts() const {
  return static_cast<std::size_t>(
      std::count_if(doubts().begin(), doubts().end(), [](const Doubt &d) { return d.state == Doubt::State::open; }));
}

namespace {
/// What cannot be computed of the parts that every job has.
std::vector<Trouble> troubles_of(const JobSnapshot &s) {
  s.occupations(), s.published(), s.levels(), s.vectors(), s.traverses();
  return s.troubles();
}
} // namespace

void Job::try_last() {
  const long seq = log_.back().seq;
  if (batch_) {
    folding_.follow(log_);
    behind_ = true;
    const auto bad = folding_.unreadable().find(seq);
    if (bad == folding_.unreadable().end()) return;
    const std::string why = bad->second;
    log_.pop_back();
    folding_.follow(log_);
    throw InputError(why);
  }
  const bool withdrawal = log_.back().verb == "withdraw";
  const auto before = snapshot_;
  look_again();
  std::string why;
  if (const auto bad = state().unreadable.find(seq); bad != state().unreadable.end()) why = bad->second;
  // What undoes may leave other parts failing: it is the way out.
  if (!withdrawal && why.empty())
    if (const auto now = troubles_of(*snapshot_); !now.empty()) {
      const auto known = troubles_of(*before);
      for (const Trouble &t : now)
        if (std::find(known.begin(), known.end(), t) == known.end()) why = t.sentence;
    }
  if (why.empty()) return;
  log_.pop_back();
  folding_.follow(log_);
  snapshot_ = before;
  throw InputError(why);
}

void Job::begin_batch() {
  batch_troubles_ = troubles_of(*now());
  store_.begin();
  batch_ = log_.size();
}

std::vector<std::pair<std::size_t, std::string>> Job::end_batch() {
  std::vector<std::pair<std::size_t, std::string>> out;
  if (!batch_) return out;
  const std::size_t first = *batch_;
  batch_.reset();
  const auto troubles = troubles_of(*now());
  const bool harmless = std::all_of(troubles.begin(), troubles.end(), [&](const Trouble &t) {
    return std::find(batch_troubles_.begin(), batch_troubles_.end(), t) != batch_troubles_.end();
  });
  const std::vector<Decision> all(log_.begin() + static_cast<std::ptrdiff_t>(first), log_.end());
  const auto take_back = [&] {
    store_.roll_back();
    log_.resize(first);
    look_again();
  };
  if (harmless) {
    try {
      store_.commit();
    } catch (...) {
      take_back();
      throw;
    }
    return out;
  }
  // One of them does harm: they are made again one by one.
  take_back();
  for (std::size_t i = 0; i < all.size(); ++i) {
    try {
      append(all[i]);
    } catch (const InputError &e) {
      out.emplace_back(i, e.reason());
    }
  }
  return out;
}

long Job::decide(const std::string &verb, const std::string &target, nlohmann::json value, const std::string &reason) {
  if (store_.read_only()) throw InputError(store_.path(), 0, store_.why_read_only());
  Decision d{0, utc_now(), author(), printable(utf8_text(reason)), verb, utf8_text(target), std::move(value)};
  if (printable(d.target) != d.target || d.target.size() > 1000)
    throw InputError("what is decided about has a name that cannot be used: it " +
                     (d.target.size() > 1000 ? "is too long" : name_problem(d.target)));
  if (d.value.is_null()) d.value = nlohmann::json::object();
  tidy(d.value);
  return append(std::move(d));
}

long Job::append(Decision d) {
  d.seq = log_.empty() ? 1 : log_.back().seq + 1;
  log_.push_back(d);
  try_last();
  try {
    log_.back().seq = store_.append(d);
  } catch (...) {
    log_.pop_back();
    look_again();
    throw;
  }
  if (log_.back().seq != d.seq) look_again();
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
  std::map<std::string, const VectorResult *> now;
  for (const VectorResult &v : vectors) now[v.id] = &v;
  for (const VectorResult &v : *solved_)
    if (const auto it = now.find(v.id); it != now.end() && it->second->fingerprint != v.fingerprint) before_[v.id] = v;
  solved_ = std::make_shared<const std::vector<VectorResult>>(std::move(vectors));
  ++solved_times_;
}

void Job::take_kept_vectors() {
  if (store_.read_only()) return; // nothing could be kept
  replace_vectors(stored_vectors());
  look_again();
}

void Job::accept_vectors(std::vector<VectorResult> vectors, std::vector<StoredResult> stored) {
  replace_vectors(std::move(vectors));
  if (stored.size() != solved_->size()) {
    stored.clear();
    for (const VectorResult &v : *solved_) stored.push_back(to_stored(v));
  }
  store_.put_results("vector", stored);
  look_again();
}

void Job::accept_tracks(std::vector<TrackResult> tracks) {
  std::vector<StoredResult> stored;
  for (const TrackResult &t : tracks) stored.push_back(to_stored(t));
  store_.put_results("track", stored);
  for (const TrackResult &t : tracks)
    for (const TrackResult &b : *tracks_)
      if (b.id == t.id && b.fingerprint != t.fingerprint && b.error.empty()) before_tracks_[t.id] = b;
  tracks_ = std::make_shared<const std::vector<TrackResult>>(std::move(tracks));
  ++tracks_times_;
  look_again();
}

void Job::accept_motions(const FoundMotions &found) {
  if (found.empty()) return;
  FoundMotions all = *motions_;
  std::vector<StoredResult> stored;
  for (const auto &[id, m] : found) all[id] = m, stored.push_back(to_stored(id, m));
  if (!store_.read_only()) store_.add_results(stored);
  motions_ = std::make_shared<const FoundMotions>(std::move(all));
  look_again();
}

void Job::accept_network(NetworkRun run) {
  store_.put_results(
      "network",
      {{"network", "network", run.fingerprint, {{"variance_factor", run.result.adjustment.variance_factor}}, {}}});
  adjusted_ = std::make_shared<const NetworkRun>(std::move(run));
  look_again();
}

} // namespace ampletie
