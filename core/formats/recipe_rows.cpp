#include "formats/recipe_rows.h"

namespace ampletie {

std::map<std::string, std::string> meanings_of_columns(const std::string &reads, ColumnsOf *columns) {
  std::map<std::string, std::string> out;
  for (const RecipeMeaning &m : recipe_meanings(reads))
    for (const auto &[own, column] : columns({m.name})) out.emplace(own, m.name);
  return out;
}

Recipe recipe_of_columns(std::string_view text, const std::string &name, const std::string &reads, ColumnsOf *columns,
                         const std::map<std::string, std::string> &meanings) {
  std::size_t start = 0;
  Recipe r;
  r.name = name, r.reads = reads, r.comment = "#", r.angle_unit = "dms";
  const std::string_view head = first_line(text, start, r.header_lines);
  r.delimiter = delimiter_of(head);
  r.decimal_comma = r.delimiter != ',';
  std::vector<std::string> cells;
  CsvReader(head, r.delimiter).next(cells);
  RecipeLine line;
  line.name = reads == "control" ? "mark" : "row";
  for (std::size_t i = 0; i < cells.size(); ++i) {
    RecipeField f;
    f.at.column = static_cast<int>(i), f.meaning = "ignore";
    line.fields.push_back(std::move(f));
  }
  for (const auto &[own, column] : columns(cells)) {
    const bool packed = own.ends_with("_packed");
    const auto named = meanings.find(packed ? own.substr(0, own.size() - 7) : own);
    const std::string &meaning = named == meanings.end() ? own : named->second;
    if (column.at >= cells.size() || !recipe_meaning(reads, meaning)) continue;
    RecipeField &f = line.fields[column.at];
    f.meaning = meaning, f.factor = column.unit;
    if (packed) f.unit = "packed dms";
  }
  r.lines.push_back(std::move(line));
  return r;
}

} // namespace ampletie
