#pragma once
#include <array>
#include <cmath>

namespace ampletie {

/// Watches one satellite of one receiver for cycle slips on two frequencies: the geometry-free phase against its linear
/// prediction, and the wide lane of Melbourne and Wübbena against its running mean (Blewitt 1990). Feed epochs in
/// order.
class SlipDetector {
public:
  SlipDetector(double f1_hz, double f2_hz);
  /// True when a slip happened between the previous call and this one. Metres; `dt` seconds since the previous call,
  /// `elevation` in radians.
  bool slipped(double phase1, double phase2, double code1, double code2, double dt, double elevation);
  void restart() { count_ = 0; }

private:
  double f1_, f2_, wide_wavelength_;
  int count_ = 0;
  double gf_last_ = 0, gf_rate_ = 0;
  double mw_mean_ = 0;
};

} // namespace ampletie
