#pragma once
#include "time/gps_time.h"

namespace ampletie {

/// A span in which an antenna moved, with the way between its ends, m.
struct Moved {
  GpsTime from, to;
  double metres = 0;
};

} // namespace ampletie
