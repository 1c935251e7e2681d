#pragma once
#include "levelling/height_system.h"
#include "levelling/line.h"
#include "network/level_network.h"
#include "results/occupation.h"
#include "results/recipe_source.h"
#include <memory>

namespace ampletie {

/// A level file as its recipe reads it.
struct LevelSource : RecipeSource {
  /// Shared by all reports of the job: large books are kept once.
  std::shared_ptr<const std::vector<LevelRun>> kept = std::make_shared<std::vector<LevelRun>>();
  std::vector<HeightClaim> claims;
  const std::vector<LevelRun> &runs() const { return *kept; }
};

/// A run after the decisions: renamed, reversed, split, chained; with everything that follows from it.
struct LevelLine {
  std::string id, name;
  std::vector<std::string> parts; ///< ids of the runs (or parts of runs) that it is made of, in order
  LevelRun run;
  SetupList setups;
  LevelCorrections corrections;
  ReducedRun reduced;
  KnownHeights known;                ///< of marks that the line meets and that are held or listed with a height
  std::vector<std::string> computed; ///< of those the ones that are computed all the same
  std::vector<Misclosure> misclosures;
  std::vector<LineHeight> heights;
  LevelWeights weights;
  bool own_weights = false; ///< said for this run or by its instrument card, not the job's default
  std::string day;          ///< of the run, "2026-05-14"; empty: its file does not say
  bool used = true;
  std::string left_out_because, problem; ///< `problem`: why it cannot be reduced or chained
  HeightReduction height;                ///< to the height system; contained in `reduced`
  std::vector<std::string> remarks;      ///< what was corrected, as sentences
};

/// Two lines over the same marks.
struct LinePair {
  std::string first, second; ///< ids
  DoubleRunning result;
};

/// A levelled difference between two marks for the network.
struct LevelSection {
  std::string id, line, from, to;
  double difference = 0, length = 0, sd = 0; ///< m
  int setups = 0;
  bool side = false; ///< to a side shot
};

/// Everything levelled, before any adjustment.
struct LevelReport {
  std::vector<LevelSource> sources;
  std::vector<LevelLine> lines;
  std::vector<LinePair> pairs;
  std::vector<LevelSection> sections;        ///< between the marks of the network, levels alone
  std::optional<LevelNetworkResult> network; ///< levels alone, with the held heights; absent when they do not adjust
  std::string network_problem;
  const LevelLine *line(const std::string &id) const;
  /// Runs of the files that a line is made of, whole or in part.
  std::vector<std::pair<const LevelSource *, const LevelRun *>> runs_of(const LevelLine &l) const;
  bool any() const { return !sources.empty(); }
};

/// Reads the level files of a job. `readings` keeps what was read of a file with a recipe; it is filled. `places`:
/// of marks.
struct LevelReadings {
  std::map<std::string, std::shared_ptr<const LevelSource>> read; ///< by source and recipe
  RecipeMatches best;
};
LevelReport job_levels(const Contents &contents, const JobState &state,
                       const std::map<std::string, PublishedMark> &published, LevelReadings &readings,
                       const LevelPlaces &places);

/// Sections between the marks of the network on used lines: ends of lines, known marks, marks with a position, marks
/// that several lines meet, and named side shots. Turning points between are summed up.
std::vector<LevelSection> level_sections(const LevelReport &r, const std::vector<std::string> &positioned);

} // namespace ampletie
