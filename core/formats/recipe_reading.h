#pragma once
#include "base/utf8.h"
#include "formats/recipe.h"
#include <cmath>
#include <functional>
#include <optional>

namespace ampletie {

/// A value with the piece of text it came from: [from, to) of its line.
struct RecipeValue {
  std::string text;    ///< of coded ones the value that the code stands for
  double number = NAN; ///< lengths in metres
  std::size_t from = 0, to = 0;
};

struct RecipeRecord {
  long line = 0;        ///< from 1
  std::size_t kind = 0; ///< index into the recipe's lines
  RecipeLine::What what = RecipeLine::What::record;
  std::map<std::string, RecipeValue, std::less<>> values; ///< by meaning; those of a state before it included
  const RecipeValue *find(std::string_view meaning) const {
    const auto it = values.find(meaning);
    return it == values.end() ? nullptr : &it->second;
  }
  /// Empty where the record does not tell it.
  std::string text(std::string_view meaning) const {
    const RecipeValue *v = find(meaning);
    return v ? v->text : std::string();
  }
  /// Not a number where the record does not tell it.
  double number(std::string_view meaning) const {
    const RecipeValue *v = find(meaning);
    return v ? v->number : NAN;
  }
};

/// A piece of text and what it was taken for, for the annotated view.
struct PaintedPiece {
  long line = 0;
  std::size_t from = 0, to = 0;
  std::string meaning; ///< empty: unread
  std::string why;     ///< of an unread piece
};

/// Gets each record as it is read. Kept, the records of a book are some fifty times its size.
using RecipeSink = std::function<void(const RecipeRecord &)>;

struct RecipeReading {
  std::vector<RecipeRecord> records; ///< none where a sink took them
  std::size_t count = 0;             ///< of the records
  std::size_t telling = 0;           ///< records with a measurement in them, or with something that the field computed
  std::vector<PaintedPiece> pieces;  ///< read and unread ones, in the order of the text; of the first lines asked for
  std::size_t unread = 0;            ///< pieces
  std::size_t lines = 0, read_lines = 0;
  std::size_t characters = 0, read_characters = 0; ///< other than blanks, without comments and header
  std::string stated_unit;                         ///< as the file says; empty: it says nothing
  std::string unit_conflict;                       ///< a sentence when the file and the recipe disagree
  PaintedPiece first_unread;
  void add(RecipeRecord r, const RecipeSink &sink = {});
  /// How well the recipe suits the text, 0 to 1: the share of lines and of characters that were understood; 0 when
  /// nothing of it tells anything.
  double score() const;
};

/// Lines whose pieces are kept, for painting.
struct PaintLines {
  std::size_t from = 1, count = 0;
};
/// Reads a text with a recipe. Never throws for bad text: what is not understood is counted and marked unread.
/// `limit`: stop after that many lines (0: all).
RecipeReading read_with(const Recipe &r, std::string_view utf8, PaintLines paint = {}, std::size_t limit = 0,
                        const RecipeSink &sink = {});

/// The recipe after a surveyor pointed at [from, to) of a line and said what it is. `value`: of a coded meaning, what
/// the text stands for; of a length or an angle, its unit (empty: that of the recipe). A line that no line of the
/// recipe fits gets a kind of its own, told by what stands in front. Throws `InputError` when the piece is no column or
/// word of its own, or the meaning is not known.
Recipe with_meaning(Recipe r, std::string_view line, std::size_t from, std::size_t to, const std::string &meaning,
                    const std::string &value = {});

/// What a whole line does, pointed at through a piece of it: lines with the same text in the same column or word are a
/// kind of their own and do that. Throws `InputError` when the piece is no column or word.
Recipe with_line_kind(Recipe r, std::string_view line, std::size_t from, std::size_t to, RecipeLine::What what);

/// A recipe to begin with for a text that none suits: delimiter and decimal sign guessed, nothing said yet.
Recipe blank_recipe(std::string_view utf8, const std::string &name);
/// The same for a list of rows ("vectors", "stops"): lines of heads at its top are passed over, angles are degrees in
/// any writing.
Recipe blank_list_recipe(std::string_view utf8, const std::string &name, const std::string &reads);

/// The recipe that suits a text best, judged by its first lines; nothing when none reaches `least`.
struct RecipeMatch {
  std::size_t index = 0;
  double score = 0;
};
std::optional<RecipeMatch> best_recipe(const std::vector<Recipe> &all, std::string_view utf8, double least = 0.6);

} // namespace ampletie
