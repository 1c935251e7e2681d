#include "support/strata.h"
#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include "sky/random.h"
#include <Eigen/Dense>
#include <cstdio>
#include <fmt/format.h>

namespace ampletie::testing {

const std::vector<Stratum> &strata() {
  static const std::vector<Stratum> all{
      {"short", "GE", 500, 10e3, 100, 1, 30},
      {"steep", "GE", 1000, 10e3, 900, 1, 30},
      {"rapid", "GE", 2000, 3000, 100, 8.0 / 60, 5},
      {"regional", "GREC", 15e3, 60e3, 400, 3, 30},
      {"long", "G", 130e3, 450e3, 600, 4, 30, true},
      {"obstructed", "GREC", 1000, 6000, 200, 40.0 / 60, 15, false, true},
      {"three", "GREC", 500, 20e3, 300, 0.5, 30, false, false, true},
  };
  return all;
}

const Stratum &stratum(const std::string &name) {
  for (const Stratum &s : strata())
    if (s.name == name) return s;
  throw std::runtime_error("no such stratum: " + name);
}

sky::Scenario scenario_of(const Stratum &s, std::uint64_t seed, int rovers) {
  sky::Random place(seed, "places of " + s.name);
  sky::Scenario c;
  c.seed = seed;
  c.start = gps_time(Calendar{2026, 5, 12, 0, 0, 0}) + 1800.0 * static_cast<double>(place.integer(0, 46));
  c.systems = s.systems;
  c.third_frequency = s.third_frequency;
  c.ionosphere_tecu = place.uniform(8, 25);
  c.noise.gradient = s.length_to > 30e3 ? 0.0003 : 0;
  if (s.obstructed) {
    c.noise.slips_per_hour = 4;
    c.noise.gaps_per_hour = 4;
    c.noise.phase_multipath = 0.007;
    c.noise.code_multipath = 1.5;
  }
  sky::AntennaType a, b;
  a.type = "QUILLON RING9   QDME";
  a.bands = {{"G01", {0.0006, -0.0004, 0.0884}, -0.0025, 0.0031, 0.001},
             {"G02", {-0.0003, 0.0005, 0.0861}, -0.0019, 0.0024, 0.0008}};
  b.type = "TESSEL T4       NONE";
  b.bands = {{"G01", {0.0011, 0.0007, 0.0536}, -0.0048, 0.0046, 0.0014},
             {"G02", {-0.0008, 0.0012, 0.0449}, -0.0036, 0.0035, 0.0011}};
  c.antennas = {a, b};
  sky::Mark base;
  base.name = "BASE";
  base.lat = place.uniform(40, 55), base.lon = place.uniform(-5, 25), base.h = place.uniform(100, 1200);
  c.marks.push_back(base);
  sky::Session session;
  session.name = "s";
  session.start = c.start, session.hours = s.hours, session.interval = s.interval;
  auto obstruct = [&](sky::Mark &m, bool heavy) {
    if (!s.obstructed) return;
    const double at = place.uniform(0, 360);
    m.obstructions.push_back({at, at + (heavy ? 140 : 60), heavy ? 40.0 : 25.0});
    m.obstructions.push_back({at + 180, at + 250, heavy ? 30.0 : 15.0});
  };
  obstruct(c.marks.back(), false);
  session.setups.push_back({"BASE", "STANDIN R4", a.type, "A1", Vec3::Zero(), 1.2, 1.2});
  for (int k = 1; k <= rovers; ++k) {
    sky::Mark m;
    m.name = fmt::format("R{}", k);
    const double d = place.uniform(s.length_from, s.length_to), az = place.uniform(0, 2 * pi);
    m.lat = base.lat + degrees(d * std::cos(az) / 6.37e6);
    m.lon = base.lon + degrees(d * std::sin(az) / 6.37e6 / std::cos(radians(base.lat)));
    m.h = base.h + place.uniform(-1, 1) * s.height_range;
    if (m.h < 20) m.h = 2 * base.h - m.h;
    obstruct(m, true);
    c.marks.push_back(m);
    const double h = place.uniform(0.3, 1.8);
    session.setups.push_back({m.name, "STANDIN R4", b.type, fmt::format("B{}", k), Vec3::Zero(), h, h});
  }
  c.sessions = {session};
  return c;
}

void Tally::add(const Outcome &o) {
  ++vectors;
  fixed += o.vector.solution == Solution::fixed;
  partly += o.vector.solution == Solution::partly_fixed;
  accepted += o.vector.integers.values.size() > 0;
  wrong += o.wrong > 0;
  square += o.error_enu.cwiseAbs2();
  printed += o.cov_enu.diagonal();
  const double q = o.error_enu.dot(o.cov_enu.inverse() * o.error_enu);
  const double plan =
      o.error_enu.head<2>().dot(Eigen::Matrix2d(o.cov_enu.topLeftCorner<2, 2>().inverse()) * o.error_enu.head<2>());
  const double up = o.error_enu.z() * o.error_enu.z() / o.cov_enu(2, 2);
  own_plan += o.own_error_enu.head<2>().dot(Eigen::Matrix2d(o.own_cov_enu.topLeftCorner<2, 2>().inverse()) *
                                            o.own_error_enu.head<2>()) /
              2;
  own_up += o.own_error_enu.z() * o.own_error_enu.z() / o.own_cov_enu(2, 2);
  nse += q / 3, nse_plan += plan / 2, nse_up += up;
  // Quantiles of chi-squared with 3, 2 and 1 degrees of freedom.
  in50 += q < 2.366, in95 += q < 7.815, in99 += q < 11.345;
  plan95 += plan < 5.991, up95 += up < 3.841;
  worst_plan = std::max(worst_plan, o.error_enu.head<2>().norm());
  worst_up = std::max(worst_up, std::abs(o.error_enu.z()));
  fit += o.vector.model_fit, noise += o.vector.noise_ratio, slow += o.vector.slow_share,
      share += o.vector.noise.diffuse_share;
}

std::string Tally::line() const {
  const double n = std::max(1, vectors);
  const Vec3 r = 1000 * rms(), p = 1000 * (printed / n).cwiseSqrt();
  return fmt::format(
      "{} vectors: fixed {:.1f} %, partly {:.1f} %, wrong {} of {}; rms E {:.1f} N {:.1f} U {:.1f} mm, "
      "printed {:.1f} {:.1f} {:.1f}, worst {:.0f}/{:.0f}; NSE {:.2f} (plan {:.2f} up {:.2f}; own {:.2f} {:.2f}); "
      "inside "
      "50/95/99: {:.1f} {:.1f} {:.1f}, plan 95 {:.1f}, up 95 {:.1f}; fit {:.2f} noise {:.2f} lasting seen {:.2f} taken "
      "{:.2f}",
      vectors, 100 * fixed / n, 100 * partly / n, wrong, accepted, r.x(), r.y(), r.z(), p.x(), p.y(), p.z(),
      1000 * worst_plan, 1000 * worst_up, nse / n, nse_plan / n, nse_up / n, own_plan / n, own_up / n, 100 * in50 / n,
      100 * in95 / n, 100 * in99 / n, 100 * plan95 / n, 100 * up95 / n, fit / n, noise / n, slow / n, share / n);
}

Tally run_stratum(const Stratum &s, std::uint64_t first, int count, const Experiment &given, bool talk, int rovers,
                  bool dump) {
  Tally t;
  Experiment e = given;
  e.precise = s.precise;
  for (int k = 0; k < count; ++k) {
    sky::Scenario c = scenario_of(s, first + static_cast<std::uint64_t>(k), rovers);
    c.noise.multipath_lasting = e.noise.multipath_lasting;
    c.noise.ionosphere_unevenness = e.noise.ionosphere_unevenness;
    c.noise.zenith_delay = e.noise.zenith_delay;
    const Judged j = judge(c);
    for (const Outcome &o : solve_all(j, c, e, s.length_to, s.length_from)) {
      t.add(o);
      if (talk && o.wrong) {
        for (const SlipRepair &r : o.vector.repairs)
          std::printf("    repaired %s band %d at %s by %lld\n", r.sat.name().c_str(), r.band, iso(r.time).c_str(),
                      static_cast<long long>(r.cycles));
        for (const FixingStep &f : o.vector.story)
          std::printf("    %d of %d open fixed, ratio %.1f, success %.6f\n", f.accepted, f.tried, f.ratio, f.success);
        for (const std::string &n : o.vector.notes) std::printf("    %s\n", n.c_str());
        for (const CarrierArc &a : o.vector.arcs)
          std::printf("    %s %s %s to %s\n", a.sat.name().c_str(), a.signal.c_str(), iso(a.first).c_str(),
                      iso(a.last).c_str());
      }
      if (dump)
        std::printf("dump %llu %.0f %.0f %.5f %.5f %.5f %.4f %.4f %.4f %d %.3f %.3f %.5f %.3f %.3f %.2f\n",
                    static_cast<unsigned long long>(c.seed), o.length, c.marks[1].h - c.marks[0].h,
                    1000 * o.own_error_enu.x(), 1000 * o.own_error_enu.y(), 1000 * o.own_error_enu.z(),
                    1e6 * o.own_cov_enu(0, 0), 1e6 * o.own_cov_enu(1, 1), 1e6 * o.own_cov_enu(2, 2),
                    static_cast<int>(o.vector.solution), o.vector.noise_ratio, o.vector.slow_share,
                    1000 * o.vector.noise.phase_multipath, o.vector.noise.diffuse_share, o.vector.ionosphere_ratio,
                    o.vector.noise.ionosphere_ppm);
      if (talk && (o.wrong || o.vector.solution != Solution::fixed))
        std::printf(
            "  seed %llu %s-%s %.1f km %s wrong %d ratio %.1f success %.6f error %.1f %.1f %.1f mm sd %.1f %.1f %.1f\n",
            static_cast<unsigned long long>(c.seed), o.base.c_str(), o.rover.c_str(), o.length / 1000,
            solution_name(o.vector.solution).c_str(), o.wrong, o.vector.ratio, o.vector.success_rate,
            1000 * o.error_enu.x(), 1000 * o.error_enu.y(), 1000 * o.error_enu.z(), 1000 * std::sqrt(o.cov_enu(0, 0)),
            1000 * std::sqrt(o.cov_enu(1, 1)), 1000 * std::sqrt(o.cov_enu(2, 2)));
    }
  }
  return t;
}

} // namespace ampletie::testing
