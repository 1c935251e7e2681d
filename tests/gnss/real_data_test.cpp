// Logs of real receivers; where they come from is told in tests/data/real/README.md.
#include "base/angle.h"
#include "base/text.h"
#include "formats/rtcm3.h"
#include "geodesy/ellipsoid.h"
#include "gnss/model/point_position.h"
#include <catch2/catch.hpp>
#include <set>

using namespace ampletie;

namespace {
RtcmLog log_of(const std::string &name) {
  return read_rtcm3(read_file(AMPLETIE_SOURCE_DIR "/tests/data/real/" + name), date_in_name(name));
}
constexpr double light = 299792458.0;

/// Phases of one satellite by epoch, metres, unbroken.
std::map<SatId, std::vector<double>> phases(const ObservationFile &f, char system, const std::string &type, double hz) {
  std::map<SatId, std::vector<double>> out;
  const int index = f.type_index(system, type);
  std::size_t epochs = 0;
  for (const ObservationEpoch &e : f.epochs) {
    std::size_t before = 0;
    for (const auto &[sat, list] : out) before += list.size();
    for (std::uint32_t i = e.first; i < e.first + e.count; ++i) {
      const SatelliteRecord &r = f.records[i];
      if (r.sat.system != system) continue;
      const Observable o = f.value(r, index);
      if (o.present()) out[r.sat].push_back(o.value * light / hz);
    }
    for (const auto &[sat, list] : out) before -= list.size();
    epochs += before != 0; // epochs that carry the system at all
  }
  std::erase_if(out, [&](const auto &x) { return x.second.size() < epochs; });
  return out;
}
} // namespace

TEST_CASE("messages 1004, 1006, 1012 and 1033 as gpsd decodes them") {
  const RtcmLog log = log_of("legacy-20200124.rtcm3");
  REQUIRE(log.stations.size() == 1);
  const ObservationFile &f = log.stations[0];
  // gpsd: 1006 of station 278.
  CHECK(f.approximate.x() == Approx(-2384764.7077).margin(5e-5));
  CHECK(f.approximate.y() == Approx(-3921089.1738).margin(5e-5));
  CHECK(f.approximate.z() == Approx(4415976.0690).margin(5e-5));
  CHECK(f.epochs.size() == 33);
  CHECK(f.epochs[0].time.time_of_week() == Approx(526560)); // gpsd: tow 526560000
  // gpsd: the first record of 1004, satellite 17: range 135508.70 m in the light millisecond 68, phase less range
  // −0.0005 m; on L2 the code is 16012 − 16384 steps of 0.02 m longer, the phase −7.4905 m, both against the L1 range.
  const double range = 135508.70 + 68 * light / 1000;
  bool found = false;
  for (std::uint32_t i = f.epochs[0].first; i < f.epochs[0].first + f.epochs[0].count; ++i) {
    const SatelliteRecord &r = f.records[i];
    if (r.sat.name() != "G17") continue;
    found = true;
    CHECK(f.value(r, f.type_index('G', "C1C")).value == Approx(range).margin(1e-3));
    CHECK(f.value(r, f.type_index('G', "L1C")).value == Approx((range - 0.0005) * 1575.42e6 / light).margin(1e-3));
    CHECK(f.value(r, f.type_index('G', "S1C")).value == Approx(52.0));
    CHECK(f.value(r, f.type_index('G', "L2W")).value == Approx((range - 7.4905) * 1227.60e6 / light).margin(1e-3));
    CHECK(f.value(r, f.type_index('G', "C2W")).value == Approx(range - 372 * 0.02).margin(1e-3));
  }
  CHECK(found);
  CHECK(log.messages.at(1012) == 33);
  CHECK(log.damaged == 0);
}

