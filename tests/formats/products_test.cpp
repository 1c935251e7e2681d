// Orbit and clock products, satellite antennas, ocean loading.
#include "base/angle.h"
#include "base/error.h"
#include "formats/antex.h"
#include "formats/ocean_loading_file.h"
#include "formats/recognise.h"
#include "formats/rinex_clock.h"
#include "formats/sp3.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
std::string sp3(char version, const std::string &time_system, const std::string &sat, int epochs = 3) {
  std::string t = fmt::format("#{}P2026  5 12  0  0  0.00000000 {:7} ORBIT IGS20 FIT  SIM\n"
                              "## 2418 172800.00000000   900.00000000 61172 0.0000000000000\n",
                              version, epochs);
  if (version != 'a') t += "%c M  cc " + time_system + " ccc cccc cccc cccc cccc ccccc ccccc ccccc ccccc\n";
  for (int k = 0; k < epochs; ++k)
    t += fmt::format("*  2026  5 12  0 {:2}  0.00000000\nP{}  15000.000000 -21000.000000   3000.{:06} {:13.6f}\n",
                     15 * k, sat, k, k == 1 ? 999999.999999 : 125.5);
  return t + "EOF\n";
}
} // namespace

TEST_CASE("SP3-a without system letters; SP3-c and d in other time systems") {
  const Sp3File a = read_sp3(sp3('a', "", "  7"));
  REQUIRE(a.epochs.size() == 3);
  CHECK(a.epochs[0].position.count({'G', 7}) == 1);
  CHECK(a.epochs[0].clock.at({'G', 7}) == Approx(125.5e-6));
  CHECK(a.epochs[1].clock.empty());
  const GpsTime midnight = gps_time(Calendar{2026, 5, 12, 0, 0, 0});
  CHECK(read_sp3(sp3('d', "GPS", "G07")).epochs[0].time == midnight);
  CHECK(read_sp3(sp3('d', "BDT", "C07")).epochs[0].time - midnight == 14);  // BDS ICD: BDT = GPST − 14 s
  CHECK(read_sp3(sp3('c', "TAI", "G07")).epochs[0].time - midnight == -19); // TAI = GPST + 19 s
  CHECK(read_sp3(sp3('c', "UTC", "R07")).epochs[0].time - midnight == 18);  // IERS Bulletin C
  CHECK_THROWS_WITH(read_sp3(sp3('c', "XXX", "G07")), Contains("XXX"));
  CHECK_THROWS_WITH(read_sp3(sp3('b', "GPS", "G07")), Contains("SP3-a"));
}

TEST_CASE("RINEX clocks: satellites kept, receivers counted, both layouts") {
  for (const bool wide : {false, true}) {
    auto line = [&](std::string text, const std::string &label) {
      text.resize(wide ? 65 : 60, ' ');
      return text + label + "\n";
    };
    const std::string head =
        line(wide ? "3.04                 C                    M" : "     3.00           C                   M",
             "RINEX VERSION / TYPE") +
        line("   GPS", "TIME SYSTEM ID") + line("", "END OF HEADER");
    const std::string pad = wide ? "      " : " ";
    std::string body;
    for (int k = 0; k < 4; ++k) {
      body += fmt::format("AR PN1{}2026 05 12 00 00 {:9.6f}  1    1.000000000000E-07\n", pad, 30.0 * (k % 2));
      body += fmt::format("AS G07{}2026 05 12 00 {:02} {:9.6f}  2    {:19.12E} 2.1E-11\n", pad, k / 2, 30.0 * (k % 2),
                          1e-4 + 1e-9 * k);
    }
    CHECK(recognise(head + body).kind == FileKind::clock);
    const ClockFile f = read_rinex_clock(head + body);
    REQUIRE(f.satellites.at({'G', 7}).size() == 4);
    CHECK(f.satellites.at({'G', 7})[3].second == Approx(1e-4 + 3e-9).epsilon(1e-12));
    CHECK(f.satellites.at({'G', 7})[3].first - f.satellites.at({'G', 7})[0].first == 90);
    CHECK(f.stations == 4);
    CHECK_THROWS_WITH(read_rinex_clock(head), Contains("no satellite clocks"));
    CHECK_THROWS_WITH(read_rinex_clock(head + "AS G07 2026 05 12 00 00\n"), Contains("line 4") && Contains("cut off"));
    CHECK_THROWS_WITH(read_rinex_clock(head + "AS G07 2026 13 12 00 00 0.0 1 1.0E-4\n"), Contains("impossible"));
  }
}

