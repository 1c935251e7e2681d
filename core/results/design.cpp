#include "results/design.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "results/caches.h"
#include "results/job_results.h"
#include "results/vector_plan.h"
#include "traverse/distance.h"
#include <Eigen/Dense>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Eigen::Index;

constexpr std::size_t most_tried = 40; ///< planned items that are left out one by one

std::vector<std::string> names_in(const std::string &list) {
  std::vector<std::string> out;
  for (std::string_view part : split(list, ','))
    if (const auto name = trimmed(part); !name.empty()) out.emplace_back(name);
  return out;
}

/// Puts a plan into the network, piece by piece; what cannot be planned says why.
class Planner {
public:
  Planner(const JobSnapshot &s, const JobDatum &datum) : s_(s), datum_(datum), set_(s.state().settings) {
    std::vector<std::shared_ptr<const NavigationFile>> messages;
    for (const SourceContent &c : s.contents())
      if (c.navigation) messages.push_back(c.navigation), sky_key_ += c.source.id;
    for (Slice slice : {Slice::settings_vectors, Slice::settings_orbits})
      sky_key_ += s.inputs().slices[static_cast<std::size_t>(slice)];
    sky_ = std::make_unique<PlannedSky>(messages, set_.orbits == "precise" ? 0.03 : 1.0);
    parts_ = network_parts(s, s.vectors(), datum);
    out.with_measured = !parts_.input.vectors.empty() || !parts_.input.levels.empty() || !parts_.input.stations.empty();
    for (const NetworkMark &m : parts_.input.marks) (m.plan_known ? place_ : guess_)[m.name] = m.position;
    for (const auto &[name, p] : s.published())
      if (!place_.count(name) && p.has_position()) place_[name] = published_in_job(p, datum, operation_policy(set_));
    const auto elements = sky_->elements_of();
    out.sky = elements ? "orbits of " + iso(*elements).substr(0, 10) + " carried on"
                       : "a nominal constellation of GPS and Galileo: no broadcast orbits are in the job";
  }

  void add_all() {
    for (const auto &[id, e] : s_.state().plan)
      if (id.starts_with("mark ") && e.planned.value.value_or(true)) add_mark(id.substr(5), e);
    for (const auto &[id, e] : s_.state().plan)
      if (!id.starts_with("mark ") && e.planned.value.value_or(true)) add_item(id, e);
  }
  /// The network with all that is planned but one item; with an empty name all.
  NetworkInput network(const std::string &without) const { return network(without, nullptr); }
  /// The network with all that is planned and one item more. Throws `InputError` for what cannot be planned.
  NetworkInput network_with(PlannedItem &item, const PlanEdits &e);
  /// Marks nearest to one that has a place, m.
  std::vector<std::pair<double, std::string>> nearest(const std::string &mark) const;
  JobDesign out;

private:
  struct Piece {
    std::vector<NetworkVector> vectors;
    std::optional<NetworkSession> session;
    std::vector<NetworkSetup> setups;
    std::vector<NetworkLevel> levels;
    std::vector<NetworkStation> stations;
  };
  NetworkInput network(const std::string &without, const Piece *more) const;
  void fill(PlannedItem &item, const PlanEdits &e, Piece &piece);
  void add_mark(const std::string &name, const PlanEdits &e);
  void add_item(const std::string &id, const PlanEdits &e);
  void add_session(PlannedItem &item, const PlanEdits &e, Piece &piece);
  PlannedSolution solution(const std::string &key, const std::vector<Vec3> &places, GpsTime start, double minutes,
                           double mask) const;
  void add_line(PlannedItem &item, const PlanEdits &e, Piece &piece);
  void add_station(PlannedItem &item, const PlanEdits &e, Piece &piece);
  const TaggedPoint &place(const std::string &mark) const;
  /// The place, else the guess; null: neither.
  const TaggedPoint *somewhere(const std::string &mark) const;

  const JobSnapshot &s_;
  const JobDatum &datum_;
  const JobSettings &set_;
  std::unique_ptr<PlannedSky> sky_;
  std::string sky_key_; ///< of everything that a session's solution depends on beside itself
  NetworkParts parts_;
  std::map<std::string, TaggedPoint> place_;
  /// Where marks stand, for want of better, that levels lead to and nothing else: good enough for a height.
  std::map<std::string, TaggedPoint> guess_;
  std::map<std::string, Piece> pieces_; ///< by item
};

