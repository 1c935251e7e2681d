#pragma once
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// Where a piece of a line stands: a column (delimited, from 0), a span of characters (fixed, [from, to)), or the code
/// of a word (tagged words; '.' stands for any character).
struct RecipePlace {
  int column = -1;
  std::size_t from = 0, to = 0;
  std::string word;
  bool operator==(const RecipePlace &) const = default;
};

/// What a piece of text means. `meaning` is one of `recipe_meanings()`.
struct RecipeField {
  std::string meaning;
  RecipePlace at;
  std::string unit;  ///< "m", "mm", "ft" …; empty: that of the recipe
  double factor = 1; ///< on top of the unit
};

/// One kind of line, told apart by a code.
struct RecipeLine {
  enum class What {
    record,    ///< an observation
    state,     ///< its values hold for the records after it
    run_start, ///< a state that begins a run
    run_end
  };
  std::string name; ///< for people: "sight"
  What what = What::record;
  RecipePlace told_by;
  std::vector<std::string> is; ///< values of `told_by`; empty: every line (tagged words: every line that has the word)
  std::vector<RecipeField> fields;
};

/// Widths of tagged words: code, one character for the unit, a sign, digits.
struct RecipeWords {
  struct Unit {
    std::string unit = "m";
    double factor = 1;
  };
  std::size_t code = 2, unit_at = 5, sign_at = 6, data_at = 7, data = 8; ///< characters, from 0
  std::map<char, Unit> units; ///< of a whole number in the last digit, by the word's unit character
};

/// How to read one kind of text file. The form as JSON: docs/formats.md.
struct Recipe {
  enum class Layout { delimited, fixed, words };
  std::string name, reads = "levels";
  Layout layout = Layout::delimited;
  char delimiter = ',', quote = '"';
  bool decimal_comma = false;
  std::string comment; ///< lines that start with it are passed over
  long header_lines = 0;
  std::string unit;     ///< of lengths; empty: as the file states it, else the job's
  std::string unit_key; ///< the line that states the unit starts with this; empty: the file states none
  std::map<std::string, std::string> unit_names;                   ///< what the file writes → unit
  std::string angle_unit;                                          ///< of angles; empty: as the file states it
  bool angles_left = false;                                        ///< horizontal angles count to the left
  std::map<std::string, std::string> angle_names;                  ///< what the file writes → unit of angles
  std::map<std::string, std::map<std::string, std::string>> codes; ///< meaning → what the file writes → value
  RecipeWords words;
  std::vector<RecipeLine> lines;
};

/// What a field can be.
struct RecipeMeaning {
  enum class Type { text, length, number, coded, angle } type;
  const char *name, *sentence;
  const char *values = ""; ///< of coded ones, separated by |
};
/// Meanings that a kind of file ("levels", "pointings", "control", "vectors", "stops") knows; "ignore" is among them.
const std::vector<RecipeMeaning> &recipe_meanings(std::string_view reads);
const RecipeMeaning *recipe_meaning(std::string_view reads, std::string_view name);

/// Whether a value of this meaning is worth a line by itself: a measurement, or what the field computed of some. Names,
/// codes and remarks alone are not.
bool tells_something(std::string_view meaning);

/// An angle as text in a unit, radians: "gon", "deg" (decimal), "dms" (degrees, minutes, seconds with signs or blanks
/// between), "packed dms" (ddd.mmsss), "rad", "arcsec" or "mgon"; nothing when it is none. Throws `InputError` for an
/// unknown unit.
std::optional<double> read_angle(std::string_view unit, std::string_view text);

/// Metres in a unit of length; throws `InputError` for a unit that is not known.
double metres_in(std::string_view unit);

/// Throws `InputError` with what is wrong in it.
Recipe read_recipe(std::string_view json);
std::string write_recipe(const Recipe &r);
bool looks_like_recipe(std::string_view text);

/// Those that ship with the program: of the stand-in instruments.
const std::vector<Recipe> &shipped_recipes();
/// The same for field books of total stations.
const std::vector<Recipe> &shipped_pointing_recipes();

} // namespace ampletie
