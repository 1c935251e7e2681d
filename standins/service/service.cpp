#include "service/service.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/recognise.h"
#include "formats/rinex_observation.h"
#include "geodesy/ellipsoid.h"
#include "sky/random.h"
#include <Eigen/Cholesky>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>

namespace ampletie::service {
namespace {
using nlohmann::json;

constexpr double day = 86400;

std::string sinex_time(GpsTime t) {
  const Calendar c = calendar(t);
  const double seconds = t - gps_time({c.year, c.month, c.day, 0, 0, 0});
  return fmt::format("{:02}:{:03}:{:05}", c.year % 100, day_of_year(c.year, c.month, c.day), std::lround(seconds));
}

/// Everything that both files say.
struct Solved {
  std::string mark, receiver, antenna, serial;
  double height = 0;
  Eigen::Vector2d off{0, 0}; ///< east, north
  Vec3 xyz, sd_enu;
  Mat3 cov; ///< in X, Y, Z
  GpsTime start, stop;
  std::size_t satellites = 0;
};

Solved solve(const Request &r, const Settings &s) {
  const ObservationFile &f = *r.file;
  if (f.epochs.empty()) throw InputError(r.observations, 0, "there is no epoch in it");
  Solved out;
  out.mark = f.marker, out.receiver = f.receiver, out.antenna = f.antenna, out.serial = f.antenna_serial;
  out.start = f.epochs.front().time, out.stop = f.epochs.back().time;
  if (r.mistake == Mistake::day) out.start = out.start + 3 * day, out.stop = out.stop + 3 * day;
  std::set<std::pair<char, int>> seen;
  for (const auto &e : f.epochs)
    for (std::size_t i = e.first; i < e.first + e.count; ++i)
      seen.insert({f.records[i].sat.system, f.records[i].sat.number});
  out.satellites = seen.size();
  sky::Random random(s.seed, "answer for " + r.observations);
  const double hours = std::max(0.25, (f.epochs.back().time - f.epochs.front().time) / 3600), k = std::sqrt(4 / hours);
  const double weak = r.mistake == Mistake::weak ? 25 : 1;
  out.sd_enu = Vec3(s.plan, s.plan, s.up) * k * weak;
  // East and up of such solutions go together a little.
  Mat3 cov = out.sd_enu.cwiseAbs2().asDiagonal();
  cov(0, 2) = cov(2, 0) = 0.2 * out.sd_enu.x() * out.sd_enu.z();
  const Vec3 drawn(random.normal(), random.normal(), random.normal());
  const Mat3 axes = local_axes(to_geodetic(r.mark));
  const Mat3 lower = cov.llt().matrixL();
  const Vec3 error = lower * drawn;
  out.cov = axes.transpose() * cov * axes;
  // The marker lies below the antenna by what the service takes for its height.
  const double stated = f.delta_hen.x(), truth = r.true_height.value_or(stated);
  out.height = r.mistake == Mistake::height ? 0 : stated;
  Vec3 up(0, 0, truth - out.height);
  if (r.mistake == Mistake::antenna) out.antenna = r.other_antenna, out.serial.clear(), up.z() += r.other_antenna_up;
  out.off = {f.delta_hen.y(), f.delta_hen.z()};
  out.xyz = (r.mistake == Mistake::frame ? r.elsewhere : r.mark) + axes.transpose() * (error + up);
  return out;
}

std::string sinex_of(const Solved &x, const Request &r, const Settings &s) {
  const GpsTime mid = x.start + (x.stop - x.start) / 2;
  const std::string start = sinex_time(x.start), stop = sinex_time(x.stop), epoch = sinex_time(mid);
  const std::string code = x.mark.substr(0, 4);
  std::string t = fmt::format("%=SNX 2.02 SIM {} SIM {} {} P 00003 2 S\n", sinex_time(x.stop + 3600), start, stop);
  t += "*---------------------------------------------------------------------\n+FILE/COMMENT\n positions by the "
       "stand-in of a service\n";
  if (r.mistake != Mistake::frame) t += " coordinates in " + s.frame + "\n";
  t += "-FILE/COMMENT\n+SITE/ID\n*CODE PT __DOMES__ T _STATION DESCRIPTION__ APPROX_LON_ APPROX_LAT_ _APP_H_\n";
  t += fmt::format(" {:4}  A {:9} P {:22}\n", code, "---------", x.mark);
  t += "-SITE/ID\n+SITE/RECEIVER\n*SITE PT SOLN T DATA_START__ DATA_END____ DESCRIPTION_________ S/N__ FIRMWARE___\n";
  t += fmt::format(" {:4}  A    1 P {} {} {:20} {:5} {:11}\n", code, start, stop, x.receiver, "-----", "-----------");
  t += "-SITE/RECEIVER\n+SITE/ANTENNA\n*SITE PT SOLN T DATA_START__ DATA_END____ DESCRIPTION_________ S/N__\n";
  t += fmt::format(" {:4}  A    1 P {} {} {:20} {:5}\n", code, start, stop, x.antenna,
                   x.serial.empty() ? "-----" : x.serial.substr(0, 5));
  t += "-SITE/ANTENNA\n+SITE/ECCENTRICITY\n*SITE PT SOLN T DATA_START__ DATA_END____ AXE _UP_____ NORTH___ EAST____\n";
  t += fmt::format(" {:4}  A    1 P {} {} UNE {:8.4f} {:8.4f} {:8.4f}\n", code, start, stop, x.height, x.off.y(),
                   x.off.x());
  t += "-SITE/ECCENTRICITY\n+SOLUTION/EPOCHS\n*CODE PT SOLN T _DATA_START_ __DATA_END__ _MEAN_EPOCH_\n";
  t += fmt::format(" {:4}  A    1 P {} {} {}\n", code, start, stop, epoch);
  t += "-SOLUTION/EPOCHS\n+SOLUTION/ESTIMATE\n*INDEX TYPE__ CODE PT SOLN _REF_EPOCH__ UNIT S __ESTIMATED VALUE____ "
       "_STD_DEV___\n";
  for (int k = 0; k < 3; ++k)
    t += fmt::format(" {:5} STA{}   {:4}  A    1 {} m    2 {:21.14E} {:.5E}\n", k + 1, "XYZ"[k], code, epoch, x.xyz[k],
                     std::sqrt(x.cov(k, k)));
  t += "-SOLUTION/ESTIMATE\n+SOLUTION/MATRIX_ESTIMATE L COVA\n*PARA1 PARA2 ____PARA2+0__________ ____PARA2+1__________ "
       "____PARA2+2__________\n";
  for (int k = 0; k < 3; ++k) {
    t += fmt::format(" {:5} {:5}", k + 1, 1);
    for (int j = 0; j <= k; ++j) t += fmt::format(" {:21.14E}", x.cov(k, j));
    t += "\n";
  }
  return t + "-SOLUTION/MATRIX_ESTIMATE L COVA\n%ENDSNX\n";
}

std::string report_of(const Solved &x, const Request &r, const Settings &s) {
  const GpsTime mid = x.start + (x.stop - x.start) / 2;
  const Geodetic g = to_geodetic(x.xyz);
  std::string t = "POSITION REPORT 1\n# of the stand-in of a positioning service\n";
  t += "mark: " + x.mark + "\nobservations: " + r.observations + "\n";
  t += "start: " + iso(x.start) + "\nstop: " + iso(x.stop) + "\n";
  t += "receiver: " + x.receiver + "\nantenna: " + x.antenna + "\n";
  if (!x.serial.empty()) t += "antenna serial: " + x.serial + "\n";
  t += fmt::format("antenna height: {:.4f} m, to the reference point\nsatellites: {}\n", x.height, x.satellites);
  t += std::string("solution: ") + (r.mistake == Mistake::weak ? "float" : "fixed") + "\n";
  if (r.mistake != Mistake::frame) t += "frame: " + s.frame + "\n";
  t += fmt::format("epoch: {:.5f}\n", decimal_year(mid));
  for (int k = 0; k < 3; ++k) t += fmt::format("{}: {:.4f} m +- {:.4f}\n", "XYZ"[k], x.xyz[k], std::sqrt(x.cov(k, k)));
  t +=
      fmt::format("sd east: {:.4f} m\nsd north: {:.4f} m\nsd up: {:.4f} m\n", x.sd_enu.x(), x.sd_enu.y(), x.sd_enu.z());
  t += fmt::format("latitude: {}\nlongitude: {}\nellipsoidal height: {:.4f} m\n", format_dms(degrees(g.lat), 5),
                   format_dms(degrees(g.lon), 5), g.h);
  // By a geoid of its own, rough on purpose: nobody shall use it.
  t += fmt::format("physical height: {:.3f} m\ngeoid: the service's own, 46.0 m everywhere\n", g.h - 46.0);
  return t;
}

Mistake mistake_named(const std::string &name) {
  const std::pair<const char *, Mistake> all[] = {{"none", Mistake::none},     {"antenna", Mistake::antenna},
                                                  {"height", Mistake::height}, {"frame", Mistake::frame},
                                                  {"weak", Mistake::weak},     {"day", Mistake::day}};
  for (const auto &[n, m] : all)
    if (name == n) return m;
  throw InputError("\"" + name + "\" is no mistake of a service (none, antenna, height, frame, weak, day)");
}

Vec3 vector_of(const json &j) { return Vec3(j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()); }

} // namespace

Answer answer(const Request &r, const Settings &s) {
  const Solved x = solve(r, s);
  return {sinex_of(x, r, s), report_of(x, r, s)};
}

bool is_service_scenario(const std::string &text) { return text.find("\"answers\"") != std::string::npos; }

void simulate_to(const std::string &text, const std::string &beside, const std::string &folder) {
  try {
    const json j = json::parse(text);
    Settings s;
    s.seed = j.value("seed", std::uint64_t{1});
    s.frame = j.value("frame", s.frame);
    s.plan = j.value("plan_mm", 1000 * s.plan) / 1000, s.up = j.value("up_mm", 1000 * s.up) / 1000;
    const json truth = json::parse(plain_content(read_file(beside + "/" + j.at("truth").get<std::string>())));
    std::filesystem::create_directories(folder);
    for (const json &a : j.at("answers")) {
      Request r;
      r.observations = a.at("observations").get<std::string>();
      const auto sites = read_rinex_observations(plain_content(read_file(beside + "/" + r.observations)));
      r.file = &sites.at(0);
      bool known = false;
      for (const json &m : truth.at("marks"))
        if (m.at("name") == r.file->marker)
          r.mark = vector_of(m.at("xyz")), r.elsewhere = vector_of(m.at("control_frame_xyz")), known = true;
      if (!known) throw InputError("the truth knows no mark " + r.file->marker);
      if (a.contains("true_height")) r.true_height = a.at("true_height").get<double>();
      r.mistake = mistake_named(a.value("mistake", "none"));
      const Answer out = answer(r, s);
      const std::string base = folder + "/" + r.observations.substr(0, r.observations.find('.'));
      write_file(base + ".snx", out.sinex);
      write_file(base + "-report.txt", out.report);
    }
  } catch (const json::exception &e) {
    throw InputError(std::string("the scenario of the service cannot be read: ") + e.what());
  }
}

} // namespace ampletie::service
