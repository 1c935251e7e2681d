#pragma once
#include "formats/gnss_data.h"
#include <optional>

namespace ampletie {

/// What a raw RTCM 3 log holds: one observation file per station, and the broadcast messages in it.
struct RtcmLog {
  std::vector<ObservationFile> stations;
  NavigationFile navigation;
  std::map<int, std::size_t> messages; ///< message number → count
  std::size_t damaged = 0;             ///< bytes outside good frames
};

/// True when the bytes hold at least two good frames (preamble, length, CRC-24Q) near their start.
bool looks_like_rtcm3(std::string_view bytes);

/// Decodes a log of RTCM 10403.3 frames: 1002, 1004, 1010, 1012, MSM4–MSM7 of GPS, GLONASS, Galileo, SBAS, QZSS and
/// BeiDou, 1005, 1006, 1007, 1008, 1013, 1033, 1019, 1020, 1042, 1044, 1045, 1046, 1230; other messages are counted.
/// Observations carry no week: it comes from Galileo, BeiDou or GLONASS ephemerides or message 1013, else from `date`,
/// else from GPS ephemerides (2019–2038). Throws `InputError` when nothing tells the week, or when nothing is in it.
RtcmLog read_rtcm3(std::string_view bytes, std::optional<GpsTime> date = {});

/// A date in a file's name, "…2026-05-12…" or "…20260512…".
std::optional<GpsTime> date_in_name(std::string_view name);

} // namespace ampletie
