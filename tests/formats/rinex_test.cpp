#include "base/error.h"
#include "base/text.h"
#include "formats/recognise.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/sp3.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
ObservationFile sample() {
  ObservationFile f;
  f.marker = "PN1";
  f.receiver = "STANDIN R4";
  f.antenna = "TESSEL T4       NONE";
  f.approximate = {4283423.7, 1058733.7, 4590937.6};
  f.delta_hen = {1.4120, 0, 0};
  f.interval = 15;
  f.types['G'] = {"C1C", "L1C", "S1C"};
  f.types['E'] = {"C1C", "L1C"};
  for (int k = 0; k < 3; ++k) {
    ObservationEpoch e;
    e.time = gps_time(Calendar{2026, 5, 12, 8, 0, 15.0 * k});
    e.first = static_cast<std::uint32_t>(f.records.size());
    e.count = 2;
    f.records.push_back({{'G', 5}, 3, static_cast<std::uint32_t>(f.values.size())});
    f.values.insert(
        f.values.end(),
        {{23509570.589 + k, 0, 6}, {123413386.943 - k, static_cast<std::uint8_t>(k == 1), 6}, {37.347, 0, 0}});
    f.records.push_back({{'E', 12}, 2, static_cast<std::uint32_t>(f.values.size())});
    f.values.insert(f.values.end(), {{27103435.213, 0, 5}, {0, 0, 0}});
    f.epochs.push_back(e);
  }
  return f;
}
std::string replaced(std::string s, const std::string &a, const std::string &b) {
  const auto at = s.find(a);
  REQUIRE(at != std::string::npos);
  return s.replace(at, a.size(), b);
}
} // namespace

TEST_CASE("observations come back as they were written") {
  const ObservationFile f = sample();
  const std::string text = write_rinex_observation(f);
  const ObservationFile g = read_rinex_observation(text);
  CHECK(g.marker == f.marker);
  CHECK(g.antenna == f.antenna);
  CHECK(g.delta_hen == f.delta_hen);
  CHECK(g.types == f.types);
  REQUIRE(g.epochs.size() == 3);
  REQUIRE(g.values.size() == f.values.size());
  for (std::size_t i = 0; i < f.values.size(); ++i) {
    CHECK(g.values[i].value == f.values[i].value);
    CHECK(g.values[i].lli == f.values[i].lli);
    CHECK(g.values[i].strength == f.values[i].strength);
  }
  CHECK(g.epochs[1].time - g.epochs[0].time == 15);
  CHECK(g.header_lines.at("MARKER NAME") == 3);
  CHECK(write_rinex_observation(g) == text);
  CHECK(nominal_interval(g) == 15);
  // Carriage returns and blanks at line ends change nothing.
  std::string dos;
  for (char c : text) dos += c == '\n' ? std::string("  \r\n") : std::string(1, c);
  CHECK(read_rinex_observation(dos).values.size() == f.values.size());
}

TEST_CASE("broken observation files are refused with line and reason") {
  const std::string text = write_rinex_observation(sample());
  CHECK_THROWS_WITH(read_rinex_observation(""), Contains("empty"));
  CHECK_THROWS_WITH(read_rinex_observation(replaced(text, "     3.05", "     5.00")),
                    Contains("line 1") && Contains("5.00"));
  CHECK_THROWS_WITH(read_rinex_observation(text.substr(0, 300)), Contains("header does not end"));
  // Cut in the middle of an epoch.
  CHECK_THAT(read_rinex_observation(text.substr(0, text.rfind("E12"))).cut_off, Contains("inside the epoch"));
  CHECK_THROWS_WITH(read_rinex_observation(replaced(text, "23509570.589", "2350957x.589")),
                    Contains("not a number") && Contains("line 16"));
  CHECK_THROWS_WITH(read_rinex_observation(replaced(text, "> 2026 05 12 08 00 15", "> 2026 05 12 07 00 15")),
                    Contains("not later"));
  CHECK_THROWS_WITH(read_rinex_observation(replaced(text, "> 2026 05 12 08 00 15", "> 2026 15 12 08 00 15")),
                    Contains("impossible"));
  // From the event "antenna moves" on, the receiver is no occupation any more.
  {
    std::string moved = text;
    moved.insert(moved.rfind("> "), ">                              2  0\n");
    const auto sites = read_rinex_observations(moved);
    REQUIRE(sites.size() == 2);
    CHECK(!sites[0].moving);
    CHECK(sites[1].moving);
  }
  CHECK_THROWS_WITH(read_rinex_observation(replaced(text, "\nE12", "\nR12")),
                    Contains("no observation types for system R"));
  // The times of a file in GLONASS time are UTC: 18 s later in GPS time (leap seconds since 2017, IERS Bulletin C).
  CHECK(read_rinex_observation(replaced(text, "GPS", "GLO")).epochs[0].time -
            read_rinex_observation(text).epochs[0].time ==
        Approx(18));
  CHECK_THROWS_WITH(read_rinex_observation(replaced(text, "GPS", "XYZ")), Contains("XYZ"));
}

