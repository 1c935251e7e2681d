#include "gnss/model/slips.h"
#include "base/vector.h"
#include <algorithm>
#include <cmath>

namespace ampletie {

unsigned SlipDetector::slipped(const Epoch &e, double dt, double elevation) {
  std::size_t ref = 0;
  while (ref < e.count && !std::isfinite(e.phase[ref])) ++ref;
  if (ref >= e.count) return 0;
  if (ref != reference_) {
    reference_ = ref;
    restart();
  }
  const double s = std::sin(elevation);
  // Limits: noise of the combination near the horizon plus what the ionosphere may do unpredicted in dt.
  const double mw_limit = 2.0 + 2.5 * (1 - s);
  unsigned jumped = 0, watched = 0;
  for (std::size_t k = ref + 1; k < e.count; ++k) {
    Pair &p = pairs_[k];
    if (!std::isfinite(e.phase[k])) {
      p.count = 0;
      continue;
    }
    const bool same_band = std::abs(e.hz[ref] - e.hz[k]) < 1e6;
    const double gf_limit = same_band ? 0.06 : 0.035 + 0.02 * (1 - s) + 0.0006 * dt;
    const double gf = e.phase[ref] - e.phase[k];
    double mw = 0;
    const bool wide = !same_band && std::isfinite(e.code[ref]) && std::isfinite(e.code[k]);
    if (wide) {
      const double f1 = e.hz[ref], f2 = e.hz[k];
      mw = ((f1 * e.phase[ref] - f2 * e.phase[k]) / (f1 - f2) - (f1 * e.code[ref] + f2 * e.code[k]) / (f1 + f2)) /
           (speed_of_light / (f1 - f2));
    }
    if (p.count == 0) {
      p = {1, gf, 0, mw};
      continue;
    }
    watched |= 1U << k;
    const double predicted = p.gf_last + (p.count > 3 ? p.gf_rate * dt : 0);
    if (std::abs(gf - predicted) > gf_limit || (wide && std::abs(mw - p.mw_mean) > mw_limit)) {
      p = {1, gf, 0, mw};
      jumped |= 1U << k;
      continue;
    }
    const double rate = (gf - p.gf_last) / dt;
    p.gf_rate += (rate - p.gf_rate) / std::min(p.count, 8);
    p.gf_last = gf;
    p.mw_mean += (mw - p.mw_mean) / std::min(p.count + 1, 40);
    ++p.count;
  }
  // Every pair at once: the first carrier is as likely as all the others.
  if (jumped != 0 && jumped == watched) jumped |= 1U << ref;
  return jumped;
}

} // namespace ampletie
