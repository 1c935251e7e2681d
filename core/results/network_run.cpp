#include "results/network_run.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "network/groups.h"
#include "results/measured.h"
#include "results/traverse_grid.h"
#include "results/weight_groups.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {

namespace {
/// The calibration that an occupation was computed with: that of the antenna itself, or its type's.
std::string calibration_name(const Occupation &o) {
  if (!o.calibration) return antenna_key(o.antenna);
  return antenna_key(o.calibration->type) + (o.calibration->serial.empty() ? "" : " " + o.calibration->serial);
}
} // namespace

std::string network_fingerprint(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  std::string key = "network-3" + register_version();
  if (const DatumSettings &d = s.state().settings.datum; d.geoid_sd > 0)
    key += fmt::format("geoid {:g} {:g}", d.geoid_sd, d.geoid_correlation);
  if (const GeoidChoice &g = s.geoid_choice(); !g.source.empty())
    key += fmt::format("grid {} {} {}", g.source, interpolation_name(g.interpolation), g.problem);
  if (const GeoidChoice &g = s.geoid_choice(); !g.accuracy_source.empty()) key += "accuracy " + g.accuracy_source;
  if (const ShiftChoice &g = s.shift_choice(); !g.source.empty())
    key += fmt::format("shifts {} {}", g.source, g.problem);
  if (const double worst = s.state().settings.datum.worst_older_datum_m; worst != DatumSettings{}.worst_older_datum_m)
    key += fmt::format("older {:g}", worst);
  if (const GroundMotion &m = s.state().settings.datum.motion; !m.plate.empty() || m.sd_m_yr != GroundMotion{}.sd_m_yr)
    key += fmt::format("plate {} {:g}", m.plate, m.sd_m_yr);
  const JobSettings &x = s.state().settings;
  key += x.datum.crs + x.datum.vertical + x.datum.realisation + datum_mode_name(x.mode) +
         fmt::format("{:.6f} {:g} {:g} {:g}", x.datum.epoch, x.centring_sd_m, x.height_sd_m, x.worst_transformation_m);
  std::set<std::string> antennas;
  for (const Occupation &o : s.occupations())
    if (o.used) antennas.insert(calibration_name(o));
  if (antennas.size() > 1 && x.calibration_sd_m > 0) {
    key += fmt::format("calibrations {:g}", x.calibration_sd_m);
    for (const Occupation &o : s.occupations())
      if (o.used) key += o.setup + calibration_name(o);
  }
  for (const auto &[group, e] : s.state().groups)
    for (const auto &[name, field] :
         {std::pair{"factor", &e.factor}, {"rotation", &e.rotation_ppm}, {"scale", &e.scale_ppm}})
      if (field->value) key += fmt::format("group {} {} {:g}", group, name, *field->value);
  for (const auto &[mark, h] : s.state().holds) key += mark + hold_name(h.how) + std::to_string(h.decision);
  for (const auto &[mark, p] : s.published())
    key += mark + p.source_id + std::to_string(p.line) + std::to_string(p.decision) + p.said;
  for (const auto &v : vectors)
    if (v.error.empty() && v.used && v.independent)
      key += v.id + v.fingerprint + v.from + v.to + v.from_setup + v.to_setup + (v.together ? v.joint.key : "");
  if (!s.get(measured_result()).empty()) key += s.key_of(measured_result());
  for (const LevelSection &l : s.levels().sections) key += l.id + fmt::format("{:.6f} {:.6f}", l.difference, l.sd);
  for (const auto &[mark, b] : s.benchmarks())
    key += mark + fmt::format("{:.5f} {:.5f}", *b.height, b.sd_height.value_or(0));
  const TraverseSettings &t = x.traverse;
  if (!s.traverses().key.empty())
    key += s.traverses().key + fmt::format("{:g} {:g} {:g}", t.deflection_sd_s, t.edm_scale_sd_ppm, t.edm_constant_sd);
  return sha256_hex(key);
}

