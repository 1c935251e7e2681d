#pragma once
#include "levelling/book.h"
#include <map>

namespace ampletie {

/// Systematic corrections of staff readings; each is off until it is given. Sources: docs/methods/levelling.md.
struct LevelCorrections {
  double collimation = 0;               ///< slope of the line of sight, up positive, m/m (two-peg test)
  bool curvature = false;               ///< of the Earth, with refraction
  double refraction_coefficient = 0.13; ///< of the sight; common practice
  double staff_scale_ppm = 0;           ///< of the graduation against its name
  double staff_expansion_ppm_per_k = 0; ///< 0.8 for invar (common practice)
  double staff_temperature = 20, staff_reference_temperature = 20; ///< °C
  std::map<std::string, double> staff_ppm;                         ///< of single staffs, in place of `staff_scale_ppm`
};
/// What is added to a reading, m. Sights without a distance get no collimation and no curvature.
double sight_correction(const StaffSight &s, const LevelCorrections &c);

/// Curvature less refraction of a sight, m: (1 − k) D²/2R with R = 6371 km; a reading is too large by it.
double curvature_and_refraction(double distance, double k);

/// A row of the book, as it is printed.
struct BookRow {
  std::size_t sight = 0; ///< index into the run; a turn has two rows of readings and is one row of the book
  std::string mark;
  double back = NAN, intermediate = NAN, fore = NAN; ///< m, corrected
  double rise = NAN, collimation = NAN; ///< rise (fall negative) from the row before; height of the line of sight
  double height = NAN;                  ///< by rise and fall
  double by_collimation = NAN;          ///< the same by height of collimation
  double distance = 0;                  ///< from the start of the run, m
  std::size_t setup = 0;                ///< set-up in which it was read first
};

/// The run's book from a starting height: both reductions side by side, the sums that must agree.
struct LevelBook {
  std::vector<BookRow> rows;
  double sum_back = 0, sum_fore = 0, sum_rise = 0, sum_fall = 0;
  double first = 0, last = 0;
  /// ΣB − ΣF = Σ rises − Σ falls = last − first, to the last digit of the readings.
  bool agrees() const;
};
LevelBook reduce_book(const LevelRun &run, const SetupList &setups, double start_height,
                      const LevelCorrections &corrections = {});

/// A mark that the run meets: a turn that has a name, or a side shot.
struct LevelPoint {
  std::string mark;
  double difference = 0; ///< above the start, m
  double distance = 0;   ///< along the run, m; for a side shot that of its set-up
  int setups = 0;        ///< from the start
  bool turn = true;
  std::size_t setup = 0; ///< of a side shot
};

/// The run reduced: what every mark on it is above its start.
struct ReducedRun {
  std::string from, to;
  double difference = 0, raw_difference = 0; ///< with and without corrections, m
  double length = 0;                         ///< m; set-ups without distances count 2 × 40 m (`estimated`)
  bool estimated_length = false;
  int setups = 0;
  double unbalance = 0;                            ///< Σ back distances − Σ fore distances, m
  double longest_sight = 0, largest_unbalance = 0; ///< m
  std::vector<LevelPoint> points;                  ///< the start first, then in the order of the run
  const LevelPoint *find(const std::string &mark) const;
};
/// What was measured with each staff: number of set-ups, and the rise over them as read, m.
struct StaffUse {
  int setups = 0;
  double rise = 0;
};
std::map<std::string, StaffUse> staff_use(const LevelRun &run, const SetupList &setups);

ReducedRun reduce_run(const LevelRun &run, const SetupList &setups, const LevelCorrections &corrections = {});

/// The run walked backwards: fore sights become back sights.
LevelRun reversed(const LevelRun &run);
/// One run after the other; the second begins where the first ends. Throws `InputError` when it does not.
LevelRun chained(const LevelRun &first, const LevelRun &second);
/// Two runs, cut at a turn with that name. Throws `InputError` when the run has no such turn inside.
std::pair<LevelRun, LevelRun> split_at(const LevelRun &run, const std::string &mark);

/// Two-peg test: readings on two pegs from two places of the instrument, with its distances to them.
struct PegReading {
  double distance_a = 0, distance_b = 0, reading_a = 0, reading_b = 0; ///< m
};
struct PegTest {
  double collimation = 0;              ///< slope of the line of sight, up positive, m/m
  double difference = 0;               ///< true rise from A to B, m
  double correct_a = 0, correct_b = 0; ///< what the second place should have read
};
/// Both classical arrangements (from the middle and from an end or beyond; from one third each): any two places whose
/// unbalances differ. Curvature and refraction are taken off first when `curvature` is set. Throws `InputError` when
/// the unbalances are alike.
PegTest two_peg_test(const PegReading &first, const PegReading &second, bool curvature = false);

} // namespace ampletie
