#pragma once
#include "gnss/model/occupation_model.h"
#include "gnss/quality/moved.h"

namespace ampletie {

/// Where an antenna that was reduced as one that stands did not: the steps of its carriers from epoch to epoch, which
/// show centimetres with orbits and clocks of messages. Steps of less than `least_m` are taken for none, so are those
/// that the satellites do not agree on. Steps less than ten seconds apart are one span.
std::vector<Moved> find_movement(const OccupationModel &m, double least_m = 0.5);

/// Seconds of the occupation in which it moved, of those in which steps could be seen.
struct MovingShare {
  double moved_s = 0, seen_s = 0;
};
MovingShare moving_share(const OccupationModel &m, const std::vector<Moved> &spans);

} // namespace ampletie
