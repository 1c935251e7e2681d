#include "base/hash.h"
#include "results/job_results.h"
#include "results/tracks.h"
#include "results/vector_fingerprint.h"
#include "results/vector_plan.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Files of one receiver that follow one another so closely are one track, s.
constexpr double one_track_s = 120;

double overlap(const Occupation &o, GpsTime from, GpsTime to) { return std::min(o.stop, to) - std::max(o.start, from); }

/// Moving files by receiver, in pieces that follow one another.
std::vector<std::vector<const Occupation *>> pieces(const JobSnapshot &s) {
  std::map<std::string, std::vector<const Occupation *>> by_receiver;
  for (const Occupation &o : s.moving()) {
    if (!o.used) continue;
    const ObservationSite &f = *o.file;
    // Without a serial number only sites of one file are known to be of one receiver.
    const std::string who = f.receiver_serial.empty() ? o.source_id : o.receiver + "|" + f.receiver_serial;
    by_receiver[who + "|" + antenna_key(o.antenna)].push_back(&o);
  }
  std::vector<std::vector<const Occupation *>> out;
  for (auto &[who, list] : by_receiver)
    for (const Occupation *o : list) // sorted by start
      if (out.empty() || out.back().front()->file->receiver_serial != o->file->receiver_serial ||
          (o->source_id != out.back().back()->source_id && o->file->receiver_serial.empty()) ||
          antenna_key(out.back().front()->antenna) != antenna_key(o->antenna) ||
          o->start - out.back().back()->stop > one_track_s)
        out.push_back({o});
      else
        out.back().push_back(o);
  std::sort(out.begin(), out.end(), [](const auto &a, const auto &b) {
    return std::tie(a.front()->start, a.front()->id) < std::tie(b.front()->start, b.front()->id);
  });
  return out;
}

struct Span {
  GpsTime from, to;
  double length() const { return to - from; }
};

std::string erection_of(const Occupation &o) { return o.mark + "|" + o.setup; }

/// How long each erection of a receiver that stood logged within a span, s.
std::map<std::string, double> logged_within(const JobSnapshot &s, Span span) {
  std::map<std::string, double> out;
  for (const Occupation &o : s.occupations())
    if (o.used) out[erection_of(o)] += std::max(0.0, overlap(o, span.from, span.to));
  return out;
}

/// The base that covers most of a span (its files of one erection count together), of those that cover alike a held
/// mark, then the nearest by the files' heads. `but`: mark and erection that are out of the question.
const Occupation *base_for(const JobSnapshot &s, const std::vector<const Occupation *> &rover, Span span,
                           const std::string &but, std::string &why_none) {
  std::string wanted;
  for (const Occupation *o : rover)
    if (!o->base.empty()) wanted = s.state().mark_name(o->base);
  const Occupation *best = nullptr;
  std::tuple<int, bool, double> most{};
  double nearest_gap = 1e18;
  const std::map<std::string, double> together = logged_within(s, span);
  for (const Occupation &o : s.occupations()) {
    const std::string erection = erection_of(o);
    if (!o.used || erection == but || (!wanted.empty() && o.mark != wanted)) continue;
    double common = overlap(o, span.from, span.to);
    if (common < 0) {
      nearest_gap = std::min(nearest_gap, -common);
      continue;
    }
    common = together.at(erection);
    const Vec3 &a = o.file->approximate, &b = rover.front()->file->approximate;
    const double apart = a.norm() < 6e6 || b.norm() < 6e6 ? 1e9 : (a - b).norm();
    const std::tuple score(static_cast<int>(10 * common / std::max(1.0, span.length())), s.anchors().count(o.mark) > 0,
                           -apart);
    if (!best || score > most) best = &o, most = score;
  }
  if (!best)
    why_none =
        !wanted.empty() && nearest_gap > 1e17 ? "no occupation of " + wanted + ", the base that was asked for"
        : nearest_gap < 1e17
            ? fmt::format("no base logged at its time: the nearest ended or began {:.0f} min away", nearest_gap / 60)
            : "there is no base: no receiver of the job stood";
  return best;
}

/// A part of a track, with the occupations of its base.
struct Part {
  std::optional<GpsTime> from, to;
  std::vector<const Occupation *> base;
  const char *which = ""; ///< of the bases beside the best one: "before" it or "after" it
};

/// Files of a base's erection that logged in a span.
std::vector<const Occupation *> files_of(const JobSnapshot &s, const Occupation &base, Span span) {
  std::vector<const Occupation *> out;
  for (const Occupation &o : s.occupations())
    if (o.used && o.mark == base.mark && o.setup == base.setup && overlap(o, span.from, span.to) > 0) out.push_back(&o);
  return out;
}

constexpr double worth_another_s = 60;

