// Files that end early, and files that were made to fill the memory.
#include "base/error.h"
#include "base/text.h"
#include "formats/gnss_data.h"
#include "formats/hatanaka.h"
#include "formats/ionex.h"
#include "formats/recognise.h"
#include "formats/rinex_observation.h"
#include "support/header_line.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;
using testing::header_line;

namespace {
std::string header(const std::string &types = "G    2 C1C L1C") {
  return header_line("     3.04           OBSERVATION DATA    G", "RINEX VERSION / TYPE") +
         header_line("PN1", "MARKER NAME") + header_line(types, "SYS / # / OBS TYPES") +
         header_line("", "END OF HEADER");
}
std::string epoch(int second, int satellites) {
  std::string out = fmt::format("> 2026 05 12 08 00 {:2}.0000000  0{:3}\n", second, satellites);
  for (int i = 1; i <= satellites; ++i) out += fmt::format("G{:02}{:14.3f} 7{:14.3f} 7\n", i, 2.1e7 + i, 1.1e8 + i);
  return out;
}
} // namespace

TEST_CASE("a file cut off anywhere gives its whole epochs and says what is missing") {
  const std::string head = header(), first = epoch(0, 3), whole = head + first + epoch(15, 3);
  CHECK(read_rinex_observation(whole).cut_off.empty());
  for (std::size_t end = head.size() + first.size() + 1; end < whole.size() - 3; ++end) {
    INFO(end);
    const ObservationFile f = read_rinex_observation(whole.substr(0, end));
    REQUIRE(f.epochs.size() == 1);
    CHECK(f.records.size() == 3);
    CHECK(f.values.size() == 6);
    CHECK_FALSE(f.cut_off.empty());
  }
  // Without its last line end a file is whole; flags that are missing there cannot be told from flags never set.
  CHECK(read_rinex_observation(whole.substr(0, whole.size() - 1)).epochs.size() == 2);
  // What is wrong before the end stays an error.
  std::string broken = whole;
  broken.replace(head.size() + first.size(), 1, "?");
  CHECK_THROWS_AS(read_rinex_observation(broken), InputError);
  CHECK_THROWS_WITH(read_rinex_observation(head + "> 2026"), Contains("no observations"));
}

TEST_CASE("the same for RINEX 2 and for the compact form") {
  const std::string head2 = header_line("     2.11           OBSERVATION DATA    G", "RINEX VERSION / TYPE") +
                            header_line("PN1", "MARKER NAME") +
                            header_line("     2    C1    L1", "# / TYPES OF OBSERV") + header_line("", "END OF HEADER");
  std::string text = head2;
  for (int s : {0, 15})
    text += fmt::format(" 26  5 12  8  0 {:2}.0000000  0  2G01G02\n{:14.3f}  {:14.3f}\n{:14.3f}  {:14.3f}\n", s, 2.1e7,
                        1.1e8, 2.2e7, 1.2e8);
  for (std::size_t cut : {3, 9, 20, 34, 40, 50}) {
    const ObservationFile f = read_rinex_observation(text.substr(0, text.size() - cut));
    INFO(cut);
    CHECK(f.epochs.size() == 1);
    CHECK_FALSE(f.cut_off.empty());
  }
  const std::string compact = header_line("3.0                 COMPACT RINEX FORMAT", "CRINEX VERS   / TYPE") +
                              header_line("x", "CRINEX PROG / DATE") + header("G    1 C1C") +
                              "> 2026 05 12 08 00  0.0000000  0  1      G01\n\n3&21000001000\n" +
                              "                   15\n\n1000\n" + "                   30\n";
  const ObservationFile f = read_rinex_observation(expand_hatanaka(compact));
  CHECK(f.epochs.size() == 2);
  CHECK_FALSE(f.cut_off.empty());
}

TEST_CASE("headers that promise what the file cannot hold are refused") {
  // 31 kB of IONEX asked for 5.8 GB.
  std::string ionex = header_line("     1.0            IONOSPHERE MAPS     GPS", "IONEX VERSION / TYPE") +
                      header_line("    90 -90.-0.1", "x");
  ionex = header_line("     1.0            IONOSPHERE MAPS     GPS", "IONEX VERSION / TYPE") +
          header_line("    90.0 -90.0  -0.1", "LAT1 / LAT2 / DLAT") +
          header_line("  -180.0 180.0   0.2", "LON1 / LON2 / DLON") + header_line("", "END OF HEADER");
  for (int i = 0; i < 400; ++i) ionex += header_line(fmt::format("{:6}", i), "START OF TEC MAP");
  CHECK_THROWS_WITH(read_ionex(ionex), Contains("larger than what the file holds"));

  // Many types and lines with nothing on them: 59 kB ended in bad_alloc.
  std::string types = "G  200";
  std::string head = header_line("     3.04           OBSERVATION DATA    G", "RINEX VERSION / TYPE");
  for (int line = 0, n = 0; n < 200; ++line) {
    std::string t = line ? "      " : types;
    for (int k = 0; k < 13 && n < 200; ++k, ++n) t += fmt::format(" C{}{}", n % 10, static_cast<char>('A' + n / 10));
    head += header_line(t, "SYS / # / OBS TYPES");
  }
  head += header_line("", "END OF HEADER");
  std::string bomb = head;
  for (int e = 0; e < 200; ++e) {
    bomb += fmt::format("> 2026 05 12 {:02} {:02} {:2}.0000000  0{:3}\n", e / 60, e % 60, 0, 99);
    for (int s = 1; s <= 99; ++s) bomb += fmt::format("G{:02}\n", s);
  }
  CHECK_THROWS_WITH(read_rinex_observations(bomb), Contains("promises far more"));
}
