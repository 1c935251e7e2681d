#pragma once
#include "base/vector.h"
#include "time/gps_time.h"
#include <optional>
#include <string>
#include <string_view>

namespace ampletie {

/// A terrestrial reference frame realisation, by the EPSG code of its geocentric system. Equal codes, equal frames.
struct Frame {
  std::string code; ///< "EPSG:9988"
  bool operator==(const Frame &) const = default;
  bool known() const { return !code.empty(); }
};

/// A Cartesian point that knows its frame and epoch (decimal year). Everything that can be compared carries this tag.
struct TaggedPoint {
  Vec3 xyz = Vec3::Zero();
  Frame frame;
  double epoch = 0;
};

/// "ITRF2020"; for frames that are not in the table the register's name of the geocentric system.
std::string frame_name(const Frame &frame);

/// A frame by any of the names that files use ("ITRF2020", "IGS20", "IGb14", "ETRF2000"), by the register's name of a
/// geocentric system ("GDA2020", "NAD83(2011)") or by the code of a geocentric or geographic system ("EPSG:7930").
/// Nothing when unknown: families of frames ("WGS 84", "ETRS89") name no realisation and are not accepted.
std::optional<Frame> frame_by_name(std::string_view name);
/// The geographic 3D code of a frame ("EPSG:7931" for ETRF2000).
std::string geographic_code(const Frame &frame);
/// Whether ground moves in a frame, as the register has it: then a coordinate is one at an epoch.
bool ground_moves(const Frame &frame);

/// The ITRF realisation that broadcast orbits follow at an instant. From memory of the constellation's announcements:
/// WGS 84 (G1762) ~ ITRF2008 from 2013-10-16, (G2139) ~ ITRF2014 from 2021-01-03, (G2296) ~ ITRF2020 from 2024-01-07.
Frame broadcast_frame(GpsTime t);

} // namespace ampletie
