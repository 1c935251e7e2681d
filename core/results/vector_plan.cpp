#include "results/vector_plan.h"
#include "base/hash.h"
#include "gnss/static/session_solution.h"
#include "job/settings.h"
#include "results/vector_fingerprint.h"
#include "results/vector_pairs.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

void mark_independent(std::vector<VectorResult> &vectors, const JobState &state) {
  for (VectorResult &v : vectors) v.together = v.session_due = false;
  for (const PlannedSession &p : plan_sessions(vectors, state)) {
    const bool solved = std::all_of(p.legs.begin(), p.legs.end(), [&](std::size_t i) {
      return vectors[i].joint.key == p.key && vectors[i].joint.count == static_cast<int>(p.legs.size());
    });
    // What was tried and failed with just these vectors is not due again.
    const bool failed = std::all_of(p.legs.begin(), p.legs.end(), [&](std::size_t i) {
      return vectors[i].joint.key == p.key && !vectors[i].joint.failed.empty();
    });
    if (!failed)
      for (std::size_t i : p.legs) (solved ? vectors[i].together : vectors[i].session_due) = true;
  }
  std::map<std::string, std::vector<SessionVector>> by_session;
  for (const VectorResult &v : vectors)
    if (v.error.empty() && v.used)
      by_session[v.session].push_back(
          {v.id, v.from_occupation, v.to_occupation, v.solved->solution == Solution::fixed, v.together, v.length()});
  std::set<std::string> chosen;
  for (auto &[session, list] : by_session)
    for (auto &id : independent_vectors(std::move(list))) chosen.insert(id);
  for (VectorResult &v : vectors) v.independent = chosen.count(v.id) > 0;
}

} // namespace

std::vector<LeftOutSpan> left_out_spans(const JobState &state, const std::string &vector,
                                        const std::string &occupations) {
  // Items: "G07@2026-05-12T09:10:00/09:25:00" for every vector, "v-…:G07@…" or "o-…:G07@…" for one vector or
  // occupation; "G@…" a whole system, "all@…" everything, "G07.L2@…" and "all.L5@…" one frequency.
  std::vector<LeftOutSpan> out;
  for (const auto &[item, why] : state.left_out) {
    const auto at = item.find('@');
    if (at == std::string::npos) continue;
    std::string head = item.substr(0, at);
    const auto colon = head.find(':');
    if (colon != std::string::npos) {
      const std::string whose = head.substr(0, colon);
      if (whose != vector && occupations.find(whose) == std::string::npos) continue;
      head = head.substr(colon + 1);
    }
    const auto slash = item.find('/', at);
    if (slash == std::string::npos) continue;
    const std::string from = item.substr(at + 1, slash - at - 1);
    std::string to = item.substr(slash + 1);
    if (to.size() <= 12 && from.size() >= 11) to = from.substr(0, 11) + to;
    const auto t0 = parse_iso(from), t1 = parse_iso(to);
    LeftOutSpan span;
    if (const auto dot = head.find('.'); dot != std::string::npos) {
      span.signal = head.substr(dot + 1);
      head.resize(dot);
    }
    std::optional<SatId> sat;
    if (head == "all")
      sat = SatId{' ', 0};
    else if (head.size() == 1 && solved_systems.find(head[0]) != std::string_view::npos)
      sat = SatId{head[0], 0};
    else
      sat = parse_sat(head);
    if (!t0 || !t1 || !sat) continue;
    span.sat = *sat, span.from = *t0, span.to = *t1;
    out.push_back(std::move(span));
  }
  return out;
}

std::string movement_problem(const Occupation &o, const std::vector<LeftOutSpan> &left_out) {
  if (o.moving_by == Occupation::MovingBy::decision) return {};
  const Moved *first = nullptr;
  double way = 0;
  for (const Moved &m : o.moved) {
    const bool left = std::any_of(left_out.begin(), left_out.end(), [&](const LeftOutSpan &x) {
      return x.sat.system == ' ' && x.signal.empty() && x.from - m.from <= 0.5 && x.to - m.to >= -0.5;
    });
    if (left) continue;
    if (!first) first = &m;
    way += m.metres;
  }
  if (!first) return {};
  return fmt::format("the antenna of {} moved by {:.1f} m from {} to {}: leave that out, solve it as a track "
                     "(moving=yes), or say that it stood (moving=no)",
                     occupation_name(o), way, iso(first->from).substr(11, 8), iso(first->to).substr(11, 8));
}

StaticOptions static_options(const JobSettings &s) {
  StaticOptions o;
  o.interval_s = s.interval_s;
  o.systems = s.systems;
  o.frequencies = static_cast<int>(s.frequencies);
  o.correlation_s = s.correlation_s;
  o.ionosphere_ppm = s.ionosphere_ppm;
  return o;
}

std::map<std::string, std::string> session_names(const std::vector<Occupation> &all) {
  std::map<std::string, std::string> out;
  GpsTime end{};
  std::string name;
  for (const Occupation &o : all) { // sorted by start
    if (!o.used) continue;
    if (name.empty() || o.start > end) name = "session " + iso(o.start).substr(0, 16), end = o.stop;
    end = std::max(end, o.stop);
    out[o.id] = name;
  }
  return out;
}