/// Every base that logged a minute or more beside the moving receiver, the best first: of all erections, on held marks
/// first, then the nearest.
std::vector<Part> all_bases(const JobSnapshot &s, const std::vector<const Occupation *> &rover, std::string &why_none) {
  constexpr std::size_t most = 4;
  const Span all{rover.front()->start, rover.back()->stop};
  const Occupation *main = base_for(s, rover, all, "", why_none);
  if (!main) return {Part{{}, {}, {}}};
  std::map<std::string, std::pair<std::tuple<bool, double, std::string>, const Occupation *>> others; // by erection
  const std::map<std::string, double> common = logged_within(s, all);
  const Vec3 &here = rover.front()->file->approximate;
  for (const Occupation &o : s.occupations()) {
    const std::string erection = erection_of(o);
    if (!o.used || erection == erection_of(*main)) continue;
    const Vec3 &a = o.file->approximate;
    const double apart = a.norm() < 6e6 || here.norm() < 6e6 ? 1e9 : (a - here).norm();
    others.emplace(erection, std::pair(std::tuple(s.anchors().count(o.mark) == 0, apart, erection), &o));
  }
  std::vector<std::pair<std::tuple<bool, double, std::string>, const Occupation *>> sorted;
  for (const auto &[erection, o] : others)
    if (common.at(erection) >= worth_another_s) sorted.push_back(o);
  std::sort(sorted.begin(), sorted.end());
  std::vector<Part> out{{{}, {}, files_of(s, *main, all)}};
  if (out.front().base.empty()) out.front().base = {main};
  for (const auto &[score, o] : sorted)
    if (out.size() < most) out.push_back({{}, {}, files_of(s, *o, all)});
  return out;
}

/// The best base; where it began later or ended earlier than the rover by more than `worth_another_s`, what other bases
/// have of the rest.
std::vector<Part> parts_of(const JobSnapshot &s, const std::vector<const Occupation *> &rover, std::string &why_none) {
  const Span all{rover.front()->start, rover.back()->stop};
  const Occupation *main = base_for(s, rover, all, "", why_none);
  if (!main) return {Part{{}, {}, {}}};
  Part first{{}, {}, files_of(s, *main, all)};
  if (first.base.empty()) first.base = {main};
  GpsTime begins = first.base.front()->start, ends = begins;
  for (const Occupation *o : first.base) begins = std::min(begins, o->start), ends = std::max(ends, o->stop);
  std::vector<Part> out;
  const auto other = [&](Span rest) -> const Occupation * {
    std::string nobody;
    const Occupation *o =
        rest.length() < worth_another_s ? nullptr : base_for(s, rover, rest, erection_of(*main), nobody);
    return o && overlap(*o, rest.from, rest.to) >= worth_another_s ? o : nullptr;
  };
  if (const Span before{all.from, begins}; const Occupation *o = other(before)) {
    out.push_back({{}, before.to, files_of(s, *o, before), "before"});
    first.from = before.to;
  }
  const Span after{ends, all.to};
  const Occupation *later = other(after);
  if (later) first.to = after.from;
  out.push_back(std::move(first));
  if (later) out.push_back({after.from, {}, files_of(s, *later, after), "after"});
  return out;
}

} // namespace

std::size_t bases_beside(const JobSnapshot &s, GpsTime from, GpsTime to) {
  const auto logged = logged_within(s, {from, to});
  return static_cast<std::size_t>(
      std::count_if(logged.begin(), logged.end(), [](const auto &x) { return x.second >= worth_another_s; }));
}

std::vector<PlannedTrack> plan_tracks(const JobSnapshot &s) {
  std::vector<PlannedTrack> out;
  if (s.moving().empty()) return out;
  const VectorFingerprints fingerprints(s, session_names(s.occupations()));
  std::string lists;
  for (const SourceContent &c : s.contents())
    if (c.stops) {
      const auto added = s.state().added_seconds.find(c.source.id);
      lists += fmt::format("|{}{} {:.3f}", c.source.id, c.stops->said,
                           added == s.state().added_seconds.end() ? 0 : added->second.value);
    }
  for (const auto &rover : pieces(s)) {
    std::string why_none;
    const bool all = std::any_of(rover.begin(), rover.end(),
                                 [](const Occupation *o) { return o->bases == "all" && o->base.empty(); });
    auto parts = all ? all_bases(s, rover, why_none) : parts_of(s, rover, why_none);
    PlannedTrack joint;
    for (Part &part : parts) {
      PlannedTrack p;
      p.why_no_base = why_none, p.base = std::move(part.base), p.from = part.from, p.to = part.to, p.rover = rover;
      p.id = content_id("m", rover.front()->id + "|" +
                                 (p.base.empty() ? "" : p.base.front()->mark + p.base.front()->setup) + part.which);
      const auto at = [](const std::optional<GpsTime> &t) { return t ? iso_ms(*t) : std::string(); };
      p.fingerprint = p.base.empty() ? "no base"
                                     : sha256_hex(fingerprints.of(p.id, p.base, rover) + lists +
                                                  (p.from || p.to ? "|" + at(p.from) + "/" + at(p.to) : ""));
      if (all) {
        if (!joint.of.empty()) p.beside = joint.of.front();
        joint.of.push_back(p.id), joint.fingerprint += p.fingerprint;
      }
      out.push_back(std::move(p));
    }
    if (joint.of.size() > 1) {
      joint.id = content_id("m", rover.front()->id + "|joint");
      joint.fingerprint = sha256_hex("joint tracks 1|" + joint.fingerprint);
      joint.rover = rover;
      out.push_back(std::move(joint));
    }
  }
  return out;
}

const Result<std::vector<PlannedTrack>> &track_plan_result() {
  static const Result<std::vector<PlannedTrack>> r{
      "plan of tracks",
      Section::gnss,
      {&contents_result(), &occupations_result(), &moving_result(), &belonging_result()},
      {Slice::settings_datum, Slice::settings_vectors, Slice::settings_orbits, Slice::use_of_vectors,
       Slice::use_of_occupations, Slice::marks, Slice::recipes},
      plan_tracks};
  return r;
}

} // namespace ampletie