namespace {

/// Which set-ups of total stations and which of their sights the network can use. Marks that only one set-up saw as
/// details stay out (they hang on it), and so does what is tied to a single placed mark: nothing would say how it is
/// turned.
class UsableSights {
public:
  UsableSights(const JobSnapshot &snapshot, const std::set<std::string> &marks_of_vectors,
               const std::map<std::string, TaggedPoint> &places)
      : s(snapshot), t(snapshot.traverses()), with_vectors(marks_of_vectors), position(places) {
    for (const auto &r : t.field.setups) {
      if (!t.in_network(*r)) continue;
      stood_on.insert(r->setup.mark);
      for (const TargetSight &x : r->sights) {
        seen_from[x.mean.target].insert(r->setup.id);
        if (x.mean.kind != PointingKind::detail) wanted.insert(x.mean.target);
        if (std::isfinite(x.mean.azimuth)) azimuths.insert(r->setup.mark);
        if (std::isfinite(x.slope) && std::isfinite(x.mean.zenith) && std::isfinite(x.mean.direction) && !x.flat)
          full.insert({x.mean.target, r->setup.mark});
      }
    }
    for (const auto &r : t.field.setups)
      if (t.in_network(*r) && joins(r->setup.mark))
        for (const TargetSight &x : r->sights)
          if (x.mean.target != r->setup.mark && joins(x.mean.target)) g.join(r->setup.mark, x.mean.target);
    for (const auto &[mark, from] : seen_from)
      if (placed(mark)) anchors[g.root(mark)].insert(mark);
    for (const auto &mark : stood_on)
      if (placed(mark)) anchors[g.root(mark)].insert(mark);
    // An azimuth says how a group is turned: then one mark with a place is enough.
    for (const auto &mark : azimuths) anchors[g.root(mark)].insert("azimuth at " + mark);
  }

  /// Whether a set-up, or a sight to a mark, takes part.
  bool station(const std::string &mark) { return joins(mark) && hangs(mark); }
  bool target(const std::string &mark) { return joins(mark); }

private:
  bool placed(const std::string &mark) const {
    if (with_vectors.count(mark)) return true;
    const auto h = s.state().holds.find(mark);
    return h != s.state().holds.end() && position.count(mark) &&
           (h->second.how == Hold::full || h->second.how == Hold::plan || h->second.how == Hold::weighted);
  }
  bool joins(const std::string &mark) {
    return (placed(mark) || t.places.count(mark)) && (placed(mark) || full.count(mark)) &&
           (placed(mark) || stood_on.count(mark) || wanted.count(mark) || seen_from[mark].size() > 1);
  }
  bool hangs(const std::string &mark) {
    const auto &a = anchors[g.root(mark)];
    return a.size() > 1 && std::any_of(a.begin(), a.end(), [&](const std::string &m) { return placed(m); });
  }
  const JobSnapshot &s;
  const TraverseReport &t;
  const std::set<std::string> &with_vectors;
  const std::map<std::string, TaggedPoint> &position;
  std::map<std::string, std::set<std::string>> seen_from, anchors; ///< of marks; of groups: what says where they are
  std::set<std::string> stood_on, wanted, full, azimuths;
  Groups g;
};

NetworkSight network_sight(const ReducedSetup &r, const TargetSight &x, bool has_direction, const TraverseGrid &grid) {
  NetworkSight y;
  y.id = x.id, y.to = x.mean.target;
  y.direction = has_direction ? x.mean.direction : NAN;
  y.zenith = x.zenith_derived ? NAN : x.mean.zenith, y.zenith_sd = x.mean.zenith_sd;
  y.distance = x.slope_derived ? NAN : x.slope, y.distance_sd = x.mean.slope_sd;
  if (x.slope_derived) y.horizontal = x.horizontal, y.horizontal_sd = x.mean.horizontal_sd;
  if (std::isfinite(x.mean.rise) && (x.zenith_derived || !std::isfinite(x.mean.zenith))) {
    y.rise = x.rise;
    y.rise_sd = x.mean.rise_sd > 0 ? x.mean.rise_sd : x.mean.zenith_sd * x.horizontal;
  }
  if (std::isfinite(x.mean.azimuth)) {
    y.azimuth = grid.azimuth_of(r, x), y.azimuth_sd = x.mean.azimuth_sd;
    y.geodetic_azimuth = x.mean.grid_bearing;
  }
  y.target_height = x.mean.target_height;
  y.target_centring = r.standard.target_centring, y.target_height_sd = r.standard.height;
  return y;
}

/// A set-up with the sights of it that can be used.
NetworkStation network_station(const ReducedSetup &r, UsableSights &usable, const TraverseGrid &grid,
                               const TraverseSettings &set) {
  NetworkStation n;
  n.id = r.setup.id, n.mark = r.setup.mark, n.instrument = r.setup.instrument, n.height = r.setup.instrument_height;
  n.offset = {r.setup.east, r.setup.north};
  n.setup_sd = Vec3(r.standard.centring, r.standard.centring, r.standard.height);
  n.k = set.k, n.k_sd = set.k_sd;
  std::vector<Eigen::Index> rows; // of the directions among those of the set-up
  Eigen::Index direction = 0;
  for (const TargetSight &x : r.sights) {
    const bool has_direction = std::isfinite(x.mean.direction) && !x.direction_derived;
    const Eigen::Index row = direction;
    direction += has_direction;
    if (x.mean.target == r.setup.mark || !usable.target(x.mean.target)) continue;
    n.sights.push_back(network_sight(r, x, has_direction, grid));
    if (has_direction) rows.push_back(row);
  }
  n.direction_covariance.resize(static_cast<Eigen::Index>(rows.size()), static_cast<Eigen::Index>(rows.size()));
  for (std::size_t i = 0; i < rows.size(); ++i)
    for (std::size_t k = 0; k < rows.size(); ++k)
      n.direction_covariance(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(k)) =
          r.reduced.direction_covariance(rows[i], rows[k]);
  return n;
}

/// Set-ups of total stations with the sights that the network can use; gives the marks they bring in.
std::set<std::string> add_stations(const JobSnapshot &s, const JobDatum &datum,
                                   const std::set<std::string> &with_vectors,
                                   std::map<std::string, TaggedPoint> &position, NetworkParts &out) {
  const TraverseReport &t = s.traverses();
  const TraverseSettings &set = s.state().settings.traverse;
  UsableSights usable(s, with_vectors, position);
  TraverseSettings in_grid = set; // whatever traverses are computed in, bearings of the grid are bearings of the grid
  in_grid.grid = true;
  const TraverseGrid grid(in_grid, &datum, t.places);
  std::set<std::string> marks;
  for (const auto &r : t.field.setups) {
    if (!t.in_network(*r) || !usable.station(r->setup.mark)) continue;
    NetworkStation n = network_station(*r, usable, grid, set);
    if (n.sights.empty()) continue;
    marks.insert(n.mark);
    for (const NetworkSight &y : n.sights) marks.insert(y.to);
    out.stations.push_back(n.id);
    out.input.stations.push_back(std::move(n));
  }
  for (const std::string &m : marks)
    if (!position.count(m)) position[m] = {t.places.at(m), datum.frame(), datum.epoch()};
  const GeoidModel *geoid = datum.geoid();
  if (geoid)
    for (NetworkStation &n : out.input.stations) n.deflection = datum.deflection(to_geodetic(position.at(n.mark).xyz));
  // Without a grid nothing is known of the plumb lines but how large deflections are (some 10″; common practice).
  out.input.plumb = {(geoid ? set.deflection_sd_s : std::max(10.0, set.deflection_sd_s)) * rad_per_arcsec, 10e3};
  out.input.edm = {1e-6 * set.edm_scale_sd_ppm, set.edm_constant_sd};
  return marks;
}

} // namespace

