#pragma once
#include "gnss/model/arcs.h"
#include "gnss/model/occupation_model.h"
#include "gnss/model/options.h"
#include <set>

namespace ampletie {

/// A satellite's difference rover − base at one epoch, m. Phase and code are observed − modelled; NaN when absent.
struct Difference {
  SatId sat;
  std::array<double, band_count> code{}, phase{};
  std::array<int, band_count> arc{-1, -1, -1}; ///< index into `DifferencedSession::arcs`; −1: not used
  Vec3 unit = Vec3::Zero();                    ///< rover to satellite
  double wet_mapping = 1, wet_step = 0;        ///< mean mapping; rover's less the base's
  int count = 1;                               ///< epochs it is the mean of
  double elevation = 0, azimuth = 0;           ///< the lower of the two elevations; at the rover
};
struct DifferenceEpoch {
  GpsTime time;
  std::vector<Difference> sats;
};
struct DifferencedSession {
  std::vector<DifferenceEpoch> epochs; ///< at the interval of the solution
  std::vector<CarrierArc> arcs;
  std::map<SatId, std::array<double, band_count>> hz; ///< carrier frequencies of the bands in use
  std::set<char> integer_systems;                     ///< whose ambiguities differ by integers
  /// Standard deviation of the offset between the code and the carrier of GLONASS, rover − base, m.
  double carrier_bias_sd = 3;
  double interval = 30;
  int slips = 0; ///< that began a new arc
  std::vector<SlipRepair> repairs;
  std::vector<std::string> notes;
};

/// Pairs the epochs of two occupations, watches time differences of the phase for slips that single receivers miss, and
/// cuts the phase into arcs. A short session is used at a shorter interval than the options ask for.
DifferencedSession difference(const OccupationModel &base, const OccupationModel &rover, const StaticOptions &options,
                              const std::vector<LeftOutSpan> &left_out, const std::vector<ForcedBreak> &breaks);

/// Means over windows of `seconds`, each satellite with the windows it fills completely: what a session of many
/// receivers is solved from. Arcs keep their numbers.
DifferencedSession normal_points(const DifferencedSession &s, double seconds);

} // namespace ampletie
