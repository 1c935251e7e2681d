// Older and newer layouts, compact and compressed files, spliced files and events.
#include "base/error.h"
#include "base/text.h"
#include "formats/blocks_of_source.h"
#include "formats/hatanaka.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "support/blocks.h"
#include "support/header_line.h"
#include <archive.h>
#include <archive_entry.h>
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <optional>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;
using testing::epochs_in_words;
using testing::header_line;
using testing::same_in_blocks;

namespace {
/// Two epochs of RINEX 2.11 with fourteen satellites (the list needs a second line) and six types (two lines each).
std::string rinex2(const std::string &version = "2.11") {
  std::string t = header_line("     " + version + "           OBSERVATION DATA    M (MIXED)", "RINEX VERSION / TYPE") +
                  header_line("OLD1", "MARKER NAME") + header_line("0001", "MARKER NUMBER") +
                  header_line("12345               STANDIN R2          1.0", "REC # / TYPE / VERS") +
                  header_line("77                  TESSEL T4       NONE", "ANT # / TYPE") +
                  header_line("  4283423.7000  1058733.7000  4590937.6000", "APPROX POSITION XYZ") +
                  header_line("        1.4120        0.0000        0.0000", "ANTENNA: DELTA H/E/N") +
                  header_line("     1     1", "WAVELENGTH FACT L1/2") +
                  header_line("     6    C1    P2    L1    L2    S1    S2", "# / TYPES OF OBSERV") +
                  header_line("    30.000", "INTERVAL") +
                  header_line("  1999     9     2    17    51    0.0000000     GPS", "TIME OF FIRST OBS") +
                  header_line("a remark", "COMMENT") + header_line("", "END OF HEADER");
  for (int k = 0; k < 2; ++k) {
    std::string sats, second;
    std::string body;
    for (int i = 0; i < 14; ++i) {
      const std::string name = i < 10 ? fmt::format("G{:2d}", i + 1) : fmt::format("R{:02d}", i);
      (i < 12 ? sats : second) += name;
      const double range = 2.1e7 + 1000 * i + k;
      body += fmt::format("{:14.3f}  {:14.3f}  {:14.3f}{}7{:14.3f} 6{:14.3f}  \n", range, range + 5, range * 5.2548,
                          k == 1 && i == 3 ? '1' : ' ', range * 4.0947, 44.25);
      body += i == 13 ? "\n" : fmt::format("{:14.3f}\n", 38.5); // the last satellite's line lacks its blanks
    }
    t += fmt::format(" 99  9  2 17 51 {:10.7f}  0 14{}\n{:32}{}\n", 30.0 * k, sats, "", second) + body;
  }
  return t;
}

/// Hatanaka (2008): third differences of the values, character differences of everything else. Written from the
/// description for the test; the program reads only.
std::string compact3(const std::string &rinex) {
  std::string out = header_line("3.0                 COMPACT RINEX FORMAT", "CRINEX VERS   / TYPE") +
                    header_line("test                                    26-Nov-26 00:00", "CRINEX PROG / DATE");
  std::map<char, std::size_t> types;
  std::vector<std::string> lines;
  for (std::size_t at = 0; at < rinex.size();) {
    const auto end = rinex.find('\n', at);
    lines.push_back(rinex.substr(at, end - at));
    at = end + 1;
  }
  auto change = [](std::string before, std::string now) {
    const std::size_t n = std::max(before.size(), now.size());
    before.resize(n, ' ');
    now.resize(n, ' ');
    std::string d;
    for (std::size_t i = 0; i < n; ++i) d += now[i] == before[i] ? ' ' : now[i] == ' ' ? '&' : now[i];
    while (!d.empty() && d.back() == ' ') d.pop_back();
    return d;
  };
  struct State {
    std::vector<std::vector<std::int64_t>> history;
    std::string flags;
  };
  std::map<std::string, State> states;
  std::string before;
  std::size_t i = 0;
  for (; lines[i].find("END OF HEADER") == std::string::npos; ++i) {
    if (lines[i].find("SYS / # / OBS TYPES") != std::string::npos && lines[i][0] != ' ')
      types[lines[i][0]] = std::stoul(lines[i].substr(3, 3));
    out += lines[i] + "\n";
  }
  out += lines[i++] + "\n";
  while (i < lines.size() && !lines[i].empty()) {
    std::string epoch = lines[i++];
    const auto n = std::stoul(epoch.substr(32, 3));
    epoch.resize(41, ' ');
    for (std::size_t k = 0; k < n; ++k) epoch += lines[i + k].substr(0, 3);
    out += before.empty() ? epoch : change(before, epoch);
    out += "\n\n";
    before = epoch;
    std::map<std::string, State> present;
    for (std::size_t k = 0; k < n; ++k, ++i) {
      const std::string sat = lines[i].substr(0, 3);
      State s = states.count(sat) ? states[sat] : State{};
      const std::size_t m = types.at(sat[0]);
      s.history.resize(m);
      std::string flags, row, line = lines[i];
      line.resize(3 + 16 * m, ' ');
      for (std::size_t c = 0; c < m; ++c) {
        const std::string value = line.substr(3 + 16 * c, 14);
        flags += line.substr(17 + 16 * c, 2);
        auto &h = s.history[c];
        if (value.find_first_not_of(' ') == std::string::npos) {
          h.clear();
        } else {
          const std::int64_t v = std::llround(std::stod(value) * 1000);
          if (h.empty()) row += "3&";
          // Differences of the order that the history allows.
          std::vector<std::int64_t> d = h;
          d.push_back(v);
          const std::vector<std::int64_t> keep(d.size() > 3 ? d.end() - 3 : d.begin(), d.end());
          while (d.size() > 1)
            for (std::size_t x = 0; x + 1 < d.size() || (d.pop_back(), false); ++x) d[x] = d[x + 1] - d[x];
          row += std::to_string(d[0]);
          h = keep;
        }
        row += ' ';
      }
      row += change(s.flags, flags);
      s.flags = flags;
      while (!row.empty() && row.back() == ' ') row.pop_back();
      out += row + "\n";
      present[sat] = s;
    }
    states = present;
  }
  return out;
}

ObservationFile random_file(unsigned seed, int epochs) {
  std::mt19937_64 random(seed);
  ObservationFile f;
  f.marker = "PACK", f.receiver = "STANDIN R4", f.antenna = "TESSEL T4       NONE";
  f.approximate = {4283423.7, 1058733.7, 4590937.6};
  f.interval = 15;
  f.types['G'] = {"C1C", "L1C", "S1C"};
  f.types['E'] = {"C1C", "L1C"};
  for (int k = 0; k < epochs; ++k) {
    ObservationEpoch e;
    e.time = gps_time(Calendar{2026, 5, 12, 8, 0, 0}) + 15.0 * k;
    e.first = static_cast<std::uint32_t>(f.records.size());
    for (int s = 0; s < 6; ++s) {
      if (random() % 7 == 0) continue; // sets and rises
      const char system = s < 3 ? 'G' : 'E';
      const std::size_t n = f.types[system].size();
      f.records.push_back({{system, static_cast<std::uint8_t>(s + 1)},
                           static_cast<std::uint16_t>(n),
                           static_cast<std::uint32_t>(f.values.size())});
      for (std::size_t c = 0; c < n; ++c) {
        Observable o;
        if (random() % 6) {
          o.value = static_cast<double>(
                        static_cast<std::int64_t>(22e9 + 1e6 * k * s + static_cast<double>(random() % 5000))) /
                    1000;
          o.lli = random() % 9 == 0;
          o.strength = static_cast<std::uint8_t>(random() % 9);
        }
        f.values.push_back(o);
      }
      ++e.count;
    }
    f.epochs.push_back(e);
  }
  return f;
}
} // namespace

