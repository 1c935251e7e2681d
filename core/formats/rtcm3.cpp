#include "formats/rtcm3.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/rtcm3_bits.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <boost/crc.hpp>
#include <fmt/format.h>
#include <functional>
#include <set>

namespace ampletie {
namespace {
using namespace rtcm;

/// CRC-24Q: polynomial 1864CFB.
std::uint32_t crc24q(std::string_view bytes) {
  boost::crc_optimal<24, 0x864CFB, 0, 0, false, false> crc;
  crc.process_bytes(bytes.data(), bytes.size());
  return crc.checksum();
}

/// Calls `use` with each message's number, content and offset; returns the bytes that belong to no good frame.
std::size_t frames(std::string_view d, const std::function<bool(int, std::string_view, std::size_t)> &use) {
  std::size_t i = 0, outside = 0;
  auto byte = [&](std::size_t k) { return static_cast<unsigned char>(d[k]); };
  while (i < d.size()) {
    if (byte(i) == 0xD3 && i + 6 <= d.size() && byte(i + 1) < 4) {
      const std::size_t n = static_cast<std::size_t>(byte(i + 1)) << 8 | byte(i + 2);
      if (i + n + 6 <= d.size()) {
        const std::uint32_t sum = static_cast<std::uint32_t>(byte(i + n + 3)) << 16 |
                                  static_cast<std::uint32_t>(byte(i + n + 4)) << 8 | byte(i + n + 5);
        if (crc24q(d.substr(i, n + 3)) == sum) {
          const auto m = d.substr(i + 3, n);
          if (n >= 2 && !use(byte(i + 3) << 4 | byte(i + 4) >> 4, m, i)) return outside;
          i += n + 6;
          continue;
        }
      }
    }
    ++i, ++outside;
  }
  return outside;
}

/// A time inside the week that the log's dated messages name.
std::optional<GpsTime> dated(std::string_view bytes, std::optional<GpsTime> date) {
  std::optional<GpsTime> sure, guess;
  frames(bytes, [&](int number, std::string_view m, std::size_t) {
    if (number == 1013) {
      Bits b(m);
      b.skip(24);
      const int day = b.i(16);
      const double second = static_cast<double>(b.u(17));
      // MJD 44244 is 1980-01-06.
      if (!b.overrun() && day > 44244) {
        sure = gps_from_utc(GpsTime{} + (86400.0 * (day - 44244) + second));
      }
    } else if (number == 1042 || number == 1045 || number == 1046) {
      if (const auto e = ephemeris(number, m, 0)) sure = e->toe;
    } else if (number == 1020) {
      if (const auto s = glonass_state(m)) sure = s->time;
    } else if (number == 1019 && !guess) {
      if (const auto e = ephemeris(number, m, 2560)) guess = e->toe;
    }
    return !sure;
  });
  return sure ? sure : date ? date : guess;
}

struct Station {
  ObservationFile facts;
  std::map<GpsTime, std::map<SatId, std::map<std::string, Observable>>> epochs;
  std::map<GpsTime, long> where;
  std::map<std::pair<SatId, std::string>, std::pair<double, double>> last; ///< lock, phase − range in cycles
  std::optional<Vec3> arp;
};

class Decoder {
public:
  Decoder(GpsTime near) : now_(near) {}
  RtcmLog out;

  bool take(int number, std::string_view m, std::size_t offset) {
    ++out.messages[number];
    if (number == 1019 || number == 1042 || number == 1044 || number == 1045 || number == 1046) {
      if (const auto e = ephemeris(number, m, now_.week())) add(out.navigation.ephemerides, *e, offset);
    } else if (number == 1020) {
      if (const auto s = glonass_state(m)) {
        channel_[s->sat] = s->channel;
        const bool have = std::any_of(out.navigation.glonass.begin(), out.navigation.glonass.end(),
                                      [&](const auto &o) { return o.sat == s->sat && o.time == s->time; });
        if (!have) out.navigation.glonass.push_back(*s);
      }
    } else if (number == 1005 || number == 1006)
      position(number, m);
    else if (number == 1007 || number == 1008 || number == 1033)
      names(number, m);
    else if (number == 1230)
      biases(m);
    else if (const auto o = observations(number, m))
      observe(*o, offset);
    return true;
  }

