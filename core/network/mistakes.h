#pragma once
#include "network/screening.h"

namespace ampletie {

/// One catalogue of what goes wrong in the field, over whatever the network is made of.
enum class MistakeKind {
  antenna_height,    ///< of a set-up
  instrument_height, ///< of a total station's set-up
  beside_mark,       ///< an antenna that did not stand over its mark
  on_another,        ///< ... but over another one of the network
  exchanged,         ///< two set-ups of one session under each other's names
  vector,            ///< a vector as a whole
  level,             ///< a levelled section
  line_reversed,     ///< a levelled line as a whole, walked the other way than it is booked
  line_in_feet,      ///< ... whose staff was read in feet where metres are booked
  line_in_metres,    ///< ... whose staff was read in metres where feet are booked
  direction,         ///< to one target of a set-up, or an azimuth
  distance,          ///< to one target of a set-up
  target_height,     ///< of one target of a set-up
  prism_constant,    ///< of all distances of a set-up
  distance_scale,    ///< of all distances of a set-up: pressure, temperature
  held_plan,         ///< coordinates that a mark is held at
  held_height,
  phase_centre ///< of an antenna type: another type, calibration or turn
};

/// "antenna height", "held in plan": one name for scripts and tables.
std::string mistake_name(MistakeKind k);

struct Mistake {
  MistakeKind kind = MistakeKind::vector;
  std::string about; ///< id of the set-up, vector, level, line or sight; name of the held mark or antenna
  std::string other; ///< mark that it stood on, set-up that it was exchanged with, station of a sight, held mark
  /// What was observed, entered or held too much, with its standard deviations: m, radians, of a scale 1; of places
  /// east, north (, up). Of antennas on other marks and of whole lines: 1.
  Eigen::VectorXd size, sd;
};

/// One or two mistakes that would make everything agree.
struct Explanation {
  std::vector<Mistake> mistakes;
  double statistic = 0; ///< what they take away from vᵀ P v, χ² of `degrees`
  int degrees = 0;
  double score = 0; ///< the statistic less what is expected of chance and of rarer mistakes
  /// Tried: the network adjusted with the mistakes taken off.
  double variance_factor = 0, upper = 0;
  int failing = 0;                                                     ///< tests of single things that fail still
  bool clears() const { return variance_factor <= upper && !failing; } ///< everything agrees then
  std::string moved;                                                   ///< mark that it moves most
  double moves = 0;                                                    ///< by how much, m
};

/// What would explain tests that fail, best first: those that clear all tests before those that do not, then by score;
/// pairs where no single one clears. Nothing where all tests pass, or where nothing explains more than chance would in
/// one network of a hundred. Those tests of `r` must have been made that its options ask for.
std::vector<Explanation> explain_network(const NetworkInput &in, const NetworkResult &r, const Progress &progress);

} // namespace ampletie
