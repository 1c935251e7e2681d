#include "formats/rtcm3_bits.h"

namespace ampletie::rtcm {
namespace {
constexpr double semicircle = 3.1415926535898; // the π of the interface documents

/// IS-GPS-200, 20.3.3.3.1.3.
double ura_metres(int index) {
  static constexpr double m[] = {2.4, 3.4, 4.85, 6.85, 9.65, 13.65, 24, 48, 96, 192, 384, 768, 1536, 3072, 6144};
  return index >= 0 && index < 15 ? m[index] : 9999;
}
/// Galileo OS SIS ICD table 73.
double sisa_metres(int i) {
  if (i < 50) return 0.01 * i;
  if (i < 75) return 0.5 + 0.02 * (i - 50);
  if (i < 100) return 1 + 0.04 * (i - 75);
  if (i <= 125) return 2 + 0.16 * (i - 100);
  return -1;
}
int nearest_week(int low_bits, int modulus, int near) {
  int w = near - (near % modulus) + low_bits;
  if (w - near > modulus / 2) w -= modulus;
  if (near - w > modulus / 2) w += modulus;
  return w;
}
} // namespace

// Long because it is a table: the fields of each message in the order of the standard, to be read beside it.
std::optional<Ephemeris> ephemeris(int number, std::string_view m, int near) {
  Bits b(m);
  b.skip(12);
  Ephemeris e;
  int week = 0;
  double toe = 0, toc = 0;
  auto angle = [&](int bits, int power) { return b.s(bits, power) * semicircle; };
  // From M0 or Crs to the rate of the node the messages share their order.
  auto orbit = [&](int harmonic_bits, int crs_power, int c_power, int toe_bits, double toe_unit) {
    e.crs = b.s(harmonic_bits, crs_power);
    e.delta_n = angle(16, -43);
    e.m0 = angle(32, -31);
    e.cuc = b.s(harmonic_bits, c_power);
    e.ecc = b.us(32, -33);
    e.cus = b.s(harmonic_bits, c_power);
    e.sqrt_a = b.us(32, -19);
    toe = toe_unit * static_cast<double>(b.u(toe_bits));
    e.cic = b.s(harmonic_bits, c_power);
    e.omega0 = angle(32, -31);
    e.cis = b.s(harmonic_bits, c_power);
    e.i0 = angle(32, -31);
    e.crc = b.s(harmonic_bits, crs_power);
    e.omega = angle(32, -31);
    e.omega_dot = angle(24, -43);
  };
  double shift = 0;
  switch (number) {
  case 1019:
    e.sat = {'G', static_cast<std::uint8_t>(b.i(6))};
    week = nearest_week(b.i(10), 1024, near);
    e.accuracy = ura_metres(b.i(4));
    e.source = b.i(2);
    e.idot = angle(14, -43);
    e.iode = b.i(8);
    toc = 16.0 * static_cast<double>(b.u(16));
    e.af2 = b.s(8, -55), e.af1 = b.s(16, -43), e.af0 = b.s(22, -31);
    b.skip(10);
    orbit(16, -5, -29, 16, 16);
    e.group_delay = b.s(8, -31);
    e.health = b.i(6);
    break;
  case 1044:
    e.sat = {'J', static_cast<std::uint8_t>(b.i(4))};
    toc = 16.0 * static_cast<double>(b.u(16));
    e.af2 = b.s(8, -55), e.af1 = b.s(16, -43), e.af0 = b.s(22, -31);
    e.iode = b.i(8);
    orbit(16, -5, -29, 16, 16);
    e.idot = angle(14, -43);
    e.source = b.i(2);
    week = nearest_week(b.i(10), 1024, near);
    e.accuracy = ura_metres(b.i(4));
    e.health = b.i(6);
    e.group_delay = b.s(8, -31);
    break;
  case 1042:
    e.sat = {'C', static_cast<std::uint8_t>(b.i(6))};
    week = b.i(13) + 1356;
    e.accuracy = ura_metres(b.i(4));
    e.idot = angle(14, -43);
    e.iode = b.i(5);
    toc = 8.0 * static_cast<double>(b.u(17));
    e.af2 = b.s(11, -66), e.af1 = b.s(22, -50), e.af0 = b.s(24, -33);
    b.skip(5);
    orbit(18, -6, -31, 17, 8);
    e.group_delay = 1e-10 * static_cast<double>(b.s(10));
    e.group_delay_2 = 1e-10 * static_cast<double>(b.s(10));
    e.health = b.i(1);
    shift = 14;
    break;
  case 1045:
  case 1046:
    e.sat = {'E', static_cast<std::uint8_t>(b.i(6))};
    week = b.i(12) + 1024;
    e.iode = b.i(10);
    e.accuracy = sisa_metres(b.i(8));
    e.idot = angle(14, -43);
    toc = 60.0 * static_cast<double>(b.u(14));
    e.af2 = b.s(6, -59), e.af1 = b.s(21, -46), e.af0 = b.s(31, -34);
    orbit(16, -5, -29, 14, 60);
    e.group_delay = b.s(10, -32);
    if (number == 1046) {
      e.group_delay_2 = b.s(10, -32);
      const int e5b = b.i(2), e5b_invalid = b.i(1), e1 = b.i(2), e1_invalid = b.i(1);
      e.health = e1_invalid | e1 << 1 | e5b_invalid << 6 | e5b << 7;
      e.source = 512 + 4 + 1;
    } else {
      const int e5a = b.i(2), invalid = b.i(1);
      e.health = invalid << 3 | e5a << 4;
      e.source = 256 + 2;
    }
    break;
  default:
    return {};
  }
  if (b.overrun() || e.sat.number == 0 || e.sqrt_a < 1000 || toe > 604800 || toc > 604800 || e.ecc >= 1) return {};
  e.toe = gps_time(week, toe) + shift;
  e.toc = gps_time(week, toc) + shift;
  e.transmitted = e.toe;
  return e;
}

std::optional<GlonassState> glonass_state(std::string_view m) {
  Bits b(m);
  b.skip(12);
  GlonassState s;
  s.sat = {'R', static_cast<std::uint8_t>(b.i(6))};
  s.channel = b.i(5) - 7;
  b.skip(2 + 2 + 12);
  s.health = b.i(1);
  b.skip(1);
  const int tb = b.i(7);
  for (int i = 0; i < 3; ++i) {
    s.velocity[i] = 1000 * b.sm(24, -20);
    s.position[i] = 1000 * b.sm(27, -11);
    s.acceleration[i] = 1000 * b.sm(5, -30);
  }
  b.skip(1);
  s.drift = b.sm(11, -40);
  b.skip(3);
  s.clock = b.sm(22, -30); // the message gives τn, offset of the satellite's scale: sign as the interface document
  s.clock = -s.clock;
  b.skip(5);
  s.age_days = b.i(5);
  b.skip(1 + 4);
  const int day = b.i(11);
  b.skip(2 + 1 + 11 + 32);
  const int four_years = b.i(5);
  const double r = s.position.norm();
  if (b.overrun() || s.sat.number == 0 || s.sat.number > 32 || day < 1 || day > 1461 || four_years < 1 || r < 2e7 ||
      r > 3.1e7 || s.channel > 6)
    return {};
  // Moscow time is UTC + 3 h.
  const GpsTime utc =
      gps_time(Calendar{1996 + 4 * (four_years - 1), 1, 1, 0, 0, 0}) + (86400.0 * (day - 1) + 900.0 * tb - 10800.0);
  s.time = gps_from_utc(utc);
  return s;
}

} // namespace ampletie::rtcm