TEST_CASE("RINEX 2: continued satellite lists, types over two lines, names of RINEX 3") {
  for (const char *version : {"2.10", "2.11", "2.12"}) {
    const ObservationFile f = read_rinex_observation(rinex2(version));
    CHECK(f.marker == "OLD1");
    CHECK(f.antenna == "TESSEL T4       NONE");
    CHECK(f.delta_hen.x() == 1.412);
    REQUIRE(f.epochs.size() == 2);
    CHECK(f.epochs[0].count == 14);
    CHECK(calendar(f.epochs[0].time).year == 1999);
    const int c1 = f.type_index('G', "C1C"), p2 = f.type_index('G', "C2W"), l1 = f.type_index('G', "L1C");
    REQUIRE(c1 >= 0);
    REQUIRE(p2 >= 0);
    REQUIRE(l1 >= 0);
    const SatelliteRecord &r = f.records[f.epochs[1].first + 3];
    CHECK(r.sat.name() == "G04");
    CHECK(f.value(r, c1).value == Approx(2.1e7 + 3001).margin(1e-3));
    CHECK(f.value(r, l1).lli == 1);
    CHECK(f.value(f.records[f.epochs[0].first + 13], f.type_index('R', "C1C")).value ==
          Approx(2.1e7 + 13000).margin(1e-3));
    // The missing second line of the last satellite is an absent value, not a shifted one.
    CHECK(!f.value(f.records[f.epochs[0].first + 13], f.type_index('R', "S2P")).present());
    // What is written is 3.05 and says the same.
    const ObservationFile again = read_rinex_observation(write_rinex_observation(f));
    CHECK(again.records.size() == f.records.size());
    CHECK(again.value(again.records[3], again.type_index('G', "C1C")).value == f.value(f.records[3], c1).value);
    CHECK(same_in_blocks(rinex2(version)));
  }
}

