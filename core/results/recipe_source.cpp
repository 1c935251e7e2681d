#include "results/recipe_source.h"
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
  for (const auto &c : contents)
    if (c.recipe && c.recipe->reads == reads) since_.push_back(c.source.order);
  since_.resize(recipes_.size(), 0);
  for (const Recipe &r : recipes_) texts_.push_back(write_recipe(r));
}

std::optional<std::pair<Recipe, double>> RecipeChooser::by_itself(const SourceContent &c) {
  for (const bool later : {false, true}) {
    std::vector<Recipe> able;
    std::string key = c.source.id;
    for (std::size_t i = 0; i < recipes_.size(); ++i)
      if ((since_[i] > c.source.order) == later) {
        able.push_back(recipes_[i]);
        key += texts_[i];
      }
    const auto [it, fresh] = matches_.try_emplace(sha256_hex(key));
    if (fresh)
      if (const auto best = best_recipe(able, source_text(c), 0.3)) it->second.emplace(best->index, best->score);
    if (it->second) return std::pair(able[it->second->first], it->second->second);
  }
  return {};
}

RecipeChooser::Choice RecipeChooser::choose(const SourceContent &c) {
  const auto own = by_itself(c);
  const auto wanted = state_.recipes.find(c.source.id);
  if (wanted != state_.recipes.end())
    for (const Recipe &r : recipes_)
      if (r.name == wanted->second.value)
        return {r, 1, own && own->first.name != r.name ? std::optional(own->first) : std::nullopt};
  if (own) return {own->first, own->second, {}};
  Recipe blank = blank_recipe(source_text(c), c.source.name + ", not said yet");
  blank.reads = c.source.kind;
  return {blank, 0, {}};
}

} // namespace ampletie
