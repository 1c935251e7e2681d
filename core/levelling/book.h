#pragma once
#include <cmath>
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

enum class SightKind { back, fore, intermediate };
std::string sight_name(SightKind k);

/// One reading of a staff.
struct StaffSight {
  std::string id; ///< made of the source and the record, so that a decision can point at it
  SightKind kind = SightKind::back;
  std::string mark;      ///< empty for a turning point without a name
  double reading = 0;    ///< m
  double distance = NAN; ///< instrument to staff, m; NaN: not measured
  std::string staff, time, remark;
  long line = 0;
  bool used = true;
  std::string left_out_because;
};

/// Whether a mark of a set-up has a name of its own; turning points without one are called "(1)", "(2)" …
inline bool is_named(const std::string &mark) { return !mark.empty() && mark.front() != '('; }

/// A height that a file writes for a mark: compared, never used by itself.
struct HeightClaim {
  std::string mark;
  double height = 0; ///< m
  long line = 0;
};

/// The sights of one run as they were booked.
struct LevelRun {
  std::string id, name, source_id, instrument;
  std::vector<StaffSight> sights;
  std::string date;                      ///< of its readings as the file states it, "2026-05-14"; empty: not said
  std::optional<double> sd_km, sd_setup; ///< as the file states them, m per √km of a single run and m per set-up
};

/// One erection of the level: what was read from it, by index into the run's sights. `fore` is the turn to the next
/// set-up (or the end of the run); other fore sights of the set-up are side shots like intermediate ones.
struct LevelSetup {
  std::vector<std::size_t> back, fore, side;
  std::string from, to;                      ///< marks of the turn; turning points without a name get one
  double back_reading = 0, fore_reading = 0; ///< means, m
  double back_distance = NAN, fore_distance = NAN;
  double difference() const { return back_reading - fore_reading; }
  double length() const { return back_distance + fore_distance; } ///< NaN when a distance is missing
  /// Largest spread of repeated readings of one sight, m; 0 when each was read once.
  double spread = 0;
};

/// How a run falls into set-ups, and what does not fit.
struct SetupList {
  std::vector<LevelSetup> setups; ///< complete ones, each beginning where the one before ended
  struct Trouble {
    std::size_t sight = 0;
    std::string what;
    bool aborted = false; ///< set up and not used: nothing to worry about
  };
  std::vector<Trouble> troubles; ///< an aborted set-up, a fore sight without a back sight, a break of the chain
};

/// Set-ups of the used sights. A back sight begins a new set-up unless it repeats the mark of the open one's back sight
/// (back, fore, fore, back in any order, common practice); the turn is the fore sight whose mark is the next back
/// sight's, else the last one. Turning points without names are taken as continued.
SetupList find_setups(const LevelRun &run);

/// Splits booked sights that came without start and end into runs: a back sight to a mark that is not the turn of the
/// set-up before begins a new one.
std::vector<LevelRun> split_at_breaks(const LevelRun &booked);

} // namespace ampletie
