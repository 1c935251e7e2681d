#pragma once
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// A cell of text after RFC 4180: quoted where it holds the delimiter, a quote, a line end or blanks at its ends. Text
/// that a spreadsheet would take for a formula (`=`, `+`, `-`, `@` in front) gets an apostrophe before it, which
/// `CsvReader` takes off again.
std::string csv_cell(std::string_view text, char delimiter = ',');

/// One record with its line end.
class CsvRow {
public:
  CsvRow &text(std::string_view t);
  /// Fixed decimals, never "-0.000"; nothing for what is not finite.
  CsvRow &number(double v, int decimals);
  CsvRow &nothing();
  /// Takes a cell that is known to be harmless as it is.
  CsvRow &plain(std::string_view t);
  std::string line() const { return out_ + "\n"; }

private:
  void next();
  std::string out_;
  bool first_ = true;
};

/// Records of delimited text: cells in quotes may hold delimiters, doubled quotes and line ends; a quote that nothing
/// closes is an ordinary character (seconds of arc, ditto marks). Blanks around cells are taken off.
class CsvReader {
public:
  CsvReader(std::string_view text, char delimiter) : text_(text), delimiter_(delimiter) {}
  /// False at the end. Cells in the order of the record.
  bool next(std::vector<std::string> &cells);
  long line() const { return line_; } ///< on which the last record began, from 1

private:
  std::string_view text_;
  char delimiter_;
  std::size_t at_ = 0;
  long line_ = 0, next_line_ = 1;
};

} // namespace ampletie
