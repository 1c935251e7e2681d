// A drive by the azimuths of an instrument that finds north by itself, from its list to the issued sheet. Azimuths and
// lengths are PROJ's geodesics; the instrument misses 37.5 seconds that nobody told the job.
#include "base/angle.h"
#include "support/test_job.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <geodesic.h>
#include <random>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct GyroDrive {
  static constexpr double missing_s = 37.5;
  TemporaryFolder folder;
  Job job = Job::create(folder / "g.tie", demo_settings());
  std::map<std::string, Geodetic> places;
  std::mt19937_64 random{11};
  std::normal_distribution<double> normal;
  geod_geodesic earth;

  GyroDrive() {
    geod_init(&earth, grs80.a, grs80.f);
    places["P0"] = {radians(46.21), radians(13.78), 700};
    go("P0", "P1", 301, 540, 4);
    std::string at = "P1";
    for (int i = 1; i <= 5; ++i) {
      const std::string next = "T" + std::to_string(i);
      go(at, next, 296 + 3 * i, 170, 0.9);
      at = next;
    }
  }
  void go(const std::string &from, const std::string &to, double azimuth, double d, double up) {
    const Geodetic &g = places.at(from);
    double lat = 0, lon = 0;
    geod_direct(&earth, degrees(g.lat), degrees(g.lon), azimuth, d, &lat, &lon, nullptr);
    places[to] = {radians(lat), radians(lon), g.h + up};
  }
  std::string sight(const std::string &a, const std::string &b, bool with_length) {
    const JobDatum datum(job.state().settings.datum, places.at("P0"));
    double d = 0, azimuth = 0;
    const Geodetic &p = places.at(a), &q = places.at(b);
    geod_inverse(&earth, degrees(p.lat), degrees(p.lon), degrees(q.lat), degrees(q.lon), &d, &azimuth, nullptr);
    // North as the plumb line has it (Laplace), less what the instrument misses.
    const double read =
        azimuth + degrees(datum.deflection(p).y() * std::tan(p.lat)) - missing_s / 3600 + 12 * normal(random) / 3600;
    std::string out = fmt::format("azimuth;{}-{};{:.5f};12\n", a, b, positive_angle(radians(read)) / pi * 200);
    const auto h = [&](const Geodetic &g) { return g.h - datum.geoid()->undulation(g); };
    if (with_length)
      out += fmt::format("line;{}-{};{:.4f};2;{:.4f};2\n", a, b, d * (1 + p.h / 6.371e6) + 0.002 * normal(random),
                         h(q) - h(p) + 0.002 * normal(random));
    return out;
  }
  void take() {
    std::string list = "unit;m;gon\ninstrument;NORDA 88\n";
    for (int i = 0; i < 4; ++i) list += sight("P0", "P1", false) + sight("P1", "P0", false);
    std::string at = "P1";
    for (int i = 1; i <= 5; ++i) {
      const std::string next = "T" + std::to_string(i);
      list += sight(at, next, true), at = next;
    }
    for (int i = 0; i < 2; ++i) list += sight("P0", "P1", false);
    std::string control = "mark,east,north,height,sd_e_mm,sd_n_mm,sd_u_mm\n";
    for (const char *m : {"P0", "P1"}) {
      const FullPosition p = truth(m);
      control += fmt::format("{},{:.4f},{:.4f},{:.4f},2,2,3\n", m, p.grid.east, p.grid.north, *p.height);
    }
    for (const Intake &i : job.take_bytes({{"control.csv", control}, {"gyro.txt", list}}))
      REQUIRE(i.outcome == Intake::Outcome::taken);
    for (const char *m : {"P0", "P1"}) job.decide("hold", m, {{"how", "full"}}, "published");
  }
  FullPosition truth(const std::string &mark) {
    const JobDatum datum(job.state().settings.datum, places.at("P0"));
    return datum.describe({to_cartesian(places.at(mark)), datum.frame(), datum.epoch()});
  }
  /// Of the last mark, across the drive, in its own standard deviations; and the standard deviation in m.
  std::pair<double, double> across() {
    adjust(job);
    for (const AdjustedMark &m : job.network()->result.marks)
      if (m.name == "T5") {
        const Vec3 d = local_axes(to_geodetic(m.position.xyz)) * (m.position.xyz - to_cartesian(places.at("T5")));
        const double az = radians(306);
        const Eigen::Vector2d right(std::cos(az), -std::sin(az));
        const double sd = std::sqrt(right.dot(m.cov_enu.topLeftCorner<2, 2>() * right));
        return {right.dot(d.head<2>()) / sd, sd};
      }
    throw std::runtime_error("T5 is not in the network");
  }
};
} // namespace

TEST_CASE("a drive by a gyro's azimuths: its constant comes from the known line, and nobody is asked about angles") {
  GyroDrive d;
  d.take();
  // Without a word about its constant the readings on the known line contradict the marks.
  d.across();
  CHECK_FALSE(d.job.network()->result.adjustment.passes);
  d.job.decide("set", "instrument:NORDA 88", {{"azimuth-constant-sd", 3600}}, "");
  const auto [off, sd] = d.across();
  CHECK(std::abs(off) < 3);
  CHECK(sd < 0.05);
  const NetworkResult &r = d.job.network()->result;
  CHECK(r.adjustment.passes);
  REQUIRE(r.azimuth_constants.count("NORDA 88"));
  const auto &c = r.azimuth_constants.at("NORDA 88");
  CHECK(c.azimuths == 7); // lines of a set-up, repeated ones as one
  CHECK(std::abs(c.correction / rad_per_arcsec - GyroDrive::missing_s) < 3 * c.sd / rad_per_arcsec);
  CHECK(c.sd < 8 * rad_per_arcsec);
  for (const Doubt &x : d.job.doubts()) {
    INFO(x.id << " " << x.sentence);
    CHECK(x.kind != DoubtKind::stray_setup);
    CHECK(x.kind != DoubtKind::traverse_not_computed);
  }
  REQUIRE(d.job.snapshot()->traverses().lines.size() == 1);
  CHECK(d.job.snapshot()->traverses().lines[0].by_azimuths);
  // Typed as the card has it, the same; with the wrong sign the marks contradict it again.
  d.job.decide("set", "instrument:NORDA 88", {{"azimuth-constant", 37.5}, {"azimuth-constant-sd", 4}}, "certificate");
  const auto again = d.across();
  CHECK(std::abs(again.first) < 3);
  CHECK(d.job.network()->result.adjustment.passes);
  CHECK(again.second < sd); // the certificate tells more
  CHECK(std::abs(d.job.network()->result.azimuth_constants.at("NORDA 88").correction) < 12 * rad_per_arcsec);
  d.job.decide("set", "instrument:NORDA 88", {{"azimuth-constant", -37.5}, {"azimuth-constant-sd", 4}}, "certificate");
  d.across();
  CHECK_FALSE(d.job.network()->result.adjustment.passes);
}
