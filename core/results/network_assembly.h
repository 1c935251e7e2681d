#pragma once
#include "results/network_run.h"
#include <set>

namespace ampletie {

/// What the pieces of a network are put together from; for `network_parts` and `run_network` alone.

using Positions = std::map<std::string, TaggedPoint>; ///< of marks, in the job's frame and epoch

/// The calibration that an occupation was computed with: that of the antenna itself, or its type's.
std::string calibration_name(const Occupation &o);

/// Set-ups of total stations with the sights that the network can use; gives the marks they bring in.
std::set<std::string> add_stations(const JobSnapshot &s, const JobDatum &datum,
                                   const std::set<std::string> &with_vectors, Positions &position, NetworkParts &out);

/// Levels and nothing else: heights of marks whose places do not matter. All stand above one place, so that up is up.
NetworkParts height_parts(const JobSnapshot &s);

} // namespace ampletie
