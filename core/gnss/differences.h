#pragma once
#include "gnss/static_vector.h"

namespace ampletie {

/// A satellite's difference rover − base at one epoch, m. Phase and code are observed − modelled.
struct Difference {
  SatId sat;
  std::array<double, band_count> code{}, phase{};
  std::array<int, band_count> arc{-1, -1}; ///< index into `DifferencedSession::arcs`; −1: not used
  Vec3 unit = Vec3::Zero();                ///< rover to satellite
  double wet_mapping = 1, elevation = 0;   ///< mean mapping; the lower of the two elevations
};
struct DifferenceEpoch {
  GpsTime time;
  std::vector<Difference> sats;
};
struct DifferencedSession {
  std::vector<DifferenceEpoch> epochs; ///< at the interval of the solution
  std::vector<CarrierArc> arcs;
  int slips = 0;
  std::vector<std::string> notes;
};

/// Carrier frequency, Hz, of a satellite's first (0) or second (1) band in use.
double band_hz(SatId sat, int band);

/// Where a new arc must start although nothing in the data says so (found by the filter).
struct ForcedBreak {
  SatId sat;
  int band;
  GpsTime time;
};

/// Pairs the epochs of two occupations, watches time differences of the phase for slips that single receivers miss, and
/// cuts the phase into arcs.
DifferencedSession difference(const OccupationModel &base, const OccupationModel &rover, const StaticOptions &options,
                              const std::vector<LeftOutSpan> &left_out, const std::vector<ForcedBreak> &breaks);

} // namespace ampletie