const TaggedPoint &Planner::place(const std::string &mark) const {
  const auto p = place_.find(mark);
  if (p == place_.end())
    throw InputError("nothing says where " + mark + " is: plan it (plan mark " + mark +
                     " with east, north, height), or take a list that has it");
  return p->second;
}

const TaggedPoint *Planner::somewhere(const std::string &mark) const {
  for (const auto *all : {&place_, &guess_})
    if (const auto p = all->find(mark); p != all->end()) return &p->second;
  return nullptr;
}

void Planner::add_mark(const std::string &name, const PlanEdits &e) {
  PlannedItem item;
  item.id = "mark " + name, item.kind = "mark", item.name = name;
  try {
    if (place_.count(name))
      throw InputError(name +
                       " has a place already, from a list or from what was measured: it is planned with as it is");
    const double height = e.height.value.value_or(0);
    if (e.lat.value && e.lon.value)
      place_[name] = datum_.from_geodetic(radians(*e.lat.value), radians(*e.lon.value), height);
    else if (e.east.value && e.north.value)
      place_[name] = datum_.from_grid(*e.east.value, *e.north.value, height);
    else
      throw InputError("say where it is to be: east and north, or lat and lon; and its height");
    const FullPosition p = datum_.describe(place_[name]);
    out.marks[name] = {p.grid.east, p.grid.north};
    item.words =
        fmt::format("at {:.1f} {:.1f}, height {:.0f} m", p.grid.east, p.grid.north, p.height.value_or(p.geodetic.h));
    if (!e.height.value) item.words += " (its height was not said)";
  } catch (const InputError &x) {
    item.problem = x.reason();
  }
  out.items.push_back(std::move(item));
}

void Planner::fill(PlannedItem &item, const PlanEdits &e, Piece &piece) {
  if (item.kind == "session")
    add_session(item, e, piece);
  else if (item.kind == "line")
    add_line(item, e, piece);
  else
    add_station(item, e, piece);
}

NetworkInput Planner::network_with(PlannedItem &item, const PlanEdits &e) {
  Piece piece;
  const std::size_t lines = out.lines.size();
  try {
    fill(item, e, piece);
  } catch (const InputError &) {
    out.lines.resize(lines); // it is drawn only when it is planned
    throw;
  }
  out.lines.resize(lines);
  return network("", &piece);
}

std::vector<std::pair<double, std::string>> Planner::nearest(const std::string &mark) const {
  std::vector<std::pair<double, std::string>> all;
  const auto here = place_.find(mark);
  if (here == place_.end()) return all;
  for (const auto &[name, p] : place_)
    if (name != mark) all.emplace_back((p.xyz - here->second.xyz).norm(), name);
  std::sort(all.begin(), all.end());
  return all;
}

void Planner::add_item(const std::string &id, const PlanEdits &e) {
  const auto space = id.find(' ');
  PlannedItem item;
  item.id = id, item.kind = id.substr(0, space), item.name = id.substr(space + 1);
  Piece piece;
  try {
    fill(item, e, piece);
    pieces_[id] = std::move(piece);
  } catch (const InputError &x) {
    item.problem = x.reason();
  }
  out.items.push_back(std::move(item));
}

PlannedSolution Planner::solution(const std::string &key, const std::vector<Vec3> &places, GpsTime start,
                                  double minutes, double mask) const {
  const std::lock_guard lock(s_.caches().planned_use);
  auto &known = s_.caches().planned;
  if (const auto found = known.find(key); found != known.end()) return found->second;
  if (known.size() > 300) known.clear();
  return known[key] = planned_solution(*sky_, places, start, minutes, mask, static_options(set_));
}

