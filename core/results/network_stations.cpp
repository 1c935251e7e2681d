#include "base/angle.h"
#include "network/groups.h"
#include "results/network_assembly.h"
#include "results/traverse_grid.h"
#include <algorithm>

namespace ampletie {

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
  n.azimuth_constant_sd = r.standard.gyro.constant_sd;
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

} // namespace

std::set<std::string> add_stations(const JobSnapshot &s, const JobDatum &datum,
                                   const std::set<std::string> &with_vectors, Positions &position, NetworkParts &out) {
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

} // namespace ampletie