std::string epoch_problem(const std::string &from, const std::string &to, double length, double epoch,
                          const JobDatum &datum) {
  // No pole turns by more than this in a year; what it cannot make a tenth of a millimetre of needs no plate to be
  // known.
  constexpr double fastest = 2e-8;
  if (!ground_moves(datum.frame()) || !datum.motion().plate.empty() ||
      length * fastest * std::abs(datum.epoch() - epoch) <= 1e-4)
    return {};
  return fmt::format(
      "the vector {} to {} was measured at {:.2f} and the job is at {:.2f}: in {} ground moves, and nothing "
      "says how (setting \"plate\")",
      from, to, epoch, datum.epoch(), frame_name(datum.frame()));
}
std::string epoch_problem(const VectorResult &v, const JobDatum &datum) {
  return epoch_problem(v.from, v.to, v.length(), v.epoch, datum);
}

namespace {
using Positions = std::map<std::string, TaggedPoint>;

/// The joint covariance of vectors that were solved together, turned into the job's frame.
NetworkSession network_session(const std::string &id, std::vector<const VectorResult *> members,
                               const std::map<std::string, Mat3> &rotation) {
  std::sort(members.begin(), members.end(),
            [](const auto *a, const auto *b) { return a->joint.index < b->joint.index; });
  NetworkSession n;
  n.id = id;
  const auto size = static_cast<Eigen::Index>(3 * members.size());
  n.cov.resize(size, size);
  for (std::size_t i = 0; i < members.size(); ++i) {
    n.vectors.push_back(members[i]->id);
    for (std::size_t k = 0; k < members.size(); ++k) {
      const auto row = static_cast<Eigen::Index>(3 * i), column = static_cast<Eigen::Index>(3 * k);
      n.cov.block<3, 3>(row, column) = rotation.at(members[i]->id) * members[i]->joint.cov.block<3, 3>(0, column) *
                                       rotation.at(members[k]->id).transpose();
    }
  }
  n.cov = ((n.cov + n.cov.transpose()) / 2).eval();
  return n;
}

/// A vector of the job's frame from its session's epoch to that of the job: its ends move with their plate.
Vec3 moved_to_job(const Vec3 &d, double epoch, const JobDatum &datum, const Vec3 &near) {
  const auto from = ground_velocity(datum.frame(), near, datum.motion());
  if (!from) return d;
  return d + (ground_velocity(datum.frame(), near + d, datum.motion())->m_yr - from->m_yr) * (datum.epoch() - epoch);
}

/// Vectors in use, in the job's frame, with the sessions that they were solved in.
void add_vectors(const std::vector<VectorResult> &vectors, const JobDatum &datum, const Vec3 &near,
                 const OperationPolicy &policy, NetworkParts &out) {
  NetworkInput &in = out.input;
  std::map<std::string, std::vector<const VectorResult *>> together;
  std::map<std::string, Mat3> rotation;
  for (const VectorResult &v : vectors) {
    if (!v.error.empty() || !v.used) continue;
    const FrameChange &change = frame_change(v.frame, datum.frame(), near, policy);
    const Mat3 r = change.linear_part(v.epoch, near);
    NetworkVector n;
    n.id = v.id, n.from = v.from, n.to = v.to, n.from_setup = v.from_setup, n.to_setup = v.to_setup,
    n.session = v.session;
    if (const std::string why = epoch_problem(v, datum); !why.empty()) throw InputError(why);
    n.d = moved_to_job(r * (v.together ? v.joint.d : v.solved->d), v.epoch, datum, near);
    n.cov = r * v.solved->cov * r.transpose();
    n.frame = datum.frame();
    n.epoch = datum.epoch();
    out.operation = change.info();
    if (!v.independent) {
      // Only what is as good as the others is worth comparing.
      if (v.solved->solution == Solution::fixed) out.dependent.push_back(n);
      continue;
    }
    in.vectors.push_back(n);
    out.vectors.push_back(v.id);
    rotation[v.id] = r;
    if (v.together) together[v.joint.id].push_back(&v);
  }
  for (const auto &[id, members] : together) in.sessions.push_back(network_session(id, members, rotation));
}

/// Between two stops of a track: the product of the roots of what each shares.
Eigen::MatrixXd shared_covariance(const std::vector<std::pair<Mat3, Mat3>> &stops) {
  const auto n = static_cast<Eigen::Index>(stops.size());
  Eigen::MatrixXd cov(3 * n, 3 * n);
  std::vector<Mat3> root;
  for (const auto &[all, common] : stops) {
    const Eigen::SelfAdjointEigenSolver<Mat3> e((common + common.transpose()) / 2);
    root.push_back(e.eigenvectors() * e.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal() *
                   e.eigenvectors().transpose());
  }
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index k = 0; k < n; ++k)
      cov.block<3, 3>(3 * i, 3 * k) = i == k
                                          ? stops[static_cast<std::size_t>(i)].first
                                          : Mat3(root[static_cast<std::size_t>(i)] * root[static_cast<std::size_t>(k)]);
  return (cov + cov.transpose()) / 2;
}

