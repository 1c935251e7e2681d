// Searching the register by words and place; what a system would mean for a job, and why not.
#include "base/angle.h"
#include "datum/system_offer.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
const FoundSystem *code_in(const std::vector<FoundSystem> &all, const char *code) {
  for (const FoundSystem &s : all)
    if (s.code == code) return &s;
  return nullptr;
}
Geodetic place(double lat, double lon) { return {radians(lat), radians(lon), 0}; }
} // namespace

TEST_CASE("systems are found by words in any order and case, by code and by place") {
  const auto utm = find_systems("zone 33n utm", {}, "projected");
  CHECK(code_in(utm, "EPSG:25833"));
  CHECK(code_in(utm, "EPSG:32633"));
  CHECK_FALSE(code_in(utm, "EPSG:32733"));
  CHECK(code_in(find_systems("epsg:2193", {}, ""), "EPSG:2193"));
  CHECK(find_systems("no such system anywhere", {}, "").empty());
  // A neighbouring zone, across whose edge the place lies by half a degree, comes after those of the place.
  const auto coast = find_systems("peru96", place(-11.07, -77.59), "projected");
  REQUIRE(coast.size() >= 2);
  CHECK(coast[0].code == "EPSG:5387");
  CHECK(code_in(coast, "EPSG:5839"));
  const auto alps = find_systems("", place(46.3, 13.9), "projected");
  CHECK(code_in(alps, "EPSG:25833"));
  CHECK(code_in(alps, "EPSG:3794")); // Slovenia
  CHECK_FALSE(code_in(alps, "EPSG:2193"));
  CHECK_FALSE(code_in(alps, "EPSG:25832")); // west of 12° E
  for (const FoundSystem &s : alps) CHECK(s.kind == "projected");
  // What is made for a country comes before what is made for a continent.
  const auto at = [&](const char *code) { return code_in(alps, code) - alps.data(); };
  CHECK(at("EPSG:3794") < at("EPSG:25833"));
  CHECK(at("EPSG:25833") < at("EPSG:3035"));
  // Across the antimeridian.
  for (double lon : {179.9, -179.9, 180.0})
    CHECK(code_in(find_systems("", place(-17.0, lon), "projected"), "EPSG:3460")); // Fiji
  CHECK_FALSE(code_in(find_systems("", place(-17.0, 0), "projected"), "EPSG:3460"));
  CHECK(code_in(find_systems("nzvd2016", place(-41.3, 174.8), "vertical"), "EPSG:7839"));
  // Superseded entries are not offered.
  CHECK_FALSE(code_in(find_systems("epsg:2400", {}, ""), "EPSG:2400"));
}

TEST_CASE("a system says what it would mean for a job, or why it cannot be used") {
  const Geodetic alps = place(46.3, 13.9);
  const auto offer = [&](const char *code, const Geodetic &at) {
    const auto found = find_systems(code, {}, "");
    const FoundSystem *s = code_in(found, code);
    REQUIRE(s);
    return offer_system(*s, at);
  };
  const SystemOffer utm = offer("EPSG:25833", alps);
  CHECK(utm.usable);
  CHECK(utm.frame == "ETRF2000");
  CHECK_THAT(utm.axes, Contains("Easting"));
  REQUIRE(utm.way_m);
  CHECK(*utm.way_m < 0.02);
  CHECK(*utm.scale == Approx(0.9997).margin(2e-4));
  const SystemOffer wgs = offer("EPSG:32633", alps);
  CHECK(wgs.usable);
  CHECK_THAT(wgs.frame, Contains("to be said") && Contains("ITRF2020"));
  const SystemOffer bessel = offer("EPSG:31254", place(47.2, 10.5)); // MGI, on Bessel's ellipsoid
  CHECK(bessel.usable);
  CHECK_THAT(bessel.frame, Contains("to be said") && Contains("shifts"));
  REQUIRE(bessel.way_m);
  CHECK(*bessel.way_m > 0.5); // EPSG:1619 is stated to 1.5 m
  const SystemOffer belgium = offer("EPSG:31300", place(50.6, 4.6));
  CHECK_FALSE(belgium.usable);
  const SystemOffer egm = offer("EPSG:5773", alps);
  CHECK(egm.usable);
  CHECK_THAT(egm.frame, Contains("egm96_15"));
  const SystemOffer dhhn = offer("EPSG:7837", place(50, 10));
  CHECK_FALSE(dhhn.usable);
  CHECK_THAT(dhhn.why_not, Contains("grid"));
  CHECK_FALSE(offer("EPSG:4326", alps).usable);
  // Brazil's own grid stands for one epoch: it can be used as soon as the plate is said.
  const SystemOffer sirgas = offer("EPSG:31983", place(-15.9, -46.1));
  CHECK(sirgas.usable);
  CHECK_THAT(sirgas.frame, Contains("SIRGAS 2000, once the plate is said"));
  CHECK(sirgas.way_m.value() == Approx(0.0141).margin(0.001));
  const SystemOffer feet = offer("EPSG:6438", place(28.5, -81.4)); // Florida East, US survey feet
  CHECK(feet.usable);
  CHECK_THAT(feet.axes, Contains("US survey foot"));
}
