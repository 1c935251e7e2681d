#pragma once
#include "formats/gnss_data.h"
#include <cmath>
#include <optional>

namespace ampletie::rtcm {

/// Reads a message's bits, most significant first. Past the end it gives zeros and `overrun()` turns true.
class Bits {
public:
  explicit Bits(std::string_view m) : m_(m) {}
  std::uint64_t u(int n) {
    std::uint64_t v = 0;
    for (int i = 0; i < n; ++i, ++at_) {
      const std::size_t byte = at_ / 8;
      const int bit = byte < m_.size() ? (static_cast<unsigned char>(m_[byte]) >> (7 - at_ % 8)) & 1 : 0;
      if (byte >= m_.size()) over_ = true;
      v = v << 1 | static_cast<std::uint64_t>(bit);
    }
    return v;
  }
  int i(int n) { return static_cast<int>(u(n)); }
  /// Two's complement.
  std::int64_t s(int n) {
    const std::uint64_t v = u(n);
    return static_cast<std::int64_t>(v << (64 - n)) >> (64 - n);
  }
  /// Sign and magnitude, as GLONASS has it.
  std::int64_t sm(int n) {
    const bool negative = u(1) != 0;
    const auto v = static_cast<std::int64_t>(u(n - 1));
    return negative ? -v : v;
  }
  double s(int n, int power) { return std::ldexp(static_cast<double>(s(n)), power); }
  double us(int n, int power) { return std::ldexp(static_cast<double>(u(n)), power); }
  double sm(int n, int power) { return std::ldexp(static_cast<double>(sm(n)), power); }
  void skip(int n) { at_ += static_cast<std::size_t>(n); }
  bool overrun() const { return over_ || at_ > m_.size() * 8; }
  std::string chars(int n) {
    std::string t;
    for (int k = 0; k < n; ++k) t += static_cast<char>(u(8));
    return t;
  }

private:
  std::string_view m_;
  std::size_t at_ = 0;
  bool over_ = false;
};

/// One signal of one satellite out of a message. Metres; absent when NaN.
struct Signal {
  SatId sat;
  std::string name; ///< "1C"
  double range = NAN, phase = NAN, strength = NAN, rate = NAN;
  double lock_ms = -1;
  bool half_cycle = false;
  std::optional<int> channel;
};
struct Observations {
  int station = 0;
  char system = 'G';        ///< whose time scale `time_ms` is in
  std::int64_t time_ms = 0; ///< of the week; of the day for GLONASS
  int day = 7;              ///< GLONASS MSM: day of the week, 7 unknown
  std::vector<Signal> signals;
  bool legacy = false; ///< phases may have been set back by 1500 cycles
};
/// 1002, 1004, 1010, 1012 and MSM4–7; nothing for other numbers or a message that is too short.
std::optional<Observations> observations(int number, std::string_view message);

/// 1019, 1042, 1044, 1045, 1046. `week` gives full GPS weeks for the 10-bit ones.
std::optional<Ephemeris> ephemeris(int number, std::string_view message, int gps_week_near);
std::optional<GlonassState> glonass_state(std::string_view message);

} // namespace ampletie::rtcm
