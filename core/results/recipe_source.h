#pragma once
#include "job/content.h"
#include "job/state.h"

namespace ampletie {

/// A text file as a recipe reads it: what levels and field books have in common.
struct RecipeSource {
  std::string source_id, name, recipe;
  std::shared_ptr<const Recipe> used; ///< the recipe itself
  double score = 0;
  std::size_t unread = 0;
  long first_unread_line = 0;
  std::string first_unread_why, unit_conflict;
  bool seen = false;            ///< the surveyor has looked at what is unread
  std::size_t telling = 0;      ///< records with something in them
  std::size_t otherwise = 0;    ///< the same with the recipe that the file had by itself
  std::string otherwise_recipe; ///< empty: the file has that recipe
  bool understands_less() const { return telling < otherwise; }
  /// Unread pieces block the intake until they were seen.
  bool blocked() const { return (unread > 0 || !unit_conflict.empty()) && !seen; }
};

/// Recipes that a job knows: its own ones and those that ship with the program; for one kind of file, or all.
std::vector<Recipe> job_recipes(const Contents &contents, std::string_view reads = {});
/// Text of a file that a recipe reads, UTF-8.
std::string_view source_text(const SourceContent &c);

/// By source and recipes: index and score of the recipe that suits best.
using RecipeMatches = std::map<std::string, std::optional<std::pair<std::size_t, double>>>;

/// Finds the recipe of each source of one kind: the one decided; else the one that suits best among those that were
/// there when the file was taken, so that a book keeps its recipe whatever is taught later; else, where none of them
/// reads it, the best of the later ones; else a blank one.
class RecipeChooser {
public:
  RecipeChooser(const Contents &contents, const JobState &state, std::string_view reads, RecipeMatches &matches);
  struct Choice {
    Recipe recipe;
    double score = 0;
    std::optional<Recipe> otherwise; ///< where another was decided: what the file would have by itself
  };
  Choice choose(const SourceContent &c);

private:
  std::optional<std::pair<Recipe, double>> by_itself(const SourceContent &c);
  std::vector<Recipe> recipes_;
  std::vector<std::string> texts_; ///< of the recipes, to tell their sets apart
  std::vector<long> since_;        ///< when each was taken; shipped ones 0
  const JobState &state_;
  RecipeMatches &matches_;
};

} // namespace ampletie
