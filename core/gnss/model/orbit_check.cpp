#include "gnss/model/orbit_check.h"
#include "base/median.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
void OrbitCheck::add(SatId sat, long issue, double residual, bool ionosphere_free) {
  epoch_.push_back({sat, issue, residual, ionosphere_free});
}

void OrbitCheck::end_epoch() {
  std::map<char, std::vector<double>> by_system;
  for (const Seen &s : epoch_) by_system[s.sat.system].push_back(s.residual);
  for (const auto &[system, all] : by_system) {
    if (all.size() < 4) continue;
    const double common = median(all);
    for (const Seen &s : epoch_) {
      if (s.sat.system != system) continue;
      Sum &sum = sums_[{s.sat, s.issue}];
      sum.sum += s.residual - common, ++sum.count;
      sum.ionosphere_free = sum.ionosphere_free && s.ionosphere_free;
    }
  }
  epoch_.clear();
}

std::vector<OrbitCheck::Bad> OrbitCheck::bad() const {
  if (sums_.size() < 4) return {};
  std::vector<double> sizes;
  for (const auto &[key, s] : sums_) sizes.push_back(std::abs(s.sum / s.count));
  const double usual = median(sizes);
  std::vector<Bad> out;
  for (const auto &[key, s] : sums_) {
    const double off = s.sum / s.count;
    const double least = (s.ionosphere_free ? 20 : 60) * (s.count < 5 ? 3 : 1);
    if (std::abs(off) > std::max(least, 6 * usual)) out.push_back({key.first, key.second, off});
  }
  return out;
}

} // namespace ampletie