void Planner::add_session(PlannedItem &item, const PlanEdits &e, Piece &piece) {
  const std::vector<std::string> marks = names_in(e.marks.value.value_or(""));
  const double minutes = e.minutes.value.value_or(60), mask = e.mask.value.value_or(set_.mask_deg);
  if (marks.size() < 2) throw InputError("say the marks that receivers stand on at the same time, two at least");
  if (std::set<std::string>(marks.begin(), marks.end()).size() != marks.size())
    throw InputError("a mark stands twice in it");
  if (marks.size() > 30) throw InputError("more than thirty receivers are planned in several sessions");
  if (!e.start.value) throw InputError("say when it begins (start=2026-06-02T08:00, GPS time): the sky depends on it");
  const GpsTime start = *parse_iso(*e.start.value);
  std::string when = iso(start).substr(0, 16);
  when[10] = ' ';
  item.words = fmt::format("{} from {} for {:.0f} minutes", fmt::join(marks, ", "), when, minutes);
  if (e.mask.value) item.words += fmt::format(" above {:.0f}°", mask);
  // The sky does not notice fifty metres, and a mark that is moved by less needs no new solution.
  std::vector<Vec3> places;
  std::string key = fmt::format("{}|{}|{}|{}|", sky_key_, iso(start), minutes, mask);
  for (const std::string &m : marks) {
    const Vec3 p = (place(m).xyz / 50).array().round().matrix() * 50;
    places.push_back(p);
    key += fmt::format("{:.0f} {:.0f} {:.0f}|", p.x(), p.y(), p.z());
  }
  const PlannedSolution found = solution(sha256_hex(key), places, start, minutes, mask);
  if (!found.problem.empty()) throw InputError(found.problem);
  item.satellites = found.satellites, item.success = found.success, item.fixed = found.fixed;
  NetworkSession session;
  session.id = "plan:" + item.id, session.cov = found.cov;
  for (std::size_t i = 0; i < marks.size(); ++i) {
    const std::string setup = "plan:" + item.id + ":" + marks[i];
    piece.setups.push_back({setup, marks[i], Vec3(set_.centring_sd_m, set_.centring_sd_m, set_.height_sd_m), {}});
    if (i == 0) continue;
    out.lines.emplace_back(marks[0], marks[i]);
    NetworkVector v;
    v.id = "plan:" + item.id + ":" + std::to_string(i), v.from = marks[0], v.to = marks[i];
    v.from_setup = piece.setups[0].id, v.to_setup = setup, v.session = session.id;
    v.d = place(marks[i]).xyz - place(marks[0]).xyz;
    const auto at = static_cast<Index>(3 * (i - 1));
    v.cov = found.cov.block<3, 3>(at, at);
    v.frame = datum_.frame(), v.epoch = datum_.epoch();
    session.vectors.push_back(v.id);
    piece.vectors.push_back(std::move(v));
  }
  if (piece.vectors.size() > 1) piece.session = std::move(session);
}

void Planner::add_line(PlannedItem &item, const PlanEdits &e, Piece &piece) {
  if (!e.from.value || !e.to.value) throw InputError("say from which mark to which it leads");
  const std::string &from = *e.from.value, &to = *e.to.value;
  if (from == to) throw InputError("it leads from a mark to itself");
  const GeoidModel *geoid = datum_.geoid();
  if (!datum_.local() && !(geoid && geoid->sd_m()))
    throw InputError("levels meet vectors through a geoid whose accuracy is stated (settings): there is none");
  const bool known = place_.count(from) && place_.count(to);
  if (!known && !e.km.value) throw InputError("say how long it is (km=2.3)");
  const TaggedPoint *a = somewhere(from), *b = somewhere(to);
  if (!a && !b) place(from); // says that nothing places it
  if (!a) guess_[from] = *b;
  if (!b) guess_[to] = *a;
  const double km = e.km.value.value_or(known ? 1.2 * (place(from).xyz - place(to).xyz).norm() / 1000 : 0);
  const double sd = e.sd_km.value.value_or(0.001);
  const auto height = [&](const std::string &m) {
    const Geodetic g = to_geodetic(somewhere(m)->xyz);
    return g.h - (geoid ? geoid->undulation(g) : 0);
  };
  item.words = fmt::format("{} to {}, {:.2f} km{}, ± {:.1f} mm over a kilometre", from, to, km,
                           e.km.value ? "" : " (a fifth more than straight)", 1000 * sd);
  piece.levels.push_back(
      {"plan:" + item.id, from, to, "plan:" + item.id, height(to) - height(from), sd * std::sqrt(km), 1000 * km});
  out.lines.emplace_back(from, to);
}

