// Reduced observations: angles written in any order and to either side, distances, height differences, azimuths, with
// standard errors of their own.
#include "base/angle.h"
#include "formats/recipe.h"
#include "traverse/field_book.h"
#include "traverse/sets.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

namespace {

const Recipe &plain() {
  for (const Recipe &r : shipped_pointing_recipes())
    if (r.name == "reduced observations") return r;
  throw std::logic_error("the recipe is not there");
}
/// A recipe for lines "marks angle sd", blanks between.
Recipe angles(const std::string &order, const std::string &more) {
  return read_recipe(R"({"format": "ample-tie recipe", "version": 1, "name": "angles", "reads": "pointings",
    "layout": "delimited", "delimiter": ";", "angles": "gon", )" +
                     more + R"( "lines": [{"name": "angle", "fields": [{"meaning": ")" + order +
                     R"(", "column": 1}, {"meaning": "angle", "column": 2},
    {"meaning": "angle_sd", "column": 3, "unit": "mgon"}]}]})");
}
double angle_of(const FieldBook &b, const std::string &from, const std::string &to) {
  const SetReduction r = reduce_sets(b.setups.at(0), {});
  return positive_angle(r.find(to)->direction - r.find(from)->direction);
}

} // namespace

TEST_CASE("a list of reduced observations becomes one set-up to a mark, whatever the order of its rows") {
  const FieldBook b = read_field_book(plain(),
                                      "# office\nunit;m;dms\n"
                                      "angle;A-B-C;45 30 10.0;2.5\n"
                                      "angle;K-A-L;181 00 00;3\n"
                                      "line;A-C;812.345;3;12.345;4\n"
                                      "rise;A-B;-3.2;1.5\n"
                                      "azimuth;A-B;12 00 00;5\n"
                                      "horizontal;A-B;500.001;2;struck\n",
                                      "src");
  REQUIRE(b.troubles.empty());
  CHECK(b.reading.unread == 0);
  REQUIRE(b.setups.size() == 2);
  CHECK(b.setups[0].mark == "A");
  CHECK(b.setups[1].mark == "K");
  REQUIRE(b.setups[0].pointings.size() == 6);
  const SetReduction r = reduce_sets(b.setups[0], {});
  const TargetMean *c = r.find("C"), *back = r.find("B");
  REQUIRE(c);
  REQUIRE(back);
  CHECK(positive_angle(c->direction - back->direction) == Approx(radians(45 + 30 / 60.0 + 10 / 3600.0)).epsilon(1e-12));
  CHECK(c->horizontal == Approx(812.345).epsilon(1e-12));
  CHECK(c->horizontal_sd == Approx(0.003));
  CHECK(c->rise == Approx(12.345).epsilon(1e-12));
  CHECK(c->rise_sd == Approx(0.004));
  CHECK(back->rise == Approx(-3.2).epsilon(1e-12));
  CHECK(back->azimuth == Approx(radians(12.0)));
  CHECK(back->azimuth_sd == Approx(5 * rad_per_arcsec));
  CHECK(std::isnan(back->horizontal)); // struck out
  CHECK(back->kind == PointingKind::orientation);
  CHECK(c->kind == PointingKind::control);
  // The covariance, up to a common turn, is that of one angle with its standard error.
  REQUIRE(r.direction_covariance.rows() == 2);
  const auto &q = r.direction_covariance;
  CHECK(q(0, 0) + q(1, 1) - 2 * q(0, 1) == Approx(std::pow(2.5 * rad_per_arcsec, 2)).epsilon(1e-9));
  CHECK(b.setups[0].pointings[0].line == 3);
  CHECK(b.setups[0].pointings[0].id != b.setups[0].pointings[1].id);
}

