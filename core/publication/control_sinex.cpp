#include "publication/control_sinex.h"
#include "base/angle.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "time/gps_time.h"
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
using nlohmann::json;

/// "26:132:43200"
std::string sinex_time(GpsTime t) {
  const Calendar c = calendar({(t.ns + 500'000'000) / 1'000'000'000 * 1'000'000'000});
  return fmt::format("{:02}:{:03}:{:05}", c.year % 100, day_of_year(c.year, c.month, c.day),
                     c.hour * 3600 + c.minute * 60 + static_cast<int>(c.second));
}

/// The format is one of plain letters in fixed columns: what is none becomes a question mark.
std::string plain_letters(const std::string &name) {
  std::string out;
  for (const char c : name)
    if ((static_cast<unsigned char>(c) & 0xC0) != 0x80) out += static_cast<unsigned char>(c) < 0x80 ? c : '?';
  return out;
}

/// Codes of four characters, the names themselves where they are short and plain.
std::vector<std::string> codes_of(const json &marks) {
  std::vector<std::string> out;
  std::set<std::string> taken;
  const auto plain = [](const std::string &n) {
    return n.size() <= 4 && !n.empty() &&
           std::all_of(n.begin(), n.end(), [](unsigned char c) { return std::isalnum(c) != 0; });
  };
  for (const json &m : marks)
    if (const std::string n = m.at("name"); plain(n)) taken.insert(n);
  int number = 0;
  for (const json &m : marks) {
    const std::string n = m.at("name");
    std::string code = plain(n) ? n : std::string();
    while (code.empty() || (!plain(n) && !taken.insert(code).second)) code = fmt::format("M{:03}", ++number);
    out.push_back(code);
  }
  return out;
}

/// A mantissa below one, as Fortran writes it.
std::string mantissa(double v, int digits) {
  if (v == 0) return fmt::format("{:.{}f}E+00", 0.0, digits);
  int e = static_cast<int>(std::floor(std::log10(std::abs(v)))) + 1;
  double m = v / std::pow(10, e);
  if (std::abs(std::round(m * std::pow(10, digits))) >= std::pow(10, digits)) m /= 10, ++e;
  std::string t = fmt::format("{:.{}f}", std::abs(m), digits).substr(1); // without the nought
  return fmt::format("{}{}E{}{:02}", v < 0 ? "-" : "0", t, e < 0 ? '-' : '+', std::abs(e));
}

/// Degrees, minutes and seconds of the approximate place.
std::string dms_columns(double deg) {
  deg = deg < 0 ? deg + 360 : deg;
  const double tenths = std::round(deg * 36000);
  return fmt::format("{:3.0f} {:2.0f} {:4.1f}", std::floor(tenths / 36000), std::floor(std::fmod(tenths, 36000) / 600),
                     std::fmod(tenths, 600) / 10);
}

/// Latitudes have their sign with the degrees.
std::string latitude_columns(double deg) {
  const std::string t = dms_columns(std::abs(deg));
  return deg < 0 ? fmt::format("{:>3}", "-" + std::string(trimmed(t.substr(0, 3)))) + t.substr(3) : t;
}

Eigen::MatrixXd geocentric_covariance(const json &record, const std::vector<Vec3> &x) {
  const json &rows = record.at("covariance_enu");
  const auto n = static_cast<Eigen::Index>(3 * x.size());
  Eigen::MatrixXd enu(n, n), turn = Eigen::MatrixXd::Zero(n, n);
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index k = 0; k <= i; ++k)
      enu(i, k) = enu(k, i) = rows.at(static_cast<std::size_t>(i)).at(static_cast<std::size_t>(k)).get<double>();
  for (std::size_t i = 0; i < x.size(); ++i)
    turn.block<3, 3>(static_cast<Eigen::Index>(3 * i), static_cast<Eigen::Index>(3 * i)) =
        local_axes(to_geodetic(x[i])).transpose();
  return turn * enu * turn.transpose();
}
} // namespace