/// Vectors and fixes that others measured and stops of tracks, with the set-ups of their bases and rovers.
void add_measured(const JobSnapshot &s, const JobDatum &datum, const Vec3 &near, const OperationPolicy &policy,
                  NetworkParts &out) {
  const JobSettings &set = s.state().settings;
  std::set<std::string> seen;
  std::map<std::string, NetworkSession> tracks;
  std::map<std::string, std::pair<NetworkSession, std::vector<std::pair<const MeasuredVector *, Mat3>>>> joint;
  std::map<std::string, std::vector<std::pair<Mat3, Mat3>>> shares; // of a track's stops: all of it, what they share
  const auto setup = [&](const std::string &id, const std::string &mark) {
    if (seen.insert(id).second)
      out.input.setups.push_back({id, mark, Vec3(set.centring_sd_m, set.centring_sd_m, set.height_sd_m), {}});
  };
  for (const MeasuredVector &v : s.get(measured_result())) {
    if (!v.in_network()) continue;
    if (const std::string why = epoch_problem(v.from, v.to, v.length(), v.epoch, datum); !why.empty())
      throw InputError(why);
    const FrameChange &change = frame_change(v.frame, datum.frame(), near, policy);
    const Mat3 r = change.linear_part(v.epoch, near);
    NetworkVector n;
    n.id = v.id, n.from = v.from, n.to = v.to, n.from_setup = v.from_setup, n.to_setup = v.to_setup,
    n.session = v.session, n.group = v.group();
    n.d = moved_to_job(r * v.d, v.epoch, datum, near);
    n.cov = r * v.cov * r.transpose();
    n.frame = datum.frame(), n.epoch = datum.epoch();
    if (v.stop) {
      tracks[v.session].id = v.session, tracks[v.session].vectors.push_back(v.id);
      shares[v.session].emplace_back(n.cov, r * v.common * r.transpose());
    }
    if (v.joint) {
      joint[v.session].first.id = v.session, joint[v.session].first.vectors.push_back(v.id);
      joint[v.session].second.emplace_back(&v, r);
    }
    out.input.vectors.push_back(std::move(n));
    out.measured.push_back(v.id);
    // A track's base is an occupation: its set-up comes with the others.
    if (!v.stop) setup(v.from_setup, v.from);
    setup(v.to_setup, v.to);
  }
  for (auto &[id, solution] : joint) {
    auto &[session, members] = solution;
    if (members.size() < 2) continue;
    session.cov.resize(static_cast<Eigen::Index>(3 * members.size()), static_cast<Eigen::Index>(3 * members.size()));
    for (std::size_t i = 0; i < members.size(); ++i)
      for (std::size_t j = 0; j < members.size(); ++j)
        session.cov.block<3, 3>(static_cast<Eigen::Index>(3 * i), static_cast<Eigen::Index>(3 * j)) =
            members[i].second *
            members[i].first->joint->block<3, 3>(members[i].first->joint_at, members[j].first->joint_at) *
            members[j].second.transpose();
    out.input.sessions.push_back(std::move(session));
  }
  for (auto &[id, t] : tracks) {
    if (t.vectors.size() < 2) continue;
    t.cov = shared_covariance(shares.at(id));
    out.input.sessions.push_back(std::move(t));
  }
}

