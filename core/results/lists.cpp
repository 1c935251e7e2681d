#include "results/lists.h"
#include "base/error.h"
#include "base/hash.h"
#include "formats/point_recipe.h"
#include "geodesy/projection.h"
#include <algorithm>
#include <cmath>

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

/// East and north of an older datum in the job's grid, through a grid of shifts.
void lead_over(ControlList &list, const ShiftGrid &shift, const std::string &job_crs) {
  std::map<std::string, Projection> grids;
  const auto grid = [&](const std::string &code) -> const Projection & {
    const auto it = grids.find(code);
    return it != grids.end() ? it->second : grids.emplace(code, Projection(code)).first->second;
  };
  for (ControlRow &r : list.rows) {
    if (!r.grid && !r.plan) {
      if (r.geodetic || r.xyz)
        throw InputError({}, r.line,
                         "of an older datum east and north are led over; " + r.mark + " has other coordinates");
      continue;
    }
    if (r.crs.empty() || r.crs == job_crs)
      throw InputError({}, r.line,
                       "say the grid that " + r.mark + " is given in (crs): a grid of shifts leads from another datum");
    try {
      const Eigen::Vector2d at = r.grid ? Eigen::Vector2d(r.grid->head<2>()) : *r.plan;
      const Geodetic old = grid(r.crs).unproject(at.x(), at.y(), 0);
      grid(r.crs).check(old);
      const GridPoint q = grid(job_crs).project(shift.forward(old));
      if (r.grid)
        r.grid->head<2>() = Eigen::Vector2d(q.east, q.north);
      else
        *r.plan = Eigen::Vector2d(q.east, q.north);
      if (const auto m = shift.accuracy_m(old); m && r.sd_enu)
        for (int k = 0; k < 2; ++k) (*r.sd_enu)[k] = std::hypot((*r.sd_enu)[k], *m / std::sqrt(2.0));
      r.cov_enu.reset(); // turned and no longer known in full
      r.crs = job_crs;
    } catch (const InputError &e) {
      throw InputError({}, r.line, r.mark + ": " + e.reason());
    }
  }
}

/// Counts what is unread, and reads the marks.
void read(ListSource &l, const SourceContent &c, const Contents &all, const std::string &job_crs) {
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
    if (!l.said.through.empty()) {
      const ShiftGrid *shift = nullptr;
      for (const SourceContent &x : all)
        if (x.source.id == l.said.through) shift = x.shift.get();
      if (!shift) throw InputError("the grid of shifts that it is to go through is not in the job");
      lead_over(list, *shift, job_crs);
      list.said += "through to " + job_crs;
    }
    if (std::any_of(list.rows.begin(), list.rows.end(),
                    [](const ControlRow &r) { return r.frame == frame_not_stated; }))
      throw InputError("it does not state the frame of its coordinates: say it of the list (Datum, Lists)");
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
    // A grid that is left out leads nowhere.
    if (state.left_out.count(l.said.through)) l.said.through = "left out";
    if (!chooser) chooser.emplace(contents, state, "control", readings.best);
    choose(l, c, state, *chooser);
    const std::string &job_crs = state.settings.datum.crs;
    const std::string key = c.source.id + (l.by_heads ? "" : write_recipe(*l.used)) + l.said.key() +
                            (l.said.through.empty() ? "" : job_crs);
    if (const auto before = readings.read.find(key); before != readings.read.end())
      l = before->second;
    else {
      read(l, c, contents, job_crs);
      readings.read[key] = l;
    }
    l.seen = state.seen.count(c.source.id) > 0;
    if (l.waits()) l.list.reset();
    out.push_back(std::move(l));
  }
  return out;
}

} // namespace ampletie