  void finish() {
    for (auto &[id, s] : stations_) {
      if (s.epochs.empty()) continue;
      ObservationFile &f = s.facts;
      std::map<char, std::set<std::string>> types;
      for (const auto &[t, sats] : s.epochs)
        for (const auto &[sat, values] : sats)
          for (const auto &[type, v] : values) types[sat.system].insert(type);
      for (const auto &[system, list] : types) {
        // Grouped by signal: code, phase, Doppler, strength.
        std::vector<std::string> sorted(list.begin(), list.end());
        std::sort(sorted.begin(), sorted.end(), [](const std::string &a, const std::string &b) {
          const std::string order = "CLDS";
          return std::pair(a.substr(1), order.find(a[0])) < std::pair(b.substr(1), order.find(b[0]));
        });
        f.types[system] = sorted;
      }
      for (const auto &[t, sats] : s.epochs) {
        ObservationEpoch e;
        e.time = t;
        e.first = static_cast<std::uint32_t>(f.records.size());
        e.count = static_cast<std::uint32_t>(sats.size());
        e.line = s.where.at(t);
        for (const auto &[sat, values] : sats) {
          const auto &list = f.types.at(sat.system);
          f.records.push_back(
              {sat, static_cast<std::uint16_t>(list.size()), static_cast<std::uint32_t>(f.values.size())});
          for (const std::string &type : list) {
            const auto v = values.find(type);
            f.values.push_back(v == values.end() ? Observable{} : v->second);
          }
        }
        f.epochs.push_back(e);
      }
      if (s.arp) {
        const Mat3 axes = local_axes(to_geodetic(*s.arp));
        f.approximate = *s.arp - f.delta_hen.x() * Vec3(axes.row(2));
      }
      for (const auto &[sat, channel] : channel_) f.glonass_channel[sat] = channel;
      f.marker = fmt::format("STATION {}", id);
      f.marker_number = std::to_string(id);
      f.program = "RTCM 3";
      out.stations.push_back(std::move(f));
    }
  }

private:
  static void add(std::vector<Ephemeris> &list, Ephemeris e, std::size_t offset) {
    e.line = static_cast<long>(offset);
    for (const Ephemeris &o : list)
      if (o.sat == e.sat && o.toe == e.toe && o.iode == e.iode && o.source == e.source) return;
    list.push_back(e);
  }
  void position(int number, std::string_view m) {
    Bits b(m);
    b.skip(12);
    Station &s = stations_[b.i(12)];
    b.skip(6 + 4);
    Vec3 p;
    p.x() = 1e-4 * static_cast<double>(b.s(38));
    b.skip(2);
    p.y() = 1e-4 * static_cast<double>(b.s(38));
    b.skip(2);
    p.z() = 1e-4 * static_cast<double>(b.s(38));
    const double height = number == 1006 ? 1e-4 * static_cast<double>(b.u(16)) : 0;
    if (b.overrun() || p.norm() < 6.2e6 || p.norm() > 6.5e6) return;
    s.arp = p;
    s.facts.delta_hen = {height, 0, 0};
  }
  void names(int number, std::string_view m) {
    Bits b(m);
    b.skip(12);
    Station &s = stations_[b.i(12)];
    auto string = [&] { return b.chars(b.i(8)); };
    std::string antenna = string();
    b.skip(8);
    std::string serial = number != 1007 ? string() : "";
    if (b.overrun()) return;
    while (!antenna.empty() && antenna.back() == ' ') antenna.pop_back();
    s.facts.antenna = antenna;
    if (!serial.empty()) s.facts.antenna_serial = serial;
    if (number != 1033) return;
    const std::string receiver = string(), firmware = string(), receiver_serial = string();
    if (b.overrun()) return;
    s.facts.receiver = receiver, s.facts.receiver_firmware = firmware, s.facts.receiver_serial = receiver_serial;
  }
  void biases(std::string_view m) {
    Bits b(m);
    b.skip(12);
    Station &s = stations_[b.i(12)];
    b.skip(4);
    const int mask = b.i(4);
    static constexpr const char *code[] = {"C1C", "C1P", "C2C", "C2P"};
    for (int k = 0; k < 4; ++k)
      if (mask & (8 >> k)) {
        const double v = 0.02 * static_cast<double>(b.s(16));
        if (!b.overrun()) s.facts.glonass_code_phase_bias[code[k]] = v;
      }
  }
  GpsTime time_of(const Observations &o) const {
    GpsTime t;
    double period = 604800;
    if (o.system == 'R') {
      // Moscow time of day.
      const double utc = static_cast<double>(o.time_ms) * 1e-3 - 10800;
      const int leap = gps_minus_utc(now_);
      period = 86400;
      t = GpsTime{} + (utc + leap);
    } else
      t = GpsTime{} + (static_cast<double>(o.time_ms) * 1e-3 + (o.system == 'C' ? 14 : 0));
    const double cycles = std::round((now_ - t) / period);
    GpsTime r{t.ns + static_cast<std::int64_t>(cycles) * static_cast<std::int64_t>(period) * 1'000'000'000};
    r.ns = (r.ns + 500'000) / 1'000'000 * 1'000'000; // whole milliseconds
    return r;
  }
  void observe(const Observations &o, std::size_t offset) {
    const GpsTime t = time_of(o);
    now_ = t;
    Station &s = stations_[o.station];
    s.where.try_emplace(t, static_cast<long>(offset));
    auto &epoch = s.epochs[t];
    for (const Signal &g : o.signals) {
      if (g.channel) channel_[g.sat] = *g.channel;
      auto &values = epoch[g.sat];
      if (std::isfinite(g.range)) values["C" + g.name] = {round3(g.range), 0, 0};
      if (std::isfinite(g.strength)) values["S" + g.name] = {round3(g.strength), 0, 0};
      const auto known = channel_.find(g.sat);
      if (g.sat.system == 'R' && known == channel_.end()) continue;
      const double hz = carrier_hz(g.sat.system, g.name[0], known == channel_.end() ? 0 : known->second);
      if (hz == 0 || !std::isfinite(g.phase)) continue;
      double cycles = g.phase * hz / speed_of_light;
      auto [it, fresh] = s.last.try_emplace({g.sat, g.name}, g.lock_ms, 0);
      auto &[lock, divergence] = it->second;
      std::uint8_t lli = g.half_cycle ? 2 : 0;
      // The old messages count whole seconds, and some receivers leave them at nought.
      if (!fresh && (g.lock_ms < lock || (g.lock_ms == 0 && lock == 0 && !o.legacy))) lli |= 1;
      if (o.legacy && std::isfinite(g.range)) {
        // The old messages set the phase back by 1500 cycles when it has drifted too far from the range.
        const double now = cycles - g.range * hz / speed_of_light;
        if (!fresh && !(lli & 1)) cycles -= 1500 * std::round((now - divergence) / 1500);
        divergence = cycles - g.range * hz / speed_of_light;
      }
      lock = g.lock_ms;
      values["L" + g.name] = {round3(cycles), lli, 0};
      if (std::isfinite(g.rate)) values["D" + g.name] = {round3(-g.rate * hz / speed_of_light), 0, 0};
    }
  }
  static double round3(double v) { return std::round(v * 1000) / 1000; }

  GpsTime now_;
  std::map<int, Station> stations_;
  std::map<SatId, int> channel_;
};

} // namespace

bool looks_like_rtcm3(std::string_view bytes) {
  int good = 0;
  frames(bytes.substr(0, 20000), [&](int, std::string_view, std::size_t) { return ++good < 2; });
  return good >= 2;
}

RtcmLog read_rtcm3(std::string_view bytes, std::optional<GpsTime> date) {
  const auto near = dated(bytes, date);
  int first = 0;
  if (!near) {
    frames(bytes, [&](int number, std::string_view, std::size_t) {
      first = number;
      return false;
    });
    if (!first) throw InputError({}, 0, "no RTCM 3 frame in it has a good checksum");
    throw InputError({}, 0,
                     "nothing in the log tells the date: put it into the file's name, as in station-2026-05-12.rtcm3");
  }
  Decoder d(*near);
  d.out.damaged = frames(bytes, [&](int number, std::string_view m, std::size_t at) { return d.take(number, m, at); });
  d.finish();
  if (d.out.stations.empty() && d.out.navigation.size() == 0)
    throw InputError({}, 0, "the log holds neither observations nor broadcast orbits that are read");
  return std::move(d.out);
}

std::optional<GpsTime> date_in_name(std::string_view name) {
  auto digits = [](std::string_view t) {
    return !t.empty() && std::all_of(t.begin(), t.end(), [](char c) { return c >= '0' && c <= '9'; });
  };
  for (std::size_t i = 0; i + 8 <= name.size(); ++i) {
    const bool dashed = i + 10 <= name.size() && name[i + 4] == '-' && name[i + 7] == '-';
    const auto y = name.substr(i, 4), m = name.substr(i + (dashed ? 5 : 4), 2),
               d = name.substr(i + (dashed ? 8 : 6), 2);
    if (!digits(y) || !digits(m) || !digits(d)) continue;
    if (auto t = parse_iso(fmt::format("{}-{}-{}", y, m, d));
        t && *parse_integer(y) >= 1990 && *parse_integer(y) < 2100)
      return *t + 43200.0;
  }
  return {};
}

} // namespace ampletie