/// Places of marks by walking along the vectors from those that have one.
void walk_along_vectors(const NetworkInput &in, const JobDatum &datum, Positions &position) {
  for (bool moved = true; moved;) {
    moved = false;
    for (const NetworkVector &n : in.vectors) {
      const auto a = position.find(n.from), b = position.find(n.to);
      if (a != position.end() && b == position.end())
        position[n.to] = {a->second.xyz + n.d, datum.frame(), datum.epoch()}, moved = true;
      else if (b != position.end() && a == position.end())
        position[n.from] = {b->second.xyz - n.d, datum.frame(), datum.epoch()}, moved = true;
    }
  }
}

/// The same to the last one: islands begin where their receivers stood.
void place_along_vectors(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const NetworkInput &in,
                         const JobDatum &datum, const Vec3 &near, Positions &position) {
  for (bool moved = true; moved;) {
    walk_along_vectors(in, datum, position);
    moved = false;
    for (const NetworkVector &n : in.vectors)
      if (!position.count(n.from)) {
        // An island without published marks starts at the receiver's own position; it will be named as without datum.
        // A mark that got another name since the vector was solved stands where its occupation does.
        Vec3 start = near;
        for (const VectorResult &v : vectors)
          for (const Occupation &o : s.occupations())
            if (v.id == n.id && o.id == v.from_occupation) start = o.file->approximate;
        position[n.from] = {start, datum.frame(), datum.epoch()};
        moved = true;
        break;
      }
  }
}

/// Levelled differences between marks with a place, and those that hang on them.
void add_levels(const JobSnapshot &s, const JobDatum &datum, std::set<std::string> &touched, Positions &position,
                NetworkParts &out) {
  NetworkInput &in = out.input;
  const GeoidModel *geoid = datum.geoid();
  if (geoid) in.geoid = GeoidPrior{*geoid->sd_m(), geoid->correlation_m().value_or(10e3)};
  for (const LevelSection &l : level_sections(s.levels(), {touched.begin(), touched.end()})) {
    in.levels.push_back({l.id, l.from, l.to, l.line, l.difference, l.sd, l.length});
    out.levels.push_back(l.id);
  }
  // Marks that only levels lead to stand, for want of better, where the levels come from, at the height they give.
  for (bool moved = true; moved;) {
    moved = false;
    for (const NetworkLevel &l : in.levels)
      for (const auto &[here, there, rise] :
           {std::tuple{&l.from, &l.to, l.difference}, {&l.to, &l.from, -l.difference}})
        if (position.count(*here) && !position.count(*there)) {
          Geodetic g = to_geodetic(position.at(*here).xyz);
          g.h += rise;
          position[*there] = {to_cartesian(g), datum.frame(), datum.epoch()};
          moved = true;
        }
  }
  // Lines that hang on nothing with a place stay out; the levels alone have them.
  std::erase_if(in.levels, [&](const NetworkLevel &l) { return !position.count(l.from); });
  for (const NetworkLevel &l : in.levels) touched.insert({l.from, l.to});
}

} // namespace

