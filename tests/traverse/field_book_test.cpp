// Field books through their recipe: states, struck-out pointings, units of angles, and books that are wrong.
#include "base/angle.h"
#include "base/error.h"
#include "traverse/field_book.h"
#include "traverse/sets.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
const std::string head = "# invented\nunit;m;gon\njob;T1;TS3;2026-05-15\n";
const std::string sound = head +
                          "stn;A;1.523\nair;946.2;14.1\ntgt;B;orientation;1.300;-0.0344\n"
                          "p;1;1;10.00000;98.50000;254.1234;07:00:20\np;1;2;210.00040;301.50020;254.1236;07:00:40\n"
                          "tgt;C;detail;1.450;-0.0344\np;1;1;75.25000;101.20000;88.4500;07:01:00\n"
                          "x;1;2;275.30000;298.80000;88.4500;07:01:20\nend\n";
FieldBook read(const std::string &text) { return read_field_book(shipped_pointing_recipes()[0], text, "src"); }
std::string with(std::string text, const std::string &from, const std::string &to) {
  const auto at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}
} // namespace

TEST_CASE("a field book becomes set-ups with pointings; what was struck out comes along") {
  const FieldBook b = read(sound);
  CHECK(b.troubles.empty());
  CHECK(b.reading.unread == 0);
  CHECK(b.score == 1);
  REQUIRE(b.setups.size() == 1);
  const StationSetup &s = b.setups[0];
  CHECK(s.mark == "A");
  CHECK(s.instrument == "TS3");
  CHECK(s.day == "2026-05-15");
  CHECK(s.instrument_height == 1.523);
  REQUIRE(s.air);
  CHECK(s.air->pressure_hpa == 946.2);
  REQUIRE(s.pointings.size() == 4);
  CHECK(s.pointings[0].kind == PointingKind::orientation);
  CHECK(s.pointings[0].circle == Approx(pi / 20));
  CHECK(s.pointings[1].zenith == Approx(301.5002 * pi / 200));
  CHECK(s.pointings[1].face == 2);
  CHECK(s.pointings[2].target == "C");
  CHECK(s.pointings[2].target_height == 1.45);
  CHECK(s.pointings[2].prism_constant == -0.0344);
  CHECK(!s.pointings[3].used);
  CHECK_THAT(s.pointings[3].left_out_because, Contains("struck out"));
  CHECK(s.pointings[3].line == 11);
  CHECK(s.pointings[0].id != s.pointings[1].id);
  // The same file gives the same ids, another source others.
  CHECK(read(sound).setups[0].id == s.id);
  CHECK(read_field_book(shipped_pointing_recipes()[0], sound, "other").setups[0].id != s.id);
  const SetReduction r = reduce_sets(s, {});
  CHECK(r.find("C")->direction == Approx((65.25 + 0.0002 - 0.0002) * pi / 200).margin(5e-6));
}

TEST_CASE("a new instrument height after pointings is a set-up of its own on the same mark") {
  const FieldBook b = read(with(sound, "tgt;C;", "stn;A;1.600\ntgt;C;"));
  REQUIRE(b.setups.size() == 2);
  CHECK(b.setups[0].pointings.size() == 2);
  CHECK(b.setups[1].instrument_height == 1.6);
  CHECK(b.setups[1].mark == "A");
  CHECK(b.setups[1].pointings.size() == 2);
}

TEST_CASE("angles: gon, packed degrees, degrees with signs, decimal degrees") {
  CHECK(*read_angle("gon", "100") == Approx(pi / 2));
  CHECK(*read_angle("packed dms", "46.17034") == Approx(radians(46 + 17 / 60.0 + 3.4 / 3600)).margin(1e-12));
  CHECK(*read_angle("packed dms", "359.59599") == Approx(radians(359 + 59 / 60.0 + 59.9 / 3600)).margin(1e-10));
  CHECK(*read_angle("packed dms", "0.0000") == 0);
  CHECK(*read_angle("packed dms", "12.3000") == Approx(radians(12.5)).margin(1e-12));
  CHECK(!read_angle("packed dms", "12.6100"));
  CHECK(!read_angle("packed dms", "12.0075"));
  CHECK(*read_angle("dms", "46 17 03.4") == Approx(radians(46 + 17 / 60.0 + 3.4 / 3600)));
  CHECK(*read_angle("deg", "90.5") == Approx(radians(90.5)));
  CHECK(!read_angle("gon", "12.3x"));
  CHECK_THROWS_WITH(read_angle("mil", "3"), Contains("no unit of angles"));
  // Every second of a circle survives the packed form.
  for (int s = 0; s < 1296000; s += 997) {
    const std::string packed = fmt::format("{}.{:02}{:02}", s / 3600, s / 60 % 60, s % 60);
    REQUIRE(read_angle("packed dms", packed));
    CHECK(*read_angle("packed dms", packed) == Approx(radians(s / 3600.0)).margin(1e-10));
  }
}

