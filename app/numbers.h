#pragma once
#include <QString>
#include <cmath>

namespace ampletie::app {

/// Metres as millimetres with their sign, a true minus.
inline QString signed_mm(double metres, int digits) {
  return (metres < 0 ? "−" : "+") + QString::number(std::abs(metres) * 1000, 'f', digits);
}

} // namespace ampletie::app