NetworkMark network_mark(const JobSnapshot &s, const JobDatum &datum, const NetworkInput &in, const std::string &name,
                         const TaggedPoint &position, bool determined) {
  NetworkMark m;
  m.name = name;
  m.position = position;
  // A place in a list does not determine anything as long as nobody holds it.
  m.plan_known = determined;
  if (in.geoid) m.undulation = datum.geoid()->undulation(to_geodetic(m.position.xyz));
  const auto h = s.state().holds.find(name);
  if (h != s.state().holds.end()) m.hold = h->second.how;
  m.plan_known = m.plan_known || m.hold == Hold::full || m.hold == Hold::plan || m.hold == Hold::weighted;
  const auto p = s.published().find(name);
  if (p != s.published().end() && p->second.sd_enu) m.published_sd = *p->second.sd_enu;
  if (p != s.published().end()) m.published_cov = p->second.cov_enu;
  // A height that was said as a physical one is held as one: the geoid's error is not in it.
  const auto bench = s.benchmarks().find(name);
  const bool height_held =
      m.hold == Hold::height || (m.hold == Hold::full && p != s.published().end() && p->second.grid);
  if ((in.geoid || datum.local()) && height_held && bench != s.benchmarks().end()) {
    m.physical = in.geoid.has_value();
    Geodetic g = to_geodetic(m.position.xyz);
    g.h = *bench->second.height + m.undulation;
    m.position.xyz = to_cartesian(g);
    m.published_sd.z() = bench->second.sd_height.value_or(0);
  }
  return m;
}

namespace {
/// Factors and frames that were decided for groups of observations.
void weigh_groups(const JobSnapshot &s, const std::vector<VectorResult> &vectors, NetworkInput &in) {
  if (s.state().groups.empty()) return;
  const auto groups = std::make_shared<const WeightGroups>(s, vectors, in);
  in.factor = [groups](const std::string &id, const std::string &kind) { return groups->factor(id, kind); };
  in.turns = groups->turns(in);
}
} // namespace

NetworkParts network_parts(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const JobDatum &datum,
                           NetworkScope what) {
  const JobSettings &set = s.state().settings;
  const OperationPolicy policy = operation_policy(set);
  NetworkParts out;
  NetworkInput &in = out.input;
  in.mode = set.mode;
  in.calibration_sd = set.calibration_sd_m * Vec3(0.5, 0.5, 1);
  // A published mark that nothing was measured to is no part of the network.
  Positions position;
  for (const auto &[name, p] : s.anchors()) position[name] = published_in_job(p, datum, policy);
  const Vec3 near = job_place(s, datum);
  add_vectors(vectors, datum, near, policy, out);
  add_measured(s, datum, near, policy, out);
  // What nobody holds begins where vectors lead; only where none do its published place is better than nothing.
  walk_along_vectors(in, datum, position);
  for (const auto &[name, p] : s.published())
    if (!position.count(name)) position[name] = published_in_job(p, datum, policy);
  place_along_vectors(s, vectors, in, datum, near, position);
  std::set<std::string> touched;
  for (const NetworkVector &n : in.vectors) touched.insert({n.from, n.to});
  const std::set<std::string> with_vectors = touched;
  const GeoidModel *geoid = datum.geoid();
  if (what != NetworkScope::vectors && (datum.local() || (geoid && geoid->sd_m())))
    add_levels(s, datum, touched, position, out);
  std::set<std::string> sighted;
  if (what == NetworkScope::all) sighted = add_stations(s, datum, with_vectors, position, out);
  touched.insert(sighted.begin(), sighted.end());
  for (const std::string &name : touched)
    in.marks.push_back(
        network_mark(s, datum, in, name, position.at(name), with_vectors.count(name) > 0 || sighted.count(name) > 0));
  for (const Occupation &o : s.occupations()) {
    const bool listed = std::any_of(in.setups.begin(), in.setups.end(), [&](const auto &x) { return x.id == o.setup; });
    if (!listed)
      in.setups.push_back(
          {o.setup, o.mark, Vec3(set.centring_sd_m, set.centring_sd_m, set.height_sd_m), calibration_name(o)});
  }
  weigh_groups(s, vectors, in);
  return out;
}

