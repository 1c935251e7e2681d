#pragma once
#include "base/angle.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/text.h"
#include "base/thousands.h"
#include "base/utf8.h"
#include "base/vector.h"
#include <algorithm>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

/// What readers of lists with a header line share.
namespace ampletie {

/// A column's own name and the words that heads write for it, with blanks between.
struct Alias {
  const char *canonical, *names;
};

struct Column {
  std::size_t at = 0;
  double unit = 1; ///< m
};
using Columns = std::map<std::string, Column>;

/// A head as written: what it means and the unit behind it, m; an empty name where nobody knows it.
std::pair<std::string, double> understood(std::string_view head, std::span<const Alias> words);
/// The commonest of semicolon, tabulator and comma.
char delimiter_of(std::string_view line);
/// The first line that is neither empty nor a comment, and where it starts.
std::string_view first_line(std::string_view text, std::size_t &start, long &number);

/// Reads the cells of one row.
class RowReader {
public:
  RowReader(const Columns &columns, const std::vector<std::string> &cells, char delimiter, long line)
      : columns_(columns), cells_(cells), comma_(delimiter != ','), line_(line) {}
  std::string cell(const char *name) const {
    const auto it = columns_.find(name);
    return it == columns_.end() ? std::string() : cells_[it->second.at];
  }
  std::optional<double> number(const char *name) const {
    std::string c = point(without_thousands(cell(name)));
    if (c.empty()) return {};
    const auto v = parse_number(c);
    if (!v) throw InputError({}, line_, "\"" + printable(c) + "\" in column " + name + " is not a number");
    return *v * columns_.at(name).unit;
  }
  std::optional<double> angle(const char *name, double limit) const {
    const std::string packed = std::string(name) + "_packed";
    const bool is_packed = columns_.count(packed) > 0;
    const std::string c = point(cell(is_packed ? packed.c_str() : name));
    if (c.empty()) return {};
    auto v = is_packed ? parse_number(c) : parse_angle_deg(c);
    if (v && is_packed) v = unpacked_deg(*v);
    if (!v) throw InputError({}, line_, "\"" + printable(c) + "\" in column " + name + " is not an angle");
    if (std::abs(*v) > limit)
      throw InputError({}, line_,
                       "\"" + c + "\" in column " + name + " is beyond " + std::to_string(static_cast<int>(limit)) +
                           " degrees");
    return v;
  }
  template <class A, class B>
  std::optional<Vec3> triple(const char *a, const char *b, const char *c, A &&get_a, B &&get_b) const {
    const auto x = get_a(a), y = get_b(b), z = number(c);
    if (!x && !y && !z) return {};
    if (!x || !y || !z)
      throw InputError({}, line_, std::string("of ") + a + ", " + b + ", " + c + " some are given and some are not");
    return Vec3(*x, *y, *z);
  }
  std::optional<Vec3> lengths(const char *a, const char *b, const char *c) const {
    const auto get = [&](const char *n) { return number(n); };
    return triple(a, b, c, get, get);
  }
  std::string point(std::string c) const {
    if (comma_) std::replace(c.begin(), c.end(), ',', '.');
    return c;
  }

private:
  const Columns &columns_;
  const std::vector<std::string> &cells_;
  bool comma_;
  long line_;
};

/// Reads a list with heads: `heads` tells their columns (and throws for those that do not suffice), `row` gets every
/// row that is neither empty nor a remark, with its line.
template <class Heads, class Row> void read_rows(std::string_view text, Heads &&heads, Row &&row) {
  std::size_t start = 0;
  long number = 0;
  const char delimiter = delimiter_of(first_line(text, start, number));
  CsvReader reader(text.substr(std::min(start, text.size())), delimiter);
  std::vector<std::string> cells;
  if (!reader.next(cells)) throw InputError("the list is empty");
  const Columns columns = heads(cells, number);
  const std::size_t width = cells.size();
  while (reader.next(cells)) {
    if (std::all_of(cells.begin(), cells.end(), [](const auto &c) { return trimmed(c).empty(); }) ||
        cells[0].starts_with('#'))
      continue;
    const long line = number - 1 + reader.line();
    cells.resize(std::max(width, cells.size()));
    row(RowReader(columns, cells, delimiter, line), columns, line);
  }
}
/// Whether the first line of a list has heads that `suffices` is content with.
template <class Suffices> bool heads_suffice(std::string_view text, Suffices &&suffices) {
  std::size_t start = 0;
  long number = 0;
  const std::string_view line = first_line(text.substr(0, 20000), start, number);
  std::vector<std::string> heads;
  CsvReader reader(line, delimiter_of(line));
  return reader.next(heads) && suffices(heads);
}

} // namespace ampletie
