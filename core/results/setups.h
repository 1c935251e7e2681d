#pragma once
#include "results/recipe_source.h"
#include "traverse/field_book.h"
#include "traverse/sets.h"

namespace ampletie {

/// A field book as its recipe reads it.
struct FieldSource : RecipeSource {
  std::vector<StationSetup> setups;
  std::vector<FieldBook::Trouble> troubles;
  std::vector<FieldPlace> places;           ///< what the field worked out
  std::vector<FieldClosure> closures;       ///< likewise
  std::map<std::string, std::string> owner; ///< pointing → set-up
};

/// A target of a set-up, mean of its sets, with what became of its distance.
struct TargetSight {
  std::string id; ///< made of the set-up and the target
  TargetMean mean;
  double air_ppm = 0;                    ///< put on here, beyond what the instrument had put in
  double slope = NAN;                    ///< m: constant, air and card applied
  double horizontal = NAN;               ///< at the station, m
  double rise = NAN, rise_sd = 0;        ///< mark to mark, m
  double direction_sd = 0, slope_sd = 0; ///< with target centring; without the station's
  /// What was worked out from reduced observations, not read: the network takes what was read.
  bool direction_derived = false, zenith_derived = false, slope_derived = false;
  bool flat = false; ///< nothing tells the height of the target
};

/// A set-up after the decisions, reduced.
struct ReducedSetup {
  StationSetup setup;
  InstrumentStandard standard;
  std::optional<Air> booked_air; ///< what the instrument went by
  SetReduction reduced;
  std::vector<TargetSight> sights;  ///< in the order of `reduced.targets`
  std::vector<std::string> remarks; ///< what was corrected, as sentences
  bool used = true;
  std::string left_out_because;
  std::string key; ///< of everything it was made of
  const TargetSight *find(const std::string &target) const;
};

/// What a job keeps between decisions, so that one of them computes one set-up anew.
struct SetupReadings {
  std::map<std::string, std::shared_ptr<const FieldSource>> read; ///< by source and recipe
  RecipeMatches best;
  std::map<std::string, std::shared_ptr<const ReducedSetup>> reduced; ///< by set-up
};

struct JobSetups {
  struct Source {
    RecipeSource head;                       ///< how it was read
    std::shared_ptr<const FieldSource> file; ///< what was read
    bool used = true;                        ///< its set-ups belong to the network
    std::string left_out_because{};
    bool blocked() const { return head.blocked(); }
  };
  std::vector<Source> sources;
  std::vector<std::shared_ptr<const ReducedSetup>> setups; ///< in the order of the field
  std::string key;                                         ///< of all of them
  const ReducedSetup *find(const std::string &id) const;
  const Source *source(const std::string &id) const;
};

/// Reads the field books of a job, lays the decisions over them and reduces every set-up.
JobSetups job_setups(const Contents &contents, const JobState &state, SetupReadings &readings);

/// A set-up with the decisions about it, not yet reduced.
StationSetup decided_setup(const StationSetup &booked, const JobState &state);

/// Reduces a decided set-up. `booked_air`: as the book says, for what the instrument has applied.
ReducedSetup reduce_setup(StationSetup setup, const std::optional<Air> &booked_air, const InstrumentStandard &standard,
                          const TraverseSettings &settings);

} // namespace ampletie
