#pragma once
#include "formats/listed_columns.h"
#include "formats/recipe_reading.h"
#include <fmt/format.h>

namespace ampletie {

/// Reads a list with a recipe as if it had heads: those that its meanings are. `heads` and `row` as in `read_rows`;
/// lengths come in metres, angles in degrees, numbers with a point.
template <class Heads, class Row>
void read_recipe_rows(const Recipe &r, std::string_view utf8, Heads &&heads, Row &&row) {
  // Words that are numbers or times inside keep the decimal sign of the file.
  const char delimiter = r.decimal_comma ? ';' : ',';
  std::vector<std::string> names, cells;
  const auto take = [&](const RecipeRecord &q) {
    if (q.what != RecipeLine::What::record) return;
    names.clear(), cells.clear();
    for (const auto &[meaning, value] : q.values) {
      if (meaning == "ignore") continue;
      const RecipeMeaning *m = recipe_meaning(r.reads, meaning);
      const bool angle = m && m->type == RecipeMeaning::Type::angle, number = std::isfinite(value.number);
      names.push_back(meaning);
      cells.push_back(!number ? value.text : fmt::format("{}", angle ? degrees(value.number) : value.number));
    }
    if (cells.empty()) return;
    // What the recipe has a place for and the row leaves empty is absent, not unheard of.
    for (const RecipeField &f : r.lines[q.kind].fields)
      if (f.meaning != "ignore" && !q.values.count(f.meaning)) names.push_back(f.meaning), cells.emplace_back();
    const Columns columns = heads(names);
    row(RowReader(columns, cells, delimiter, q.line), columns, q.line);
  };
  read_with(r, utf8, {}, 0, take);
}

using ColumnsOf = Columns(const std::vector<std::string> &heads);
/// What columns are called in recipes of a kind, by their own names: what `columns` makes of the meanings as heads.
std::map<std::string, std::string> meanings_of_columns(const std::string &reads, ColumnsOf *columns);
/// The heads of a list as a recipe. A column that ends by "_packed" holds degrees in packed writing.
Recipe recipe_of_columns(std::string_view text, const std::string &name, const std::string &reads, ColumnsOf *columns,
                         const std::map<std::string, std::string> &meanings);

} // namespace ampletie
