#include "formats/rinex_observation.h"
#include "geodesy/ellipsoid.h"
#include "gnss/kinematic/kinematic.h"
#include "gnss/kinematic/motion.h"
#include "gnss/kinematic/short_vector.h"
#include "gnss/model/steps.h"
#include "gnss/quality/stillness.h"
#include "sky/random.h"
#include "support/strata.h"
#include "support/tracks.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <utility>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
/// A kind of track, shorter, so that tests take seconds.
TrackStratum shorter(const char *kind, double minutes) {
  TrackStratum s = track_stratum(kind);
  s.minutes = minutes;
  return s;
}
double share(std::size_t part, std::size_t all) { return static_cast<double>(part) / static_cast<double>(all); }

CarrierArc arc(int number, char system = 'G', int band = 0) {
  CarrierArc a;
  a.sat = {system, static_cast<std::uint8_t>(number)};
  a.band = band, a.epochs = 100;
  return a;
}
} // namespace

TEST_CASE("a vehicle under open sky: fixed all along, right, and as accurate as it says") {
  TrackTally all;
  for (std::uint64_t seed : {11, 12}) all.add(*run_track(shorter("vehicle", 10), seed));
  INFO(all.line());
  CHECK(all.wrong == 0);
  CHECK(all.arcs > 40);
  CHECK(share(all.fixed, all.epochs) > 0.98);
  const Vec3 rms = (all.square / static_cast<double>(all.fixed)).cwiseSqrt();
  CHECK(rms.head<2>().maxCoeff() < 0.008);
  CHECK(rms.z() < 0.020);
  CHECK(share(all.in99, all.fixed) > 0.95);
}

TEST_CASE("what a track leaves of its carriers is told by satellite: reflections, and whose phase was disturbed") {
  auto o = run_track(shorter("vehicle", 10), 13);
  const auto rms = [](const KinematicTrack &t) {
    std::map<SatId, std::pair<double, int>> sums;
    for (const ResidualSample &r : t.residuals)
      if (const double v = static_cast<double>(r.residual[0]); std::isfinite(v))
        sums[r.sat].first += v * v, ++sums[r.sat].second;
    std::map<SatId, double> out;
    for (const auto &[sat, s] : sums) out[sat] = std::sqrt(s.first / s.second);
    return out;
  };
  const KinematicTrack &k = o->solution->track;
  REQUIRE(k.residuals.size() > 600 * 6);
  CHECK(std::is_sorted(k.residuals.begin(), k.residuals.end(),
                       [](const ResidualSample &a, const ResidualSample &b) { return a.time < b.time; }));
  CHECK(k.residuals.front().time - k.epochs.front().time < 2);
  const auto clean = rms(k);
  CHECK(clean.size() >= 8);
  for (const auto &[sat, v] : clean) {
    INFO(sat.name());
    CHECK(v > 0.0003);
    CHECK(v < 0.025);
  }
  // The same with one satellite's phases swaying by 20 mm within a minute and a half: none grows as much as its own.
  const auto low = [](const ModelledObservation &x) { return std::abs(static_cast<double>(x.elevation) - 0.8); };
  const auto &seen = o->rover.epochs[300].sats;
  const SatId swaying =
      std::min_element(seen.begin(), seen.end(), [&](const auto &a, const auto &b) { return low(a) < low(b); })->sat;
  for (ModelledEpoch &e : o->rover.epochs)
    for (ModelledObservation &x : e.sats)
      if (x.sat == swaying)
        for (double &p : x.phase) p += 0.02 * std::sin((e.time - o->rover.epochs.front().time) / 15);
  const auto again = solve_kinematic(o->base, o->rover, *o->orbits, {}, {}, {});
  const auto disturbed = rms(again->track);
  REQUIRE(disturbed.count(swaying));
  const double growth = disturbed.at(swaying) / clean.at(swaying);
  CHECK(growth > 1.5);
  for (const auto &[sat, v] : disturbed)
    if (const auto before = clean.find(sat); before != clean.end() && sat != swaying) {
      INFO(sat.name());
      CHECK(v / before->second < growth);
    }
}

