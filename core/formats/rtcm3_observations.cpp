#include "base/vector.h"
#include "formats/rtcm3_bits.h"

namespace ampletie::rtcm {
namespace {

constexpr double light_ms = speed_of_light * 1e-3;

/// Signals of the mask, RTCM 10403.3 tables 3.5-91 to 3.5-108; from memory, checked against real logs for GPS, GLONASS,
/// Galileo, BeiDou and SBAS.
std::string signal_name(char system, int id) {
  struct Row {
    int id;
    const char *name;
  };
  static constexpr Row gps[] = {{2, "1C"},  {3, "1P"},  {4, "1W"},  {8, "2C"},  {9, "2P"},
                                {10, "2W"}, {15, "2S"}, {16, "2L"}, {17, "2X"}, {22, "5I"},
                                {23, "5Q"}, {24, "5X"}, {30, "1S"}, {31, "1L"}, {32, "1X"}};
  static constexpr Row glo[] = {{2, "1C"}, {3, "1P"}, {8, "2C"}, {9, "2P"}};
  static constexpr Row gal[] = {{2, "1C"},  {3, "1A"},  {4, "1B"},  {5, "1X"},  {6, "1Z"},  {8, "6C"},  {9, "6A"},
                                {10, "6B"}, {11, "6X"}, {12, "6Z"}, {14, "7I"}, {15, "7Q"}, {16, "7X"}, {18, "8I"},
                                {19, "8Q"}, {20, "8X"}, {22, "5I"}, {23, "5Q"}, {24, "5X"}};
  static constexpr Row sbas[] = {{2, "1C"}, {22, "5I"}, {23, "5Q"}, {24, "5X"}};
  static constexpr Row qzss[] = {{2, "1C"},  {9, "6S"},  {10, "6L"}, {11, "6X"}, {15, "2S"}, {16, "2L"}, {17, "2X"},
                                 {22, "5I"}, {23, "5Q"}, {24, "5X"}, {30, "1S"}, {31, "1L"}, {32, "1X"}};
  static constexpr Row bds[] = {{2, "2I"},  {3, "2Q"},  {4, "2X"},  {8, "6I"},  {9, "6Q"},
                                {10, "6X"}, {14, "7I"}, {15, "7Q"}, {16, "7X"}, {22, "5D"},
                                {23, "5P"}, {24, "5X"}, {30, "1D"}, {31, "1P"}, {32, "1X"}};
  auto find = [&](const auto &table) -> std::string {
    for (const Row &r : table)
      if (r.id == id) return r.name;
    return {};
  };
  switch (system) {
  case 'G':
    return find(gps);
  case 'R':
    return find(glo);
  case 'E':
    return find(gal);
  case 'S':
    return find(sbas);
  case 'J':
    return find(qzss);
  default:
    return find(bds);
  }
}

double lock_402(int i) { return i == 0 ? 0 : std::ldexp(1.0, i + 4); }
double lock_407(int i) {
  if (i < 64) return i;
  double base = 64, step = 2;
  for (i -= 64; i >= 32; i -= 32) base += 32 * step, step *= 2;
  return base + step * i;
}
double lock_013(int i) {
  const double s = i < 24    ? i
                   : i < 48  ? 2 * i - 24
                   : i < 72  ? 4 * i - 120
                   : i < 96  ? 8 * i - 408
                   : i < 120 ? 16 * i - 1176
                   : i < 127 ? 32 * i - 3096
                             : 937;
  return 1000 * s;
}

std::optional<Observations> msm(int number, std::string_view m) {
  static constexpr char systems[] = {'G', 'R', 'E', 'S', 'J', 'C'};
  const int group = (number - 1070) / 10, kind = number % 10;
  if (number < 1074 || group > 5 || kind < 4 || kind > 7) return {};
  Observations out;
  out.system = systems[group];
  Bits b(m);
  b.skip(12);
  out.station = b.i(12);
  if (out.system == 'R') {
    out.day = b.i(3);
    out.time_ms = static_cast<std::int64_t>(b.u(27));
  } else
    out.time_ms = static_cast<std::int64_t>(b.u(30));
  b.skip(1 + 3 + 7 + 2 + 2 + 1 + 3);
  std::vector<int> sats, signals;
  for (int k = 1; k <= 64; ++k)
    if (b.u(1)) sats.push_back(k);
  for (int k = 1; k <= 32; ++k)
    if (b.u(1)) signals.push_back(k);
  if (sats.size() * signals.size() > 64) return {};
  std::vector<std::pair<std::size_t, std::size_t>> cells;
  for (std::size_t i = 0; i < sats.size(); ++i)
    for (std::size_t k = 0; k < signals.size(); ++k)
      if (b.u(1)) cells.emplace_back(i, k);
  const bool extended = kind == 5 || kind == 7, fine = kind >= 6;
  std::vector<double> rough(sats.size(), NAN), rough_rate(sats.size(), NAN);
  std::vector<int> extra(sats.size(), 15);
  for (double &r : rough) {
    const auto v = b.u(8);
    if (v != 255) r = static_cast<double>(v);
  }
  if (extended)
    for (int &x : extra) x = b.i(4);
  for (double &r : rough) r += b.us(10, -10);
  if (extended)
    for (double &r : rough_rate) {
      const auto v = b.s(14);
      if (v != -8192) r = static_cast<double>(v);
    }
  auto optional = [&](int bits, double unit) {
    const auto v = b.s(bits);
    return v == -(std::int64_t{1} << (bits - 1)) ? NAN : static_cast<double>(v) * unit;
  };
  const std::size_t n = cells.size();
  std::vector<double> code(n), phase(n), lock(n), strength(n), rate(n, NAN);
  std::vector<int> half(n);
  for (double &v : code) v = optional(fine ? 20 : 15, std::ldexp(1.0, fine ? -29 : -24));
  for (double &v : phase) v = optional(fine ? 24 : 22, std::ldexp(1.0, fine ? -31 : -29));
  for (double &v : lock) v = fine ? lock_407(b.i(10)) : lock_402(b.i(4));
  for (int &v : half) v = b.i(1);
  for (double &v : strength) v = fine ? b.us(10, -4) : b.us(6, 0);
  if (extended)
    for (double &v : rate) v = optional(15, 1e-4);
  if (b.overrun()) return {};
  for (std::size_t k = 0; k < n; ++k) {
    const auto [i, g] = cells[k];
    Signal s;
    const int number_of_sat = sats[i] + (out.system == 'S' ? 19 : 0);
    s.sat = {out.system, static_cast<std::uint8_t>(number_of_sat)};
    s.name = signal_name(out.system, signals[g]);
    if (s.name.empty() || number_of_sat > 99) continue;
    s.range = (rough[i] + code[k]) * light_ms;
    s.phase = (rough[i] + phase[k]) * light_ms;
    s.rate = rough_rate[i] + rate[k];
    if (strength[k] > 0) s.strength = strength[k];
    s.lock_ms = lock[k];
    s.half_cycle = half[k] != 0;
    if (out.system == 'R' && extended && extra[i] < 14) s.channel = extra[i] - 7;
    out.signals.push_back(s);
  }
  return out;
}

std::optional<Observations> legacy(int number, std::string_view m) {
  const bool glonass = number >= 1009, two = number == 1004 || number == 1012;
  Observations out;
  out.legacy = true;
  out.system = glonass ? 'R' : 'G';
  Bits b(m);
  b.skip(12);
  out.station = b.i(12);
  out.time_ms = static_cast<std::int64_t>(b.u(glonass ? 27 : 30));
  b.skip(1);
  const int n = b.i(5);
  b.skip(4);
  for (int k = 0; k < n; ++k) {
    const int id = b.i(6), code1 = b.i(1);
    std::optional<int> channel;
    if (glonass) channel = b.i(5) - 7;
    const double raw = 0.02 * static_cast<double>(b.u(glonass ? 25 : 24));
    const auto phase1 = b.s(20);
    const double lock1 = lock_013(b.i(7));
    const double range =
        raw + (glonass ? 2 * light_ms * static_cast<double>(b.u(7)) : light_ms * static_cast<double>(b.u(8)));
    const int strength1 = b.i(8);
    auto add = [&](const char *name, double r, std::int64_t phase, double lock, int strength) {
      Signal s;
      const bool sbas = !glonass && id >= 40;
      s.sat = {sbas ? 'S' : out.system, static_cast<std::uint8_t>(sbas ? id - 20 : id)};
      s.name = name;
      s.range = r;
      if (phase != -524288) s.phase = range + 0.0005 * static_cast<double>(phase);
      s.lock_ms = lock;
      if (strength) s.strength = 0.25 * strength;
      s.channel = channel;
      if (id > 0 && (glonass ? id <= 32 : true)) out.signals.push_back(s);
    };
    add(glonass ? (code1 ? "1P" : "1C") : (code1 ? "1W" : "1C"), range, phase1, lock1, strength1);
    if (!two) continue;
    const int code2 = b.i(2);
    const auto difference = b.s(14), phase2 = b.s(20);
    const double lock2 = lock_013(b.i(7));
    const int strength2 = b.i(8);
    static constexpr const char *gps2[] = {"2X", "2P", "2D", "2W"}, *glo2[] = {"2C", "2P", "2C", "2P"};
    if (phase2 == -524288 && difference == -8192) continue;
    add((glonass ? glo2 : gps2)[code2], difference == -8192 ? NAN : range + 0.02 * static_cast<double>(difference),
        phase2, lock2, strength2);
  }
  if (b.overrun()) return {};
  return out;
}
} // namespace

std::optional<Observations> observations(int number, std::string_view m) {
  if (number == 1002 || number == 1004 || number == 1010 || number == 1012) return legacy(number, m);
  return msm(number, m);
}

} // namespace ampletie::rtcm
