#pragma once
#include <QString>
#include <cmath>

namespace ampletie::app {

/// Metres as millimetres with their sign, a true minus.
inline QString signed_mm(double metres, int digits) {
  return (metres < 0 ? "−" : "+") + QString::number(std::abs(metres) * 1000, 'f', digits);
}

/// The size of an effect: millimetres, metres from ten metres on.
inline QString size_of(double metres) {
  const double v = std::abs(metres);
  return v >= 10 ? QString::number(v, 'f', 1) + " m" : QString::number(std::lround(v * 1000)) + " mm";
}

} // namespace ampletie::app
