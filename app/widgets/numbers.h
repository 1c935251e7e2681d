#pragma once
#include "time/shown_time.h"
#include <QString>
#include <cmath>

namespace ampletie::app {

/// Metres as millimetres with their sign, a true minus; what is larger than a column of millimetres was made for is
/// said in metres, with the unit. A zero has no minus.
inline QString signed_mm(double metres, int digits) {
  const double v = std::abs(metres);
  const QString number = v >= 10 ? QString::number(v, 'f', 2) + " m" : QString::number(v * 1000, 'f', digits);
  const bool zero = v < 10 && number.toDouble() == 0;
  return (metres < 0 && !zero ? "−" : "+") + number;
}

/// "15:01:04": the clock of the job's times with its seconds.
inline QString clock_seconds(GpsTime t, const TimeStyle &s) {
  const GpsTime counted = s.kind == TimeStyle::Kind::local ? t + -gps_minus_utc(t) : t;
  return QString::fromStdString(shown_clock(t, s)) +
         QString(":%1").arg(static_cast<int>(calendar(counted).second), 2, 10, QChar('0'));
}

/// The size of an effect: millimetres, metres from ten metres on.
inline QString size_of(double metres) {
  const double v = std::abs(metres);
  return v >= 10 ? QString::number(v, 'f', 1) + " m" : QString::number(std::lround(v * 1000)) + " mm";
}

} // namespace ampletie::app
