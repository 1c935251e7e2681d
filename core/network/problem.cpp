#include "network/problem.h"
#include "base/angle.h"
#include "base/error.h"
#include "network/surface.h"
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {

void join_marks(Groups &g, const NetworkInput &in) {
  for (const auto &v : in.vectors) g.join(v.from, v.to);
  for (const auto &s : in.stations)
    for (const auto &t : s.sights) g.join(s.mark, t.to);
}

namespace {

/// Which marks stay fixed in a mode: the held ones, or one per group.
std::map<std::string, Hold> effective_holds(const NetworkInput &in) {
  std::map<std::string, Hold> out;
  for (const auto &m : in.marks) out[m.name] = m.hold == Hold::check ? Hold::none : m.hold;
  if (in.mode == DatumMode::held) return out;
  Groups g;
  join_marks(g, in);
  // Minimal: the first held mark of every group, else its first mark; only a shift of the group is open. Marks that
  // only levels lead to take their height from where the levels come from, or one of them is the start.
  Groups heights = g;
  for (const auto &l : in.levels) heights.join(l.from, l.to);
  std::set<std::string> from_vectors;
  for (const auto &m : in.marks)
    if (m.plan_known) from_vectors.insert(heights.root(m.name));
  std::map<std::string, std::string> chosen;
  for (const auto &m : in.marks)
    if (m.plan_known && holds_plan(m.hold) && holds_height(m.hold)) chosen.emplace(g.root(m.name), m.name);
  for (const auto &m : in.marks) {
    if (m.plan_known)
      chosen.emplace(g.root(m.name), m.name);
    else if (!from_vectors.count(heights.root(m.name)))
      chosen.emplace("levels " + heights.root(m.name), m.name);
  }
  for (auto &[name, h] : out) h = Hold::none;
  for (const auto &[root, name] : chosen) out[name] = Hold::full;
  return out;
}

/// Places of the marks on a plane through the first one, m.
std::vector<Eigen::Vector2d> plane_places(const NetworkInput &in) {
  const Mat3 axes = local_axes(to_geodetic(in.marks.front().position.xyz));
  std::vector<Eigen::Vector2d> out;
  for (const auto &m : in.marks) {
    const Vec3 enu = axes * (m.position.xyz - in.marks.front().position.xyz);
    out.emplace_back(enu.x(), enu.y());
  }
  return out;
}

double median_orientation(const NetworkStation &s, const std::map<std::string, MarkAxes> &axes) {
  std::vector<double> all;
  const MarkAxes &here = axes.at(s.mark);
  for (const NetworkSight &t : s.sights) {
    if (!std::isfinite(t.direction)) continue;
    const Vec3 d = here.axes * (axes.at(t.to).origin - here.origin);
    all.push_back(std::atan2(d.x(), d.y()) - t.direction);
  }
  return median_angle(std::move(all));
}

int add_unknown(NetworkProblem &b, const std::string &name, double value = 0) {
  b.problem.parameters.push_back({name, value, false});
  return static_cast<int>(b.problem.parameters.size()) - 1;
}

const MarkAxes &place(const NetworkProblem &b, const std::string &mark, const std::string &what) {
  const auto it = b.axes.find(mark);
  if (it == b.axes.end()) throw InputError(what + " ends at the mark " + mark + ", which has no position");
  return it->second;
}

/// Plumb lines: one for each station mark, alike over some distance. Gives the first unknown of each.
std::map<std::string, int> add_plumb_lines(const NetworkInput &in, NetworkProblem &b) {
  std::map<std::string, int> plumb;
  if (!(in.plumb.sd > 0) || in.stations.empty()) return plumb;
  std::vector<std::string> marks;
  std::vector<Eigen::Vector2d> places;
  const MarkAxes &zero = b.axes.at(in.stations.front().mark);
  for (const NetworkStation &s : in.stations) {
    if (std::find(marks.begin(), marks.end(), s.mark) != marks.end()) continue;
    marks.push_back(s.mark);
    const Vec3 enu = zero.axes * (place(b, s.mark, "the set-up " + s.id).origin - zero.origin);
    places.emplace_back(enu.x(), enu.y());
  }
  if (marks.size() <= 300) {
    const int first = static_cast<int>(b.problem.parameters.size());
    for (const char *what : {" xi", " eta"})
      for (const auto &m : marks) add_unknown(b, m + what);
    const int n = static_cast<int>(marks.size());
    for (int i : {0, 1}) {
      auto block = geoid_block(first + i * n, places, in.plumb.sd, in.plumb.correlation);
      block->id = i ? "plumb lines east" : "plumb lines north", block->kind = block->group = "plumb line";
      b.problem.blocks.push_back(std::move(block));
    }
    for (int i = 0; i < n; ++i) plumb[marks[static_cast<std::size_t>(i)]] = first + i;
  }
  for (const auto &m : marks) // too many for one full matrix: each by itself
    if (!plumb.count(m)) {
      const int first = plumb[m] = add_unknown(b, m + " xi");
      add_unknown(b, m + " eta");
      b.problem.blocks.push_back(prior_block(m, "plumb line", first, {{"north", in.plumb.sd}, {"east", in.plumb.sd}}));
    }
  b.plumb_step = marks.size() <= 300 ? static_cast<int>(marks.size()) : 1;
  return plumb;
}

/// Unknowns of one set-up: centring, refraction, the instrument's scale and constant (common to all of its set-ups).
StationUnknowns add_station_unknowns(const NetworkInput &in, const NetworkStation &s, std::map<std::string, int> &edm,
                                     NetworkProblem &b) {
  StationUnknowns u;
  const auto of = [](double NetworkSight::*what) {
    return [what](const NetworkSight &t) { return std::isfinite(t.*what); };
  };
  const auto any = [&](double NetworkSight::*what) { return std::any_of(s.sights.begin(), s.sights.end(), of(what)); };
  const bool zeniths = any(&NetworkSight::zenith) || any(&NetworkSight::rise),
             distances = any(&NetworkSight::distance) || any(&NetworkSight::horizontal);
  if (s.setup_sd.minCoeff() > 0) {
    u.setup = add_unknown(b, s.id + " centring east");
    add_unknown(b, s.id + " centring north");
    add_unknown(b, s.id + " instrument height");
    b.problem.blocks.push_back(setup_block({s.id, s.mark, s.setup_sd}, u.setup));
    b.problem.blocks.back()->components.back() = "instrument height";
  }
  if (zeniths && s.k_sd > 0) {
    u.refraction = add_unknown(b, s.id + " refraction");
    b.problem.blocks.push_back(prior_block(s.id, "refraction", u.refraction, {{"refraction", s.k_sd}}));
  }
  if (distances && (in.edm.scale_sd > 0 || in.edm.constant_sd > 0)) {
    const auto [it, fresh] = edm.try_emplace(s.instrument, static_cast<int>(b.problem.parameters.size()));
    if (fresh) {
      add_unknown(b, s.instrument + " scale");
      add_unknown(b, s.instrument + " constant");
      b.problem.blocks.push_back(
          prior_block(s.instrument, "instrument", it->second,
                      {{"scale", std::max(in.edm.scale_sd, 1e-10)}, {"constant", std::max(in.edm.constant_sd, 1e-7)}}));
    }
    u.edm = it->second;
  }
  const bool by_itself = std::any_of(s.sights.begin(), s.sights.end(), [](const NetworkSight &t) {
    return std::isfinite(t.azimuth) && !t.geodetic_azimuth;
  });
  if (by_itself && s.azimuth_constant_sd > 0) {
    const auto [it, fresh] = b.azimuths.try_emplace(s.instrument, static_cast<int>(b.problem.parameters.size()));
    if (fresh) {
      add_unknown(b, s.instrument + " azimuth constant");
      b.problem.blocks.push_back(
          prior_block(s.instrument, "azimuth constant", it->second, {{"constant", s.azimuth_constant_sd}}));
    }
    u.azimuth = it->second;
  }
  return u;
}

/// Unknowns and observations of the total stations.
void add_stations(const NetworkInput &in, NetworkProblem &b, NetworkResult &out) {
  const std::map<std::string, int> plumb = add_plumb_lines(in, b);
  std::map<std::string, int> edm;
  for (const NetworkStation &s : in.stations) {
    const MarkAxes &here = place(b, s.mark, "the set-up " + s.id);
    for (const NetworkSight &t : s.sights) place(b, t.to, "a sight from " + s.mark);
    StationUnknowns u = add_station_unknowns(in, s, edm, b);
    if (const auto it = plumb.find(s.mark); it != plumb.end()) u.deflection = it->second;
    u.deflection_step = b.plumb_step;
    const auto directions = std::count_if(s.sights.begin(), s.sights.end(),
                                          [](const NetworkSight &t) { return std::isfinite(t.direction); });
    // One direction alone says nothing: the orientation takes it.
    if (directions > 1) {
      u.orientation = add_unknown(b, s.id + " orientation", median_orientation(s, b.axes));
      b.problem.blocks.push_back(direction_block(s, here, b.axes, u));
    }
    for (const NetworkSight &t : s.sights) {
      if (std::isfinite(t.zenith) || std::isfinite(t.distance) || std::isfinite(t.horizontal) || std::isfinite(t.rise))
        b.problem.blocks.push_back(sight_block(s, t, here, b.axes.at(t.to), u));
      if (std::isfinite(t.azimuth)) b.problem.blocks.push_back(azimuth_block(s, t, here, b.axes.at(t.to), u));
    }
    b.stations[s.id] = u;
    out.stations[s.id];
  }
}

/// Sights alone do not say where north is: in a datum that holds one mark of a group, or none, the bearing to another
/// one is kept.
void add_bearings(const NetworkInput &in, const std::map<std::string, Hold> &holds, NetworkProblem &b) {
  Groups g;
  std::set<std::string> turned;
  join_marks(g, in);
  for (const auto &v : in.vectors) turned.insert(g.root(v.from));
  for (const auto &s : in.stations)
    for (const auto &t : s.sights)
      if (std::isfinite(t.azimuth)) turned.insert(g.root(s.mark));
  for (const NetworkMark &m : in.marks) {
    if (!m.plan_known || !holds_plan(holds.at(m.name)) || turned.count(g.root(m.name))) continue;
    const MarkAxes &here = b.axes.at(m.name);
    const NetworkMark *far = nullptr;
    double most = 0;
    for (const NetworkMark &o : in.marks)
      if (g.root(o.name) == g.root(m.name))
        if (const double d = (o.position.xyz - m.position.xyz).norm(); d > most) most = d, far = &o;
    if (!far) continue;
    turned.insert(g.root(m.name));
    const Vec3 d = here.axes * (far->position.xyz - m.position.xyz);
    auto block = std::make_unique<LinearBlock>();
    block->id = m.name + " to " + far->name, block->kind = block->group = "datum bearing";
    block->components = {"across"};
    const int first = b.axes.at(far->name).first;
    block->unknowns = {first, first + 1};
    block->observed = Eigen::VectorXd::Zero(1);
    block->a = Eigen::RowVector2d(d.y(), -d.x()) / std::hypot(d.x(), d.y());
    block->covariance = Eigen::MatrixXd::Constant(1, 1, 1e-14);
    b.problem.blocks.push_back(std::move(block));
  }
}

} // namespace

namespace {
std::unique_ptr<Block> weighted_mark(const NetworkMark &m, int first) {
  if (m.published_sd.minCoeff() <= 0)
    throw InputError(m.name + " cannot be weighted: no standard deviations were published for it");
  const Mat3 cov = m.published_cov.value_or(Mat3(m.published_sd.cwiseAbs2().asDiagonal()));
  if (Eigen::SelfAdjointEigenSolver<Mat3>(cov).eigenvalues()[0] <= 1e-12 * cov.trace())
    throw InputError(m.name + " cannot be weighted: the covariance published for it has no inverse");
  return coordinate_block(m.name, first, Vec3::Zero(), cov);
}

/// The correction surface of the geoid, where levels or held heights need it.
void add_geoid(const NetworkInput &in, NetworkProblem &b, NetworkResult &out) {
  const bool physical = std::any_of(in.marks.begin(), in.marks.end(), [](const auto &m) { return m.physical; });
  if (!in.geoid || (!physical && in.levels.empty())) return;
  if (!(in.geoid->sd > 0) || !(in.geoid->correlation > 0))
    throw InputError("the geoid has no stated accuracy: it cannot join levels to vectors");
  const auto places = plane_places(in);
  const Surface surface(places, in.geoid->correlation);
  const int first = static_cast<int>(b.problem.parameters.size());
  out.geoid_nodes = static_cast<int>(surface.places.size());
  for (std::size_t i = 0; i < surface.places.size(); ++i) add_unknown(b, "geoid node " + std::to_string(i + 1));
  b.problem.blocks.push_back(geoid_block(first, surface.places, in.geoid->sd, in.geoid->correlation));
  for (std::size_t i = 0; i < in.marks.size(); ++i) {
    MarkAxes &a = b.axes.at(in.marks[i].name);
    a.surface = surface.weights(i, places[i], first);
    if (in.marks[i].physical) a.lift = a.surface;
    out.lift[in.marks[i].name] = a.lift, out.surface[in.marks[i].name] = a.surface;
  }
}

/// Unknowns of the calibrations, by set-up. One calibration alone falls out of every vector.
std::map<std::string, int> add_antennas(const NetworkInput &in, const std::set<std::string> &in_use,
                                        NetworkProblem &b) {
  std::map<std::string, int> first, out;
  for (const auto &s : in.setups)
    if (in_use.count(s.id) && !s.antenna.empty()) first.emplace(s.antenna, -1);
  if (in.calibration_sd.minCoeff() <= 0 || first.size() < 2 || !in.setup_unknowns) return out;
  for (auto &[antenna, at] : first) {
    at = static_cast<int>(b.problem.parameters.size());
    for (const char *what : {" phase centre east", " phase centre north", " phase centre up"})
      add_unknown(b, antenna + what);
    b.problem.blocks.push_back(antenna_block(antenna, at, in.calibration_sd));
  }
  for (const auto &s : in.setups)
    if (const auto at = first.find(s.antenna); at != first.end()) out[s.id] = at->second;
  return out;
}

/// Unknowns of groups that may be turned, for each vector of the network that belongs to one; about the axes of the
/// network's first mark.
std::map<std::string, std::vector<int>> add_turns(const NetworkInput &in, NetworkProblem &b) {
  std::map<std::string, std::vector<int>> out;
  for (const NetworkTurn &t : in.turns) {
    if (t.rotation_sd <= 0 && t.scale_sd <= 0) continue;
    std::vector<std::string> own;
    for (const auto &v : in.vectors)
      if (t.vectors.count(v.id)) own.push_back(v.id);
    if (own.empty()) continue;
    const int first = b.turns[t.group] = static_cast<int>(b.problem.parameters.size());
    for (const char *what : {" rotation east", " rotation north", " rotation up", " scale"}) {
      const bool scale = what == std::string_view(" scale");
      b.problem.parameters.push_back({t.group + what, 0.0, (scale ? t.scale_sd : t.rotation_sd) <= 0});
    }
    if (t.rotation_sd > 0)
      b.problem.blocks.push_back(
          prior_block(t.group + " rotation", "frame of a group", first,
                      {{"about east", t.rotation_sd}, {"about north", t.rotation_sd}, {"about up", t.rotation_sd}}));
    if (t.scale_sd > 0)
      b.problem.blocks.push_back(
          prior_block(t.group + " scale", "frame of a group", first + 3, {{"scale", t.scale_sd}}));
    for (const std::string &id : own) out[id].push_back(first);
  }
  return out;
}

/// Vectors with the unknowns of their set-ups; those that were solved together as one block.
void add_vectors(const NetworkInput &in, NetworkProblem &b, NetworkResult &out) {
  std::map<std::string, int> setups;
  std::set<std::string> in_use;
  for (const auto &v : in.vectors) in_use.insert({v.from_setup, v.to_setup});
  if (in.setup_unknowns)
    for (const auto &s : in.setups) {
      if (!in_use.count(s.id)) continue;
      const int first = static_cast<int>(b.problem.parameters.size());
      setups[s.id] = first;
      out.setups.push_back(s.id);
      for (const char *what : {" centring east", " centring north", " antenna height"}) add_unknown(b, s.id + what);
      b.problem.blocks.push_back(setup_block(s, first));
    }
  const auto antennas = add_antennas(in, in_use, b);
  const auto turns = add_turns(in, b);
  const Mat3 turn_axes = in.marks.empty() ? Mat3(Mat3::Identity()) : b.axes.at(in.marks.front().name).axes;
  std::map<std::string, const NetworkSession *> session_of;
  for (const auto &s : in.sessions)
    for (const auto &id : s.vectors) session_of[id] = &s;
  std::map<const NetworkSession *, std::map<std::string, std::unique_ptr<LinearBlock>>> members;
  for (const auto &v : in.vectors) {
    const auto from = b.axes.find(v.from), to = b.axes.find(v.to);
    if (from == b.axes.end() || to == b.axes.end())
      throw InputError("vector " + v.id + " ends at a mark without a position");
    auto setup = [&](const std::string &id) {
      const auto it = setups.find(id);
      return it == setups.end() ? -1 : it->second;
    };
    auto antenna = [&](const std::string &id) {
      const auto it = antennas.find(id);
      return it == antennas.end() ? -1 : it->second;
    };
    const auto turned = turns.find(v.id);
    auto block = vector_block(v, from->second, to->second,
                              {setup(v.from_setup), setup(v.to_setup), antenna(v.from_setup), antenna(v.to_setup),
                               turned == turns.end() ? std::vector<int>() : turned->second, turn_axes});
    if (const auto s = session_of.find(v.id); s != session_of.end())
      members[s->second][v.id] = std::move(block);
    else
      b.problem.blocks.push_back(std::move(block));
  }
  for (const auto &[session, own] : members) b.problem.blocks.push_back(session_block(*session, own));
}
} // namespace

void evaluate_at(const Block &b, const AdjustmentResult &r, Eigen::VectorXd &computed, Eigen::MatrixXd &jacobian) {
  Eigen::VectorXd values(static_cast<Eigen::Index>(b.unknowns.size()));
  for (std::size_t i = 0; i < b.unknowns.size(); ++i)
    values[static_cast<Eigen::Index>(i)] = r.values[static_cast<std::size_t>(b.unknowns[i])];
  b.evaluate(values, computed, jacobian);
}

std::vector<Block::Part> parts_of(const Block &b) {
  return b.parts.empty() ? std::vector<Block::Part>{{b.id, b.kind, 0, b.observed.size()}} : b.parts;
}

namespace {
/// Standard deviations times the factors of their groups; correlations stay.
void scale_block(const NetworkInput &in, Block &b) {
  Eigen::VectorXd f = Eigen::VectorXd::Ones(b.observed.size());
  for (const Block::Part &p : parts_of(b)) f.segment(p.first, p.count).setConstant(in.factor(p.id, p.kind));
  b.covariance = (f.asDiagonal() * b.covariance * f.asDiagonal()).eval();
}
} // namespace

NetworkProblem build_problem(const NetworkInput &in, NetworkResult &out) {
  NetworkProblem b;
  const auto holds = effective_holds(in);
  auto add = [&](const std::string &name, bool fixed) { b.problem.parameters.push_back({name, 0.0, fixed}); };
  for (const auto &m : in.marks) {
    MarkAxes a;
    a.first = static_cast<int>(b.problem.parameters.size());
    a.origin = m.position.xyz;
    a.axes = local_axes(to_geodetic(a.origin));
    a.physical_origin = to_geodetic(a.origin).h - m.undulation;
    if (!b.axes.emplace(m.name, a).second) throw InputError("the mark " + m.name + " is given twice");
    out.parameter[m.name] = a.first;
    const Hold h = holds.at(m.name);
    add(m.name + " east", holds_plan(h) || !m.plan_known);
    add(m.name + " north", holds_plan(h) || !m.plan_known);
    add(m.name + " up", holds_height(h));
    if (h == Hold::weighted) b.problem.blocks.push_back(weighted_mark(m, a.first));
  }
  add_geoid(in, b, out);
  for (const auto &l : in.levels) {
    const auto from = b.axes.find(l.from), to = b.axes.find(l.to);
    if (from == b.axes.end() || to == b.axes.end())
      throw InputError("the levelled difference " + l.from + " to " + l.to + " ends at a mark without a position");
    b.problem.blocks.push_back(level_block(l, from->second, to->second));
  }
  add_vectors(in, b, out);
  add_stations(in, b, out);
  if (in.mode != DatumMode::held) add_bearings(in, holds, b);
  if (in.factor)
    for (const auto &block : b.problem.blocks) scale_block(in, *block);
  return b;
}

} // namespace ampletie
