#pragma once
#include <string>

namespace ampletie {

/// The parts of a job's work, as the job line has them.
enum class Section { intake, gnss, levels, traverse, network, datum, issue };
/// "gnss", for scripts and records.
const char *section_code(Section s);

/// Something of the job that can be pointed at.
struct Thing {
  enum class Kind {
    nothing,
    source,
    occupation,
    vector,
    measured, ///< a vector or fix that others measured
    track,    ///< of a moving receiver
    stop,     ///< a standstill of a track
    loop,
    level_line,
    sight,   ///< a staff reading
    station, ///< a set-up of a total station
    pointing,
    traverse,
    mark,
    instrument,
    decision,
    doubt
  } kind = Kind::nothing;
  std::string id{};
  bool operator==(const Thing &) const = default;
};
/// "level line".
const char *words(Thing::Kind k);

} // namespace ampletie
