#include "base/error.h"
#include "formats/recognise.h"
#include "formats/stop_list.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Contains;

TEST_CASE("stops as crews write them: heads in any order, times and days in many ways") {
  const StopList a = read_stop_list("# noted on the pole\nname,code,date,start,end,height\n"
                                    "P1,KERB,12.05.2026,10:04:15,10:04:27,2.000\n"
                                    "\"P 2\",,12.05.2026,10:05:00.5,10:05:12,1.8\n");
  REQUIRE(a.rows.size() == 2);
  CHECK(a.rows[0].name == "P1");
  CHECK(a.rows[0].code == "KERB");
  CHECK(a.rows[0].day == "2026-05-12");
  CHECK(a.rows[0].from == 10 * 3600 + 4 * 60 + 15);
  CHECK(a.rows[0].to - a.rows[0].from == 12);
  CHECK(*a.rows[0].height == 2.0);
  CHECK(a.rows[0].line == 3);
  CHECK(a.rows[1].name == "P 2");
  CHECK(a.rows[1].from == 10 * 3600 + 5 * 60 + 0.5);
  // Semicolons, decimal commas, compact times, a duration in place of the end, no day.
  const StopList b = read_stop_list("Duration;Point;Begin;Pole height\n12;7001;235955;1,75\n");
  REQUIRE(b.rows.size() == 1);
  CHECK(b.rows[0].day.empty());
  CHECK(b.rows[0].from == 86395);
  CHECK(b.rows[0].to == 86407);
  CHECK(*b.rows[0].height == 1.75);
  // One instant with its day, over midnight; a head that nobody knows is said.
  const StopList c =
      read_stop_list("mark\tstart_time\tstop_time\tcrew\nM\t2026-05-12T23:59:50Z\t2026-05-13T00:00:05Z\tB\n");
  CHECK(c.rows[0].day == "2026-05-12");
  CHECK(c.rows[0].to - c.rows[0].from == 15);
  CHECK(*c.rows[0].utc_offset == 0);
  CHECK(c.unread_columns == std::vector<std::string>{"crew"});
  CHECK_FALSE(a.rows[0].utc_offset);
  CHECK(recognise("name,start,end\nA,10:00:00,10:00:05\n").kind == FileKind::stop_list);
  CHECK(recognise("name,east,north,height\nA,1,2,3\n").kind != FileKind::stop_list);
}

TEST_CASE("what stands behind a time or in its head says which clock was read") {
  const auto first = [](const std::string &heads, const std::string &row) {
    const StopList l = read_stop_list(heads + "\n" + row + "\n");
    return l.rows.at(0);
  };
  CHECK(*first("name,start,end", "A,10:00:00Z,10:00:10Z").utc_offset == 0);
  CHECK(*first("name,start,end", "A,2026-05-12T12:00:00+02:00,2026-05-12T12:00:10+02:00").utc_offset == 7200);
  CHECK(*first("name,start,end", "A,2026-05-12 06:30:00 -0330,2026-05-12 06:30:10 -0330").utc_offset == -12600);
  CHECK(*first("name,start,seconds", "A,10:00:00 UTC,10").utc_offset == 0);
  CHECK(*first("name,start (UTC),end (UTC)", "A,10:00:00,10:00:10").utc_offset == 0);
  CHECK(*first("Name;Start_UTC;Seconds", "A;10:00:00;10").utc_offset == 0);
  CHECK_FALSE(first("name,start [GPS],end [GPS]", "A,10:00:00,10:00:10").utc_offset);
  CHECK(first("name,start,end", "A,2026-05-12T23:59:55,2026-05-13T00:00:05").to == 86405);
  CHECK_THROWS_WITH(first("name,start,end", "A,10:00:00Z,12:00:10"), Contains("different time zones"));
  CHECK_THROWS_WITH(first("name,start,end", "A,10:00:00+25:00,10:00:10+25:00"), Contains("no time"));
}

TEST_CASE("a pole that leaned: how far and where to, in degrees or gon") {
  const auto first = [](const std::string &heads, const std::string &row) {
    return read_stop_list(heads + "\n" + row + "\n").rows.at(0);
  };
  const double rad = M_PI / 180;
  const StopRow a = first("name,start,end,height,tilt,lean", "A,10:00:00,10:00:10,2.0,3.5,271");
  CHECK(*a.tilt == Approx(3.5 * rad));
  CHECK(*a.lean == Approx(271 * rad));
  const StopRow b = first("Point;Begin;Until;Pole tilt (gon);Tilt direction [gon]", "A;10:00:00;10:00:10;5;250,5");
  CHECK(*b.tilt == Approx(4.5 * rad));
  CHECK(*b.lean == Approx(225.45 * rad));
  CHECK(*first("name,start,end,tilt (°),lean_deg", "A,10:00:00,10:00:10,1,10").lean == Approx(10 * rad));
  const StopRow upright = first("name,start,end,tilt,lean", "A,10:00:00,10:00:10,,");
  CHECK_FALSE(upright.tilt);
  CHECK_FALSE(first("name,start,end,tilt", "A,10:00:00,10:00:10,2").lean);
  CHECK_THROWS_WITH(first("name,start,end,tilt", "A,10:00:00,10:00:10,75"), Contains("between 0 and 60"));
  CHECK_THROWS_WITH(first("name,start,end,tilt", "A,10:00:00,10:00:10,-3"), Contains("between 0 and 60"));
  CHECK_THROWS_WITH(first("name,start,end,tilt,lean", "A,10:00:00,10:00:10,,30"), Contains("not by how much"));
}

TEST_CASE("stops that cannot be are refused with their line") {
  const auto fails = [](const std::string &row, const char *why) {
    INFO(row);
    try {
      read_stop_list("name,start,end,height\nP0,10:00:00,10:00:05,2\n" + row + "\n");
      FAIL("taken");
    } catch (const InputError &e) {
      CHECK(e.line() == 3);
      CHECK_THAT(e.reason(), Contains(why));
    }
  };
  fails("P1,10:00,ten,2", "no time");
  fails(",10:00:00,10:00:05,2", "no name");
  fails("P1,10:00:05,10:00:00,2", "exchanged"); // nearly a day
  fails("P1,10:00:00,,2", "no end");
  fails("P1,10:00:00,10:00:05,two", "not a number");
  fails("P1,10:00:00,10:00:05,200", "30 m");
  fails("P1,31.31.2026 10:00:00,10:00:05,2", "no time");
  CHECK_THROWS_WITH(read_stop_list("name,start,end\n"), Contains("no rows"));
}