TEST_CASE("a track that does not lie in memory, read in blocks, is the same to the last bit") {
  const auto o = run_track(shorter("quick", 2), 31);
  const ObservationFile &car = o->judged.file("CAR", "s"), &still = o->judged.file("BASE", "b");
  const auto blocks_of = [](const ObservationFile &f, std::size_t size) {
    ObservationBlocks b;
    static_cast<ObservationHeader &>(b.sample) = f;
    b.start = f.epochs.front().time, b.stop = f.epochs.back().time;
    b.epochs = f.epochs.size(), b.interval = nominal_interval(f);
    for (std::size_t i = 0; i < f.epochs.size(); i += sample_stride(f.epochs.size()))
      append_epoch(b.sample, f, f.epochs[i]);
    b.each = [&f, size](const BlockSink &take) {
      for (std::size_t i = 0; i < f.epochs.size(); i += size) {
        ObservationFile block;
        static_cast<ObservationHeader &>(block) = f;
        for (std::size_t k = i; k < std::min(i + size, f.epochs.size()); ++k) append_epoch(block, f, f.epochs[k]);
        take(block);
      }
    };
    return b;
  };
  const auto antenna = [&](const sky::Setup &u) {
    AntennaSetup a;
    a.arp_offset_enu = {0, 0, u.height};
    a.calibration = &o->judged.antennas.at(u.antenna);
    return a;
  };
  const std::size_t usual = std::exchange(ParkedBytes::usual, 5000);
  const ModelledTrack base = model_in_blocks(blocks_of(still, 50), *o->orbits, o->base.marker,
                                             antenna(o->scenario.sessions[0].setups[0]), {}, {}),
                      rover = model_in_blocks(blocks_of(car, 77), *o->orbits, {},
                                              antenna(o->scenario.sessions[1].setups[0]), {}, {});
  const auto k = solve_kinematic(base, rover, *o->orbits, {}, {}, {});
  const KinematicTrack &a = o->solution->track, &b = k->track;
  REQUIRE(a.epochs.size() == b.epochs.size());
  CHECK(a.epochs.size() > 1000);
  for (std::size_t i = 0; i < a.epochs.size(); ++i) {
    CHECK(a.epochs[i].state == b.epochs[i].state);
    CHECK(a.epochs[i].position == b.epochs[i].position);
    CHECK(a.epochs[i].cov == b.epochs[i].cov);
  }
  CHECK(a.arcs.size() == b.arcs.size());
  CHECK(a.residuals.size() == b.residuals.size());
  const GpsTime from = a.epochs[200].time, to = a.epochs[320].time;
  CHECK(o->solution->stop(from, to).place.position == k->stop(from, to).place.position);
  ParkedBytes::usual = usual;
}

TEST_CASE("stops of ten seconds: their mean is no better than reflections let it be") {
  const auto o = run_track(shorter("foot", 12), 5);
  TrackTally t;
  t.add(*o);
  INFO(t.line());
  REQUIRE(t.stops >= 3);
  CHECK(t.wrong == 0);
  CHECK((t.stop_square / t.stops).cwiseSqrt().head<2>().maxCoeff() < 0.010);
  CHECK(t.stop_nse / t.stops < 3);
  // Each of them is found without being named.
  const KinematicTrack &k = o->solution->track;
  const GpsTime start = o->scenario.sessions[1].start;
  for (const sky::Route::Stop &s : o->scenario.sessions[1].setups[0].route.stops) {
    if (s.to > 12 * 60 - 5) continue;
    const GpsTime middle = start + (s.from + s.to) / 2;
    CHECK(std::any_of(k.standstills.begin(), k.standstills.end(), [&](const Standstill &x) {
      return k.epochs[x.first].time < middle && middle < k.epochs[x.last].time;
    }));
  }
}

TEST_CASE("an underpass: fixed again within seconds, led over within its accuracy") {
  const auto o = run_track(shorter("underpass", 8), 3);
  const KinematicTrack &k = o->solution->track;
  TrackTally t;
  t.add(*o);
  INFO(t.line());
  CHECK(t.wrong == 0);
  CHECK(t.bridged > 20);
  CHECK(t.nse_bridged / static_cast<double>(t.bridged) < 4);
  for (const sky::Route::Shade &s : o->scenario.sessions[1].setups[0].route.shades) {
    const GpsTime out = o->scenario.sessions[1].start + s.to;
    if (s.to > 8 * 60 - 25) continue;
    const auto again = std::find_if(k.epochs.begin(), k.epochs.end(),
                                    [&](const TrackEpoch &e) { return e.time >= out && e.state == TrackState::fixed; });
    REQUIRE(again != k.epochs.end());
    CHECK(again->time - out < 20);
  }
}