TEST_CASE("satellite antennas with their spans") {
  auto line = [](std::string text, const std::string &label) {
    text.resize(60, ' ');
    return text + label + "\n";
  };
  std::string t = line("     1.4            M", "ANTEX VERSION / SYST") + line("A", "PCV TYPE / REFANT") +
                  line("", "END OF HEADER");
  for (const char *span : {"2010", "2020"}) {
    t += line("", "START OF ANTENNA") +
         line("BLOCK IIF           G07                 G062      2010-022A", "TYPE / SERIAL NO") +
         line("     0.0", "DAZI") + line("     0.0  14.0   1.0", "ZEN1 / ZEN2 / DZEN") +
         line(fmt::format("  {}     1     1     0     0    0.0000000", span), "VALID FROM");
    if (std::string(span) == "2010") t += line("  2019    12    31    23    59   59.9999999", "VALID UNTIL");
    t += line("   G01", "START OF FREQUENCY") +
         line(fmt::format("    394.00      0.00   {}.00", span), "NORTH / EAST / UP") + "   NOAZI";
    for (int k = 0; k < 15; ++k) t += fmt::format("{:8.2f}", 0.1 * k);
    t += "\n" + line("   G01", "END OF FREQUENCY") + line("", "END OF ANTENNA");
  }
  const AntexFile f = read_antex(t);
  REQUIRE(f.satellites.size() == 2);
  CHECK(f.receivers.empty());
  CHECK(f.satellites[0].sat.name() == "G07");
  CHECK(f.satellites[0].until.has_value());
  CHECK_FALSE(f.satellites[1].until.has_value());
  CHECK(f.satellites[1].antenna.frequencies.at("G01").offset_neu.z() == Approx(2.020));
  CHECK_THROWS_AS(read_antex(t.substr(0, t.size() - 200)), InputError);
}

TEST_CASE("ocean loading coefficients: names, places, refusals") {
  std::string t = "$$ Ocean loading displacement\n$$\n  ONSA\n$$ Computed by nobody\n$$ ONSA,  RADI TANG  lon/lat:   "
                  "11.9264   57.3958    0.000\n";
  for (int r = 0; r < 6; ++r) {
    t += " ";
    for (int k = 0; k < 11; ++k)
      t += r < 3 ? fmt::format(" .00{:03}", 300 - 20 * k - 50 * r) : fmt::format(" {:6.1f}", -56.0 + 10 * k);
    t += "\n";
  }
  REQUIRE(looks_like_ocean_loading(t));
  CHECK(recognise(t).kind == FileKind::ocean_loading);
  const auto list = read_ocean_loading(t + "$$\n");
  REQUIRE(list.size() == 1);
  CHECK(list[0].station == "ONSA");
  CHECK(degrees(*list[0].latitude) == Approx(57.3958));
  CHECK(list[0].amplitude[0][0] == Approx(0.003));
  CHECK(list[0].amplitude[2][1] == Approx(0.00180));
  CHECK(degrees(list[0].phase[1][10]) == Approx(44.0));
  CHECK_THROWS_WITH(read_ocean_loading(t.substr(0, t.size() - 80)), Contains("ends inside") || Contains("eleven"));
  CHECK_THROWS_WITH(read_ocean_loading("$$ nothing\n"), Contains("no stations"));
}
