#include "results/row_lists.h"
#include "base/error.h"
#include "base/hash.h"
#include "formats/recipe_reading.h"
#include "results/caches.h"

namespace ampletie {
namespace {

void choose(RowSource &l, const SourceContent &c, const JobState &state, RecipeChooser &chooser) {
  if ((c.measured || c.stops) && !state.recipes.count(c.source.id)) {
    l.by_heads = true, l.score = 1, l.recipe = "its own heads";
    l.vectors = c.measured, l.stops = c.stops;
    Recipe heads;
    heads.name = l.recipe, heads.reads = l.kind;
    if (c.text) heads = l.vectors ? recipe_of_vector_heads(*c.text, l.recipe) : recipe_of_stop_heads(*c.text, l.recipe);
    l.used = std::make_shared<const Recipe>(std::move(heads));
    return;
  }
  RecipeChooser::Choice choice = chooser.choose(c);
  l.score = choice.score, l.unsaid = choice.score == 0;
  if (l.unsaid) choice.recipe = blank_list_recipe(source_text(c), choice.recipe.name, l.kind);
  l.recipe = choice.recipe.name;
  l.used = std::make_shared<const Recipe>(std::move(choice.recipe));
}

void read(RowSource &l, const SourceContent &c) {
  const RecipeReading q = read_with(*l.used, source_text(c), {}, 0, [](const RecipeRecord &) {});
  l.unread = q.unread, l.telling = q.telling, l.unit_conflict = q.unit_conflict;
  l.first_unread_line = q.first_unread.line, l.first_unread_why = q.first_unread.why;
  const std::string said = sha256_hex(write_recipe(*l.used)).substr(0, 12);
  try {
    if (l.kind == "vectors") {
      VectorList list = read_vector_list(*l.used, source_text(c));
      list.said = said;
      l.vectors = std::make_shared<const VectorList>(std::move(list));
    } else {
      StopList list = read_stop_list(*l.used, source_text(c));
      list.said = said;
      l.stops = std::make_shared<const StopList>(std::move(list));
    }
  } catch (const InputError &e) {
    l.problem = e.line() ? "line " + std::to_string(e.line()) + ": " + e.reason() : e.reason();
  }
}

std::vector<RowSource> row_lists(const JobSnapshot &s) {
  const Contents &all = *s.inputs().contents;
  std::vector<RowSource> out;
  std::map<std::string, RecipeChooser> choosers; // by kind
  for (const SourceContent &c : all) {
    const std::string &kind = c.source.kind;
    if (kind != "vectors" && kind != "stops") continue;
    RowSource l;
    l.source_id = c.source.id, l.name = c.source.name, l.kind = kind;
    const std::lock_guard lock(s.caches().lists_use);
    auto chooser = choosers.find(kind);
    if (chooser == choosers.end())
      chooser = choosers.try_emplace(kind, all, s.state(), kind, s.caches().lists.best).first;
    choose(l, c, s.state(), chooser->second);
    if (!l.by_heads && !l.unsaid) read(l, c);
    l.seen = s.state().seen.count(c.source.id) > 0;
    if (l.waits()) l.vectors.reset(), l.stops.reset();
    out.push_back(std::move(l));
  }
  return out;
}
} // namespace

const Result<std::vector<RowSource>> &row_lists_result() {
  static const Result<std::vector<RowSource>> r{
      "lists of vectors and stops", Section::intake, {}, {Slice::contents, Slice::recipes}, row_lists};
  return r;
}

} // namespace ampletie
