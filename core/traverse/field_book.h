#pragma once
#include "formats/recipe_reading.h"
#include "traverse/setup.h"

namespace ampletie {

/// Coordinates of a mark as the field worked them out, m; NaN: not said.
struct FieldPlace {
  std::string mark;
  double east = NAN, north = NAN, height = NAN;
  long line = 0;
};
/// What a traverse missed as the field worked it out, radians and m; NaN: not said.
struct FieldClosure {
  std::string from, to;
  double angle = NAN, east = NAN, north = NAN, length = NAN, height = NAN;
  long line = 0;
};

/// A field book of a total station as its recipe reads it.
struct FieldBook {
  std::vector<StationSetup> setups; ///< in the order of the field, those without pointings left out
  struct Trouble {
    long line = 0;
    std::string what;
  };
  std::vector<Trouble> troubles;
  std::vector<FieldPlace> places;     ///< what the field worked out: to be compared, never used
  std::vector<FieldClosure> closures; ///< likewise
  RecipeReading reading;              ///< without its records: what was unread, and the units
  double score = 0;                   ///< how well the recipe suits it
};

/// Takes the records apart: a line with a station begins a set-up; a new instrument height after pointings begins one
/// on the same mark; air and target hold until they change. Pointings that the crew struck out come along, left out. A
/// pointing before any set-up, without a target, or on no face is a trouble and is not used. Reduced observations:
/// each row is a set of its own, an angle is the pointings at its two targets. `source`: for the ids.
FieldBook read_field_book(const Recipe &recipe, std::string_view utf8, const std::string &source);
/// The same from records that were read already.
FieldBook build_field_book(RecipeReading reading, const std::string &source);

} // namespace ampletie