TEST_CASE("compact files expand to what they were made from") {
  const std::string plain = write_rinex_observation(random_file(5, 40));
  const std::string packed = compact3(plain);
  REQUIRE(is_hatanaka(packed));
  const std::string back = expand_hatanaka(packed);
  CHECK(write_rinex_observation(read_rinex_observation(back)) == plain);
  // Cut off: whole epochs, and what is missing is said. Without its beginning: refused.
  const ObservationFile cut = read_rinex_observation(expand_hatanaka(packed.substr(0, packed.size() - 100)));
  CHECK_FALSE(cut.cut_off.empty());
  CHECK(cut.epochs.size() + 3 > read_rinex_observation(plain).epochs.size());
  const auto second = packed.find("\n\n", packed.find("END OF HEADER"));
  std::string headless = packed;
  headless.erase(headless.find("\n> ") + 1, second - headless.find("\n> "));
  CHECK_THROWS_AS(expand_hatanaka(headless), InputError);
}

TEST_CASE("files of the old Unix compressor") {
  const std::string plain = write_rinex_observation(random_file(6, 30));
  // The packer is that of libarchive.
  std::string packed(plain.size() + 65536, '\0');
  std::size_t used = 0;
  archive *a = archive_write_new();
  REQUIRE(archive_write_set_format_raw(a) == ARCHIVE_OK);
  REQUIRE(archive_write_add_filter_compress(a) == ARCHIVE_OK);
  archive_write_set_bytes_in_last_block(a, 1);
  REQUIRE(archive_write_open_memory(a, packed.data(), packed.size(), &used) == ARCHIVE_OK);
  archive_entry *e = archive_entry_new();
  archive_entry_set_filetype(e, 0100000);
  archive_entry_set_pathname(e, "x");
  REQUIRE(archive_write_header(a, e) == ARCHIVE_OK);
  REQUIRE(archive_write_data(a, plain.data(), plain.size()) == static_cast<la_ssize_t>(plain.size()));
  archive_entry_free(e);
  archive_write_close(a);
  archive_write_free(a);
  packed.resize(used);
  REQUIRE(is_unix_compressed(packed));
  CHECK(uncompress(packed) == plain);
  CHECK_THROWS_AS(uncompress(packed, 1000), InputError);
}

TEST_CASE("spliced files and events") {
  const ObservationFile first = random_file(7, 6);
  ObservationFile second = random_file(8, 12);
  const std::string a = write_rinex_observation(first), b = write_rinex_observation(second);
  SECTION("a second header of the same site: epochs that repeat are counted once") {
    const auto sites = read_rinex_observations(a + b);
    REQUIRE(sites.size() == 1);
    CHECK(sites[0].epochs.size() == 12);
    CHECK(sites[0].repeated_epochs == 6);
    CHECK(same_in_blocks(a + b));
  }
  SECTION("a second header of another site") {
    second.marker = "NEXT";
    const auto sites = read_rinex_observations(a + write_rinex_observation(second));
    REQUIRE(sites.size() == 2);
    CHECK(sites[1].marker == "NEXT");
    CHECK(same_in_blocks(a + write_rinex_observation(second)));
    CHECK_THROWS_WITH(read_rinex_observation(a + write_rinex_observation(second)), Contains("sites"));
  }
  SECTION("a new site inside the file, with its own name and height") {
    std::string text = a;
    text.insert(text.rfind("> "),
                ">                              3  2\n" + header_line("NEXT", "MARKER NAME") +
                    header_line("        1.7000        0.0000        0.0000", "ANTENNA: DELTA H/E/N"));
    const auto sites = read_rinex_observations(text);
    REQUIRE(sites.size() == 2);
    CHECK(sites[0].epochs.size() == 5);
    CHECK(sites[1].marker == "NEXT");
    CHECK(sites[1].delta_hen.x() == 1.7);
    CHECK(sites[1].epochs.size() == 1);
    CHECK(same_in_blocks(text));
  }
  SECTION("comments and an external event between epochs change nothing") {
    std::string text = a;
    text.insert(text.rfind("> "), ">                              4  1\n" + header_line("wind came up", "COMMENT") +
                                      "> 2026 05 12 08 01 10.0000000  5  0\n");
    const auto f = read_rinex_observation(text);
    CHECK(f.epochs.size() == 6);
    REQUIRE(f.marks.size() == 1);
    CHECK(f.marks[0] == gps_time(Calendar{2026, 5, 12, 8, 1, 10}));
    CHECK(same_in_blocks(text));
  }
}

