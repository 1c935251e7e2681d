// Properties of the readers and writers over random content.
#include "base/text.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/sp3.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

TEST_CASE("any observation file survives writing and reading") {
  std::mt19937_64 random(77);
  auto pick = [&](std::uint64_t n) { return random() % n; };
  for (int k = 0; k < 60; ++k) {
    ObservationFile f;
    f.marker = "M" + std::to_string(pick(1000));
    f.antenna = pick(2) ? "TESSEL T4       NONE" : "QUILLON RING9   QDME";
    f.receiver = "STANDIN R" + std::to_string(pick(9));
    f.approximate = {4283000.0 + static_cast<double>(pick(1000)), 1058000, 4590000};
    f.delta_hen = {static_cast<double>(pick(20000)) / 10000, 0, 0};
    if (pick(2)) f.interval = 15;
    const char *codes[] = {"C1C", "L1C", "D1C", "S1C", "C2W", "L2W", "S2W", "C5Q",
                           "L5Q", "S5Q", "C7Q", "L7Q", "C1X", "L1X", "S1X", "C8Q"};
    for (char s : {'G', 'E', 'R'})
      for (std::size_t i = 0; i < 1 + pick(16); ++i) f.types[s].push_back(codes[i]);
    GpsTime t = gps_time(Calendar{2026, 5, 12, 23, 59, 0});
    for (std::size_t e = 0; e < 1 + pick(12); ++e) {
      ObservationEpoch epoch;
      t = t + (1 + static_cast<double>(pick(30)));
      epoch.time = t;
      epoch.flag = static_cast<std::uint8_t>(pick(10) == 0);
      epoch.first = static_cast<std::uint32_t>(f.records.size());
      epoch.count = static_cast<std::uint32_t>(pick(9));
      for (std::uint32_t i = 0; i < epoch.count; ++i) {
        const char s = "GER"[pick(3)];
        f.records.push_back({{s, static_cast<std::uint8_t>(1 + pick(36))},
                             static_cast<std::uint16_t>(f.types.at(s).size()),
                             static_cast<std::uint32_t>(f.values.size())});
        for (std::size_t c = 0; c < f.types[s].size(); ++c) {
          Observable o;
          if (pick(5)) {
            o.value = static_cast<double>(static_cast<std::int64_t>(pick(260000000000)) - 9000000) / 1000;
            o.lli = static_cast<std::uint8_t>(pick(4));
            o.strength = static_cast<std::uint8_t>(pick(10));
          }
          f.values.push_back(o);
        }
      }
      f.epochs.push_back(epoch);
    }
    const std::string text = write_rinex_observation(f);
    const ObservationFile g = read_rinex_observation(text);
    REQUIRE(g.epochs.size() == f.epochs.size());
    REQUIRE(g.values.size() == f.values.size());
    bool same = g.types == f.types && g.marker == f.marker && g.antenna == f.antenna &&
                g.delta_hen.isApprox(f.delta_hen, 1e-12);
    for (std::size_t i = 0; i < f.values.size(); ++i)
      same = same && g.values[i].value == f.values[i].value && g.values[i].lli == f.values[i].lli &&
             g.values[i].strength == f.values[i].strength;
    for (std::size_t i = 0; i < f.epochs.size(); ++i)
      same = same && g.epochs[i].time == f.epochs[i].time && g.epochs[i].flag == f.epochs[i].flag;
    for (std::size_t i = 0; i < f.records.size(); ++i) same = same && g.records[i].sat == f.records[i].sat;
    CHECK(same);
    CHECK(write_rinex_observation(g) == text);
  }
}

TEST_CASE("any ephemeris survives writing and reading") {
  std::mt19937_64 random(78);
  std::uniform_real_distribution<double> u(-1, 1);
  NavigationFile f;
  for (int k = 0; k < 40; ++k) {
    Ephemeris e;
    e.sat = {k % 2 ? 'G' : 'E', static_cast<std::uint8_t>(1 + k % 30)};
    e.toe = e.toc = gps_time(2418, 7200 + 600 * k);
    e.transmitted = e.toe + -1800.0;
    e.af0 = 1e-4 * u(random), e.af1 = 1e-12 * u(random);
    e.crs = 100 * u(random), e.delta_n = 5e-9 * u(random), e.m0 = 3 * u(random), e.cuc = 1e-6 * u(random),
    e.ecc = 0.01 * std::abs(u(random)), e.cus = 1e-6 * u(random);
    e.sqrt_a = 5153 + u(random), e.cic = 1e-7 * u(random), e.omega0 = 3 * u(random), e.cis = 1e-7 * u(random),
    e.i0 = 0.95 + 0.01 * u(random), e.crc = 200 * u(random), e.omega = 3 * u(random);
    e.omega_dot = -8e-9, e.idot = 1e-10 * u(random), e.iode = k, e.source = k % 2 ? 1 : 258, e.accuracy = 2.0,
    e.group_delay = 5e-9 * u(random);
    f.ephemerides.push_back(e);
  }
  const NavigationFile g = read_rinex_navigation(write_rinex_navigation(f));
  REQUIRE(g.ephemerides.size() == f.ephemerides.size());
  for (std::size_t i = 0; i < f.ephemerides.size(); ++i) {
    const Ephemeris &a = f.ephemerides[i], &b = g.ephemerides[i];
    CHECK(a.sat == b.sat);
    CHECK(a.toe == b.toe);
    CHECK(a.toc == b.toc);
    CHECK(a.transmitted == b.transmitted);
    CHECK(a.source == b.source);
    for (auto m : {&Ephemeris::af0, &Ephemeris::crs, &Ephemeris::m0, &Ephemeris::ecc, &Ephemeris::sqrt_a,
                   &Ephemeris::omega0, &Ephemeris::i0, &Ephemeris::idot, &Ephemeris::group_delay})
      CHECK(b.*m == Approx(a.*m).epsilon(1e-11).margin(1e-25));
  }
}

TEST_CASE("events and comments inside a file are stepped over") {
  ObservationFile f;
  f.types['G'] = {"C1C"};
  f.epochs.push_back({gps_time(Calendar{2026, 5, 12, 8, 0, 0}), 0, 0, 1, 0});
  f.records.push_back({{'G', 5}, 1, 0});
  f.values.push_back({2.2e7, 0, 0});
  std::string text = write_rinex_observation(f);
  text += "> 2026 05 12 08 00 10.0000000  4  2\n" + std::string("a remark of the crew") + std::string(40, ' ') +
          "COMMENT\nanother one\n";
  text += "> 2026 05 12 08 00 15.0000000  0  1\nG05  22000001.000\n";
  const ObservationFile g = read_rinex_observation(text);
  CHECK(g.epochs.size() == 2);
  CHECK(g.event_records == 2);
  CHECK(nominal_interval(g) == 15);
}
