#pragma once
#include "results/recipe_source.h"

namespace ampletie {

/// A control list: how it is read, and what was said of all of its marks.
struct ListSource : RecipeSource {
  bool by_heads = false; ///< its own heads say what its columns mean, or its format does; then `used` is only shown
  bool proposed = false; ///< nobody has said it yet: `used` is what its columns seem to be
  std::string problem;   ///< why it cannot be read so
  ListReading said;
  std::shared_ptr<const ControlList> list; ///< as it is meant; null: it says nothing yet
  bool waits() const { return blocked() || (proposed && !seen); }
};

/// Lists that were read before, by source, recipe and what was said of them; recipes by the text that they suit.
struct ListReadings {
  std::map<std::string, ListSource> read;
  RecipeMatches best;
};

/// All control lists of a job. Those without heads that are known are read with a recipe: the one decided, else one of
/// the job's that suits; else what their columns seem to be is proposed, and nothing of them is used until it was said.
std::vector<ListSource> job_lists(const Contents &contents, const JobState &state, ListReadings &readings);

} // namespace ampletie
