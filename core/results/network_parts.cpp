#include "base/angle.h"
#include "base/error.h"
#include "gnss/kinematic/joint_track.h"
#include "network/groups.h"
#include "results/measured.h"
#include "results/network_assembly.h"
#include "results/weight_groups.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {

std::string calibration_name(const Occupation &o) {
  if (!o.calibration) return antenna_key(o.antenna);
  return antenna_key(o.calibration->type) + (o.calibration->serial.empty() ? "" : " " + o.calibration->serial);
}

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
/// The joint covariance of vectors that were solved together, turned into the job's frame. `members`: ids, and how each
/// is turned; `block(i, k)`: what two of them have in common, m².
template <class Block>
NetworkSession turned_session(const std::string &id, const std::vector<std::pair<std::string, Mat3>> &members,
                              Block &&block) {
  NetworkSession n;
  n.id = id;
  const auto size = static_cast<Eigen::Index>(3 * members.size());
  n.cov.resize(size, size);
  for (std::size_t i = 0; i < members.size(); ++i) {
    n.vectors.push_back(members[i].first);
    for (std::size_t k = 0; k < members.size(); ++k)
      n.cov.block<3, 3>(static_cast<Eigen::Index>(3 * i), static_cast<Eigen::Index>(3 * k)) =
          members[i].second * Mat3(block(i, k)) * members[k].second.transpose();
  }
  n.cov = ((n.cov + n.cov.transpose()) / 2).eval();
  return n;
}

/// Of the job's own: each has its rows of the covariance.
NetworkSession network_session(const std::string &id, std::vector<const VectorResult *> members,
                               const std::map<std::string, Mat3> &rotation) {
  std::sort(members.begin(), members.end(),
            [](const auto *a, const auto *b) { return a->joint.index < b->joint.index; });
  std::vector<std::pair<std::string, Mat3>> turned;
  for (const VectorResult *v : members) turned.emplace_back(v->id, rotation.at(v->id));
  return turned_session(id, turned, [&](std::size_t i, std::size_t k) {
    return members[i]->joint.cov.block<3, 3>(0, static_cast<Eigen::Index>(3 * k));
  });
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

/// A stop of a track as one of its bases sees it.
struct SharedStop {
  Mat3 cov, common;       ///< all of it; what the stops of a track share
  std::string base, stop; ///< set-ups at both ends
};

/// Between two stops of a track: the product of the roots of what each shares.
Eigen::MatrixXd of_one_base(const std::vector<const SharedStop *> &stops) {
  const auto n = static_cast<Eigen::Index>(stops.size());
  Eigen::MatrixXd cov(3 * n, 3 * n);
  std::vector<Mat3> root;
  for (const SharedStop *s : stops) {
    const Mat3 &common = s->common;
    const Eigen::SelfAdjointEigenSolver<Mat3> e((common + common.transpose()) / 2);
    root.push_back(e.eigenvectors() * e.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal() *
                   e.eigenvectors().transpose());
  }
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index k = 0; k < n; ++k)
      cov.block<3, 3>(3 * i, 3 * k) = i == k
                                          ? stops[static_cast<std::size_t>(i)]->cov
                                          : Mat3(root[static_cast<std::size_t>(i)] * root[static_cast<std::size_t>(k)]);
  return (cov + cov.transpose()) / 2;
}

/// Of a track's stops. Seen from several bases each of them shares the moving receiver's half of its deviations: with
/// the roots F of what each base has, columns by stop, half F₁F₂ᵀ between two.
Eigen::MatrixXd shared_covariance(const std::vector<SharedStop> &stops) {
  std::map<std::string, std::vector<std::size_t>> bases;
  std::map<std::string, Eigen::Index> column;
  for (std::size_t i = 0; i < stops.size(); ++i) {
    bases[stops[i].base].push_back(i);
    column.try_emplace(stops[i].stop, static_cast<Eigen::Index>(3 * column.size()));
  }
  const auto all = static_cast<Eigen::Index>(3 * stops.size());
  Eigen::MatrixXd roots = Eigen::MatrixXd::Zero(all, static_cast<Eigen::Index>(3 * column.size()));
  Eigen::MatrixXd own = Eigen::MatrixXd::Zero(all, all);
  for (const auto &[base, list] : bases) {
    std::vector<const SharedStop *> members;
    for (const std::size_t i : list) members.push_back(&stops[i]);
    const Eigen::MatrixXd cov = of_one_base(members);
    if (bases.size() == 1) return cov;
    const Eigen::MatrixXd root = Eigen::LLT<Eigen::MatrixXd>(cov).matrixL();
    for (std::size_t a = 0; a < list.size(); ++a)
      for (std::size_t b = 0; b < list.size(); ++b) {
        const auto i = static_cast<Eigen::Index>(3 * list[a]), k = static_cast<Eigen::Index>(3 * list[b]);
        own.block<3, 3>(i, k) =
            (1 - shared_by_bases) * cov.block<3, 3>(static_cast<Eigen::Index>(3 * a), static_cast<Eigen::Index>(3 * b));
        roots.block<3, 3>(i, column.at(stops[list[b]].stop)) =
            root.block<3, 3>(static_cast<Eigen::Index>(3 * a), static_cast<Eigen::Index>(3 * b));
      }
  }
  const Eigen::MatrixXd cov = own + shared_by_bases * roots * roots.transpose();
  return (cov + cov.transpose()) / 2;
}

/// Vectors and fixes that others measured and stops of tracks, with the set-ups of their bases and rovers.
void add_measured(const JobSnapshot &s, const JobDatum &datum, const Vec3 &near, const OperationPolicy &policy,
                  NetworkParts &out) {
  const JobSettings &set = s.state().settings;
  std::set<std::string> seen;
  std::map<std::string, NetworkSession> tracks;
  std::map<std::string, std::vector<const MeasuredVector *>> solutions;
  std::map<std::string, Mat3> rotation;                  // of their vectors
  std::map<std::string, std::vector<SharedStop>> shares; // of a track's stops
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
      shares[v.session].push_back({n.cov, r * v.common * r.transpose(), v.from_setup, v.to_setup});
    }
    if (v.joint) solutions[v.session].push_back(&v), rotation[v.id] = r;
    out.input.vectors.push_back(std::move(n));
    out.measured.push_back(v.id);
    // A track's base is an occupation: its set-up comes with the others.
    if (!v.stop) setup(v.from_setup, v.from);
    setup(v.to_setup, v.to);
  }
  for (const auto &[id, members] : solutions) {
    if (members.size() < 2) continue;
    std::vector<std::pair<std::string, Mat3>> turned;
    for (const MeasuredVector *v : members) turned.emplace_back(v->id, rotation.at(v->id));
    out.input.sessions.push_back(turned_session(id, turned, [&members = members](std::size_t i, std::size_t k) {
      return members[i]->joint->block<3, 3>(members[i]->joint_at, members[k]->joint_at);
    }));
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

/// Factors and frames that were decided for groups of observations.
static void weigh_groups(const JobSnapshot &s, const std::vector<VectorResult> &vectors, NetworkInput &in) {
  if (s.state().groups.empty()) return;
  const auto groups = std::make_shared<const WeightGroups>(s, vectors, in);
  in.factor = [groups](const std::string &id, const std::string &kind) { return groups->factor(id, kind); };
  in.turns = groups->turns(in);
  // A factor for everything has no other source than what was left over.
  in.estimated_scale = groups->scales_everything();
}

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

} // namespace ampletie
