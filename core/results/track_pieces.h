#pragma once
#include "results/tracks.h"
#include <set>

namespace ampletie {

/// `solve_tracks` for some of the planned ones alone, by their ids: of the others what is known stays as it is. A joint
/// track is asked for together with those that it is made of.
std::vector<TrackResult> solve_some_tracks(const JobSnapshot &s, const Progress &progress,
                                           const std::set<std::string> &only);

} // namespace ampletie