std::vector<PlannedSession> plan_sessions(const std::vector<VectorResult> &vectors, const JobState &state) {
  std::vector<PlannedSession> out;
  if (!state.settings.together) return out;
  std::map<std::string, std::map<std::string, std::vector<std::size_t>>> by_base; // session → base → legs
  for (std::size_t i = 0; i < vectors.size(); ++i) {
    const VectorResult &v = vectors[i];
    if (!v.error.empty() || !v.used || v.solved->solution == Solution::code || v.solved->arcs.empty()) continue;
    by_base[v.session][v.from_occupation].push_back(i);
  }
  for (auto &[session, bases] : by_base) {
    std::set<std::string> reached;
    while (!bases.empty()) {
      // The base that reaches most occupations that no star has yet; fixed vectors, then short ones, decide a tie.
      const std::string *best = nullptr;
      std::tuple<std::size_t, std::size_t, double> most{};
      for (auto &[base, legs] : bases) {
        std::erase_if(legs, [&](std::size_t i) { return reached.count(vectors[i].to_occupation) > 0; });
        std::size_t fixed = 0;
        double length = 0;
        for (std::size_t i : legs) {
          fixed += vectors[i].solved->solution == Solution::fixed;
          length += vectors[i].length();
        }
        const std::tuple score(legs.size(), fixed, -length);
        if (!best || score > most) best = &base, most = score;
      }
      const std::string base = *best;
      std::vector<std::size_t> legs = bases.at(base);
      bases.erase(base);
      if (legs.size() < 2) break;
      reached.insert(base);
      for (std::size_t i : legs) reached.insert(vectors[i].to_occupation);
      std::sort(legs.begin(), legs.end(), [&](std::size_t a, std::size_t b) {
        return std::tuple(vectors[a].solved->first.ns, vectors[a].id) <
               std::tuple(vectors[b].solved->first.ns, vectors[b].id);
      });
      std::vector<std::vector<std::size_t>> groups;
      for (std::size_t i : legs) {
        const StaticVector &a = *vectors[i].solved;
        auto alike = [&](std::size_t k) {
          const StaticVector &b = *vectors[k].solved;
          const double common = std::min(a.last, b.last) - std::max(a.first, b.first);
          return common >= 0.5 * std::max(a.last - a.first, b.last - b.first);
        };
        const auto home = std::find_if(groups.begin(), groups.end(),
                                       [&](const auto &g) { return std::any_of(g.begin(), g.end(), alike); });
        if (home == groups.end())
          groups.push_back({i});
        else
          home->push_back(i);
      }
      for (auto &g : groups) {
        if (g.size() < 2) continue;
        std::sort(g.begin(), g.end(), [&](std::size_t a, std::size_t b) { return vectors[a].id < vectors[b].id; });
        PlannedSession p;
        std::string members, key = (g.size() > legs_in_one_filter ? "session-6" : "session-5") +
                                   settings_key(state.settings, SettingPart::vectors);
        for (std::size_t i : g) members += vectors[i].id, key += vectors[i].id + vectors[i].fingerprint;
        p.id = content_id("s", members), p.key = sha256_hex(key), p.legs = std::move(g);
        out.push_back(std::move(p));
      }
    }
  }
  return out;
}

std::vector<PlannedVector> plan_vectors(const JobSnapshot &s) {
  std::vector<PlannedVector> out;
  const auto session = session_names(s.occupations());
  const VectorFingerprints fingerprints(s, session);
  for (const auto &[a, b] : s.get(pairs_result()).pairs) {
    PlannedVector p;
    p.from = a, p.to = b;
    p.id = content_id("v", a->id + "|" + b->id);
    p.session = session.at(a->id);
    p.fingerprint = fingerprints.of(p);
    out.push_back(std::move(p));
  }
  std::sort(out.begin(), out.end(), [](const auto &a, const auto &b) { return a.id < b.id; });
  return out;
}

void refresh(std::vector<VectorResult> &vectors, const JobSnapshot &s, const std::vector<PlannedVector> &plan) {
  std::map<std::string, const PlannedVector *> planned;
  for (const auto &p : plan) planned[p.id] = &p;
  std::erase_if(vectors, [&](const VectorResult &v) { return !planned.count(v.id); });
  for (VectorResult &v : vectors) {
    const PlannedVector &p = *planned.at(v.id);
    v.stale = p.fingerprint != v.fingerprint;
    v.session = p.session;
    v.from_setup = p.from->setup, v.to_setup = p.to->setup;
    const auto left = s.state().left_out.find(v.id);
    v.used = left == s.state().left_out.end();
    v.left_out_because = v.used ? "" : left->second.reason;
    for (const Occupation *o : {p.from, p.to})
      if (v.error.empty() && !o->moved.empty()) v.error = movement_problem(*o, left_out_spans(s.state(), v.id, o->id));
  }
  mark_independent(vectors, s.state());
}

} // namespace ampletie
