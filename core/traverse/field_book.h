#pragma once
#include "formats/recipe_reading.h"
#include "traverse/setup.h"

namespace ampletie {

/// A field book of a total station as its recipe reads it.
struct FieldBook {
  std::vector<StationSetup> setups; ///< in the order of the field, those without pointings left out
  struct Trouble {
    long line = 0;
    std::string what;
  };
  std::vector<Trouble> troubles;
  RecipeReading reading; ///< without its records: what was unread, and the units
  double score = 0;      ///< how well the recipe suits it
};

/// Takes the records apart: a line with a station begins a set-up; a new instrument height after pointings begins one
/// on the same mark; air and target hold until they change. Pointings that the crew struck out come along, left out. A
/// pointing before any set-up, without a target, or on no face is a trouble and is not used. `source`: for the ids.
FieldBook read_field_book(const Recipe &recipe, std::string_view utf8, const std::string &source);
/// The same from records that were read already.
FieldBook build_field_book(RecipeReading reading, const std::string &source);

} // namespace ampletie
