#include "formats/antex.h"
#include "base/angle.h"
#include "formats/rinex_header.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
using namespace rinex;

namespace {
std::vector<double> row(std::string_view line, std::size_t expected, long at) {
  std::vector<double> out;
  for (std::size_t i = 0; i < expected; ++i) out.push_back(number(line, 8 + 8 * i, 8, at, "a phase variation") * 1e-3);
  return out;
}
} // namespace

namespace {
/// Antennas as their lines come.
struct AntexBuilder {
  AntexFile file;
  std::optional<Antenna> a;
  std::string frequency;
  std::optional<SatelliteAntenna> satellite;

  void take(std::string_view line, long at) {
    const auto name = label(line);
    if (name == "START OF ANTENNA") {
      a.emplace();
      a->line = at;
      satellite.reset();
    } else if (!a) {
      if (!trimmed(line).empty() && name != "COMMENT") throw InputError({}, at, "an antenna should start here");
    } else if (name == "TYPE / SERIAL NO")
      named(line);
    else if (name == "VALID FROM") {
      if (satellite) satellite->from = header_time(line, at);
    } else if (name == "VALID UNTIL") {
      if (satellite) satellite->until = header_time(line, at);
    } else if (name == "DAZI" || name == "ZEN1 / ZEN2 / DZEN")
      grid(name, line, at);
    else if (name == "SINEX CODE")
      a->release = text(line, 0, 10);
    else if (name == "END OF ANTENNA")
      finish();
    else
      of_frequency(name, line, at);
  }

private:
  void named(std::string_view line) {
    std::string_view t = field(line, 0, 20);
    while (!t.empty() && t.back() == ' ') t.remove_suffix(1);
    a->type = std::string(t);
    a->serial = text(line, 20, 20);
    // Satellite antennas carry a satellite code as "serial".
    if (a->serial.size() == 3 && parse_sat(a->serial) && !text(line, 40, 10).empty())
      satellite.emplace().sat = *parse_sat(a->serial);
  }

  void grid(std::string_view name, std::string_view line, long at) {
    if (name == "DAZI") {
      a->azimuth_step = number(line, 2, 6, at, "the azimuth step");
      if (a->azimuth_step != 0 && !(a->azimuth_step >= 0.1 && a->azimuth_step <= 180))
        throw InputError({}, at, "the azimuth step is impossible");
    } else {
      a->zenith_first = number(line, 2, 6, at, "the first zenith angle");
      a->zenith_last = number(line, 8, 6, at, "the last zenith angle");
      a->zenith_step = number(line, 14, 6, at, "the zenith step");
      if (!(a->zenith_step >= 0.01) || !(a->zenith_last >= a->zenith_first) || !(a->zenith_last <= 180) ||
          !(a->zenith_first >= 0) || (a->zenith_last - a->zenith_first) / a->zenith_step > 400)
        throw InputError({}, at, "the grid of zenith angles is impossible");
    }
  }

  void of_frequency(std::string_view name, std::string_view line, long at) {
    if (name == "START OF FREQUENCY") {
      frequency = text(line, 3, 3);
      if (frequency.size() != 3) throw InputError({}, at, "the frequency has no name");
      a->frequencies[frequency] = {};
    } else if (name == "END OF FREQUENCY")
      frequency.clear();
    else if (frequency.empty())
      return;
    else if (name == "NORTH / EAST / UP") {
      for (int i = 0; i < 3; ++i)
        a->frequencies[frequency].offset_neu[i] =
            1e-3 * number(line, static_cast<std::size_t>(10 * i), 10, at, "an offset");
    } else {
      const auto n = static_cast<std::size_t>(std::lround((a->zenith_last - a->zenith_first) / a->zenith_step)) + 1;
      AntennaFrequency &q = a->frequencies[frequency];
      if (text(line, 0, 8) == "NOAZI")
        q.no_azimuth = row(line, n, at);
      else if (parse_number(field(line, 0, 8)))
        q.by_azimuth.push_back(row(line, n, at));
    }
  }

  void finish() {
    if (satellite) {
      satellite->antenna = std::move(*a);
      file.satellites.push_back(std::move(*satellite));
      satellite.reset();
    } else
      file.receivers.push_back(std::move(*a));
    a.reset();
  }
};

/// Throws where a calibration has not all that its head promises.
void check_complete(const AntexFile &f) {
  for (const SatelliteAntenna &r : f.satellites)
    for (const auto &[k, q] : r.antenna.frequencies)
      if (q.no_azimuth.empty()) throw InputError({}, r.antenna.line, r.sat.name() + " has no variations for " + k);
  for (const Antenna &r : f.receivers)
    for (const auto &[k, q] : r.frequencies) {
      const bool grid = r.azimuth_step > 0;
      if (!grid && !q.by_azimuth.empty())
        throw InputError({}, r.line, r.type + ": " + k + " has variations by azimuth, but the step is not given");
      if (q.no_azimuth.empty()) throw InputError({}, r.line, r.type + " has no variations for " + k);
      if (grid && q.by_azimuth.size() != static_cast<std::size_t>(std::lround(360 / r.azimuth_step)) + 1)
        throw InputError({}, r.line, r.type + ": the azimuth grid of " + k + " is incomplete");
    }
}
} // namespace

