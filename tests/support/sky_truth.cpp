#include "support/sky_truth.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <stdexcept>

namespace ampletie::testing {

const ObservationFile &Judged::file(const std::string &mark, const std::string &session) const {
  for (const auto &r : campaign.receivers)
    if (r.name == mark + "-" + session) return r.data;
  throw std::runtime_error("no such receiver");
}

Judged judge(const sky::Scenario &scenario) {
  Judged j;
  j.campaign = sky::simulate(scenario);
  const auto truth = nlohmann::json::parse(j.campaign.truth_json);
  auto vector = [](const nlohmann::json &v) { return Vec3(v.at(0), v.at(1), v.at(2)); };
  for (const auto &s : truth.at("setups")) {
    const std::string key = s.at("mark").get<std::string>() + "/" + s.at("session").get<std::string>();
    j.marker[key] = vector(s.at("xyz"));
    j.setup_error[key] = vector(s.at("error_enu"));
  }
  for (const sky::Arc &a : j.campaign.arcs)
    j.arcs[a.mark + "/" + a.session + "/" + a.sat.name() + "/" + a.signal].push_back(a);
  for (const Antenna &a : j.campaign.antennas.receivers) j.antennas[a.type] = a;
  return j;
}

namespace {
double wind_up_at(const OccupationModel &m, SatId sat, GpsTime t) {
  const auto from = std::lower_bound(m.epochs.begin(), m.epochs.end(), t,
                                     [](const ModelledEpoch &e, GpsTime x) { return e.time < x; });
  for (auto e = from; e != m.epochs.end(); ++e)
    for (const ModelledObservation &o : e->sats)
      if (o.sat == sat) return static_cast<double>(o.wind_up);
  return 0;
}
} // namespace

int wrong_integers(const Judged &j, const StaticVector &v, const std::string &base, const std::string &rover,
                   const std::string &session, const OccupationModel &base_model, const OccupationModel &rover_model) {
  std::vector<std::int64_t> truth;
  // The integer counts from the branch of the wind-up that each side happened to start on.
  const std::array<std::pair<const std::string *, const OccupationModel *>, 2> ends{
      {{&base, &base_model}, {&rover, &rover_model}}};
  auto branch = [&](std::size_t end, SatId sat, const sky::Arc &arc, GpsTime t) {
    const double share = (arc.last - arc.first) > 0 ? (t - arc.first) / (arc.last - arc.first) : 0;
    const auto k = std::lround(std::clamp(share, 0.0, 1.0) * static_cast<double>(arc.winding.size() - 1));
    return std::llround(arc.winding[static_cast<std::size_t>(k)] - wind_up_at(*ends[end].second, sat, t));
  };
  for (const CarrierArc &a : v.arcs) {
    std::array<const sky::Arc *, 2> found{};
    // Repaired slips go with the arc; what is left of the true ones must be nothing.
    std::int64_t slipped = 0;
    for (const SlipRepair &r : v.repairs)
      if (r.sat == a.sat && r.band == a.band && r.time > a.first && r.time <= a.last) slipped -= r.cycles;
    std::array<std::int64_t, 2> integer{};
    for (std::size_t end = 0; end < 2; ++end) {
      for (const sky::Arc &t :
           j.arcs.at(*ends[end].first + (session.empty() ? "" : "/") + session + "/" + a.sat.name() + "/" + a.signal))
        if (t.first <= a.last && t.last >= a.first) {
          if (found[end]) slipped += (end == 1 ? 1 : -1) * (t.integer - integer[end]);
          integer[end] = t.integer;
          if (!found[end]) found[end] = &t;
        }
      if (!found[end]) return 2000;
    }
    // An arc that spans a true slip is itself a fault: no single integer is right for it.
    if (slipped != 0) return 1000;
    // Both ends at one instant: a satellite that swings around at noon or midnight may be taken the other way round by
    // the simulator, at both ends alike.
    std::array<std::int64_t, 2> n{};
    for (std::size_t end = 0; end < 2; ++end) n[end] = found[end]->integer + branch(end, a.sat, *found[end], a.first);
    truth.push_back(n[1] - n[0]);
  }
  int wrong = 0;
  const auto &c = v.integers.coefficients;
  for (Eigen::Index r = 0; r < c.rows(); ++r) {
    std::int64_t sum = 0;
    for (Eigen::Index k = 0; k < c.cols(); ++k) sum += c(r, k) * truth[static_cast<std::size_t>(k)];
    wrong += sum != v.integers.values[r];
  }
  return wrong;
}

std::vector<Outcome> solve_all(const Judged &j, const sky::Scenario &scenario, const Experiment &e, double max_length,
                               double min_length) {
  std::vector<Outcome> out;
  const BroadcastOrbits broadcast(j.campaign.navigation);
  const PreciseOrbits precise({j.campaign.orbits});
  const Orbits &orbits = e.precise ? static_cast<const Orbits &>(precise) : broadcast;
  const Progress progress;
  for (const sky::Session &s : scenario.sessions) {
    std::map<std::string, OccupationModel> models;
    const Vec3 off(0.31, -0.18, 0.24);
    for (const sky::Setup &u : s.setups) {
      AntennaSetup a;
      a.arp_offset_enu = {0, 0, u.height};
      const auto c = j.antennas.find(u.antenna);
      if (e.antenna_calibration && c != j.antennas.end()) a.calibration = &c->second;
      models[u.mark] = model_occupation(
          j.file(u.mark, s.name), orbits,
          j.marker.at(u.mark + "/" + s.name) + (&u == &s.setups.front() ? Vec3::Zero() : off), a, e.model, progress);
    }
    for (std::size_t i = 0; i < s.setups.size(); ++i)
      for (std::size_t k = i + 1; k < s.setups.size(); ++k) {
        Outcome o;
        o.base = s.setups[i].mark, o.rover = s.setups[k].mark, o.session = s.name;
        const OccupationModel &b = models[o.base], &r = models[o.rover];
        const Vec3 true_d = j.marker.at(o.rover + "/" + s.name) - j.marker.at(o.base + "/" + s.name);
        o.length = true_d.norm();
        if (o.length > max_length || o.length < min_length) continue;
        o.vector = solve_static(b, r, orbits, e.solve, {}, progress);
        const Mat3 axes = local_axes(to_geodetic(b.marker));
        o.error_enu = axes * (o.vector.d - true_d);
        // Each end's centring and height error is part of what the vector says about the markers.
        const Vec3 setup(scenario.noise.centring, scenario.noise.centring, scenario.noise.height);
        o.cov_enu = axes * o.vector.cov * axes.transpose();
        o.own_cov_enu = o.cov_enu;
        const Mat3 there = axes * local_axes(to_geodetic(r.marker)).transpose();
        o.own_error_enu =
            o.error_enu - there * j.setup_error.at(o.rover + "/" + s.name) + j.setup_error.at(o.base + "/" + s.name);
        o.cov_enu += Mat3((2 * setup.cwiseAbs2()).asDiagonal());
        o.wrong = wrong_integers(j, o.vector, o.base, o.rover, s.name, b, r);
        out.push_back(std::move(o));
      }
  }
  return out;
}

} // namespace ampletie::testing
