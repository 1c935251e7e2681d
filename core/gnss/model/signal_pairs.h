#pragma once
#include "gnss/model/occupation_model.h"
#include "gnss/model/options.h"

namespace ampletie {

/// Which signals of two receivers make each band of a system, and what may be taken for integers between them.
struct SignalPairs {
  struct Bands {
    std::vector<std::pair<int, int>> signals;    ///< index at the base, at the rover
    std::array<std::string, band_count> names{}; ///< of the carriers, "L1C"
  };
  std::map<char, Bands> systems;
  std::set<char> integer_systems; ///< whose ambiguities differ by integers
  /// Standard deviation of the offset between the code and the carrier of GLONASS, rover − base, m.
  double carrier_bias_sd = 3;
  std::vector<std::string> notes;
  /// Carrier frequencies of a satellite's bands, Hz; 0 where there is none.
  std::array<double, band_count> hz(SatId sat, const std::map<SatId, int> &glonass_channel) const;
};

/// GLONASS has integers between receivers of one type, or where both headers state what offset their codes have
/// (channels delay unlike receivers differently).
SignalPairs pair_signals(const ModelledReceiver &base, const ModelledReceiver &rover, const StaticOptions &options);

} // namespace ampletie