TEST_CASE("a base every thirty seconds: no epoch between is lost, and what interpolation costs is counted") {
  const auto o = run_track(shorter("slow base", 10), 4);
  TrackTally t;
  t.add(*o);
  INFO(t.line());
  CHECK(t.wrong == 0);
  CHECK(share(t.solved, t.epochs) > 0.93); // the last half minute has no base after it
  CHECK(share(t.in95, t.fixed) > 0.75);
  CHECK(o->solution->track.interval == Approx(1));
}

TEST_CASE("without the noise of interpolation the same tracks believe too much of a slow base", "[statistics]") {
  TrackTally counted, left_out;
  TrackExperiment without;
  without.solve.interpolation_noise = false;
  for (std::uint64_t seed : {601, 602, 603}) {
    counted.add(*run_track(shorter("slow base", 10), seed));
    left_out.add(*run_track(shorter("slow base", 10), seed, without));
  }
  const auto nse = [](const TrackTally &t) { return t.nse / static_cast<double>(t.fixed); };
  CAPTURE(nse(counted), nse(left_out));
  CHECK(nse(left_out) > 1.12 * nse(counted)); // of sixty whole tracks: 1.26 and 0.98
}

TEST_CASE("the way back takes a tenth off the heights and fixes the beginning", "[statistics]") {
  TrackTally both, forward;
  TrackExperiment one_way;
  one_way.solve.backward = false;
  for (std::uint64_t seed = 5001; seed < 5013; ++seed) {
    both.add(*run_track(shorter("vehicle", 5), seed));
    forward.add(*run_track(shorter("vehicle", 5), seed, one_way));
  }
  const auto up = [](const TrackTally &t) { return std::sqrt(t.square.z() / static_cast<double>(t.fixed)); };
  CAPTURE(up(both), up(forward));
  CHECK(up(forward) > 1.1 * up(both)); // of sixty whole tracks: 12.9 and 10.7 mm
  CHECK(both.fixed == both.epochs);
  CHECK(forward.fixed < forward.epochs);
  CHECK(both.wrong + forward.wrong == 0);
}

TEST_CASE("the order of satellites in the file and the number of threads change no bit") {
  const TrackStratum s = shorter("vehicle", 2);
  const auto a = run_track(s, 21), b = run_track(s, 21);
  const auto &x = a->solution->track.epochs, &y = b->solution->track.epochs;
  REQUIRE(x.size() == y.size());
  for (std::size_t i = 0; i < x.size(); ++i) {
    REQUIRE((x[i].position - y[i].position).norm() == 0);
    REQUIRE((x[i].cov - y[i].cov).norm() == 0);
  }
}

TEST_CASE("whole numbers of both directions are put together, and dropped where they differ") {
  const std::vector<CarrierArc> arcs{arc(1), arc(2), arc(3), arc(4), arc(5)};
  Relations f(5), b(5);
  // Forward: 1 2 3 4; backward: 2 3 4 5, counted from another one.
  for (int i = 0; i < 4; ++i) f[static_cast<std::size_t>(i)] = {7, 10 + i, false};
  for (int i = 1; i < 5; ++i) b[static_cast<std::size_t>(i)] = {2, 3 + i, false};
  int contradicted = 0;
  SECTION("they agree: one component of all five") {
    const Relations r = reconcile(arcs, f, b, contradicted);
    CHECK(contradicted == 0);
    for (std::size_t i = 1; i < 5; ++i) {
      CHECK(r[i].component == r[0].component);
      CHECK(r[i].cycles - r[0].cycles == static_cast<std::int64_t>(i));
    }
  }
  SECTION("one arc differs: it stays real, the others stand") {
    b[2].cycles += 3;
    const Relations r = reconcile(arcs, f, b, contradicted);
    CHECK(contradicted == 1);
    CHECK(r[2].component == -1);
    CHECK(r[4].cycles - r[0].cycles == 4);
  }
  SECTION("two against two: nobody is believed") {
    f[0] = {}, b[4] = {}, f[3] = {}, b[3] = {};
    b[2].cycles += 1;
    const Relations r = reconcile(arcs, f, b, contradicted);
    CHECK(contradicted == 2);
    for (const ArcRelation &x : r) CHECK(x.component == -1);
  }
  SECTION("what one direction accepted once, as the arc ended, waits for the other") {
    f[0].weak = true;
    CHECK(reconcile(arcs, f, b, contradicted)[0].component == -1);
    b[0] = {2, 3, false};
    CHECK(reconcile(arcs, f, b, contradicted)[0].component >= 0);
  }
}

