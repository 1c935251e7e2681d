#pragma once
#include <cmath>
#include <cstdint>
#include <random>
#include <string_view>

namespace ampletie::sky {

/// A stream of random numbers of its own for each purpose, so that adding one process leaves the others unchanged.
/// The normal distribution is written out (Box–Muller): the standard library's differs between implementations.
class Random {
public:
  Random(std::uint64_t seed, std::string_view purpose) {
    std::uint64_t h = 1469598103934665603ULL ^ seed;
    for (char c : purpose) h = (h ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
    engine_.seed(h);
  }
  double uniform() { return static_cast<double>(engine_() >> 11) * 0x1.0p-53; }
  double uniform(double a, double b) { return a + (b - a) * uniform(); }
  double normal() {
    const double u = 1 - uniform(), v = uniform();
    return std::sqrt(-2 * std::log(u)) * std::cos(6.283185307179586 * v);
  }
  std::int64_t integer(std::int64_t a, std::int64_t b) {
    return a + static_cast<std::int64_t>(uniform() * static_cast<double>(b - a + 1));
  }

private:
  std::mt19937_64 engine_;
};

/// Multipath of one signal, unit variance: a reflection whose path difference turns as the satellite moves (a damped
/// oscillation driven by noise), and a share of diffuse scattering that only fades with the correlation time.
class Multipath {
public:
  Multipath(double correlation_s, double period_s, double diffuse_share, Random &r)
      : correlation_(correlation_s), period_(period_s), share_(diffuse_share), in_phase_(r.normal()),
        quadrature_(r.normal()), diffuse_(r.normal()) {}
  double step(double dt, Random &r) {
    const double phi = std::exp(-dt / correlation_), q = std::sqrt(1 - phi * phi),
                 turn = 6.283185307179586 * dt / period_;
    const double c = phi * std::cos(turn), s = phi * std::sin(turn), a = in_phase_, b = quadrature_;
    in_phase_ = c * a - s * b + q * r.normal();
    quadrature_ = s * a + c * b + q * r.normal();
    diffuse_ = phi * diffuse_ + q * r.normal();
    return std::sqrt(1 - share_) * in_phase_ + std::sqrt(share_) * diffuse_;
  }

private:
  double correlation_, period_, share_, in_phase_, quadrature_, diffuse_;
};

} // namespace ampletie::sky
