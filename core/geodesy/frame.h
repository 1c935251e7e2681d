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

/// "ITRF2020"; the code itself when the frame is not in the table.
std::string frame_name(const Frame &frame);

/// A frame by any of the names that files use: "ITRF2020", "IGS20", "IGb14", "ETRF2000", "EPSG:7930" (also the 3D
/// and 2D geographic codes). Nothing when unknown: "WGS 84" and "ETRS89" name no realisation and are not accepted.
std::optional<Frame> frame_by_name(std::string_view name);
/// The geographic 3D code of a frame ("EPSG:7931" for ETRF2000).
std::string geographic_code(const Frame &frame);

/// The ITRF realisation that broadcast orbits follow at an instant. From memory of the constellation's announcements:
/// WGS 84 (G1762) ~ ITRF2008 from 2013-10-16, (G2139) ~ ITRF2014 from 2021-01-03, (G2296) ~ ITRF2020 from 2024-01-07.
Frame broadcast_frame(GpsTime t);

} // namespace ampletie
