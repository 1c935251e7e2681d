#pragma once
#include "results/tracks.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// Tracks as scripts and records get them: place of every epoch in the orbits' frame at the mid-epoch, standing on the
/// base's coordinates there. `epochs`: with them.
nlohmann::ordered_json track_rows(const std::vector<TrackResult> &all, bool epochs = true);
/// Stops of all tracks.
nlohmann::ordered_json stop_rows(const std::vector<TrackResult> &all);
nlohmann::ordered_json stop_row(const TrackResult &t, const TrackStop &s);
/// Epochs of a track as a table of text: time, x, y, z, deviations east, north and up, state, satellites.
std::string track_csv(const TrackResult &t);

} // namespace ampletie
