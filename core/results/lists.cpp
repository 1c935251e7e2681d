#include "results/lists.h"
#include "base/error.h"
#include "base/hash.h"
#include "formats/point_recipe.h"

namespace ampletie {
namespace {

/// How a list is read: by its own heads, or with which recipe.
void choose(ListSource &l, const SourceContent &c, const JobState &state, RecipeChooser &chooser) {
  const auto wanted = state.recipes.find(c.source.id);
  const bool decided = wanted != state.recipes.end();
  if (c.control && !decided) {
    l.by_heads = true, l.score = 1, l.recipe = "its own heads";
    Recipe heads;
    heads.name = l.recipe, heads.reads = "control";
    if (c.text) heads = recipe_of_heads(*c.text, l.recipe);
    l.used = std::make_shared<Recipe>(std::move(heads));
    return;
  }
  const RecipeChooser::Choice choice = chooser.choose(c);
  Recipe used = choice.recipe;
  l.score = choice.score;
  if (choice.score == 0) {
    l.proposed = true;
    if (auto p = proposed_points_recipe(source_text(c), used.name)) used = *std::move(p);
  }
  l.recipe = used.name;
  l.used = std::make_shared<Recipe>(std::move(used));
}

/// Counts what is unread, and reads the marks.
void read(ListSource &l, const SourceContent &c) {
  try {
    ControlList list;
    if (l.by_heads)
      list = *c.control;
    else {
      const RecipeReading q = read_with(*l.used, source_text(c), {}, 0, [](const RecipeRecord &) {});
      l.unread = q.unread, l.telling = q.telling, l.unit_conflict = q.unit_conflict;
      l.first_unread_line = q.first_unread.line, l.first_unread_why = q.first_unread.why;
      list = read_points(*l.used, source_text(c));
    }
    list = read_as_said(std::move(list), l.said);
    if (!list.said.empty()) list.said = sha256_hex(list.said).substr(0, 12);
    l.list = std::make_shared<const ControlList>(std::move(list));
  } catch (const InputError &e) {
    l.problem = e.line() ? "line " + std::to_string(e.line()) + ": " + e.reason() : e.reason();
  }
}

} // namespace

std::vector<ListSource> job_lists(const Contents &contents, const JobState &state, ListReadings &readings) {
  std::vector<ListSource> out;
  std::optional<RecipeChooser> chooser;
  for (const SourceContent &c : contents) {
    if (c.source.kind != "control") continue;
    ListSource l;
    l.source_id = c.source.id, l.name = c.source.name;
    if (const auto said = state.lists.find(c.source.id); said != state.lists.end()) l.said = said->second.value;
    if (!chooser) chooser.emplace(contents, state, "control", readings.best);
    choose(l, c, state, *chooser);
    const std::string key = c.source.id + (l.by_heads ? "" : write_recipe(*l.used)) + l.said.key();
    if (const auto before = readings.read.find(key); before != readings.read.end())
      l = before->second;
    else {
      read(l, c);
      readings.read[key] = l;
    }
    l.seen = state.seen.count(c.source.id) > 0;
    if (l.waits()) l.list.reset();
    out.push_back(std::move(l));
  }
  return out;
}

} // namespace ampletie