TEST_CASE("at-from-to, from-at-to, to the right and to the left say the same") {
  const double right = 100 * pi / 200;
  CHECK(angle_of(read_field_book(angles("at-from-to", ""), "S-R-T;100.0000;1\n", ""), "R", "T") ==
        Approx(right).epsilon(1e-12));
  CHECK(angle_of(read_field_book(angles("from-at-to", ""), "R-S-T;100.0000;1\n", ""), "R", "T") ==
        Approx(right).epsilon(1e-12));
  CHECK(angle_of(read_field_book(angles("from-at-to", R"("angles count": "left",)"), "R-S-T;300.0000;1\n", ""), "R",
                 "T") == Approx(right).epsilon(1e-12));
  CHECK(angle_of(read_field_book(angles("at-from-to", ""), "S > R > T;100.0000;1\n", ""), "R", "T") ==
        Approx(right).epsilon(1e-12));
  // A recipe keeps it.
  const Recipe again = read_recipe(write_recipe(angles("at-from-to", R"("angles count": "left",)")));
  CHECK(again.angles_left);
  CHECK_THROWS_WITH(angles("at-from-to", R"("angles count": "up",)"), Catch::Contains("right or to the left"));
}

TEST_CASE("circles that count to the left are turned round") {
  const Recipe r = read_recipe(R"({"format": "ample-tie recipe", "version": 1, "name": "left", "reads": "pointings",
    "layout": "delimited", "delimiter": ";", "angles": "gon", "codes": {"turned": {"L": "left", "R": "right"}},
    "lines": [{"name": "p", "fields": [{"meaning": "station", "column": 1}, {"meaning": "instrument_height", "column": 2},
      {"meaning": "target", "column": 3}, {"meaning": "circle", "column": 4}, {"meaning": "turned", "column": 5}]}]})");
  const FieldBook b = read_field_book(r, "S;1.5;A;0;L\nS;1.5;B;300;L\n", "");
  REQUIRE(b.setups.size() == 1);
  CHECK(angle_of(b, "A", "B") == Approx(pi / 2).epsilon(1e-12));
}

TEST_CASE("angles around a station are adjusted together, each with its own weight") {
  // Three angles that close the horizon by 6 mgon, standard errors 1, 1, 2 mgon: shares 1, 1, 4 mgon.
  const FieldBook b =
      read_field_book(angles("at-from-to", ""), "S-A-B;100.0000;1\nS-B-C;100.0000;1\nS-C-A;200.0060;2\n", "");
  REQUIRE(b.setups.size() == 1);
  const double mgon = pi / 200000;
  CHECK(angle_of(b, "A", "B") == Approx(pi / 2 - 1 * mgon).margin(1e-3 * mgon));
  CHECK(angle_of(b, "B", "C") == Approx(pi / 2 - 1 * mgon).margin(1e-3 * mgon));
  CHECK(angle_of(b, "C", "A") == Approx(pi + 2 * mgon).margin(1e-3 * mgon));
  // The same angle twice: the mean by weight (1 and 3 mgon: nine to one).
  const FieldBook twice = read_field_book(angles("at-from-to", ""), "S-A-B;100.0000;1\nS-A-B;100.0100;3\n", "");
  CHECK(angle_of(twice, "A", "B") == Approx(pi / 2 + 1 * mgon).margin(1e-3 * mgon));
  const SetReduction r = reduce_sets(twice.setups[0], {});
  CHECK(r.find("B")->direction_spread > 0);
  const auto &q = r.direction_covariance;
  CHECK(std::sqrt(q(0, 0) + q(1, 1) - 2 * q(0, 1)) == Approx(mgon / std::sqrt(1 + 1 / 9.0)).epsilon(1e-9));
}

TEST_CASE("rows of a list that are wrong are told by their lines, the others count") {
  const FieldBook b = read_field_book(plain(),
                                      "unit;m;dms\n"
                                      "angle;A-B;45 30 10.0;2.5\n"   // two marks only
                                      "angle;A-B-B;45 30 10.0;2.5\n" // turned from its own end
                                      "rise;A-C;5.0\n"               // no weight
                                      "horizontal;A-C;-5.0;2\n"      // no distance
                                      "horizontal;A-C;500;0\n"       // no standard error
                                      "point;Q;100.0\n",             // east alone
                                      "src");
  REQUIRE(b.troubles.size() == 5);
  CHECK(b.troubles[0].line == 2);
  CHECK_THAT(b.troubles[0].what, Catch::Contains("are not 3 marks"));
  CHECK(b.troubles[1].line == 3);
  CHECK(b.troubles[2].line == 4);
  CHECK(b.troubles[3].line == 6);
  CHECK(b.troubles[4].line == 7);
  REQUIRE(b.setups.size() == 1);
  CHECK(reduce_sets(b.setups[0], {}).find("C")->horizontal == 500);
}

