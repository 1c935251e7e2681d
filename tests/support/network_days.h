#pragma once
#include "base/text.h"
#include "base/vector.h"
#include "support/temporary_folder.h"
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <random>

namespace ampletie::testing {

struct Station {
  const char *name;
  Vec3 at, velocity; ///< m, m/yr
};
// About Santiago, in ITRF2020; velocities invented.
inline const std::vector<Station> stations{
    {"TAFA", {1770646.055, -5028022.011, -3491410.402}, {-0.0010, 0.0020, 0.0100}},
    {"TAFB", {1707863.995, -5016817.518, -3537312.273}, {-0.0020, 0.0000, 0.0120}},
    {"TAFC", {1769614.752, -4969655.585, -3574493.215}, {0.0010, 0.0010, 0.0140}},
    {"TAFD", {1697088.562, -5072063.048, -3463271.051}, {-0.0030, 0.0010, 0.0090}}};

/// A day of 2 mm in every direction, loosely constrained to rough places, with a datum a metre off.
inline std::string day(int k, double year, std::mt19937_64 &random, double jump) {
  std::normal_distribution<double> normal;
  const int doy = static_cast<int>((year - std::floor(year)) * 365) + 1;
  const std::string when = fmt::format("{:02}:{:03}:43200", static_cast<int>(year) % 100, doy);
  std::string estimate, apriori, of_estimate, of_apriori;
  const Vec3 off(normal(random), normal(random), normal(random));
  for (int i = 0; i < 12; ++i) {
    const Station &s = stations[static_cast<std::size_t>(i / 3)];
    const double rough = std::floor(s.at[i % 3]), n = 1 / 0.002 / 0.002, p = 1e-4; // weights
    const double observed =
        s.at[i % 3] + s.velocity[i % 3] * (year - 2020) + off[i % 3] + 0.002 * normal(random) + (i == 3 ? jump : 0);
    const double x = rough + n / (n + p) * (observed - rough);
    const std::string head = fmt::format(" {:5} STA{}   {}  A    1 {} m    2 ", i + 1, "XYZ"[i % 3], s.name, when);
    estimate += head + fmt::format("{:21.14E} {:.5E}\n", x, std::sqrt(1 / (n + p)));
    apriori += head + fmt::format("{:21.14E} {:.5E}\n", rough, std::sqrt(1 / p));
    of_estimate += fmt::format(" {:5} {:5} {:21.14E}\n", i + 1, i + 1, 1 / (n + p));
    of_apriori += fmt::format(" {:5} {:5} {:21.14E}\n", i + 1, i + 1, 1 / p);
  }
  return fmt::format(
      "%=SNX 2.02 OWN 24:001:00000 OWN {0} {0} P 00012 2 S\n+FILE/COMMENT\n day {1} in ITRF2020\n-FILE/COMMENT\n"
      "+SOLUTION/ESTIMATE\n{2}-SOLUTION/ESTIMATE\n+SOLUTION/APRIORI\n{3}-SOLUTION/APRIORI\n"
      "+SOLUTION/MATRIX_ESTIMATE L COVA\n{4}-SOLUTION/MATRIX_ESTIMATE L COVA\n"
      "+SOLUTION/MATRIX_APRIORI L COVA\n{5}-SOLUTION/MATRIX_APRIORI L COVA\n%ENDSNX\n",
      when, k, estimate, apriori, of_estimate, of_apriori);
}

inline std::string days(const TemporaryFolder &folder, double jump = 0) {
  const std::string out = folder / (jump == 0 ? "days" : "jumped");
  std::filesystem::create_directory(out);
  std::mt19937_64 random(4);
  for (int k = 0; k < 60; ++k)
    write_file(out + fmt::format("/d{:02}.snx", k), day(k, 2018.5 + k * 0.05, random, k >= 24 ? jump : 0));
  return out;
}

/// What is given of the first three, in their frame.
inline std::string given_of_three() {
  std::string out = "mark,x,y,z,frame,epoch,vx,vy,vz\n";
  for (int i = 0; i < 3; ++i) {
    const Station &s = stations[static_cast<std::size_t>(i)];
    out += fmt::format("{},{:.4f},{:.4f},{:.4f},ITRF2020,2020.0,{:.4f},{:.4f},{:.4f}\n", s.name, s.at.x(), s.at.y(),
                       s.at.z(), s.velocity.x(), s.velocity.y(), s.velocity.z());
  }
  return out;
}

} // namespace ampletie::testing
