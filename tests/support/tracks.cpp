#include "support/tracks.h"
#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include "sky/random.h"
#include "support/strata.h"
#include <Eigen/Dense>
#include <chrono>
#include <fmt/format.h>

namespace ampletie::testing {

const std::vector<TrackStratum> &track_strata() {
  static const std::vector<TrackStratum> all{
      {"vehicle", "GE", 300, 4000, 40, 30, 1, 1},
      {"foot", "GE", 200, 4000, 40, 20, 1, 1, false, false, false, 120},
      {"far", "GEC", 8000, 17000, 600, 30, 1, 1},
      {"distant", "GEC", 18000, 30000, 600, 30, 1, 1},
      {"streets", "GREC", 300, 4000, 40, 20, 1, 1, true, true},
      {"underpass", "GREC", 300, 4000, 40, 15, 1, 1, true, false, true},
      {"slow base", "GE", 300, 4000, 40, 20, 1, 30},
      {"quick", "GE", 300, 3000, 30, 3, 0.1, 1},
  };
  return all;
}

const TrackStratum &track_stratum(const std::string &name) {
  for (const TrackStratum &s : track_strata())
    if (s.name == name) return s;
  throw std::runtime_error("no such kind of track: " + name);
}

namespace {
sky::Route route_of(const TrackStratum &s, sky::Random &r) {
  sky::Route out;
  out.sway = s.vehicle ? 0.01 : 0.03;
  double t = 0, heading = r.uniform(0, 2 * pi), since = 0;
  Vec3 at = Vec3::Zero();
  const double end = s.minutes * 60;
  out.points.push_back({0, at});
  out.points.push_back({s.vehicle ? 5.0 : 10.0, at});
  t = out.points.back().t;
  int number = 0;
  while (t < end) {
    const double leg = r.uniform(8, 25), speed = s.vehicle ? r.uniform(4, 16) : r.uniform(0.8, 1.6);
    heading += r.uniform(-0.9, 0.9);
    // It stays within some kilometre of where it began.
    if (at.head<2>().norm() > 900) heading = std::atan2(-at.x(), -at.y()) + r.uniform(-0.3, 0.3);
    at += speed * leg * Vec3(std::sin(heading), std::cos(heading), r.uniform(-0.05, 0.05));
    t += leg, since += leg;
    out.points.push_back({t, at});
    if (s.stop_every > 0 && since > s.stop_every) {
      out.points.push_back({t + 10, at});
      out.stops.push_back({fmt::format("P{}", ++number), "", t, t + 10});
      t += 10, since = 0;
    }
  }
  if (s.streets) {
    for (double x = 0; x < end; x += r.uniform(15, 40)) {
      const double from = r.uniform(0, 360);
      out.shades.push_back({x, x + 30, from, from + 120, 50});
    }
    for (double x = r.uniform(30, 70); x < end; x += r.uniform(45, 75)) out.shades.push_back({x, x + 1.5, 0, 360, 91});
  }
  if (s.underpass)
    for (double x = r.uniform(60, 120); x + 60 < end; x += r.uniform(120, 240))
      out.shades.push_back({x, x + r.uniform(5, 60), 0, 359.999, 91});
  return out;
}
} // namespace

sky::Scenario scenario_of(const TrackStratum &s, std::uint64_t seed) {
  sky::Random place(seed, "track of " + s.name);
  // Antennas and noise as in static work.
  sky::Scenario c = scenario_of(stratum("short"), seed, 1);
  c.systems = s.systems;
  const sky::Mark &base = c.marks[0];
  sky::Mark &start = c.marks[1];
  const double d = place.uniform(s.length_from, s.length_to), az = place.uniform(0, 2 * pi);
  start.name = "CAR";
  start.lat = base.lat + degrees(d * std::cos(az) / 6.37e6);
  start.lon = base.lon + degrees(d * std::sin(az) / 6.37e6 / std::cos(radians(base.lat)));
  start.h = base.h + place.uniform(-1, 1) * s.height_range;
  if (start.h < 150) start.h = base.h + s.height_range / 2;
  sky::Session rover = c.sessions[0], still = c.sessions[0];
  still.name = "b", still.hours = s.minutes / 60, still.interval = s.base_interval, still.setups.resize(1);
  rover.hours = s.minutes / 60, rover.interval = s.interval, rover.setups.erase(rover.setups.begin());
  rover.setups[0].mark = "CAR";
  rover.setups[0].height = rover.setups[0].header_height = s.vehicle ? 1.9 : 2.0;
  rover.setups[0].route = route_of(s, place);
  c.sessions = {still, rover};
  return c;
}

std::unique_ptr<TrackOutcome> run_track(const TrackStratum &s, std::uint64_t seed, const TrackExperiment &e) {
  auto out = std::make_unique<TrackOutcome>();
  out->scenario = scenario_of(s, seed);
  if (e.at) {
    const sky::Mark base = out->scenario.marks[0];
    for (sky::Mark &m : out->scenario.marks) {
      m.lon = e.at->second + (m.lon - base.lon) * std::cos(radians(base.lat)) / std::cos(radians(e.at->first));
      m.lat += e.at->first - base.lat;
    }
  }
  out->judged = judge(out->scenario);
  const Judged &j = out->judged;
  out->orbits = std::make_shared<BroadcastOrbits>(j.campaign.navigation);
  const Progress progress;
  const auto begun = std::chrono::steady_clock::now();
  auto antenna = [&](const sky::Setup &u) {
    AntennaSetup a;
    a.arp_offset_enu = {0, 0, u.height};
    a.calibration = &j.antennas.at(u.antenna);
    return a;
  };
  out->base = model_occupation(j.file("BASE", "b"), *out->orbits, j.marker.at("BASE/b"),
                               antenna(out->scenario.sessions[0].setups[0]), {}, progress);
  out->rover =
      model_track(j.file("CAR", "s"), *out->orbits, antenna(out->scenario.sessions[1].setups[0]), {}, progress);
  out->solution = solve_kinematic(out->base, out->rover, *out->orbits, e.solve, {}, progress);
  out->seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
  // As a vector's: every arc against the first of its component.
  const KinematicTrack &t = out->solution->track;
  StaticVector v;
  v.arcs = t.arcs;
  std::map<int, std::size_t> first;
  std::vector<std::pair<std::size_t, std::size_t>> pairs;
  for (std::size_t a = 0; a < t.relations.size(); ++a)
    if (t.relations[a].component >= 0)
      if (const auto [it, fresh] = first.try_emplace(t.relations[a].component, a); !fresh)
        pairs.emplace_back(it->second, a);
  const auto n = static_cast<Eigen::Index>(pairs.size());
  v.integers.coefficients = IntMatrix::Zero(n, static_cast<Eigen::Index>(t.arcs.size()));
  v.integers.values.resize(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto [a, b] = pairs[static_cast<std::size_t>(i)];
    v.integers.coefficients(i, static_cast<Eigen::Index>(a)) = -1;
    v.integers.coefficients(i, static_cast<Eigen::Index>(b)) = 1;
    v.integers.values[i] = t.relations[b].cycles - t.relations[a].cycles;
  }
  out->wrong = wrong_integers(j, v, "BASE/b", "CAR/s", "", out->base, out->rover);
  return out;
}

std::unique_ptr<TwoBases> run_from_two_bases(const TrackStratum &s, std::uint64_t seed) {
  auto out = std::make_unique<TwoBases>();
  sky::Scenario &c = out->scenario = scenario_of(s, seed);
  sky::Random place(seed, "second base of " + s.name);
  sky::Mark other = c.marks[0];
  const double d = place.uniform(1000, 4000), az = place.uniform(0, 2 * pi);
  other.name = "OTHER";
  other.lat += degrees(d * std::cos(az) / 6.37e6);
  other.lon += degrees(d * std::sin(az) / 6.37e6 / std::cos(radians(other.lat)));
  other.h += place.uniform(-20, 40);
  c.marks.push_back(other);
  sky::Setup second = c.sessions[0].setups[0];
  second.mark = "OTHER";
  c.sessions[0].setups.push_back(second);
  out->judged = judge(c);
  const Judged &j = out->judged;
  out->orbits = std::make_shared<BroadcastOrbits>(j.campaign.navigation);
  const auto antenna = [&](const sky::Setup &u) {
    AntennaSetup a;
    a.arp_offset_enu = {0, 0, u.height};
    a.calibration = &j.antennas.at(u.antenna);
    return a;
  };
  // Where each base was taken to stand is where its mark is: the set-up's error is the simulator's.
  const auto base = [&](const char *mark, std::size_t setup) {
    return model_occupation(j.file(mark, "b"), *out->orbits, j.marker.at(mark + std::string("/b")),
                            antenna(c.sessions[0].setups[setup]), {}, {});
  };
  out->base = base("BASE", 0), out->other = base("OTHER", 1);
  out->rover = model_track(j.file("CAR", "s"), *out->orbits, antenna(c.sessions[1].setups[0]), {}, {});
  out->from_base = solve_kinematic(out->base, out->rover, *out->orbits, {}, {}, {});
  out->from_other = solve_kinematic(out->other, out->rover, *out->orbits, {}, {}, {});
  return out;
}

void FixedEpochs::add(const TwoBases &o, const KinematicTrack &t) {
  const Mat3 axes = local_axes(to_geodetic(o.base.marker));
  for (const TrackEpoch &e : t.epochs) {
    if (e.state != TrackState::fixed) continue;
    const auto v = o.error(e.time, e.position);
    if (!v) continue;
    const Mat3 c = axes * e.cov * axes.transpose();
    const double q = v->dot(c.inverse() * *v);
    nse += q / 3, square += v->squaredNorm(), printed += c.trace(), ++epochs, inside95 += q < 7.815;
  }
}

std::string FixedEpochs::line() const {
  const double n = std::max(1, epochs);
  return fmt::format("{} fixed epochs, rms {:.1f} mm, printed {:.1f}, NSE {:.2f}, inside 95: {:.1f} %", epochs,
                     1000 * std::sqrt(square / n), 1000 * std::sqrt(printed / n), nse / n, 100 * inside95 / n);
}

std::optional<Vec3> TwoBases::error(GpsTime t, const Vec3 &place) const {
  const auto at = std::lower_bound(truth().times.begin(), truth().times.end(), t + -1e-3,
                                   [](GpsTime a, GpsTime b) { return a < b; });
  if (at == truth().times.end() || std::abs(*at - t) > 0.06) return {};
  const Mat3 axes = local_axes(to_geodetic(base.marker));
  const Vec3 v = axes * (place - truth().places[static_cast<std::size_t>(at - truth().times.begin())]);
  return v + judged.setup_error.at("BASE/b");
}

void TrackTally::add(const TrackOutcome &o) {
  ++tracks;
  wrong += o.wrong;
  const KinematicTrack &t = o.solution->track;
  for (const ArcRelation &r : t.relations) arcs += r.component >= 0;
  noise += t.noise_ratio, seconds += o.seconds;
  const Mat3 axes = local_axes(to_geodetic(o.base.marker));
  const sky::TrueTrack &truth = o.truth();
  // Of the base's own set-up error the track knows nothing.
  const Vec3 base_error = o.judged.setup_error.at("BASE/b");
  auto error = [&](const Vec3 &x, const Vec3 &true_x) { return Vec3(axes * (x - true_x) + base_error); };
  std::size_t k = 0;
  for (const TrackEpoch &e : t.epochs) {
    while (k < truth.times.size() && truth.times[k] - e.time < -0.5 * t.interval) ++k;
    if (k == truth.times.size()) break;
    ++epochs;
    if (e.state == TrackState::none && !e.bridged) continue;
    const Vec3 v = error(e.position, truth.places[k]);
    const Mat3 c = axes * e.cov * axes.transpose();
    const double q = v.dot(c.inverse() * v);
    if (e.bridged) {
      ++bridged, nse_bridged += q / 3;
      continue;
    }
    ++solved;
    if (e.state != TrackState::fixed) {
      partly += e.state == TrackState::partly_fixed;
      nse_other += q / 3;
      continue;
    }
    ++fixed;
    square += v.cwiseAbs2(), printed += c.diagonal();
    nse += q / 3, nse_up += v.z() * v.z() / c(2, 2);
    worst = std::max(worst, v.norm());
    in50 += q < 2.366, in95 += q < 7.815, in99 += q < 11.345; // chi-squared, three degrees
  }
  const GpsTime start = o.scenario.sessions[1].start;
  for (const sky::Route::Stop &s : o.scenario.sessions[1].setups[0].route.stops) {
    if (s.to + 1 > o.scenario.sessions[1].hours * 3600) continue;
    const StopPlace p = o.solution->stop(start + (s.from + 0.5), start + (s.to - 0.5));
    if (p.place.state != TrackState::fixed) continue;
    Vec3 mean = Vec3::Zero();
    int n = 0;
    for (std::size_t i = 0; i < truth.times.size(); ++i)
      if (truth.times[i] - start >= s.from + 0.4 && truth.times[i] - start <= s.to - 0.4) mean += truth.places[i], ++n;
    const Vec3 v = error(p.place.position, mean / n);
    const double q = v.dot((axes * p.place.cov * axes.transpose()).inverse() * v);
    ++stops, stop_square += v.cwiseAbs2(), stop_nse += q / 3, stops95 += q < 7.815;
  }
}

std::string TrackTally::line() const {
  const double f = std::max<double>(1, static_cast<double>(fixed)), n = std::max(1, tracks);
  const Vec3 r = 1000 * (square / f).cwiseSqrt(), p = 1000 * (printed / f).cwiseSqrt(),
             s = 1000 * (stop_square / std::max(1, stops)).cwiseSqrt();
  auto share = [](std::size_t part, std::size_t all) {
    return 100 * static_cast<double>(part) / std::max<double>(1, static_cast<double>(all));
  };
  return fmt::format(
      "{} tracks, {} epochs: fixed {:.1f} %, partly {:.1f} %, solved {:.1f} %; {} arcs fixed, {} wrong; rms E {:.1f} N "
      "{:.1f} U {:.1f} mm, printed {:.1f} {:.1f} {:.1f}, worst {:.0f}; NSE {:.2f} (up {:.2f}), others {:.2f}, bridged "
      "{} "
      "{:.2f}; inside 50/95/99: {:.1f} {:.1f} {:.1f}; {} stops rms {:.1f} {:.1f} {:.1f} NSE {:.2f} inside 95 {:.1f}; "
      "noise {:.2f}; {:.2f} s each",
      tracks, epochs, share(fixed, epochs), share(partly, epochs), share(solved, epochs), arcs, wrong, r.x(), r.y(),
      r.z(), p.x(), p.y(), p.z(), 1000 * worst, nse / f, nse_up / f,
      nse_other / std::max<double>(1, static_cast<double>(solved - fixed)), bridged,
      nse_bridged / std::max<double>(1, static_cast<double>(bridged)), share(in50, fixed), share(in95, fixed),
      share(in99, fixed), stops, s.x(), s.y(), s.z(), stop_nse / std::max(1, stops),
      100.0 * stops95 / std::max(1, stops), noise / n, seconds / n);
}

} // namespace ampletie::testing
