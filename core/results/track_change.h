#pragma once
#include "results/tracks.h"

namespace ampletie {

/// What solving a track again changed. Places are compared as seen from the base while it is the same one.
struct TrackChange {
  std::size_t compared = 0;               ///< epochs that both have fixed
  std::size_t won = 0, lost = 0;          ///< fixed now and not before, and the other way round
  double fixed_before = 0, fixed_now = 0; ///< shares of all epochs
  double rms = 0, most = 0;               ///< of the way between both places, over those compared, m
  GpsTime most_at;
  /// Stops of both by when they began, now less before: east, north, up, m.
  struct Stop {
    std::string id;
    Vec3 enu = Vec3::Zero();
  };
  std::vector<Stop> stops;
  std::size_t new_stops = 0, gone_stops = 0;
};
TrackChange track_change(const TrackResult &before, const TrackResult &now);
/// "Solved again: fixed 91.2 % before, 99.1 % now; 1,204 epochs fixed in both moved 3 mm (rms), at most 14 mm at
/// 10:02:11; 7 stops by at most 6 mm".
std::string track_change_words(const TrackChange &c);

} // namespace ampletie