std::string control_sinex(const json &record) {
  const json &marks = record.at("marks");
  if (marks.empty() || record.at("covariance_enu").is_null()) return {};
  const std::string frame = record.at("frame");
  if (frame.empty() || frame == "local" || record.at("crs").get<std::string>().rfind("local", 0) == 0) return {};
  std::vector<Vec3> x;
  for (const json &m : marks) x.emplace_back(m.at("x").get<double>(), m.at("y").get<double>(), m.at("z").get<double>());
  const Eigen::MatrixXd q = geocentric_covariance(record, x);
  const auto codes = codes_of(marks);
  const std::string epoch = sinex_time(from_decimal_year(record.at("epoch").get<double>()));
  const auto made = parse_iso(record.value("time", ""));
  const std::string now = made ? sinex_time(*made) : epoch;
  std::string out = fmt::format("%=SNX 2.02 ATI {} ATI {} {} P {:05} 0 S\n", now, epoch, epoch, 3 * marks.size());
  out +=
      fmt::format("+FILE/REFERENCE\n DESCRIPTION        {:.60}\n SOFTWARE           Ample Tie 0.1.0\n-FILE/REFERENCE\n",
                  plain_letters(record.value("description", "control as issued")));
  out += fmt::format("+FILE/COMMENT\n* frame {}\n* {:.78}\n-FILE/COMMENT\n", frame,
                     plain_letters(record.value("comment", "held marks are errorless: their constraint code is 0")));
  out += "+SITE/ID\n*CODE PT __DOMES__ T _STATION DESCRIPTION__ APPROX_LON_ APPROX_LAT_ _APP_H_\n";
  for (std::size_t i = 0; i < codes.size(); ++i) {
    const Geodetic g = to_geodetic(x[i]);
    out += fmt::format(" {:<4}  A --------- P {:<22.22} {} {} {:7.1f}\n", codes[i], plain_letters(marks[i].at("name")),
                       dms_columns(degrees(g.lon)), latitude_columns(degrees(g.lat)), g.h);
  }
  out += "-SITE/ID\n+SOLUTION/EPOCHS\n*CODE PT SOLN T _DATA_START_ __DATA_END__ _MEAN_EPOCH_\n";
  for (const std::string &c : codes) out += fmt::format(" {:<4}  A    1 P {} {} {}\n", c, epoch, epoch, epoch);
  out += "-SOLUTION/EPOCHS\n+SOLUTION/ESTIMATE\n"
         "*INDEX TYPE__ CODE PT SOLN _REF_EPOCH__ UNIT S __ESTIMATED VALUE____ _STD_DEV___\n";
  constexpr const char *types[] = {"STAX", "STAY", "STAZ"};
  for (std::size_t i = 0; i < codes.size(); ++i)
    for (int k = 0; k < 3; ++k) {
      const auto at = static_cast<Eigen::Index>(3 * i) + k;
      out += fmt::format(" {:5} {:<6} {:<4}  A    1 {} m    {} {} {}\n", at + 1, types[k], codes[i], epoch,
                         q(at, at) > 0 ? 2 : 0, mantissa(x[i][k], 15), mantissa(std::sqrt(q(at, at)), 6).substr(1));
    }
  out += "-SOLUTION/ESTIMATE\n+SOLUTION/MATRIX_ESTIMATE L COVA\n"
         "*PARA1 PARA2 ____PARA2+0__________ ____PARA2+1__________ ____PARA2+2__________\n";
  for (Eigen::Index i = 0; i < q.rows(); ++i)
    for (Eigen::Index k = 0; k <= i; k += 3) {
      out += fmt::format(" {:5} {:5}", i + 1, k + 1);
      for (Eigen::Index j = k; j < std::min(k + 3, i + 1); ++j) out += " " + mantissa(q(i, j), 15);
      out += "\n";
    }
  return out + "-SOLUTION/MATRIX_ESTIMATE L COVA\n%ENDSNX\n";
}

} // namespace ampletie