AntexFile read_antex(std::string_view text_in) {
  AntexBuilder b;
  LineReader in(text_in);
  std::string_view line;
  bool first = true, header_done = false;
  while (in.next(line)) {
    const long at = in.number();
    const auto name = label(line);
    if (first) {
      if (name != "ANTEX VERSION / SYST") throw InputError({}, at, "not an ANTEX file");
      const double version = number(line, 0, 8, at, "the ANTEX version");
      if (std::abs(version - 1.4) > 0.01)
        throw InputError({}, at, fmt::format("ANTEX {:.1f} is not read; 1.4 is", version));
      first = false;
    } else if (header_done)
      b.take(line, at);
    else {
      if (name == "PCV TYPE / REFANT" && field(line, 0, 1) != "A")
        throw InputError({}, at, "only absolute calibrations can be used; this file holds relative ones");
      header_done = name == "END OF HEADER";
    }
  }
  if (first) throw InputError({}, 0, "the file is empty");
  if (b.a) throw InputError({}, in.number(), "the file ends inside an antenna");
  check_complete(b.file);
  return std::move(b.file);
}

std::string write_antex(const AntexFile &f) {
  std::string out = header_line("     1.4            M", "ANTEX VERSION / SYST") +
                    header_line("A", "PCV TYPE / REFANT") + header_line("", "END OF HEADER");
  for (const Antenna &a : f.receivers) {
    out += header_line("", "START OF ANTENNA");
    out += header_line(fmt::format("{:<20}{:<20}", a.type, a.serial), "TYPE / SERIAL NO");
    out += header_line("SIMULATED                            1    2026-01-01", "METH / BY / # / DATE");
    out += header_line(fmt::format("  {:6.1f}", a.azimuth_step), "DAZI");
    out += header_line(fmt::format("  {:6.1f}{:6.1f}{:6.1f}", a.zenith_first, a.zenith_last, a.zenith_step),
                       "ZEN1 / ZEN2 / DZEN");
    out += header_line(fmt::format("{:6}", a.frequencies.size()), "# OF FREQUENCIES");
    if (!a.release.empty()) out += header_line(a.release, "SINEX CODE");
    for (const auto &[k, q] : a.frequencies) {
      out += header_line("   " + k, "START OF FREQUENCY");
      out += header_line(fmt::format("{:10.2f}{:10.2f}{:10.2f}", q.offset_neu.x() * 1e3, q.offset_neu.y() * 1e3,
                                     q.offset_neu.z() * 1e3),
                         "NORTH / EAST / UP");
      auto values = [](const std::vector<double> &v) {
        std::string s;
        for (double x : v) s += fmt::format("{:8.2f}", x * 1e3);
        return s;
      };
      out += "   NOAZI" + values(q.no_azimuth) + "\n";
      for (std::size_t i = 0; i < q.by_azimuth.size(); ++i)
        out += fmt::format("{:8.1f}", static_cast<double>(i) * a.azimuth_step) + values(q.by_azimuth[i]) + "\n";
      out += header_line("   " + k, "END OF FREQUENCY");
    }
    out += header_line("", "END OF ANTENNA");
  }
  return out;
}

double variation_at(const Antenna &a, const std::vector<double> &values, double angle_deg) {
  const double z =
      std::clamp((angle_deg - a.zenith_first) / a.zenith_step, 0.0, static_cast<double>(values.size() - 1));
  const auto i = std::min(static_cast<std::size_t>(z), values.size() - 1), j = std::min(i + 1, values.size() - 1);
  const double u = z - static_cast<double>(i);
  return values[i] * (1 - u) + values[j] * u;
}

double antenna_correction(const Antenna &a, const AntennaFrequency &f, double azimuth, double elevation) {
  const double ce = std::cos(elevation);
  const Vec3 e(ce * std::cos(azimuth), ce * std::sin(azimuth), std::sin(elevation)); // north, east, up
  auto at = [&](const std::vector<double> &v) { return variation_at(a, v, 90 - degrees(elevation)); };
  double variation = at(f.no_azimuth);
  if (!f.by_azimuth.empty()) {
    double az = degrees(azimuth);
    az -= 360 * std::floor(az / 360);
    const double x = az / a.azimuth_step;
    const auto ia = std::min(static_cast<std::size_t>(x), f.by_azimuth.size() - 2);
    const double ta = x - static_cast<double>(ia);
    variation = at(f.by_azimuth[ia]) * (1 - ta) + at(f.by_azimuth[ia + 1]) * ta;
  }
  return variation - f.offset_neu.dot(e);
}

std::string antex_frequency(char system, char band) { return fmt::format("{}0{}", system, band); }

} // namespace ampletie
