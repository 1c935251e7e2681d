// The total-station stand-in: its readings against geometry worked out here, its errors where they belong.
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "station/station.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <fmt/format.h>
#include <map>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {

constexpr double second = pi / 648000;

station::Scenario quiet() {
  station::Scenario s;
  s.direction_s = s.zenith_s = s.distance_mm = s.distance_ppm = s.centring_mm = s.target_mm = s.height_mm = 0;
  s.collimation_s = s.index_s = s.pointing_mm = 0;
  s.marks = {{"A", 46.30, 13.90, 500, 0, 0}, {"B", 46.303, 13.904, 560, 0, 0}, {"C", 46.298, 13.906, 480, 0, 0}};
  station::Job j;
  j.file = "f.txt", j.name = "T1";
  station::Setup u;
  u.mark = "A", u.sets = 1, u.refraction = 0;
  u.targets = {{"B", "orientation"}, {"C", "detail"}};
  j.setups = {u};
  s.jobs = {j};
  return s;
}

struct Reading {
  std::string target;
  int set, face;
  double circle, zenith, slope;
};
/// Readings of a book in gon, by an own reader.
std::vector<Reading> readings(const std::string &text, const char *which = "p") {
  std::vector<Reading> out;
  std::string target;
  LineReader in(text);
  std::string_view line;
  while (in.next(line)) {
    const auto c = split(line, ';');
    if (c[0] == "tgt") target = std::string(c[1]);
    if (c[0] != which) continue;
    out.push_back({target, static_cast<int>(*parse_integer(c[1])), static_cast<int>(*parse_integer(c[2])),
                   *parse_number(c[3]) * pi / 200, *parse_number(c[4]) * pi / 200, *parse_number(c[5])});
  }
  return out;
}
std::string book(const station::Scenario &s) { return station::simulate(s).files.front().text; }
double off(double a) { return std::remainder(a, 2 * pi); }

/// East, north, up of one mark seen from another along the ellipsoid's normal.
Vec3 seen(const station::Scenario &s, int from, int to, double up_from, double up_to) {
  const auto &a = s.marks[static_cast<std::size_t>(from)], &b = s.marks[static_cast<std::size_t>(to)];
  const Geodetic p{radians(a.lat), radians(a.lon), a.h + up_from}, q{radians(b.lat), radians(b.lon), b.h + up_to};
  return local_axes(p) * (to_cartesian(q) - to_cartesian(p));
}

} // namespace

TEST_CASE("without errors the readings are geometry") {
  const station::Scenario s = quiet();
  const auto r = readings(book(s));
  REQUIRE(r.size() == 4);
  const Vec3 b = seen(s, 0, 1, 1.5, 1.3), c = seen(s, 0, 2, 1.5, 1.3);
  const double angle = std::atan2(c.x(), c.y()) - std::atan2(b.x(), b.y());
  CHECK(off(r[1].circle - r[0].circle - angle) == Approx(0).margin(0.01 * second));
  CHECK(r[0].zenith == Approx(std::acos(b.z() / b.norm())).margin(0.01 * second));
  CHECK(r[0].slope == Approx(b.norm()).margin(6e-5));
  // The second face: back in the other order, the circle turned by half.
  CHECK(r[2].target == "C");
  CHECK(off(r[2].circle - r[1].circle - pi) == Approx(0).margin(0.01 * second));
  CHECK(r[2].zenith + r[1].zenith == Approx(2 * pi).margin(0.01 * second));
}

TEST_CASE("deflections tilt zenith angles and turn directions to steep targets") {
  station::Scenario s = quiet();
  const auto before = readings(book(s));
  s.marks[0].north_s = 10;
  const auto after = readings(book(s));
  const Vec3 b = seen(s, 0, 1, 1.5, 1.3);
  // The zenith leans north: targets in the north come nearer to it (classical: z' = z − ξ cos A).
  CHECK(after[0].zenith - before[0].zenith ==
        Approx(-10 * second * std::cos(std::atan2(b.x(), b.y()))).margin(0.05 * second));
  CHECK(std::abs(off((after[1].circle - after[0].circle) - (before[1].circle - before[0].circle))) > 0.2 * second);
}

TEST_CASE("refraction lifts, sideways refraction turns") {
  station::Scenario s = quiet();
  const auto straight = readings(book(s));
  s.jobs[0].setups[0].refraction = 0.13;
  s.jobs[0].setups[0].targets[1].lateral_s = 6;
  const auto bent = readings(book(s));
  const double d = straight[0].slope * std::sin(straight[0].zenith);
  CHECK(straight[0].zenith - bent[0].zenith == Approx(0.13 * d / (2 * 6371000)).margin(0.02 * second));
  CHECK(off((bent[1].circle - bent[0].circle) - (straight[1].circle - straight[0].circle)) ==
        Approx(6 * second).margin(0.05 * second));
}