TEST_CASE("leading over a gap: the error of the middle is that of the acceleration that was measured") {
  // A random walk of the velocity, 1 Hz; gaps of ten seconds are led over (variance q T³/192 in the middle).
  sky::Random r(3, "bridges");
  KinematicTrack t;
  t.interval = 1;
  Vec3 v = Vec3::Zero(), p = Vec3(4e6, 1e6, 4.8e6);
  std::vector<Vec3> truth;
  const GpsTime start = gps_time(2400, 100000);
  for (int i = 0; i < 6000; ++i) {
    TrackEpoch e;
    e.time = start + i, e.state = i % 60 < 50 ? TrackState::fixed : TrackState::none;
    e.position = e.state == TrackState::fixed ? p : Vec3(Vec3::Zero());
    e.cov = Mat3::Identity() * 1e-8;
    t.epochs.push_back(e);
    truth.push_back(p);
    // Twenty small steps a second.
    for (int k = 0; k < 20; ++k) v += 0.3 * std::sqrt(0.05) * Vec3(r.normal(), r.normal(), r.normal()), p += 0.05 * v;
  }
  bridge_gaps(t);
  double squares = 0;
  int n = 0;
  for (std::size_t i = 55; i + 60 < t.epochs.size(); i += 60) {
    REQUIRE(t.epochs[i].bridged);
    const Vec3 off = t.epochs[i].position - truth[i];
    squares += off.dot(t.epochs[i].cov.inverse() * off) / 3, ++n;
  }
  CHECK(n == 99);
  CHECK(squares / n == Approx(1).margin(0.25));
}

TEST_CASE("an antenna that stood shows no movement; one that walked shows when") {
  TrackStratum s = shorter("foot", 6);
  const auto o = run_track(s, 9);
  const Progress progress;
  CHECK(find_movement(o->base).empty());
  // The moving one, reduced as if it stood where it began.
  AntennaSetup antenna;
  const OccupationModel still =
      model_occupation(o->judged.file("CAR", "s"), *o->orbits, o->rover.marker, antenna, {}, progress);
  const auto spans = find_movement(still);
  REQUIRE_FALSE(spans.empty());
  const GpsTime start = o->scenario.sessions[1].start;
  CHECK(std::abs(spans.front().from - (start + 10)) < 4); // it stood ten seconds before it went
  CHECK(moving_share(still, spans).moved_s > 0.5 * 6 * 60);
}

TEST_CASE("seconds of data between two receivers that stand make a fixed vector, or say why not") {
  sky::Scenario c = scenario_of(stratum("short"), 31, 1);
  c.sessions[0].hours = 24.0 / 3600, c.sessions[0].interval = 1;
  c.systems = "GREC";
  const Judged j = judge(c);
  const BroadcastOrbits orbits(j.campaign.navigation);
  const Progress progress;
  std::map<std::string, OccupationModel> models;
  for (const sky::Setup &u : c.sessions[0].setups) {
    AntennaSetup a;
    a.arp_offset_enu = {0, 0, u.height};
    a.calibration = &j.antennas.at(u.antenna);
    const Vec3 off = u.mark == "BASE" ? Vec3(0, 0, 0) : Vec3(0.4, -0.2, 0.3);
    models[u.mark] = model_occupation(j.file(u.mark, "s"), orbits, j.marker.at(u.mark + "/s") + off, a, {}, progress);
  }
  const OccupationModel &base = models.at("BASE"), &rover = models.at("R1");
  CHECK(common_span(base, rover) == Approx(23));
  const StaticVector v = solve_short(base, rover, orbits, {}, {}, progress);
  const Mat3 axes = local_axes(to_geodetic(base.marker));
  const Vec3 error = axes * (v.d - (j.marker.at("R1/s") - j.marker.at("BASE/s")));
  INFO(error.transpose());
  CHECK(v.solution == Solution::fixed);
  CHECK(v.epochs == 24);
  CHECK(error.head<2>().norm() < 0.02);
  const Mat3 cov = axes * v.cov * axes.transpose() + Mat3(Vec3(2e-6, 2e-6, 2e-6).asDiagonal());
  CHECK(error.dot(cov.inverse() * error) < 16.3); // chi-squared, three degrees, 0.001
  OccupationModel one = rover;
  one.epochs.resize(1);
  CHECK_THROWS_WITH(solve_short(base, one, orbits, {}, {}, progress), Catch::Contains("1 epochs"));
}

