#include "station/station.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "sky/random.h"
#include <Eigen/Geometry>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>

namespace ampletie::station {
namespace {
using nlohmann::json;
using sky::Random;

constexpr double second = pi / 648000;
constexpr double earth = 6371000;

double turn(double a) {
  a = std::fmod(a, 2 * pi);
  return a < 0 ? a + 2 * pi : a;
}

/// Refractive index of air less one for near infrared, ppm: the simple closed form of the trade, within 0.3 ppm.
double air_ppm(double pressure, double temperature) { return 295.1 * pressure / 1013.25 / (1 + temperature / 273.15); }
constexpr double set_for_ppm = 282.6; ///< 1013.25 hPa and 12 °C in the same form

/// Writes a field book whose lines set what holds for the next ones.
class Writer {
public:
  explicit Writer(const Job &j) : gon_(j.unit == "gon") {
    text_ = "# field book of a simulated total station\nunit;m;" + j.unit + "\n";
    text_ += "job;" + j.name + ";" + j.instrument + ";" + j.date + "\n";
  }
  void setup(const std::string &mark, double height, double pressure, double temperature) {
    text_ += fmt::format("stn;{};{:.3f}\nair;{:.1f};{:.1f}\n", mark, height, pressure, temperature);
    target_.clear();
  }
  void target(const std::string &mark, const std::string &kind, double height, double constant,
              const std::string &code) {
    const std::string line =
        fmt::format("tgt;{};{};{:.3f};{:.4f}{}\n", mark, kind, height, constant, code.empty() ? "" : ";" + code);
    if (line != target_) text_ += line;
    target_ = line;
  }
  void pointing(int set, int face, double circle, double zenith, double slope, int seconds, bool deleted) {
    text_ +=
        fmt::format("{};{};{};{};{};{:.4f};{:02}:{:02}:{:02}\n", deleted ? "x" : "p", set, face, angle(turn(circle)),
                    angle(turn(zenith)), slope, 7 + seconds / 3600, seconds / 60 % 60, seconds % 60);
  }
  std::string text() const { return text_ + "end\n"; }

private:
  /// In gon with five decimals, or as degrees, minutes and seconds in one word (ddd.mmsss).
  std::string angle(double a) const {
    if (gon_) return fmt::format("{:.5f}", a * 200 / pi);
    long tenths = std::lround(a / second * 10);
    if (tenths >= 12960000) tenths -= 12960000;
    return fmt::format("{}.{:02}{:03}", tenths / 36000, tenths / 600 % 60, tenths % 600);
  }
  bool gon_;
  std::string text_, target_;
};

class Crew {
public:
  Crew(const Scenario &s, const Job &j, const std::map<std::string, Mark> &marks)
      : s_(s), j_(j), marks_(marks), random_(s.seed, "total station " + j.file + j.name), writer_(j) {
    scale_ppm_ = s.distance_ppm * random_.normal();
  }
  std::string book() {
    for (const Setup &u : j_.setups) measure(u);
    return writer_.text();
  }

private:
  const Mark &at(const std::string &name) const {
    const auto it = marks_.find(name);
    if (it == marks_.end()) throw InputError("total station scenario: there is no mark \"" + name + "\"");
    return it->second;
  }
  Vec3 offset(double mm) { return 1e-3 * mm * Vec3(random_.normal(), random_.normal(), 0); }

  void measure(const Setup &u) {
    const Mark &m = at(u.mark);
    const Geodetic g{radians(m.lat), radians(m.lon), m.h};
    // The plumb line leans: its zenith stands ξ north and η east of the ellipsoid's normal.
    const double lat = g.lat + m.north_s * second, lon = g.lon + m.east_s * second / std::cos(g.lat);
    const Mat3 axes = local_axes(lat, lon);
    const double height = u.height + 1e-3 * s_.height_mm * random_.normal();
    const Vec3 here = to_cartesian(g) + axes.transpose() * (offset(s_.centring_mm) + Vec3(u.east, u.north, height));
    writer_.setup(u.booked_as.empty() ? u.mark : u.booked_as, u.booked_height >= 0 ? u.booked_height : u.height,
                  u.booked_pressure >= 0 ? u.booked_pressure : u.pressure, u.temperature);
    std::vector<Vec3> there;
    for (const Target &t : u.targets) {
      const Mark &p = at(t.mark);
      const Geodetic q{radians(p.lat), radians(p.lon), p.h};
      const double tall = t.height + 1e-3 * s_.height_mm * random_.normal();
      there.push_back(to_cartesian(q) + local_axes(q).transpose() * (offset(s_.target_mm) + Vec3(0, 0, tall)));
    }
    int n = 0;
    for (int set = 1; set <= u.sets; ++set) {
      const double circle = random_.uniform(0, 2 * pi); // moved between sets
      for (int face : {1, 2})
        for (std::size_t i = 0; i < u.targets.size(); ++i, ++n) {
          const std::size_t k = face == 1 ? i : u.targets.size() - 1 - i; // back in the other order
          const Target &t = u.targets[k];
          const Vec3 d = axes * (there[k] - here);
          const double length = d.norm();
          const double ppm = air_ppm(u.pressure, u.temperature) -
                             air_ppm(u.booked_pressure >= 0 ? u.booked_pressure : u.pressure, u.temperature);
          double azimuth = std::atan2(d.x(), d.y()), zenith = std::acos(d.z() / length);
          // Refraction lifts the target by k times half the angle at the centre of the Earth.
          zenith -= u.refraction * length * std::sin(zenith) / (2 * earth);
          azimuth += t.lateral_s * second;
          const double aim = 1e-3 * s_.pointing_mm / length;
          azimuth += std::hypot(s_.direction_s * second, aim) * random_.normal() / std::sin(zenith);
          zenith += std::hypot(s_.zenith_s * second, aim) * random_.normal();
          if (n == u.wild) azimuth += 60 * second;
          const double c = s_.collimation_s * second / std::sin(zenith), index = s_.index_s * second;
          // The instrument applies the air as booked; what is left is the difference to the air as it is.
          const double slope = length * (1 + 1e-6 * (ppm + scale_ppm_)) - t.constant - 1e-3 * s_.true_constant_mm +
                               1e-3 * s_.distance_mm * random_.normal();
          writer_.target(t.booked_as.empty() ? t.mark : t.booked_as, t.kind,
                         t.booked_height >= 0 ? t.booked_height : t.height, t.constant, t.code);
          writer_.pointing(set, face, face == 1 ? azimuth - circle + c : azimuth - circle + pi - c,
                           (face == 1 ? zenith : 2 * pi - zenith) + index, slope, clock_ += 20, n == u.deleted);
        }
    }
    clock_ += 600;
  }