void Planner::add_station(PlannedItem &item, const PlanEdits &e, Piece &piece) {
  const std::vector<std::string> targets = names_in(e.targets.value.value_or(""));
  if (targets.empty()) throw InputError("say the marks that it sights (targets=A,B)");
  InstrumentStandard i = instrument_standard(s_.state(), "");
  if (e.direction.value) i.direction = *e.direction.value;
  if (e.zenith.value) i.zenith = *e.zenith.value;
  if (e.distance.value) i.distance = *e.distance.value;
  if (e.ppm.value) i.distance_ppm = 1e-6 * *e.ppm.value;
  const TaggedPoint &here = place(item.name);
  const Geodetic g = to_geodetic(here.xyz);
  const Mat3 axes = local_axes(g);
  NetworkStation n;
  n.id = "plan:" + item.id, n.mark = item.name, n.height = 1.5;
  n.setup_sd = Vec3(i.centring, i.centring, i.height);
  n.k = set_.traverse.k, n.k_sd = set_.traverse.k_sd;
  n.instrument = "plan", n.azimuth_constant_sd = e.azimuth_constant.value.value_or(0);
  if (datum_.geoid()) n.deflection = datum_.deflection(g);
  double longest = 0;
  std::vector<double> variances;
  for (const std::string &t : targets) {
    if (t == item.name) throw InputError("it sights itself");
    const Vec3 to = axes * (place(t).xyz - here.xyz);
    NetworkSight y;
    y.id = n.id + ":" + t, y.to = t;
    y.distance = to.norm();
    if (y.distance < 1) throw InputError("from " + item.name + " to " + t + " is less than a metre");
    longest = std::max(longest, y.distance);
    y.direction = std::atan2(to.x(), to.y());
    // Straight in space; refraction lifts what is seen.
    y.zenith = std::acos(to.z() / y.distance) - n.k * y.distance / (2 * sphere_radius);
    y.zenith_sd = i.zenith_sd(y.distance), y.distance_sd = i.distance_sd(y.distance);
    y.target_height = 1.5, y.target_centring = i.target_centring, y.target_height_sd = i.height;
    variances.push_back(std::pow(i.direction_sd(y.distance), 2));
    if (e.azimuth.value && n.sights.empty()) // found by the plumb line's own north
      y.azimuth = y.direction + n.deflection.y() * std::tan(g.lat), y.azimuth_sd = *e.azimuth.value;
    n.sights.push_back(std::move(y));
    out.lines.emplace_back(item.name, t);
  }
  n.direction_covariance =
      Eigen::Map<const Eigen::VectorXd>(variances.data(), static_cast<Index>(variances.size())).asDiagonal();
  item.words = fmt::format("sights {}; directions ± {:.1f}″, distances ± {:.1f} mm + {:.1f} ppm, up to {:.0f} m",
                           fmt::join(targets, ", "), i.direction / rad_per_arcsec, 1000 * i.distance,
                           1e6 * i.distance_ppm, longest);
  if (e.azimuth.value)
    item.words += fmt::format("; an azimuth to {} ± {:.1f}″", targets.front(), *e.azimuth.value / rad_per_arcsec);
  piece.stations.push_back(std::move(n));
}

NetworkInput Planner::network(const std::string &without, const Piece *more) const {
  NetworkInput in = parts_.input;
  std::set<std::string> marks, determined, fresh;
  for (const NetworkMark &m : in.marks) marks.insert(m.name);
  const auto touch = [&](const std::string &mark, bool plan) {
    if (!marks.count(mark)) fresh.insert(mark);
    if (plan) determined.insert(mark);
  };
  const auto add = [&](const Piece &p) {
    for (const NetworkVector &v : p.vectors) in.vectors.push_back(v), touch(v.from, true), touch(v.to, true);
    if (p.session) in.sessions.push_back(*p.session);
    in.setups.insert(in.setups.end(), p.setups.begin(), p.setups.end());
    for (const NetworkLevel &l : p.levels) in.levels.push_back(l), touch(l.from, false), touch(l.to, false);
    for (const NetworkStation &n : p.stations) {
      in.stations.push_back(n), touch(n.mark, true);
      for (const NetworkSight &y : n.sights) touch(y.to, true);
    }
  };
  for (const auto &[id, p] : pieces_)
    if (id != without) add(p);
  if (more) add(*more);
  // What only levels led to gets a place of its own.
  for (NetworkMark &m : in.marks)
    if (!m.plan_known && determined.count(m.name)) m = network_mark(s_, datum_, in, m.name, place(m.name), true);
  for (const std::string &m : fresh)
    in.marks.push_back(network_mark(s_, datum_, in, m, *somewhere(m), determined.count(m) > 0));
  return in;
}