namespace {
/// Levels and nothing else: heights of marks whose places do not matter. All stand above one place, so that up is up.
NetworkParts height_parts(const JobSnapshot &s) {
  NetworkParts out;
  NetworkInput &in = out.input;
  in.mode = s.state().settings.mode;
  std::set<std::string> names;
  for (const LevelSection &l : level_sections(s.levels(), {})) {
    in.levels.push_back({l.id, l.from, l.to, l.line, l.difference, l.sd, l.length});
    out.levels.push_back(l.id);
    names.insert({l.from, l.to});
  }
  const Geodetic above{radians(45), 0, 0};
  const auto holds_height_of = [&](const std::string &name) {
    const auto h = s.state().holds.find(name);
    return h != s.state().holds.end() && s.benchmarks().count(name) &&
           (h->second.how == Hold::height || h->second.how == Hold::full || h->second.how == Hold::weighted);
  };
  std::map<std::string, double> height;
  for (const std::string &n : names)
    if (holds_height_of(n)) height[n] = *s.benchmarks().at(n).height;
  if (height.empty() && in.mode == DatumMode::held)
    throw InputError("no datum: no mark that the levels meet is held in height; hold a benchmark of a control list, or "
                     "give a height with the hold");
  // Lines that lead to no held height stay out, and are said; in a free adjustment they begin somewhere.
  Groups g;
  for (const NetworkLevel &l : in.levels) g.join(l.from, l.to);
  if (in.mode == DatumMode::held) {
    std::set<std::string> datum;
    for (const auto &[n, h] : height) datum.insert(g.root(n));
    std::erase_if(in.levels, [&](const NetworkLevel &l) { return !datum.count(g.root(l.from)); });
    std::erase_if(names, [&](const std::string &n) { return !datum.count(g.root(n)); });
    out.levels.clear();
    for (const NetworkLevel &l : in.levels) out.levels.push_back(l.id);
  }
  for (bool moved = true; moved;) {
    moved = false;
    for (const NetworkLevel &l : in.levels)
      for (const auto &[here, there, rise] :
           {std::tuple{&l.from, &l.to, l.difference}, {&l.to, &l.from, -l.difference}})
        if (height.count(*here) && height.emplace(*there, height.at(*here) + rise).second) moved = true;
    if (!moved)
      for (const std::string &n : names)
        if (height.emplace(n, 0).second) {
          moved = true;
          break;
        }
  }
  for (const std::string &n : names) {
    NetworkMark m;
    m.name = n;
    m.position = {to_cartesian({above.lat, above.lon, height.at(n)}), Frame{"heights"}, s.state().settings.datum.epoch};
    m.plan_known = false;
    if (holds_height_of(n)) {
      m.hold = Hold::height;
      m.published_sd.z() = s.benchmarks().at(n).sd_height.value_or(0);
    } else if (const auto h = s.state().holds.find(n); h != s.state().holds.end() && h->second.how == Hold::check)
      m.hold = Hold::check;
    in.marks.push_back(std::move(m));
  }
  weigh_groups(s, {}, in);
  return out;
}

bool any_measured(const JobSnapshot &s) {
  const auto &all = s.get(measured_result());
  return std::any_of(all.begin(), all.end(), [](const MeasuredVector &v) { return v.in_network(); });
}

/// Whether the network has to do with levels alone.
bool heights_alone(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  return s.levels().any() && !any_measured(s) &&
         std::none_of(vectors.begin(), vectors.end(),
                      [](const VectorResult &v) { return v.error.empty() && v.used && v.independent; }) &&
         std::none_of(s.traverses().field.setups.begin(), s.traverses().field.setups.end(),
                      [&](const auto &x) { return s.traverses().in_network(*x); });
}

NetworkRun run_heights(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const Progress &progress) {
  NetworkRun run;
  run.fingerprint = network_fingerprint(s, vectors);
  const NetworkParts parts = height_parts(s);
  if (parts.input.levels.empty())
    throw InputError("there is nothing to adjust: no line is used, or none can be reduced");
  run.levels = parts.levels;
  run.heights_alone = true;
  run.result = adjust_network(parts.input, progress);
  for (AdjustedMark &m : run.result.marks) {
    m.height_sd = std::sqrt(m.network_cov_enu(2, 2));
    run.positions[m.name].height = to_geodetic(m.position.xyz).h;
  }
  run.epoch_text = fmt::format("{:.2f}", s.state().settings.datum.epoch);
  run.geoid_name = s.state().settings.datum.vertical.empty() ? "" : system_name(s.state().settings.datum.vertical);
  return run;
}
} // namespace

namespace {
/// A physical height cannot hold anything in space where nobody states how good the surface is that it counts from: the
/// height that was walked along the vectors would be held in its place.
void refuse_heights_without_geoid(const JobSnapshot &s, const JobDatum &datum, const NetworkInput &in) {
  if (in.geoid || datum.local()) return;
  for (const NetworkMark &m : in.marks) {
    if (m.hold != Hold::height || !s.benchmarks().count(m.name)) continue;
    const GeoidModel *geoid = datum.geoid();
    throw InputError(fmt::format(
        "{} is held in its physical height, and {}", m.name,
        geoid
            ? fmt::format("nobody states how good the grid of {} is: say its standard deviation (settings geoid_sd and "
                          "geoid_correlation), or release the mark",
                          geoid->name())
        : s.state().settings.datum.vertical.empty()
            ? std::string("the job has no vertical system: say one (setting vertical), or release the mark")
            : "the grid of its vertical system cannot be used: " + datum.geoid_refusal()));
  }
}
} // namespace