  const Scenario &s_;
  const Job &j_;
  const std::map<std::string, Mark> &marks_;
  Random random_;
  Writer writer_;
  double scale_ppm_ = 0;
  int clock_ = 0;
};

} // namespace

bool is_station_scenario(const std::string &text) { return text.find("\"station jobs\"") != std::string::npos; }

Scenario read_scenario(const std::string &text) {
  try {
    const json j = json::parse(text);
    Scenario s;
    s.seed = j.value("seed", s.seed);
    for (const auto &[name, value] :
         std::initializer_list<std::pair<const char *, double *>>{{"direction s", &s.direction_s},
                                                                  {"zenith s", &s.zenith_s},
                                                                  {"distance mm", &s.distance_mm},
                                                                  {"distance ppm", &s.distance_ppm},
                                                                  {"centring mm", &s.centring_mm},
                                                                  {"target mm", &s.target_mm},
                                                                  {"height mm", &s.height_mm},
                                                                  {"collimation s", &s.collimation_s},
                                                                  {"index s", &s.index_s},
                                                                  {"pointing mm", &s.pointing_mm},
                                                                  {"prism off mm", &s.true_constant_mm}})
      *value = j.value(name, *value);
    for (const json &m : j.at("marks"))
      s.marks.push_back({m.at("name"), m.at("lat"), m.at("lon"), m.at("h"), m.value("xi", 0.0), m.value("eta", 0.0)});
    for (const json &x : j.at("station jobs")) {
      Job q;
      q.file = x.at("file"), q.name = x.at("name");
      q.instrument = x.value("instrument", q.instrument), q.date = x.value("date", q.date),
      q.unit = x.value("unit", q.unit);
      if (q.unit != "gon" && q.unit != "deg") throw InputError("total station scenario: the unit is gon or deg");
      for (const json &y : x.at("set-ups")) {
        Setup u;
        u.mark = y.at("mark"), u.booked_as = y.value("booked as", "");
        u.east = y.value("east", 0.0), u.north = y.value("north", 0.0);
        u.height = y.value("height", u.height), u.booked_height = y.value("booked height", -1.0);
        u.pressure = y.value("pressure", u.pressure), u.booked_pressure = y.value("booked pressure", -1.0);
        u.temperature = y.value("temperature", u.temperature);
        u.sets = y.value("sets", u.sets), u.refraction = y.value("refraction", u.refraction);
        u.wild = y.value("wild", -1), u.deleted = y.value("deleted", -1);
        for (const json &z : y.at("targets")) {
          Target t;
          t.mark = z.at("mark"), t.kind = z.value("kind", t.kind), t.booked_as = z.value("booked as", "");
          t.height = z.value("height", t.height), t.booked_height = z.value("booked height", -1.0);
          t.constant = z.value("constant", 0.0), t.code = z.value("code", ""), t.lateral_s = z.value("lateral s", 0.0);
          u.targets.push_back(std::move(t));
        }
        if (u.targets.empty()) throw InputError("total station scenario: a set-up needs a target");
        q.setups.push_back(std::move(u));
      }
      s.jobs.push_back(std::move(q));
    }
    return s;
  } catch (const json::exception &e) {
    throw InputError(std::string("total station scenario: ") + e.what());
  }
}

Campaign simulate(const Scenario &s) {
  Campaign out;
  std::map<std::string, Mark> marks;
  json truth = json::array();
  for (const Mark &m : s.marks) {
    marks[m.name] = m;
    const Vec3 x = to_cartesian({radians(m.lat), radians(m.lon), m.h});
    truth.push_back({{"mark", m.name}, {"xyz", {x.x(), x.y(), x.z()}}, {"xi_s", m.north_s}, {"eta_s", m.east_s}});
  }
  for (const Job &j : s.jobs) out.files.push_back({j.file, Crew(s, j, marks).book()});
  out.truth_json = json{{"marks", truth}}.dump(1) + "\n";
  return out;
}

void simulate_to(const Scenario &s, const std::string &folder) {
  const Campaign c = simulate(s);
  std::filesystem::create_directories(folder);
  for (const auto &f : c.files) write_file(folder + "/" + f.name, f.text);
  write_file(folder + "/station-truth.json", c.truth_json);
}

} // namespace ampletie::station
