// Jobs of five continents, both hemispheres and the polar circle, from files to coordinates: simulated as in demo/,
// with control in ITRF2020 at 2015.0 and no velocities, and compared with the simulator's truth moved by published
// formulas.
#include "formats/recognise.h"
#include "support/test_job.h"
#include <Eigen/Geometry>
#include <array>
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using nlohmann::json;

namespace {
int ample_quietly(const std::string &arguments) {
  return WEXITSTATUS(std::system(("'" AMPLETIE_CLI "' " + arguments + " > /dev/null 2>&1").c_str()));
}
json shown(const std::string &arguments) {
  FILE *p = ::popen(("'" AMPLETIE_CLI "' " + arguments + " 2>/dev/null").c_str(), "r");
  std::string out;
  std::array<char, 4096> buffer{};
  while (std::size_t n = std::fread(buffer.data(), 1, buffer.size(), p)) out.append(buffer.data(), n);
  ::pclose(p);
  return json::parse(out);
}

constexpr double mas = M_PI / 180 / 3600 / 1000;
/// Fourteen parameters as publications list them: m, ppb, mas and their rates a year.
struct Helmert {
  Vec3 t, dt;
  double d, dd;
  Vec3 r, dr;
  double epoch;
  int sense; ///< +1: position vector, −1: coordinate frame
  Vec3 operator()(const Vec3 &x, double at) const {
    const double years = at - epoch;
    const Vec3 rotation = sense * (r + years * dr) * mas;
    return x + t + years * dt + 1e-9 * (d + years * dd) * x + rotation.cross(x);
  }
};
const Vec3 zero = Vec3::Zero();
/// ITRF2020 to ITRF2014 (Altamimi et al. 2023).
const Helmert to_itrf2014{{-0.0014, -0.0009, 0.0014}, {0, -0.0001, 0.0002}, -0.42, 0, zero, zero, 2015, 1};
/// ITRF2014 to NAD83(2011) (NOAA, HTDP 3.2.9), to GDA2020 (ICSM, GDA2020 technical manual).
const Helmert to_nad83{{1.0053, -1.9092, -0.5416},  {0.00079, -0.0006, -0.00144}, 0.37, -0.07,
                       {26.7814, -0.4203, 10.9321}, {0.0667, -0.7574, -0.0513},   2010, -1};
/// ITRF2020 to ITRF2000 (Altamimi et al. 2023). SIRGAS 2000 is ITRF2000 at 2000.4 (EPSG:9052).
const Helmert to_itrf2000{{-0.0002, 0.0008, -0.0342}, {0.0001, 0, -0.0017}, 2.25, 0.11, zero, zero, 2015, 1};
const Helmert to_gda2020{zero, zero, 0, 0, zero, {1.50379, 1.18346, 1.20716}, 2020, -1};

/// Rotation of plates, mas/yr (Altamimi et al. 2017).
const std::map<std::string, Vec3> poles{
    {"Eurasia", {-0.085, -0.531, 0.770}},        {"Australia", {1.510, 1.182, 1.215}},
    {"North America", {0.024, -0.694, -0.063}},  {"Somalia", {-0.121, -0.794, 0.884}},
    {"South America", {-0.270, -0.301, -0.140}}, {"Antarctica", {-0.248, -0.324, 0.675}}};
Vec3 velocity(const std::string &plate, const Vec3 &x) { return (poles.at(plate) * mas).cross(x); }

struct Region {
  const char *name;
  double lat, lon, h;
  const char *crs, *realisation, *epoch_text;
  double epoch;
  const char *plate, *extra;
  /// Of a place in ITRF2020 at an epoch.
  std::function<Vec3(const Vec3 &, double at)> in_frame;
  bool moves; ///< ground, in the frame
  double margin;
};

Vec3 vec(const json &j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

void check_region(const Region &g) {
  INFO(g.name);
  TemporaryFolder folder;
  json scenario = json::parse(read_file(AMPLETIE_SOURCE_DIR "/demo/scenario.json"));
  // Four of the receivers show the way of coordinates as well as all.
  const auto drop = [](json &of, const char *name) {
    for (const char *mark : {"PS1", "DAM", "R07"})
      of.erase(std::remove_if(of.begin(), of.end(), [&](const json &m) { return m.at(name) == mark; }), of.end());
  };
  drop(scenario.at("marks"), "name");
  for (json &session : scenario.at("sessions")) drop(session.at("setups"), "mark");
  for (json &m : scenario.at("marks")) {
    m["lat"] = g.lat + (m.at("lat").get<double>() - 46.25) / 2;
    m["lon"] = g.lon + (m.at("lon").get<double>() - 13.9) / 2;
    m["h"] = g.h + m.at("h").get<double>() / 8;
    m.erase("velocity_enu");
  }
  write_file(folder / "scenario.json", scenario.dump());
  REQUIRE(ample_quietly("simulate " + (folder / "scenario.json") + " " + (folder / "data")) == 0);
  json truth;
  std::string files;
  for (const auto &e : std::filesystem::directory_iterator(folder / "data")) {
    const std::string name = e.path().filename().string();
    if (name.find("truth") != std::string::npos)
      truth = json::parse(plain_content(read_file(e.path().string())));
    else if (name != "control.csv")
      files += " " + e.path().string();
  }
  const double observed = truth.at("epoch");
  std::map<std::string, Vec3> places;
  for (const json &u : truth.at("setups")) places.emplace(u.at("mark"), vec(u.at("xyz")));
  std::string list = "mark,x,y,z,frame,epoch,sd_e_mm,sd_n_mm,sd_u_mm\n";
  for (const char *mark : {"REFA", "REFB"}) {
    const Vec3 x = places.at(mark) - velocity(g.plate, places.at(mark)) * (observed - 2015);
    list += fmt::format("{},{:.4f},{:.4f},{:.4f},ITRF2020,2015.0,2,2,4\n", mark, x.x(), x.y(), x.z());
  }
  write_file(folder / "control.csv", list);
  const std::string job = folder / "job.tie";
  REQUIRE(ample_quietly(fmt::format("new {} --crs {} --epoch {}{}{}", job, g.crs, g.epoch_text,
                                    *g.realisation ? " --realisation " : "", g.realisation)) == 0);
  ample_quietly(fmt::format("set {} job 'plate={}' {} --because region", job, g.plate, g.extra));
  ample_quietly("take " + job + files + " " + (folder / "control.csv") +
                " '" AMPLETIE_SOURCE_DIR "/demo/antenna-points.csv'");
  ample_quietly("hold " + job + " REFA");
  ample_quietly("hold " + job + " REFB");
  ample_quietly("set " + job + " occupation R11@2026-05-12T08 height_to=rim slant=yes --because sheet");
  ample_quietly("solve " + job);
  // The exit code says whether doubts are open: of control without a velocity, of vectors over flat ground at sea
  // level, and of what was issued at another epoch.
  const auto open_doubts = [&] {
    int open = 0;
    for (const json &d : shown("show " + job + " doubts --json")) {
      INFO(d.dump());
      const std::string code = d.at("code");
      CHECK((code == "velocity-missing" || code == "repeated-vectors-differ" || code == "vector-not-fixed" ||
             code == "differs-from-what-was-issued"));
      ++open;
    }
    return open > 0 ? 1 : 0;
  };
  const int adjusted = ample_quietly("adjust " + job);
  CHECK(adjusted == open_doubts());
  // The control stands still, or moves with its plate, from 2015 on.
  const auto expected = [&](const std::string &mark, double epoch) {
    const Vec3 x = places.at(mark), then = x - velocity(g.plate, x) * (observed - 2015);
    return g.moves ? Vec3(g.in_frame(x, observed) + velocity(g.plate, x) * (epoch - observed)) : g.in_frame(then, 2015);
  };
  const json marks = shown("show " + job + " marks --json");
  CHECK(marks.size() == places.size());
  for (const json &m : marks) {
    const Vec3 found(m.at("x").get<double>(), m.at("y").get<double>(), m.at("z").get<double>());
    INFO(m.at("name"));
    CHECK((found - expected(m.at("name"), g.epoch)).norm() < g.margin);
    CHECK(m.at("epoch").get<double>() == Approx(g.epoch).margin(0.002));
  }
  // What is issued is the same, at this epoch and at two others.
  int number = 0;
  for (const auto &[text, epoch] : {std::pair{g.epoch_text, g.epoch}, {"2005-01-01", 2005.0}, {"2030-01-01", 2030.0}}) {
    INFO("issued at " << epoch);
    if (number > 0) {
      const int set = ample_quietly(fmt::format("set {} job epoch={} --because 'another epoch'", job, text));
      CHECK(set == open_doubts());
      ample_quietly("solve " + job);
      const int again = ample_quietly("adjust " + job);
      CHECK(again == open_doubts());
    }
    const std::string out = folder / fmt::format("issued{}", ++number);
    const int issue = ample_quietly("issue " + job + " " + out);
    CHECK(issue == open_doubts());
    std::string record;
    for (const auto &e : std::filesystem::recursive_directory_iterator(out))
      if (e.path().filename() == "record.json") record = e.path().string();
    REQUIRE(!record.empty());
    const json issued = json::parse(read_file(record)).at("marks");
    CHECK(issued.size() >= places.size() - 2);
    for (const json &m : issued) {
      INFO(m.at("name"));
      const Vec3 found(m.at("x").get<double>(), m.at("y").get<double>(), m.at("z").get<double>());
      CHECK((found - expected(m.at("name"), epoch)).norm() < g.margin);
    }
  }
}
} // namespace

TEST_CASE("a job in Western Australia, in GDA2020") {
  check_region({"Perth", -31.95, 115.86, 20, "EPSG:7850", "", "2020-01-01", 2020, "Australia", "transformation=40",
                [](const Vec3 &x, double at) { return to_gda2020(to_itrf2014(x, at), at); }, false, 0.02});
}
TEST_CASE("a job in Florida, in NAD83(2011) and feet") {
  check_region({"Florida", 28.50, -81.30, 15, "EPSG:6438", "", "2010-01-01", 2010, "North America", "",
                [](const Vec3 &x, double at) { return to_nad83(to_itrf2014(x, at), at); }, false, 0.03});
}
TEST_CASE("a job south of the equator in Africa, in ITRF2020 at the day of the field work") {
  check_region({"Nairobi", -1.29, 36.82, 1700, "EPSG:32737", "ITRF2020", "2026-05-12", 2026.359, "Somalia", "",
                [](const Vec3 &x, double) { return x; }, true, 0.02});
}
TEST_CASE("a job near the equator in Asia, in ITRF2014 at 2010.0") {
  check_region({"Singapore", 1.35, 103.82, 20, "EPSG:32648", "ITRF2014", "2010-01-01", 2010, "Eurasia", "", to_itrf2014,
                true, 0.02});
}
TEST_CASE("a job in Brazil, in SIRGAS 2000, which is ITRF2000 at one epoch") {
  check_region({"Goiás", -15.90, -48.10, 1000, "EPSG:31982", "", "2000-05-26", 2000.4, "South America", "",
                [](const Vec3 &x, double at) {
                  const Vec3 y = to_itrf2000(x, at);
                  return Vec3(y + velocity("South America", y) * (2000.4 - at));
                },
                false, 0.02});
}
TEST_CASE("a job in Antarctica, in a polar grid and ITRF2020 at 2015.0") {
  check_region({"Syowa", -69.0, 39.58, 30, "EPSG:3031", "ITRF2020", "2015-01-01", 2015, "Antarctica", "",
                [](const Vec3 &x, double) { return x; }, true, 0.02});
}
