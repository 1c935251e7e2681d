#include "gnss/slips.h"
#include "base/vector.h"
#include <algorithm>

namespace ampletie {

SlipDetector::SlipDetector(double f1, double f2) : f1_(f1), f2_(f2), wide_wavelength_(speed_of_light / (f1 - f2)) {}

bool SlipDetector::slipped(double l1, double l2, double p1, double p2, double dt, double elevation) {
  const double gf = l1 - l2;
  const double mw = ((f1_ * l1 - f2_ * l2) / (f1_ - f2_) - (f1_ * p1 + f2_ * p2) / (f1_ + f2_)) / wide_wavelength_;
  if (count_ == 0) {
    count_ = 1;
    gf_last_ = gf;
    gf_rate_ = 0;
    mw_mean_ = mw;
    return false;
  }
  const double s = std::sin(elevation);
  // Limits: noise of the combination near the horizon plus what the ionosphere may do unpredicted in dt.
  const double gf_limit = 0.035 + 0.02 * (1 - s) + 0.0006 * dt;
  const double predicted = gf_last_ + (count_ > 3 ? gf_rate_ * dt : 0);
  const double mw_limit = 2.0 + 2.5 * (1 - s);
  if (std::abs(gf - predicted) > gf_limit || std::abs(mw - mw_mean_) > mw_limit) {
    count_ = 1;
    gf_last_ = gf;
    gf_rate_ = 0;
    mw_mean_ = mw;
    return true;
  }
  const double rate = (gf - gf_last_) / dt;
  gf_rate_ += (rate - gf_rate_) / std::min(count_, 8);
  gf_last_ = gf;
  mw_mean_ += (mw - mw_mean_) / std::min(count_ + 1, 40);
  ++count_;
  return false;
}

} // namespace ampletie