/// What the tests of an adjustment say of each planned item.
void judge_items(JobDesign &d) {
  for (const BlockTest &t : d.run->result.adjustment.tests) {
    if (!t.id.starts_with("plan:") || t.kind == "set-up") continue; // what a set-up is off is no observation
    for (PlannedItem &item : d.items) {
      const std::string own = "plan:" + item.id;
      if (t.id != own && !t.id.starts_with(own + ":")) continue;
      for (const ObservationTest &o : t.observations) {
        item.redundancy = std::min(item.redundancy.value_or(1), o.redundancy);
        // Angles are seconds, not metres: what they may do is in the effect.
        if (o.smallest_detectable && !is_angle(t.kind))
          item.detectable = std::max(item.detectable.value_or(0), *o.smallest_detectable);
      }
      if (t.external_effect) item.effect = std::max(item.effect.value_or(0), *t.external_effect);
    }
  }
}

/// What each item is worth: the network without it.
void judge_worth(JobDesign &d, const Planner &planner) {
  std::map<std::string, const AdjustedMark *> with;
  for (const AdjustedMark &m : d.run->result.marks) with[m.name] = &m;
  std::size_t tried = 0;
  for (PlannedItem &item : d.items) {
    if (item.kind == "mark" || !item.problem.empty() || ++tried > most_tried) continue;
    item.tried = true;
    try {
      const NetworkResult r = adjust_network(planner.network(item.id), {});
      std::set<std::string> left;
      double worst = 0;
      for (const AdjustedMark &m : r.marks) {
        const AdjustedMark *before = with.at(m.name);
        if (before->plan_known && !m.plan_known) continue; // lost
        left.insert(m.name);
        const double plan = m.plan_known ? m.network_plan95 - before->network_plan95 : 0;
        const double height = m.network_up95 - before->network_up95;
        if (std::max(plan, height) <= worst) continue;
        worst = std::max(plan, height);
        item.spared_plan = plan, item.spared_height = height, item.worst_mark = m.name;
      }
      for (const auto &[name, m] : with)
        if (!left.count(name)) item.lost.push_back(name);
    } catch (const InputError &) {
      // Nothing is left that could be adjusted.
      for (const auto &[name, m] : with)
        if (m->hold == Hold::none) item.lost.push_back(name);
    }
  }
}

/// Planned marks that are the same place reached from two sides.
void find_meetings(JobDesign &d) {
  constexpr double near = 2; // m
  for (auto a = d.marks.begin(); a != d.marks.end(); ++a)
    for (auto b = std::next(a); b != d.marks.end(); ++b) {
      if ((a->second - b->second).norm() > near) continue;
      const auto line = std::find_if(d.lines.begin(), d.lines.end(), [&](const auto &l) {
        return (l.first == a->first || l.second == a->first) && l.first != b->first && l.second != b->first;
      });
      if (line == d.lines.end()) continue;
      const std::string &behind = line->first == a->first ? line->second : line->first;
      try {
        d.meetings.push_back(breakthrough(*d.run, a->first, b->first, axis_from(*d.run, behind, a->first)));
      } catch (const InputError &) {
        // One of them has no place from what is planned: that is said of the mark.
      }
    }
}

/// Single observations that are not planned, tried at the marks that are worst in plan, worst in height, and worst of
/// those that nothing would check.
class Helps {
public:
  Helps(const JobSnapshot &s, const JobDesign &d, Planner &planner) : s_(s), planner_(planner) {
    for (const AdjustedMark &m : d.run->result.marks) before_[m.name] = &m;
  }

  std::vector<PlannedHelp> find() {
    for (const std::string &mark : weak()) {
      const auto near = planner_.nearest(mark);
      for (std::size_t i = 0; i < near.size() && i < 4; ++i) {
        PlanEdits e;
        e.from.value = mark, e.to.value = near[i].second;
        attempt("line " + mark + "-" + near[i].second, said("from", mark) + " " + said("to", near[i].second), e);
      }
      station(mark, near);
      session(mark, near);
    }
    std::stable_sort(out_.begin(), out_.end(),
                     [](const auto &a, const auto &b) { return a.plan + a.up > b.plan + b.up; });
    constexpr std::size_t most = 5;
    if (out_.size() > most) out_.resize(most);
    return std::move(out_);
  }

private:
  static std::string said(const std::string &field, const std::string &value) {
    const std::string all = field + "=" + value;
    return value.find(' ') == std::string::npos ? all : '"' + all + '"';
  }
  std::set<std::string> weak() const {
    const AdjustedMark *plan = nullptr, *up = nullptr, *unchecked = nullptr;
    for (const auto &[name, m] : before_) {
      if (m->hold != Hold::none) continue;
      if (m->plan_known && (!plan || m->network_plan95 > plan->network_plan95)) plan = m;
      if (!up || m->network_up95 > up->network_up95) up = m;
      if (m->independent_checks < 1 && (!unchecked || m->network_up95 > unchecked->network_up95)) unchecked = m;
    }
    std::set<std::string> out;
    for (const AdjustedMark *m : {plan, up, unchecked})
      if (m) out.insert(m->name);
    return out;
  }

