#include "time/shown_time.h"
#include <catch2/catch.hpp>

using namespace ampletie;

// reference-values TIM-01: definition of the GPS week.
TEST_CASE("GPS week and time of week") {
  struct Row {
    Calendar c;
    int week;
    double tow;
  };
  const Row rows[] = {{{1980, 1, 6, 0, 0, 0}, 0, 0},          {{1999, 8, 22, 0, 0, 0}, 1024, 0},
                      {{2000, 1, 1, 12, 0, 0}, 1042, 561600}, {{2017, 1, 1, 0, 0, 0}, 1930, 0},
                      {{2019, 4, 7, 0, 0, 0}, 2048, 0},       {{2024, 2, 29, 23, 59, 59}, 2303, 431999}};
  for (const Row &r : rows) {
    const GpsTime t = gps_time(r.c);
    CHECK(t.week() == r.week);
    CHECK(t.time_of_week() == r.tow);
    CHECK(gps_time(r.week, r.tow) == t);
    const Calendar back = calendar(t);
    CHECK(std::tuple(back.year, back.month, back.day, back.hour, back.minute, back.second) ==
          std::tuple(r.c.year, r.c.month, r.c.day, r.c.hour, r.c.minute, r.c.second));
  }
  CHECK(modified_julian_day(1980, 1, 6) == 44244);
  CHECK(modified_julian_day(2003, 6, 1) == 52791);
  CHECK(day_of_year(2024, 2, 29) == 60);
  CHECK(modified_julian_day(2006, 1, 1) - modified_julian_day(1980, 1, 6) == 9492);
}

// reference-values TIM-02: IERS Bulletin C, TAI − UTC; GPS − UTC is 19 s less.
TEST_CASE("leap seconds") {
  const int table[][3] = {{1980, 1, 19}, {1981, 7, 20}, {1982, 7, 21}, {1983, 7, 22}, {1985, 7, 23},
                          {1988, 1, 24}, {1990, 1, 25}, {1991, 1, 26}, {1992, 7, 27}, {1993, 7, 28},
                          {1994, 7, 29}, {1996, 1, 30}, {1997, 7, 31}, {1999, 1, 32}, {2006, 1, 33},
                          {2009, 1, 34}, {2012, 7, 35}, {2015, 7, 36}, {2017, 1, 37}};
  for (const auto &r : table) {
    const GpsTime first = gps_time(Calendar{r[0], r[1], 1, 0, 0, 0}) + 30.0;
    CHECK(gps_minus_utc(first) == r[2] - 19);
    if (r[0] > 1980) CHECK(gps_minus_utc(first + -86400.0) == r[2] - 20);
  }
  CHECK(gps_minus_utc(gps_time(Calendar{2026, 5, 12, 0, 0, 0})) == 18);
}

TEST_CASE("times as text and as decimal years") {
  const GpsTime t = *parse_iso("2026-05-12T09:10:00.25");
  CHECK(iso(t) == "2026-05-12T09:10:00.25");
  CHECK(iso(*parse_iso("2026-05-12")) == "2026-05-12T00:00:00");
  for (const char *bad :
       {"", "2026", "2026-13-01", "2026-02-31", "12.05.2026", "2026-05-12T09:10:00Z", "2026-05-12T25:00"})
    CHECK_FALSE(parse_iso(bad));
  CHECK(from_decimal_year(decimal_year(t)) - t == Approx(0).margin(1e-2));
  CHECK(decimal_year(*parse_iso("2010-01-01")) == 2010.0);
}

TEST_CASE("instants are shown in GPS time, local time or by day of the year") {
  const GpsTime t = gps_time(Calendar{2026, 5, 12, 23, 10, 30});
  using Kind = TimeStyle::Kind;
  CHECK(shown_clock(t, {}) == "23:10");
  CHECK(shown_day_clock(t, {}) == "05-12 23:10");
  CHECK(shown_day_clock(t, {Kind::day_of_year, 0}) == "132 23:10");
  // GPS is 18 s ahead of UTC: 23:10:12 UTC is 01:10:12 of the next day two hours east.
  CHECK(shown_day_clock(t, {Kind::local, 2}) == "05-13 01:10");
  CHECK(shown_clock(gps_time(Calendar{2026, 5, 12, 0, 0, 10}), {Kind::local, 0}) == "23:59");
  CHECK(time_scale_name({Kind::local, -3.5}) == "UTC-03:30");
  CHECK(time_scale_name({Kind::day_of_year, 0}) == "day of year, GPS time");
}

// IERS Bulletin C: the label right after each leap second is that many seconds before the instant.
TEST_CASE("labels of UTC around a leap second") {
  const GpsTime step = gps_time(Calendar{2017, 1, 1, 0, 0, 0});
  CHECK(gps_from_utc(step) - step == 18);
  CHECK(gps_from_utc(step + 1.0) - step == 19);
  CHECK(gps_from_utc(step + -1.0) - step == 16); // 23:59:59, GPS − UTC still 17
  CHECK(gps_from_utc(step + -86400.0) - step == -86400 + 17);
  // Two seconds of UTC labels apart, three seconds in truth: the leap second lies between them.
  CHECK(gps_from_utc(step) - gps_from_utc(step + -1.0) == 2);
  for (int hours = -48; hours <= 48; ++hours) {
    const GpsTime label = step + 3600.0 * hours;
    CHECK(gps_from_utc(label) - label == (hours < 0 ? 17 : 18));
  }
}

TEST_CASE("instants to the millisecond have three digits of it or none") {
  using namespace ampletie;
  const GpsTime t = gps_time(Calendar{2026, 5, 12, 9, 10, 0});
  CHECK(iso_ms(t) == "2026-05-12T09:10:00");
  CHECK(iso_ms(t + 0.05) == "2026-05-12T09:10:00.050");
  CHECK(iso_ms(t + 0.0004) == "2026-05-12T09:10:00");
  CHECK(iso_ms(t + -0.0004) == "2026-05-12T09:10:00");
  CHECK(iso_ms(t + 59.9996) == "2026-05-12T09:11:00");
}
