#pragma once
#include "app/widgets/theme.h"
#include "gnss/kinematic/track.h"

namespace ampletie::app {

/// How a track's line is drawn by what it rests on, from above and over time: pattern and colour.
inline QPen track_pen(TrackState s) {
  switch (s) {
  case TrackState::fixed:
    return QPen(ink::accepted, 1.9);
  case TrackState::partly_fixed:
    return QPen(ink::accepted, 1.9, Qt::DashDotLine);
  case TrackState::floating:
    return QPen(ink::attention, 1.7, Qt::DashLine);
  default:
    return QPen(ink::unused, 1.4, Qt::DotLine);
  }
}

} // namespace ampletie::app