  /// From the mark beside it that is known best, with one more to orient by.
  void station(const std::string &mark, const std::vector<std::pair<double, std::string>> &near) {
    constexpr double far = 1500; // m
    if (near.size() < 2 || near[1].first > far) return;
    const std::string &here = near[0].second, targets = mark + "," + near[1].second;
    if (s_.state().plan.count("station " + here)) return; // there is one already
    PlanEdits e;
    e.targets.value = targets;
    attempt("station " + here, said("targets", targets), e);
  }
  /// Once more with the nearest held marks, when the first planned session is; the sky of no other hour is asked for.
  void session(const std::string &mark, const std::vector<std::pair<double, std::string>> &near) {
    const PlanEdits *first = nullptr;
    for (const auto &[id, e] : s_.state().plan)
      if (id.starts_with("session ") && e.planned.value.value_or(true) && e.start.value && !first) first = &e;
    if (!first) return;
    std::string marks;
    int held = 0;
    for (const auto &[away, name] : near)
      if (const auto m = before_.find(name); m != before_.end() && m->second->hold == Hold::full && held < 2)
        marks += name + ",", ++held;
    if (!held) return;
    PlanEdits e;
    e.marks.value = marks + mark, e.start = first->start, e.minutes = first->minutes;
    attempt("session " + mark + "-again",
            said("marks", marks + mark) + " start=" + *first->start.value +
                (first->minutes.value ? fmt::format(" minutes={:g}", *first->minutes.value) : ""),
            e);
  }

  void attempt(const std::string &id, const std::string &typed, const PlanEdits &e) try {
    if (s_.state().plan.count(id) || !tried_.insert(id).second) return;
    PlannedItem item;
    const auto space = id.find(' ');
    item.id = id, item.kind = id.substr(0, space), item.name = id.substr(space + 1);
    const NetworkResult r = adjust_network(planner_.network_with(item, e), {});
    PlannedHelp best{id, typed, item.words, {}, 0, 0};
    for (const AdjustedMark &m : r.marks) {
      const auto before = before_.find(m.name);
      if (before == before_.end() || (m.plan_known && !before->second->plan_known)) continue;
      const double plan = m.plan_known ? before->second->network_plan95 - m.network_plan95 : 0,
                   up = before->second->network_up95 - m.network_up95;
      if (plan + up > best.plan + best.up) best.mark = m.name, best.plan = plan, best.up = up;
    }
    constexpr double worth = 1e-4; // m: less is not worth the way
    if (best.plan + best.up > worth) out_.push_back(std::move(best));
  } catch (const InputError &) {
    // Without a geoid of stated accuracy there are no levels, and so on: it is no help then.
  }

  const JobSnapshot &s_;
  Planner &planner_;
  std::map<std::string, const AdjustedMark *> before_;
  std::set<std::string> tried_;
  std::vector<PlannedHelp> out_;
};

} // namespace

JobDesign job_design(const JobSnapshot &s) {
  JobDesign none;
  if (s.state().plan.empty()) return none;
  try {
    const JobDatum datum = job_datum(s);
    Planner planner(s, datum);
    planner.add_all();
    JobDesign out = planner.out;
    try {
      NetworkRun run;
      for (const auto &[name, p] : s.published())
        run.published[name] = datum.describe(published_in_job(p, datum, operation_policy(s.state().settings)));
      const NetworkInput in = planner.network("");
      if (in.vectors.empty() && in.levels.empty() && in.stations.empty())
        throw InputError("nothing is planned that can be computed");
      run.result = adjust_network(in, {});
      describe_run(run, s, datum);
      out.run = std::make_shared<const NetworkRun>(std::move(run));
      judge_items(out);
      judge_worth(out, planner);
      find_meetings(out);
      out.helps = Helps(s, out, planner).find();
    } catch (const InputError &e) {
      out.problem = e.reason();
    }
    return out;
  } catch (const InputError &e) {
    none.problem = e.reason();
    return none;
  }
}

} // namespace ampletie