TEST_CASE("a text in blocks is the text as a whole, wherever it is cut off") {
  const std::string text = write_rinex_observation(random_file(9, 25));
  CHECK(same_in_blocks(text));
  for (std::size_t n = 0; n < text.size(); n += 97) {
    INFO(n);
    CHECK(same_in_blocks(text.substr(0, n)));
  }
  // An epoch in the middle that is none.
  std::string broken = text;
  broken[broken.rfind("> ", text.size() / 2)] = 'x';
  CHECK(same_in_blocks(broken));
}

TEST_CASE("RINEX 4 navigation: frames by message type; what is not used is counted") {
  auto row = [](std::string start, std::initializer_list<double> fields) {
    for (double f : fields) start += fmt::format("{:19.12E}", f);
    return start + "\n";
  };
  auto lnav = [&](const std::string &sat) {
    return row(sat + " 2026 05 12 08 00 00", {1e-4, 1e-12, 0}) + row("    ", {12, 3, 4.5e-9, 0.5}) +
           row("    ", {1e-6, 0.01, 2e-6, 5153.7}) + row("    ", {201600, 1e-8, 1.2, 2e-8}) +
           row("    ", {0.96, 250, 0.4, -8e-9}) + row("    ", {1e-10, 1, 2418, 0}) + row("    ", {2, 0, -5e-9, 12}) +
           row("    ", {201000, 4});
  };
  const std::string text = header_line("     4.01           NAVIGATION DATA     M", "RINEX VERSION / TYPE") +
                           header_line("", "END OF HEADER") + "> EPH G07 LNAV\n" + lnav("G07") + "> EPH G08 CNV2\n" +
                           lnav("G08") + row("    ", {1, 2, 3, 4}) + row("    ", {1, 2}) + "> STO G07 LNAV\n" +
                           row("    2026 05 12 08 00 00", {0, 0, 0}) + row("    ", {1, 2, 3, 4});
  const NavigationFile f = read_rinex_navigation(text);
  REQUIRE(f.ephemerides.size() == 1);
  CHECK(f.ephemerides[0].sat.name() == "G07");
  CHECK(f.ephemerides[0].toe.week() == 2418);
  CHECK(f.skipped >= 1);
}

TEST_CASE("a file is read in blocks whatever it is packed in, or said to be none of observations") {
  const std::string text = write_rinex_observation(random_file(11, 60));
  const std::string words = epochs_in_words(read_rinex_observation(text));
  const auto in_blocks = [](const std::string &bytes, std::size_t piece) -> std::optional<std::string> {
    std::string out;
    BlocksOfSource blocks([&](std::size_t, const ObservationFile &f) { out += epochs_in_words(f); });
    for (std::size_t at = 0; at < bytes.size(); at += piece) blocks.add(std::string_view(bytes).substr(at, piece));
    return blocks.finish() ? std::optional(out) : std::nullopt;
  };
  const auto half = text.find("\n> ", text.size() / 2) + 1;
  for (const std::size_t piece : {std::size_t{11}, std::size_t{5000}, text.size()}) {
    INFO(piece);
    CHECK(in_blocks(text, piece) == words);
    CHECK(in_blocks(gzip(text), piece) == words);
    CHECK(in_blocks(gzip(text.substr(0, half)) + gzip(text.substr(half)), piece) == words); // two members
    CHECK(in_blocks(gzip(compact3(text)), piece) == words);
    CHECK(in_blocks(rinex2(), piece) == epochs_in_words(read_rinex_observation(rinex2())));
    CHECK_FALSE(in_blocks("name,north,east\nA,1,2\n", piece));
    const std::string packed = gzip(text);
    CHECK_THROWS_AS(in_blocks(packed.substr(0, packed.size() / 2), piece), InputError);
    std::string bad = packed;
    bad[bad.size() / 2] ^= 0x55;
    CHECK_THROWS_AS(in_blocks(bad, piece), InputError);
  }
}