TEST_CASE("two that share no time say which times they have") {
  const auto o = run_track(shorter("vehicle", 2), 8);
  OccupationModel later = o->rover;
  for (ModelledEpoch &e : later.epochs) e.time = e.time + 7200;
  CHECK_THROWS_WITH(solve_kinematic(o->base, later, *o->orbits, {}, {}, Progress()), Catch::Contains("share no time"));
}

TEST_CASE("new messages of all satellites at one epoch are no step of the antenna") {
  // From a quarter to three to a quarter past: at three every satellite's next message is the nearer one.
  for (std::uint64_t seed : {41, 42, 43}) {
    sky::Scenario c = scenario_of(stratum("short"), seed, 1);
    c.start = c.sessions[0].start = gps_time(Calendar{2026, 5, 12, 14, 45, 0});
    c.sessions[0].hours = 0.5, c.sessions[0].interval = 1;
    const Judged j = judge(c);
    const BroadcastOrbits orbits(j.campaign.navigation);
    const OccupationModel m = model_occupation(j.file("R1", "s"), orbits, j.marker.at("R1/s"), {}, {}, Progress());
    CHECK(find_movement(m).empty());
  }
}

TEST_CASE("steps of carriers: the way gone is found, slips stand out, what nothing controls is not believed") {
  sky::Random r(17, "steps");
  std::vector<CarrierStep> steps;
  const Vec3 way(3.1, -7.4, 0.6);
  const double clocks[2] = {120.5, -4.25};
  for (int i = 0; i < 16; ++i) {
    const double az = r.uniform(0, 6.28), el = r.uniform(0.2, 1.4);
    const Vec3 unit(std::cos(el) * std::sin(az), std::cos(el) * std::cos(az), std::sin(el));
    const int system = i % 2;
    steps.push_back({unit, system, -unit.dot(way) + clocks[system] + 0.002 * r.normal(), 0.066});
  }
  SECTION("clean") {
    const StepFit f = fit_steps(steps);
    REQUIRE(f.told);
    CHECK((f.way - way).norm() < 0.01);
    CHECK(std::count(f.jumped.begin(), f.jumped.end(), true) == 0);
    CHECK(f.rms < 0.004);
  }
  SECTION("five of sixteen slipped by one to forty cycles") {
    for (std::size_t i : {1U, 4U, 7U, 10U, 13U}) steps[i].y += 0.19 * std::ceil(r.uniform(0, 40)) * (i % 4 ? 1 : -1);
    const StepFit f = fit_steps(steps);
    REQUIRE(f.told);
    for (std::size_t i = 0; i < steps.size(); ++i)
      CHECK(f.jumped[i] == (i == 1 || i == 4 || i == 7 || i == 10 || i == 13));
    CHECK((f.way - way).norm() < 0.01);
  }
  SECTION("one satellite of a third system is alone with its clock") {
    steps.push_back({Vec3(0, 0, 1), 2, 55.0, 0.066});
    const StepFit f = fit_steps(steps);
    REQUIRE(f.told);
    CHECK(f.jumped.back());
  }
  SECTION("six steps for five unknowns tell nothing") {
    steps.resize(6);
    CHECK_FALSE(fit_steps(steps).told);
    CHECK_FALSE(fit_steps({}).told);
  }
}
