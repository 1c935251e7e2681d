#pragma once
#include "formats/control_list.h"

namespace ampletie {

/// What is said of a whole control list over what is written in it. Of lists in latitude and longitude, east stands for
/// the longitude and north for the latitude.
struct ListReading {
  std::string unit;                    ///< of its lengths, "m", "ft" or "us-ft"; empty: as the list says
  std::string turned;                  ///< axes that count the other way: "east", "north" or "both"; empty: none
  bool exchanged = false;              ///< what is read as east is north
  bool packed = false;                 ///< degrees are packed, ddd.mmssss
  double add_east = 0, add_north = 0;  ///< m: figures that the list leaves away, a zone's number in front
  std::string frame, epoch;            ///< said once, where a row names none
  std::string crs, vertical;           ///< the same of the systems
  std::optional<double> sd, sd_height; ///< m: in plan and in height, where a row states none
  std::string through;                 ///< source with the grid of shifts that leads from its datum to the job's
  bool operator==(const ListReading &) const = default;
  bool says_nothing() const { return *this == ListReading{}; }
  /// Tells what is said from anything else.
  std::string key() const;
  /// "in feet, east and north exchanged".
  std::string words() const;
};

/// The list as it is meant. Throws `InputError` with line and reason where what is said makes a row impossible.
ControlList read_as_said(ControlList list, const ListReading &said);

} // namespace ampletie
