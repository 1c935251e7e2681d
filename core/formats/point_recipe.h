#pragma once
#include "formats/control_list.h"
#include "formats/recipe_reading.h"

namespace ampletie {

/// A control list as a recipe reads it: a mark to a line. Angles without a unit of their own are degrees in any writing
/// of `parse_angle_deg`. Throws `InputError` with line and reason for a mark without a name, for coordinates of which
/// some are given and some are not, for impossible ones, and for a list without marks.
ControlList read_points(const Recipe &r, std::string_view utf8);

/// What the columns of a text without heads that are known seem to be, from what stands in them: a name that no two
/// lines share, and east and north, latitude and longitude, or X, Y, Z, with a height behind. A proposal: east and
/// north are told apart by their size alone, and cannot always be. Nothing where the text is no such list. `name`: of
/// the recipe.
std::optional<Recipe> proposed_points_recipe(std::string_view utf8, const std::string &name);

/// What a recipe takes each column for: "1 mark, 2 east, 3 north".
std::string columns_in_words(const Recipe &r);

} // namespace ampletie