TEST_CASE("the unit that the file states decides; none stated is said, a conflict too") {
  const FieldBook deg = read(with(
      with(with(with(with(with(with(with(with(sound, "m;gon", "m;deg"), "10.00000", "9.00000"), "98.50000", "88.39000"),
                               "210.00040", "189.00013"),
                          "301.50020", "271.21006"),
                     "75.25000", "67.43300"),
                "101.20000", "91.04480"),
           "275.30000", "247.46120"),
      "298.80000", "268.55120"));
  CHECK(deg.reading.unread == 0);
  CHECK(deg.setups.at(0).pointings[0].circle == Approx(read(sound).setups[0].pointings[0].circle).margin(1e-9));
  CHECK(deg.setups.at(0).pointings[0].zenith == Approx(read(sound).setups[0].pointings[0].zenith).margin(1e-9));
  const FieldBook none = read(with(sound, "unit;m;gon\n", ""));
  CHECK(none.reading.unread > 0);
  CHECK_THAT(none.reading.first_unread.why, Contains("unit of angles"));
  Recipe r = shipped_pointing_recipes()[0];
  r.angle_unit = "packed dms";
  CHECK_THAT(read_field_book(r, sound, "s").reading.unit_conflict, Contains("gon"));
  CHECK(write_recipe(read_recipe(write_recipe(r))) == write_recipe(r));
}

TEST_CASE("books that are wrong are told by their lines") {
  auto first = [&](const std::string &text) {
    const FieldBook b = read(text);
    return b.troubles.empty() ? std::string("none") : fmt::format("{}: {}", b.troubles[0].line, b.troubles[0].what);
  };
  CHECK(first(sound) == "none");
  CHECK_THAT(first(with(sound, "stn;A;1.523\nair;946.2;14.1\n", "")), Contains("before any set-up"));
  CHECK_THAT(first(with(sound, "stn;A;1.523", "stn;A;")), Contains("4: no instrument height at A"));
  CHECK_THAT(first(with(sound, "p;1;2;210", "p;1;1;210")), Contains("8: booked on face 1, but"));
  CHECK_THAT(first(with(sound, "946.2;14.1", "27.9;57")), Contains("another unit"));
  CHECK_THAT(first(with(sound, "tgt;C;detail", "air;940.0;15.0\ntgt;C;detail")), Contains("the air changes"));
  // Letters in an angle: unread, and the pointing is not made up.
  const FieldBook letters = read(with(sound, "75.25000", "75.2S000"));
  CHECK(letters.reading.unread == 1);
  CHECK(letters.setups[0].pointings.size() == 3);
  CHECK(read("").setups.empty());
  CHECK(read("stn;A;1.5\n").setups.empty());
}

TEST_CASE("the axis' tilt is taken off where the book gives it: both faces and all heights agree then") {
  // Readings of an instrument whose axis leans, from vectors alone.
  const double lean_east = 30 * rad_per_arcsec, lean_north = -20 * rad_per_arcsec;
  const Eigen::Vector3d up = Eigen::Vector3d(lean_east, lean_north, 1).normalized();
  const Eigen::Vector3d zero = (Eigen::Vector3d(0, 1, 0) - up.y() * up).normalized(), side = zero.cross(up);
  const Recipe r = read_recipe(R"({"format": "ample-tie recipe", "version": 1, "name": "tilt", "reads": "pointings",
    "layout": "delimited", "delimiter": ";", "angles": "rad", "codes": {"face": {"1": "1", "2": "2"}},
    "lines": [{"name": "p", "fields": [{"meaning": "station", "column": 1}, {"meaning": "instrument_height", "column": 2},
      {"meaning": "target", "column": 3}, {"meaning": "face", "column": 4}, {"meaning": "circle", "column": 5},
      {"meaning": "zenith", "column": 6}, {"meaning": "tilt_along", "column": 7}, {"meaning": "tilt_across", "column": 8}]}]})");
  std::string text;
  const double azimuth[] = {0.3, 1.9, 4.4}, zenith[] = {1.1, 1.5, 1.9};
  for (int k = 0; k < 3; ++k) {
    const Eigen::Vector3d d(std::sin(azimuth[k]) * std::sin(zenith[k]), std::cos(azimuth[k]) * std::sin(zenith[k]),
                            std::cos(zenith[k]));
    const double circle = std::atan2(d.dot(side), d.dot(zero)), z = std::acos(d.dot(up));
    const double along = lean_east * std::sin(azimuth[k]) + lean_north * std::cos(azimuth[k]),
                 across = lean_east * std::cos(azimuth[k]) - lean_north * std::sin(azimuth[k]);
    text += fmt::format("S;1.5;T{};1;{:.12f};{:.12f};{:.12f};{:.12f}\n", k, circle + 7, z, along, across);
    text += fmt::format("S;1.5;T{};2;{:.12f};{:.12f};{:.12f};{:.12f}\n", k, circle + 7 + pi, 2 * pi - z, along, across);
  }
  const FieldBook b = read_field_book(r, text, "");
  REQUIRE(b.setups.size() == 1);
  const SetReduction s = reduce_sets(b.setups[0], {});
  for (int k = 0; k < 3; ++k) {
    const TargetMean &t = *s.find("T" + std::to_string(k));
    CHECK(std::abs(small_angle(t.direction - (azimuth[k] - azimuth[0]))) < 0.02 * rad_per_arcsec);
    CHECK(std::abs(t.zenith - zenith[k]) < 0.02 * rad_per_arcsec);
  }
}