TEST_CASE("the instrument's errors fall out of two faces, a wrong pressure scales distances") {
  station::Scenario s = quiet();
  s.collimation_s = 20, s.index_s = -30;
  const auto r = readings(book(s));
  const double c = 20 * second / std::sin(r[0].zenith);
  CHECK(off(r[3].circle - r[0].circle - pi) == Approx(-2 * c).margin(0.05 * second));
  CHECK(r[0].zenith + r[3].zenith - 2 * pi == Approx(-60 * second).margin(0.05 * second));
  station::Scenario p = quiet();
  p.jobs[0].setups[0].booked_pressure = 850; // 100 hPa too little: 27 ppm
  const auto wrong = readings(book(p)), right = readings(book(quiet()));
  CHECK(1e6 * (wrong[0].slope / right[0].slope - 1) == Approx(27.6).margin(1.0));
}

TEST_CASE("noise has the size that the scenario states") {
  station::Scenario s = quiet();
  s.direction_s = 4;
  s.jobs[0].setups[0].sets = 400;
  const auto r = readings(book(s));
  double sum = 0;
  int n = 0;
  const double angle = std::atan2(seen(s, 0, 2, 1.5, 1.3).x(), seen(s, 0, 2, 1.5, 1.3).y()) -
                       std::atan2(seen(s, 0, 1, 1.5, 1.3).x(), seen(s, 0, 1, 1.5, 1.3).y());
  for (std::size_t i = 0; i + 1 < r.size(); i += 4)
    sum += std::pow(off(r[i + 1].circle - r[i].circle - angle) / (4 * second), 2), ++n;
  CHECK(sum / n == Approx(2).margin(0.3)); // two pointings
}

TEST_CASE("the crew's mistakes stand in the book") {
  station::Scenario s = quiet();
  station::Setup &u = s.jobs[0].setups[0];
  u.targets[0].booked_as = "C", u.targets[1].booked_as = "B"; // names exchanged
  u.targets[1].booked_height = 1.8;
  u.deleted = 1;
  const std::string text = book(s);
  CHECK_THAT(text, Contains("tgt;C;orientation;1.300") && Contains("tgt;B;detail;1.800"));
  CHECK(readings(text, "x").size() == 1);
  CHECK(readings(text).size() == 3);
  CHECK(book(s) == text);
}

TEST_CASE("degrees are written as degrees, minutes and seconds in one word") {
  station::Scenario s = quiet();
  const auto gon = readings(book(s));
  s.jobs[0].unit = "deg";
  const std::string text = book(s);
  CHECK_THAT(text, Contains("unit;m;deg"));
  LineReader in(text);
  std::string_view line;
  std::size_t i = 0;
  while (in.next(line)) {
    const auto c = split(line, ';');
    if (c[0] != "p") continue;
    const std::string w(c[4]);
    const auto dot = w.find('.');
    const double angle =
        std::stod(w.substr(0, dot)) + std::stod(w.substr(dot + 1, 2)) / 60 + std::stod(w.substr(dot + 3)) / 10 / 3600;
    CHECK(radians(angle) == Approx(gon[i++].zenith).margin(0.1 * second));
  }
  CHECK(i == 4);
}

TEST_CASE("what a scenario may not say") {
  const std::string sound =
      R"({"seed": 3, "marks": [{"name": "A", "lat": 46, "lon": 13, "h": 100}, {"name": "B", "lat": 46.001, "lon": 13, "h": 100}],
    "station jobs": [{"file": "f", "name": "T", "set-ups": [{"mark": "A", "targets": [{"mark": "B"}]}]}]})";
  CHECK(station::is_station_scenario(sound));
  CHECK(station::read_scenario(sound).jobs.size() == 1);
  CHECK(station::simulate(station::read_scenario(sound)).files.size() == 1);
  auto with = [&](const std::string &from, const std::string &to) {
    std::string t = sound;
    return t.replace(t.find(from), from.size(), to);
  };
  CHECK_THROWS_WITH(station::simulate(station::read_scenario(with(R"([{"mark": "B"}])", R"([{"mark": "X"}])"))),
                    Contains("no mark \"X\""));
  CHECK_THROWS_WITH(station::read_scenario(with(R"([{"mark": "B"}])", "[]")), Contains("needs a target"));
  CHECK_THROWS_WITH(station::read_scenario(with(R"("name": "T",)", R"("name": "T", "unit": "rad",)")),
                    Contains("gon or deg"));
  CHECK_THROWS(station::read_scenario("{"));
}