TEST_CASE("coordinates and misclosures of the field come along as what they are") {
  const FieldBook b = read_field_book(plain(),
                                      "unit;m;dms\nangle;A-B-C;45 30 10.0;2.5\n"
                                      "point;T1;1000.123;2000.456;33.2\npoint;T2;;;12.5\n"
                                      "closure;A;Z;-7.5;0.012;-0.034;0.005\n",
                                      "src");
  CHECK(b.troubles.empty());
  REQUIRE(b.places.size() == 2);
  CHECK(b.places[0].mark == "T1");
  CHECK(b.places[0].north == 2000.456);
  CHECK(std::isnan(b.places[1].east));
  CHECK(b.places[1].height == 12.5);
  REQUIRE(b.closures.size() == 1);
  CHECK(b.closures[0].from == "A");
  CHECK(b.closures[0].angle == Approx(-7.5 * rad_per_arcsec));
  CHECK(b.closures[0].length == Approx(std::hypot(0.012, 0.034)));
  CHECK(b.closures[0].line == 5);
  CHECK(b.setups.size() == 1);
}

TEST_CASE("repeated distances and height differences must agree as sets do") {
  const auto spread = [](const std::string &repeat) {
    const FieldBook b =
        read_field_book(plain(), "unit;m;dms\nline;A-B;500.000;2;10.000;3\nline;A-B;" + repeat + "\n", "");
    return *reduce_sets(b.setups.at(0), {}).find("B");
  };
  const TargetMean good = spread("500.003;2;10.004;3");
  CHECK(good.within_limits());
  CHECK(good.slope_spread == Approx(0.003));
  CHECK(good.horizontal == Approx(500.0015));
  CHECK(good.zenith_spread == Approx(0.004 / 500).epsilon(1e-3));
  CHECK_FALSE(spread("500.050;2;10.004;3").within_limits());
  CHECK_FALSE(spread("500.003;2;10.100;3").within_limits());
}

TEST_CASE("damaged lists and books never crash, and what is left reduces") {
  const std::string list = "unit;m;dms\nangle;A-B-C;45 30 10.0;2.5\nline;A-C;812.345;3;12.345;4\nrise;A-B;-3.2;1.5\n"
                           "azimuth;A-B;12 00 00;5\nhorizontal;A-B;500.001;2;struck\npoint;T1;1;2;3\n"
                           "closure;A;Z;-7.5;0.012;-0.034;0.005\n",
                    book =
                        "unit;m;gon\njob;x;S1;2026-05-15\nstn;A;1.500\nair;950.0;12.0\ntgt;B;orientation;1.3;-0.0165\n"
                        "p;1;1;10.0000;99.9000;250.123;08:00:00\np;1;2;210.0010;300.1010;250.122;08:00:10\nend\n";
  std::mt19937 random(11);
  const auto pick = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
  std::size_t rows = 0;
  for (int k = 0; k < 4000; ++k) {
    const bool other = k % 2;
    std::string text = other ? book : list;
    for (std::size_t n = 1 + pick(6); n > 0; --n) {
      const std::size_t at = pick(text.size());
      switch (pick(4)) {
      case 0:
        text[at] = static_cast<char>(random() % 256);
        break;
      case 1:
        text.erase(at, pick(12));
        break;
      case 2:
        text.insert(at, text.substr(pick(text.size()), pick(30)));
        break;
      default:
        text.insert(at, k % 3 ? "-1e308" : "nan");
      }
      if (text.empty()) text = ";";
    }
    for (const Recipe &r : shipped_pointing_recipes()) {
      const FieldBook b = read_field_book(r, text, "x");
      for (const StationSetup &s : b.setups) rows += reduce_sets(s, {}).targets.size();
    }
  }
  CHECK(rows > 1000);
}
