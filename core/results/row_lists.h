#pragma once
#include "results/lists.h"
#include "results/snapshot.h"

namespace ampletie {

/// A list of vectors and fixes, or of stops, and how it is read.
struct RowSource : RecipeSource {
  std::string kind;      ///< "vectors" or "stops"
  bool by_heads = false; ///< its own heads say what its columns mean, or its format does
  bool unsaid = false;   ///< no recipe reads it and nobody has said what stands in it
  std::string problem;   ///< why it cannot be read so
  std::shared_ptr<const VectorList> vectors;
  std::shared_ptr<const StopList> stops;
  bool waits() const { return unsaid || blocked(); }
  std::size_t rows() const { return vectors ? vectors->rows.size() : stops ? stops->rows.size() : 0; }
};

/// All of a job. Those without heads that are known are read with the recipe decided, else with one of the job's that
/// suits; nothing of a list counts while pieces of it are unread, until they were seen.
const Result<std::vector<RowSource>> &row_lists_result();

} // namespace ampletie
