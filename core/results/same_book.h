#pragma once
#include "results/vectors.h"

namespace ampletie {

/// Two books that hold mostly the same readings: one downloaded again, perhaps corrected, or measured again with the
/// same figures by chance, which does not happen.
struct SameBook {
  Section section;
  std::string first, second; ///< ids of the sources, the earlier one first
  std::string first_name, second_name;
  std::size_t same = 0, only_first = 0, only_second = 0; ///< readings
};

/// Books of levels and of total stations, both used, that share more than six tenths of the smaller one's readings.
std::vector<SameBook> same_books(const JobSnapshot &s);

} // namespace ampletie
