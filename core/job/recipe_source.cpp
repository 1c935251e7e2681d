#include "job/recipe_source.h"
#include "base/hash.h"
#include "formats/recipe_reading.h"

namespace ampletie {

std::vector<Recipe> job_recipes(const Contents &contents, std::string_view reads) {
  std::vector<Recipe> out;
  for (const auto &c : contents)
    if (c.recipe && (reads.empty() || c.recipe->reads == reads)) out.push_back(*c.recipe);
  for (const auto *shipped : {&shipped_recipes(), &shipped_pointing_recipes()})
    for (const Recipe &r : *shipped)
      if (reads.empty() || r.reads == reads) out.push_back(r);
  return out;
}

std::string_view source_text(const SourceContent &c) { return c.text ? std::string_view(*c.text) : std::string_view{}; }

RecipeChooser::RecipeChooser(const Contents &contents, const JobState &state, std::string_view reads,
                             RecipeMatches &matches)
    : recipes_(job_recipes(contents, reads)), state_(state), matches_(matches) {
  for (const Recipe &r : recipes_) key_ += write_recipe(r);
  key_ = sha256_hex(key_);
}

RecipeChooser::Choice RecipeChooser::choose(const SourceContent &c) {
  const auto wanted = state_.recipes.find(c.source.id);
  if (wanted != state_.recipes.end())
    for (const Recipe &r : recipes_)
      if (r.name == wanted->second.value) return {r, 1};
  const auto [it, fresh] = matches_.try_emplace(c.source.id + key_);
  if (fresh)
    if (const auto best = best_recipe(recipes_, source_text(c), 0)) it->second.emplace(best->index, best->score);
  if (it->second && (it->second->second >= 0.3 || wanted != state_.recipes.end()))
    return {recipes_[it->second->first], it->second->second};
  Recipe blank = blank_recipe(source_text(c), c.source.name + ", not said yet");
  blank.reads = c.source.kind;
  return {blank, 0};
}

} // namespace ampletie
