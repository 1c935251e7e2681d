#include "open_job/shards.h"
#include "base/error.h"
#include "results/job_results.h"
#include <algorithm>
#include <charconv>
#include <filesystem>
#include <fmt/format.h>
#include <map>

namespace ampletie {

Shard read_shard(const std::string &text) {
  Shard s;
  const auto slash = text.find('/');
  const char *end = text.data() + text.size();
  const auto first = std::from_chars(text.data(), end, s.number);
  const auto second = slash == std::string::npos ? first : std::from_chars(text.data() + slash + 1, end, s.of);
  if (slash == std::string::npos || first.ec != std::errc() || second.ec != std::errc() ||
      first.ptr != text.data() + slash || second.ptr != end || s.of < 1 || s.of > 100'000 || s.number < 1 ||
      s.number > s.of)
    throw InputError("\"" + text + "\" is no piece of the work: 2/5 is the second of five");
  return s;
}

std::set<std::string> vectors_of_shard(const JobSnapshot &s, const Shard &shard) {
  std::map<std::string, std::vector<std::string>> sessions;
  for (const PlannedVector &p : s.get(plan_result())) sessions[p.session].push_back(p.id);
  std::vector<const std::vector<std::string> *> by_size;
  for (const auto &[name, vectors] : sessions) by_size.push_back(&vectors);
  std::stable_sort(by_size.begin(), by_size.end(), [](const auto *a, const auto *b) { return a->size() > b->size(); });
  std::vector<std::size_t> load(static_cast<std::size_t>(shard.of));
  std::set<std::string> out;
  for (const auto *vectors : by_size) {
    const auto least = std::min_element(load.begin(), load.end());
    *least += vectors->size();
    if (least - load.begin() == shard.number - 1) out.insert(vectors->begin(), vectors->end());
  }
  return out;
}

std::set<std::string> tracks_of_shard(const JobSnapshot &s, const Shard &shard) {
  struct Group {
    std::vector<std::string> tracks;
    double hours = 0;
  };
  std::vector<Group> groups; // in the order of the plan
  std::map<std::string, std::size_t> group_of;
  for (const PlannedTrack &p : s.get(track_plan_result())) {
    const std::string &main = !p.of.empty() ? p.of.front() : p.beside.empty() ? p.id : p.beside;
    const auto known = group_of.find(main);
    const std::size_t g = known == group_of.end() ? groups.size() : known->second;
    if (known == group_of.end()) groups.emplace_back();
    group_of[p.id] = group_of[main] = g;
    groups[g].tracks.push_back(p.id);
    if (p.of.empty())
      for (const Occupation *o : p.rover) groups[g].hours += (o->stop - o->start) / 3600;
  }
  std::stable_sort(groups.begin(), groups.end(), [](const Group &a, const Group &b) { return a.hours > b.hours; });
  std::vector<double> load(static_cast<std::size_t>(shard.of));
  std::set<std::string> out;
  for (const Group &g : groups) {
    const auto least = std::min_element(load.begin(), load.end());
    *least += g.hours;
    if (least - load.begin() == shard.number - 1) out.insert(g.tracks.begin(), g.tracks.end());
  }
  return out;
}

namespace {
/// Results of a kind that the copies hold and this job asks for, by id.
template <class T> struct Found {
  std::map<std::string, T> by_id;
  std::size_t here = 0, foreign = 0;
};

template <class T, class Read>
void look_through(const std::vector<StoredResult> &stored, const std::map<std::string, std::string> &wanted,
                  const std::set<std::string> &here, const Read &read, Found<T> &out) {
  for (const StoredResult &r : stored) {
    const auto w = wanted.find(r.id);
    if (w == wanted.end() || w->second != r.fingerprint) {
      ++out.foreign;
    } else if (here.count(r.id)) {
      ++out.here;
    } else if (out.by_id.count(r.id)) {
      continue; // the same in two copies
    } else {
      out.by_id.emplace(r.id, read(r));
    }
  }
}

/// What is planned in the order of the plan, what is no longer planned before it.
template <class T> void as_planned(std::vector<T> &all, const std::map<std::string, std::size_t> &place) {
  const auto rank = [&](const T &x) {
    const auto p = place.find(x.id);
    return p == place.end() ? -1 : static_cast<long>(p->second);
  };
  std::stable_sort(all.begin(), all.end(), [&](const T &a, const T &b) { return rank(a) < rank(b); });
}

/// Reads what one copy found of which antennas move, as far as it is about data of this job.
void take_motions(Job &job, const Store &copy) {
  FoundMotions motions;
  for (const StoredResult &r : copy.results("motion")) try {
      motions.emplace(r.id, motion_from_stored(r));
    } catch (const std::exception &) {
    } // of another version: looked for again
  const auto now = job.snapshot();
  std::set<std::string> known;
  for (const auto *all : {&now->occupations(), &now->moving()})
    for (const Occupation &o : *all) known.insert(o.id);
  std::erase_if(motions, [&](const auto &m) { return !known.count(m.first); });
  job.accept_motions(motions);
}
} // namespace

Merged merge_results(Job &job, const std::vector<std::string> &copies) {
  Merged out;
  if (job.store().read_only())
    throw InputError(job.store().path(), 0, job.store().why_read_only() + ": nothing could be kept");
  std::vector<Store> opened;
  for (const std::string &path : copies) try {
      if (std::error_code e; std::filesystem::equivalent(path, job.store().path(), e))
        throw InputError(path, 0, "is this job itself");
      opened.push_back(Store::open(path));
    } catch (const InputError &e) {
      out.problems.emplace_back(e.what());
    }
  for (const Store &copy : opened) take_motions(job, copy);
  const auto now = job.snapshot(); // held: what is accepted below makes another one
  std::map<std::string, std::string> vectors, tracks;
  std::map<std::string, std::size_t> place;
  for (const PlannedVector &p : now->get(plan_result())) place[p.id] = place.size(), vectors[p.id] = p.fingerprint;
  for (const PlannedTrack &p : now->get(track_plan_result())) place[p.id] = place.size(), tracks[p.id] = p.fingerprint;
  std::set<std::string> vectors_here, tracks_here;
  for (const VectorResult &v : job.vectors())
    if (const auto p = vectors.find(v.id); p != vectors.end() && p->second == v.fingerprint) vectors_here.insert(v.id);
  for (const TrackResult &t : job.tracks())
    if (const auto p = tracks.find(t.id); p != tracks.end() && p->second == t.fingerprint) tracks_here.insert(t.id);
  Found<VectorResult> new_vectors;
  Found<TrackResult> new_tracks;
  for (const Store &copy : opened) try {
      look_through(copy.results("vector"), vectors, vectors_here, from_stored, new_vectors);
      look_through(copy.results("track"), tracks, tracks_here, track_from_stored, new_tracks);
    } catch (const std::exception &e) {
      out.problems.push_back(copy.path() + ": " + e.what());
    }
  out.here = new_vectors.here + new_tracks.here, out.foreign = new_vectors.foreign + new_tracks.foreign;
  out.vectors = new_vectors.by_id.size(), out.tracks = new_tracks.by_id.size();
  if (out.vectors) {
    std::vector<VectorResult> all = job.vectors();
    std::erase_if(all, [&](const VectorResult &v) { return new_vectors.by_id.count(v.id) > 0; });
    for (auto &[id, v] : new_vectors.by_id) all.push_back(std::move(v));
    as_planned(all, place);
    job.accept_vectors(std::move(all));
  }
  if (out.tracks) {
    std::vector<TrackResult> all = solved_tracks(*now);
    std::erase_if(all, [&](const TrackResult &t) { return new_tracks.by_id.count(t.id) > 0; });
    for (auto &[id, t] : new_tracks.by_id) all.push_back(std::move(t));
    as_planned(all, place);
    job.accept_tracks(std::move(all));
  }
  out.missing = vectors.size() + tracks.size() - vectors_here.size() - tracks_here.size() - out.vectors - out.tracks;
  return out;
}

} // namespace ampletie
