#pragma once
#include "results/tracks.h"

namespace ampletie {

/// A stop as a list of the crew has it, in GPS time as its list is meant.
struct ListedStop {
  std::string name, code, height_to, source_id, source_name;
  std::optional<double> height, tilt, lean;
  GpsTime from, to;
  long line = 0;
};
/// The stops of all lists that fall into a track. Days that are not written are the track's own.
std::vector<ListedStop> listed_stops(const JobSnapshot &s, GpsTime from, GpsTime to);

/// The part of a listed stop in which the antenna stood; nothing: it did not stand for half of it.
std::optional<std::pair<GpsTime, GpsTime>> stood_within(const ListedStop &x,
                                                        const std::vector<std::pair<GpsTime, GpsTime>> &standstills);

/// What could be added to the times of a list (whole half hours, the leap seconds, a day) so that most of its stops are
/// standstills, where as they are few are.
struct ClockOffer {
  std::string source_id, source_name;
  double seconds = 0;
  std::size_t match = 0, of = 0, match_now = 0;
};
std::vector<ClockOffer> clock_offers(const JobSnapshot &s, GpsTime from, GpsTime to,
                                     const std::vector<std::pair<GpsTime, GpsTime>> &standstills);

} // namespace ampletie