TEST_CASE("MSM7: a fixed antenna's carriers, differenced over time and satellites, stand still") {
  const RtcmLog log = log_of("msm7-20191017.rtcm3");
  REQUIRE(log.stations.size() == 1);
  const ObservationFile &f = log.stations[0];
  CHECK(f.epochs.size() == 26);
  const Geodetic g = to_geodetic(f.approximate);
  CHECK(degrees(g.lat) == Approx(44.07).margin(0.1)); // where the log says it was recorded
  CHECK(degrees(g.lon) == Approx(-121.31).margin(0.1));
  // Third differences over 1 s of the difference between satellites: range, clocks and drifts are gone, noise of some
  // millimetres times √20 remains. A wrong wavelength, sign or bit would leave metres.
  int pairs = 0;
  for (auto [system, type, hz] :
       {std::tuple{'G', "L1C", 1575.42e6}, {'E', "L1C", 1575.42e6}, {'C', "L2I", 1561.098e6}}) {
    const auto p = phases(f, system, type, hz);
    for (auto a = p.begin(); a != p.end(); ++a) {
      const auto b = std::next(a);
      if (b == p.end()) break;
      double sum = 0;
      int n = 0;
      for (std::size_t k = 3; k < a->second.size(); ++k, ++n) {
        auto d = [&](std::size_t i) { return a->second[i] - b->second[i]; };
        const double third = d(k) - 3 * d(k - 1) + 3 * d(k - 2) - d(k - 3);
        sum += third * third;
      }
      INFO(a->first.name() << " " << b->first.name());
      CHECK(std::sqrt(sum / n) < 0.06);
      ++pairs;
    }
  }
  CHECK(pairs >= 8);
}

TEST_CASE("a real station: broadcast messages, code position and the carrier through time differences") {
  const RtcmLog log = log_of("mixed-20160406.rtcm3");
  REQUIRE(log.stations.size() == 1);
  ObservationFile f = log.stations[0];
  std::set<char> systems;
  for (const auto &e : log.navigation.ephemerides) systems.insert(e.sat.system);
  for (const auto &e : log.navigation.glonass) systems.insert(e.sat.system);
  CHECK(systems.count('G') == 1);
  CHECK(systems.count('R') == 1);
  CHECK(systems.count('E') == 1);
  CHECK(calendar(f.epochs[0].time).year == 2016);
  const BroadcastOrbits orbits(log.navigation);
  // The stream gives no coordinates of the station: from code alone, single epochs scatter by less than a few metres.
  const CodePosition p = code_position(f, orbits, {}, 10);
  CHECK(p.epochs == 24);
  CHECK(p.scatter_m < 4);
  const Geodetic g = to_geodetic(p.marker);
  CHECK(g.h > -50);
  CHECK(g.h < 3000);
  // Time differences of the carrier over 20 s, with the range computed from the orbits: one clock step per epoch pair
  // is common to all GPS satellites; what remains is the change of atmosphere and noise.
  const auto p1 = phases(f, 'G', "L1C", 1575.42e6);
  std::vector<double> left;
  // The log begins between two messages: its first epoch lacks GPS.
  const auto &e0 = f.epochs[3], &e1 = f.epochs[23];
  REQUIRE(p1.size() >= 5);
  for (const auto &[sat, series] : p1) {
    // Low down the path through the air changes by decimetres in this time.
    const auto there = orbits.at(sat, e0.time, e0.time);
    REQUIRE(there);
    if (direction_to(p.marker, there->position).elevation < radians(25)) continue;
    auto range = [&](GpsTime t) {
      double tau = 0.075;
      for (int k = 0; k < 4; ++k) {
        const auto s = orbits.at(sat, t + -tau, t);
        REQUIRE(s);
        const double a = 7.2921151467e-5 * tau;
        const Vec3 turned(s->position.x() + a * s->position.y(), s->position.y() - a * s->position.x(),
                          s->position.z());
        tau = (turned - p.marker).norm() / light;
        if (k == 3) return (turned - p.marker).norm() - light * s->clock;
      }
      return 0.0;
    };
    left.push_back(series[22] - series[2] - (range(e1.time) - range(e0.time)));
  }
  std::sort(left.begin(), left.end());
  REQUIRE(left.size() >= 4);
  const double median = left[left.size() / 2];
  for (double x : left) CHECK(std::abs(x - median) < 0.04);
}
