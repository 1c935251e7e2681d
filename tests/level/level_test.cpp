// The level stand-in: what its books must hold, read here without the program's own readers.
#include "base/error.h"
#include "base/text.h"
#include "level/level.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {

std::string scenario(const std::string &job, double noise = 0.02) {
  return R"({"seed": 7, "reading mm": )" + std::to_string(noise) + R"(, "reading mm per 100 m": )" +
         std::to_string(noise == 0 ? 0 : 0.1) + R"(, "marks": [
  {"name": "A", "lat": 46.30, "lon": 13.90, "h": 500}, {"name": "B", "lat": 46.305, "lon": 13.905, "h": 520},
  {"name": "S", "lat": 46.3025, "lon": 13.9025, "h": 510}],
  "geoid": {"lat": 46.3, "lon": 13.9, "height": 47},
  "benchmarks": ["A"], "level jobs": [{"file": "f.txt", "run": "R", "route": ["A", "B"])" +
         job + "}]}";
}

struct Sight {
  char kind;
  double reading, distance;
  bool used;
};
/// Sights of a delimited book.
std::vector<Sight> sights(const std::string &text) {
  std::vector<Sight> out;
  LineReader in(text);
  std::string_view line;
  while (in.next(line)) {
    const auto c = split(line, ';');
    if (c.size() < 7 || c[0] != "s") continue;
    out.push_back({c[2].at(0), *parse_number(c[3]), *parse_number(c[4]), c[6] == "1"});
  }
  return out;
}
/// The same of tagged words: code in front, unit character, sign, digits.
std::vector<Sight> words(const std::string &text) {
  std::vector<Sight> out;
  LineReader in(text);
  std::string_view line;
  while (in.next(line)) {
    std::map<std::string, std::string> of;
    for (auto w : split(line, ' '))
      if (w.size() > 7) of[std::string(w.substr(0, 2))] = std::string(w.substr(5));
    for (const auto &[code, kind] : {std::pair{"21", 'B'}, {"22", 'F'}, {"23", 'I'}})
      if (of.count(code)) {
        REQUIRE(of[code][0] == '4'); // hundredths of a millimetre
        REQUIRE(of["31"][0] == '2'); // millimetres
        out.push_back({kind, std::stod(of[code].substr(1)) * 1e-5, std::stod(of["31"].substr(1)) * 1e-3,
                       std::stol(of["61"].substr(1)) == 1});
      }
  }
  return out;
}
double rise(const std::vector<Sight> &all) {
  double sum = 0;
  for (const Sight &s : all) sum += s.kind == 'B' ? s.reading : s.kind == 'F' ? -s.reading : 0;
  return sum;
}
std::string first_file(const std::string &json) {
  return level::simulate(level::read_scenario(json)).files.front().text;
}

} // namespace

TEST_CASE("the same scenario gives the same bytes, another seed others") {
  const std::string a = scenario("");
  CHECK(first_file(a) == first_file(a));
  std::string other = a;
  other.replace(other.find("\"seed\": 7"), 9, "\"seed\": 8");
  CHECK(first_file(a) != first_file(other));
}

TEST_CASE("delimited and tagged books of one walk hold the same readings") {
  const auto plain = sights(first_file(scenario("")));
  REQUIRE(plain.size() > 20);
  for (const char *width : {"8", "16"}) {
    const auto tagged = words(first_file(scenario(std::string(R"(, "format": "words )") + width + "\"")));
    REQUIRE(tagged.size() == plain.size());
    for (std::size_t i = 0; i < plain.size(); ++i) {
      CHECK(tagged[i].kind == plain[i].kind);
      CHECK(tagged[i].reading == Approx(plain[i].reading).margin(1e-9));
      CHECK(tagged[i].distance == Approx(plain[i].distance).margin(0.006));
    }
  }
}

TEST_CASE("without errors the readings add up to the difference of potential over gravity") {
  const double measured = rise(sights(first_file(scenario("", 0))));
  // 20 m on the ellipsoid over a level geoid; curvature cancels in nearly balanced sights, gravity changes little.
  CHECK(measured == Approx(20).margin(0.0015));
}

TEST_CASE("each error of the instrument leaves its trace") {
  const double clean = rise(sights(first_file(scenario("", 0))));
  const auto sloped = sights(first_file(scenario(R"(, "collimation mm/m": 0.1, "unbalance": 0.2)", 0)));
  double unbalance = 0;
  for (const Sight &s : sloped) unbalance += s.kind == 'B' ? s.distance : -s.distance;
  CHECK(unbalance > 30);
  CHECK(rise(sloped) - clean == Approx(1e-4 * unbalance).margin(0.0012));
  // A staff whose metre is too long reads too little.
  const double scaled = rise(sights(first_file(scenario(R"(, "staff ppm": 200)", 0))));
  CHECK(scaled - clean == Approx(-200e-6 * 20).margin(3e-4));
}

TEST_CASE("mistakes of the crew are booked as crews make them") {
  const auto plain = sights(first_file(scenario("")));
  const auto twice = sights(first_file(scenario(R"(, "booked twice": 3)")));
  CHECK(twice.size() == plain.size() + 2);
  const auto given_up = sights(first_file(scenario(R"(, "aborted": 2)")));
  CHECK(given_up.size() == plain.size() + 2);
  const auto both = sights(first_file(scenario(R"(, "both twice": true)")));
  CHECK(both.size() == 2 * plain.size());
  const std::string exchanged = first_file(scenario(R"(, "exchanged": [["A", "B"]])"));
  CHECK(exchanged.find("s;B;B;") < exchanged.find("s;A;F;"));
  CHECK_THAT(first_file(scenario(R"(, "date": "2026-05-14")")), Contains("run;R;DL7;A;2026-05-14\n"));
  CHECK_THAT(first_file(scenario(R"(, "date": "2026-05-14", "format": "words 16")")),
             Contains("450010+0000000020260514"));
}

TEST_CASE("what a scenario may not say") {
  CHECK_THROWS_WITH(level::read_scenario(scenario(R"(, "format": "paper")")), Contains("delimited"));
  CHECK_THROWS_WITH(level::simulate(level::read_scenario(scenario(R"(, "side": ["nowhere"])"))), Contains("nowhere"));
  std::string one = scenario("");
  one.replace(one.find(R"(["A", "B"])"), 10, R"(["A"])");
  CHECK_THROWS_WITH(level::read_scenario(one), Contains("two marks"));
  CHECK_THROWS(level::read_scenario("{"));
  CHECK_THROWS(level::read_scenario("{\"level jobs\": 3}"));
  CHECK(level::is_level_scenario(scenario("")));
  CHECK(!level::is_level_scenario("{}"));
}

TEST_CASE("benchmarks carry the error that they state, and the truth is written") {
  const auto c = level::simulate(level::read_scenario(scenario("")));
  CHECK_THAT(c.benchmarks_csv, Contains("mark,height,sd_u") && Contains("A,453.0"));
  const auto truth = nlohmann::json::parse(c.truth_json);
  CHECK(truth.at("heights").size() == 3);
  CHECK(truth.at("heights")[0].at("height").get<double>() == Approx(453).margin(1e-9));
}