// EPH-01: the record of satellite 06 in the RINEX 2.10 format document, here in the layout of RINEX 3.
TEST_CASE("a navigation record") {
  const std::string head = "     3.05           N: GNSS NAV DATA    M: MIXED            RINEX VERSION / TYPE\n"
                           "                                                            END OF HEADER\n";
  // Fields of 19 columns, as the format has them.
  auto row = [](std::string start, std::initializer_list<const char *> fields) {
    for (const char *f : fields) start += std::string(19 - std::string(f).size(), ' ') + f;
    return start + "\n";
  };
  const std::string record =
      row("G06 1999 09 02 17 51 44", {"-.839701388031D-03", "-.165982783074D-10", ".000000000000D+00"}) +
      row("    ", {".910000000000D+02", ".934062500000D+02", ".116040547840D-08", ".162092304801D+00"}) +
      row("    ", {".484101474285D-05", ".626740418375D-02", ".652112066746D-05", ".515365489006D+04"}) +
      row("    ", {".409904000000D+06", "-.242143869400D-07", ".329237003460D+00", "-.596046447754D-07"}) +
      row("    ", {".111541663136D+01", ".326593750000D+03", ".206958726335D+01", "-.638312302555D-08"}) +
      row("    ", {".307155651409D-09", ".000000000000D+00", ".102500000000D+04", ".000000000000D+00"}) +
      row("    ", {".000000000000D+00", ".000000000000D+00", ".000000000000D+00", ".910000000000D+02"}) +
      row("    ", {".406800000000D+06", ".000000000000D+00"});
  const NavigationFile f = read_rinex_navigation(head + record);
  REQUIRE(f.ephemerides.size() == 1);
  const Ephemeris &e = f.ephemerides[0];
  CHECK(e.sat.name() == "G06");
  CHECK(e.sqrt_a == Approx(5153.65489006));
  CHECK(e.toe.week() == 1025);
  CHECK(e.idot == Approx(.307155651409e-9));
  const NavigationFile again = read_rinex_navigation(write_rinex_navigation(f));
  CHECK(again.ephemerides[0].omega0 == Approx(e.omega0).epsilon(1e-12));
  CHECK(again.ephemerides[0].toe == e.toe);
  CHECK_THROWS_WITH(read_rinex_navigation(head + record.substr(0, 400)), Contains("ends inside the record of G06"));
  CHECK_THROWS_WITH(read_rinex_navigation(head + replaced(record, ".515365489006D+04", ".515365489006D+02")),
                    Contains("impossible"));
  CHECK_THROWS_WITH(read_rinex_navigation(head + replaced(record, ".116040547840D-08", "                 ")),
                    Contains("missing"));
}

TEST_CASE("precise orbits come back, cut ones are refused") {
  Sp3File f;
  f.frame = "IGS20";
  f.interval = 300;
  for (int k = 0; k < 4; ++k) {
    Sp3Epoch e;
    e.time = gps_time(Calendar{2026, 5, 12, 8, 5 * k, 0});
    e.position[{'G', 1}] = {1.5e7 + k, -2.1e7, 3e6};
    e.clock[{'G', 1}] = 1.25e-4;
    e.position[{'E', 30}] = {-2.5e7, 1e7, 9e6};
    f.epochs.push_back(e);
  }
  const std::string text = write_sp3(f);
  const Sp3File g = read_sp3(text);
  CHECK(g.frame == "IGS20");
  REQUIRE(g.epochs.size() == 4);
  CHECK((g.epochs[2].position.at({'G', 1}) - f.epochs[2].position.at({'G', 1})).norm() < 1e-2);
  CHECK(g.epochs[0].clock.at({'G', 1}) == Approx(1.25e-4));
  CHECK(g.epochs[0].clock.count({'E', 30}) == 0);
  CHECK_THROWS_WITH(read_sp3(text.substr(0, text.size() - 4)), Contains("EOF"));
  CHECK_THROWS_WITH(read_sp3("# something"), Contains("not an SP3"));
}

TEST_CASE("files are told apart by what they hold") {
  CHECK(recognise(write_rinex_observation(sample())).kind == FileKind::observation);
  CHECK(recognise("\x89PNG\r\n\x1a\n....").kind == FileKind::attachment);
  CHECK_THAT(recognise(std::string("MZ\0\0\0", 5)).reason, Contains("export RINEX"));
  CHECK(recognise("").reason == "the file is empty");
  CHECK(recognise("mark;lat;lon;h\nA;46;13;200\n").kind == FileKind::control);
  CHECK(recognise("antenna,point,radius_m,above_arp_m\nX,rim,0.1,0.03\n").kind == FileKind::antenna_points);
  CHECK_THAT(recognise("dear all, please find attached").reason, Contains("not recognised"));
}
