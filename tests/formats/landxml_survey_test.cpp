// Survey records of LandXML, in the units that files state.
#include "base/angle.h"
#include "base/error.h"
#include "formats/landxml_survey.h"
#include <catch2/catch.hpp>

using namespace ampletie;

namespace {

std::string survey(const std::string &units, const std::string &body) {
  return "<?xml version=\"1.0\"?>\n<LandXML xmlns=\"http://www.landxml.org/schema/LandXML-1.2\" "
         "version=\"1.2\">\n<Units>" +
         units + "</Units>\n<Survey>\n<SurveyHeader name=\"x\"/>\n" + body + "\n</Survey>\n</LandXML>\n";
}
const std::string setup = "<InstrumentSetup id=\"s1\" stationName=\"A\" instrumentHeight=\"1.5\"/>\n";

} // namespace

TEST_CASE("raw observations of a set-up come as station, air and pointings") {
  const std::string text =
      survey("<Metric linearUnit=\"meter\" angularUnit=\"grads\" pressureUnit=\"mmHG\" temperatureUnit=\"celsius\"/>",
             setup + "<ObservationGroup id=\"g\">\n<AtmosphericConditions pressure=\"720\" temperature=\"12\"/>\n"
                     "<Backsight id=\"b\" setupID=\"s1\"><BacksightPoint name=\"Z\"/></Backsight>\n"
                     "<RawObservation setupID=\"s1\" targetHeight=\"1.3\" horizAngle=\"100\" zenithAngle=\"99.5\" "
                     "slopeDistance=\"250.1\" directFace=\"true\"><TargetPoint name=\"Z\"/></RawObservation>\n"
                     "<RawObservation setupID=\"s1\" targetHeight=\"1.3\" horizAngle=\"300\" zenithAngle=\"300.5\" "
                     "slopeDistance=\"250.1\" directFace=\"false\"><TargetPoint name=\"Z\"/></RawObservation>\n"
                     "<RawObservation setupID=\"s1\" horizAngle=\"100.001\" directFace=\"true\" purpose=\"sideshot\">"
                     "<TargetPoint name=\"Z\" code=\"TREE\"/></RawObservation>\n</ObservationGroup>");
  REQUIRE(looks_like_landxml_survey(text));
  const RecipeReading r = read_landxml_survey(text);
  REQUIRE(r.records.size() == 5);
  CHECK(r.unread == 0);
  CHECK(r.records[0].find("station")->text == "A");
  CHECK(r.records[0].find("instrument_height")->number == 1.5);
  CHECK(r.records[1].find("pressure")->number == Approx(959.92).margin(0.01)); // 1 mmHg = 1.33322 hPa
  CHECK(r.records[2].find("circle")->number == Approx(pi / 2));
  CHECK(r.records[2].find("kind")->text == "orientation");
  CHECK(r.records[2].find("set")->number == 1);
  CHECK(r.records[3].find("face")->text == "2");
  CHECK(r.records[3].find("set")->number == 1);
  CHECK(r.records[4].find("set")->number == 2);
  CHECK(r.records[4].find("code")->text == "TREE");
  CHECK_FALSE(r.records[4].find("slope"));
  CHECK(r.records[2].line > r.records[1].line);
}

TEST_CASE("feet and packed degrees are what the file says, and reduced observations stand in for raw ones") {
  const RecipeReading r = read_landxml_survey(
      survey("<Imperial linearUnit=\"foot\" angularUnit=\"decimal dd.mm.ss\" temperatureUnit=\"fahrenheit\"/>",
             setup + "<ObservationGroup id=\"g\"><AtmosphericConditions temperature=\"50\"/><ReducedObservation "
                     "setupID=\"s1\" horizAngle=\"45.3015\" slopeDistance=\"100\"><TargetPoint name=\"B\"/>"
                     "</ReducedObservation></ObservationGroup>"));
  REQUIRE(r.records.size() == 3);
  CHECK(r.records[0].find("instrument_height")->number == Approx(0.4572));
  CHECK(r.records[1].find("temperature")->number == Approx(10));
  CHECK(degrees(r.records[2].find("circle")->number) == Approx(45 + 30.0 / 60 + 15.0 / 3600));
  CHECK(r.records[2].find("slope")->number == Approx(30.48));
}

TEST_CASE("reduced observations bring distances, heights, bearings and their standard errors") {
  const RecipeReading r = read_landxml_survey(survey(
      "<Metric linearUnit=\"meter\" angularUnit=\"decimal degrees\"/>",
      setup + "<ObservationGroup id=\"g\">\n<Backsight setupID=\"s1\" circle=\"10\"><BacksightPoint "
              "name=\"Z\"/></Backsight>\n"
              "<ReducedObservation setupID=\"s1\" horizAngle=\"45\" horizDistance=\"120.5\" vertDistance=\"-2.25\" "
              "angleStdError=\"0.001\" horizDistStdError=\"0.003\"><TargetPoint name=\"B\"/></ReducedObservation>\n"
              "<ReducedObservation setupID=\"s1\" azimuth=\"200\" horizDistance=\"80\" azimuthAccuracy=\"0.002\">"
              "<TargetPoint name=\"C\"/></ReducedObservation></ObservationGroup>"));
  CHECK(r.unread == 0);
  REQUIRE(r.records.size() == 4);
  // The circle was turned to 10° on the back sight, which has no observation of its own.
  CHECK(r.records[1].find("target")->text == "Z");
  CHECK(degrees(r.records[1].find("circle")->number) == Approx(10));
  CHECK(r.records[2].find("horizontal")->number == 120.5);
  CHECK(r.records[2].find("rise")->number == -2.25);
  CHECK(degrees(r.records[2].find("angle_sd")->number) == Approx(0.001));
  CHECK(r.records[2].find("distance_sd")->number == 0.003);
  CHECK_FALSE(r.records[2].find("grid_bearing"));
  CHECK(degrees(r.records[3].find("grid_bearing")->number) == Approx(200));
  CHECK(degrees(r.records[3].find("angle_sd")->number) == Approx(0.002));
}

TEST_CASE("bad survey files are refused with their line, what is not understood is counted") {
  CHECK_THROWS_AS(read_landxml_survey("<LandXML>\n<Survey>\n<InstrumentSetup id=\"1\"\n</Survey></LandXML>"),
                  InputError);
  try {
    read_landxml_survey("<LandXML>\n<Survey>\n</Wrong>\n</LandXML>");
    FAIL("read");
  } catch (const InputError &e) {
    CHECK(e.line() == 3);
  }
  CHECK_THROWS_WITH(read_landxml_survey(survey("<Metric linearUnit=\"cubit\"/>", setup)), Catch::Contains("cubit"));
  const RecipeReading r = read_landxml_survey(survey(
      "<Metric linearUnit=\"meter\" angularUnit=\"grads\"/>",
      setup + "<GPSVector dX=\"1\"/>\n<ObservationGroup id=\"g\"><RawObservation setupID=\"s1\" horizAngle=\"north\" "
              "zenithAngle=\"100\"><TargetPoint name=\"B\"/></RawObservation></ObservationGroup>"));
  CHECK(r.unread == 2);
  CHECK(r.first_unread.why.find("GPSVector") != std::string::npos);
  CHECK_FALSE(r.records.back().find("circle"));
}