NetworkInput network_input(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  if (heights_alone(s, vectors)) return height_parts(s).input;
  return network_parts(s, vectors, job_datum(s)).input;
}

LoopReport job_loops(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  const NetworkParts parts = network_parts(s, vectors, job_datum(s), NetworkScope::vectors);
  const LoopLimits limits{s.state().settings.loop_mm, s.state().settings.loop_ppm, parts.input.options.alpha_single};
  LoopReport out;
  out.loops = find_loops(parts.input, parts.dependent, limits);
  out.causes = explain_loops(parts.input, out.loops, limits);
  return out;
}

void describe_run(NetworkRun &run, const JobSnapshot &s, const JobDatum &datum) {
  for (AdjustedMark &m : run.result.marks) {
    FullPosition &p = run.positions[m.name] = datum.describe(m.position);
    if (datum.local()) m.height_sd = std::sqrt(m.network_cov_enu(2, 2));
    // The geoid's undulation with what levels and vectors say about its error here.
    if (p.height) {
      *p.height -= m.geoid_correction;
      *p.undulation += m.geoid_correction;
    }
  }
  run.frame = frame_name(datum.frame());
  run.epoch_text = fmt::format("{:.2f}", datum.epoch());
  if (datum.geoid()) {
    run.geoid_name = datum.geoid()->name();
    run.geoid_grid = datum.geoid()->grid_words();
    run.geoid_source = datum.geoid()->source_of_accuracy();
    run.geoid_sd = datum.geoid()->sd_m();
  }
  run.geoid_refusal = datum.geoid_refusal();
  if (const DatumStep *step = datum.projection().step()) {
    run.older_datum = datum.projection().datum(), run.older_datum_way = step->words();
    for (const auto &[mark, p] : run.positions) {
      run.older_datum_accuracy = step->accuracy_m(p.geodetic);
      break;
    }
  }
  if (datum.local()) {
    const std::string &vertical = s.state().settings.datum.vertical;
    run.geoid_name = vertical.empty() ? "the site's own heights" : system_name(vertical);
  }
}

NetworkRun run_network(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const Progress &progress) {
  if (heights_alone(s, vectors)) return run_heights(s, vectors, progress);
  if (!any_measured(s) &&
      std::none_of(vectors.begin(), vectors.end(),
                   [](const VectorResult &v) { return v.error.empty() && v.used && v.independent; }) &&
      std::none_of(s.traverses().field.setups.begin(), s.traverses().field.setups.end(),
                   [&](const auto &x) { return s.traverses().in_network(*x); })) {
    const Contents &all = s.contents();
    if (std::any_of(all.begin(), all.end(), [](const SourceContent &c) { return c.measured != nullptr; })) {
      job_datum(s); // where the datum is what hinders, it says why
      throw InputError(
          "there is nothing to adjust: none of the vectors and fixes of others can be used, or they are left "
          "out or checks; the doubts say why");
    }
    throw InputError(s.occupations().empty()
                         ? "there is nothing to adjust: take observations, level books or field books"
                         : "there is nothing to adjust: solve vectors first");
  }
  progress.step(0.05, "opening the datum");
  NetworkRun run;
  run.fingerprint = network_fingerprint(s, vectors);
  const JobSettings &set = s.state().settings;
  const JobDatum datum = job_datum(s);
  for (const auto &[name, p] : s.published())
    run.published[name] = datum.describe(published_in_job(p, datum, operation_policy(set)));
  const NetworkParts parts = network_parts(s, vectors, datum);
  const NetworkInput &in = parts.input;
  refuse_heights_without_geoid(s, datum, in);
  run.vectors = parts.vectors;
  run.operation = parts.operation;
  run.levels = parts.levels;
  run.stations = parts.stations;
  run.measured = parts.measured;
  for (const NetworkVector &v : in.vectors)
    for (const auto *m : {&v.from, &v.to})
      if (std::find(run.positioned.begin(), run.positioned.end(), *m) == run.positioned.end())
        run.positioned.push_back(*m);
  progress.step(
      0.2,
      fmt::format("adjusting {} vectors, {} levelled differences and {} set-ups of total stations between {} marks",
                  in.vectors.size(), in.levels.size(), in.stations.size(), in.marks.size()));
  run.result = adjust_network(in, progress);
  describe_run(run, s, datum);
  progress.step(1, "network adjusted");
  return run;
}

} // namespace ampletie
