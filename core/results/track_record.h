#pragma once
#include "results/tracks.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// Tracks as scripts and records get them: place of every epoch in the orbits' frame at the mid-epoch, standing on the
/// base's coordinates there. `epochs`: with them.
nlohmann::ordered_json track_rows(const std::vector<TrackResult> &all, bool epochs = true);
/// "From PN9 the way of CAR lies 2 · 1 · −4 mm (east, north, up) from where PN1 has it, ± 6 mm; 1200 epochs compared,
/// none further apart than both explain".
std::string base_comparison_words(const TrackResult &t, const OtherBase &o);

/// Stops of all tracks.
nlohmann::ordered_json stop_rows(const std::vector<TrackResult> &all);
nlohmann::ordered_json stop_row(const TrackResult &t, const TrackStop &s);
/// Lines by what they rest on and stops as points (RFC 7946); the frame's name beside them.
std::string track_geojson(const TrackResult &t);
/// GPX 1.1: times in UTC, ellipsoidal heights.
std::string track_gpx(const TrackResult &t);

} // namespace ampletie
