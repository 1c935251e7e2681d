#pragma once
#include "job/decision.h"
#include <array>

namespace ampletie {

/// Parts of what was said, taken and kept. A result names those that it reads and is computed anew when one of them
/// changes. Those of settings stand in the order of `SettingPart`.
enum class Slice {
  settings_shown,
  settings_datum,
  settings_vectors,
  settings_orbits,
  settings_sessions,
  settings_loops,
  settings_levels,
  settings_traverse,
  settings_network,
  settings_judgement,
  settings_issue,
  vector_settings,
  occupations,
  stops,     ///< of tracks
  levelling, ///< runs, readings, staffs
  instruments,
  stations, ///< set-ups and pointings
  routes,
  styles,
  fits,   ///< frame fits and their pairs, further systems
  groups, ///< factors of groups of observations
  plan,   ///< what is to be measured
  asked,
  marks,         ///< gravity, names that stand for others
  mark_notes,    ///< what is known of them on the ground, which of them are issued
  field_sheet,   ///< occupations as the crew wrote them down
  attachments,   ///< what pictures and papers belong to
  second_checks, ///< who looked at what before an issue
  recipes,       ///< and what was looked at
  holds,
  use_of_sources,
  use_of_occupations,
  use_of_vectors,
  use_of_levels,
  use_of_stations,
  accepted,
  unreadable,
  contents, ///< the sources themselves
  solved,   ///< vectors as they were solved
  tracks,   ///< the same of tracks
  motions,  ///< which antennas were found to move
  adjusted, ///< the network as it was adjusted
  issued,   ///< records
  count
};
inline constexpr std::size_t slice_count = static_cast<std::size_t>(Slice::count);
/// "settings of the datum", as lists show it.
const char *slice_name(Slice s);

/// What tells one content of a slice from another.
using SliceKeys = std::array<std::string, slice_count>;
/// What a decision changes.
std::vector<Slice> slices_of(const Meaning &m);

} // namespace ampletie
