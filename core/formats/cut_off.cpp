#include "formats/cut_off.h"
#include "base/csv.h"
#include "base/text.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

using Cells = std::vector<std::string>;

std::vector<Cells> table(std::string_view text) {
  std::vector<Cells> out;
  const std::string_view last = text.substr(text.find_last_of('\n') + 1);
  char delimiter = 0;
  for (char d : {';', '\t', ','})
    if (last.find(d) != std::string_view::npos && !delimiter) delimiter = d;
  if (delimiter) {
    CsvReader reader(text, delimiter);
    for (Cells cells; reader.next(cells);) out.push_back(cells);
  } else {
    std::string_view line;
    for (LineReader lines(text); lines.next(line);) {
      Cells cells;
      for (std::string_view word : split(line, ' '))
        if (const auto w = trimmed(word); !w.empty()) cells.emplace_back(w);
      out.push_back(std::move(cells));
    }
  }
  std::erase_if(out, [](const Cells &c) { return c.empty() || (c.size() == 1 && c[0].empty()) || c[0][0] == '#'; });
  return out;
}

/// Digits behind the point of a plain number; −1: it is none.
int decimals(const std::string &cell) {
  if (!parse_decimal(cell) || cell.find_first_of("eEdD") != std::string::npos) return -1;
  const auto point = cell.find_first_of(".,");
  return point == std::string::npos ? 0 : static_cast<int>(cell.size() - point - 1);
}

} // namespace

std::string broken_off(std::string_view text) {
  if (text.empty() || text.back() == '\n' || text.back() == '\r') return {};
  // Its end is enough to compare the last line with.
  constexpr std::size_t enough = 1 << 16;
  if (text.size() > enough) {
    const auto start = text.find('\n', text.size() - enough);
    text.remove_prefix(start == std::string_view::npos ? 0 : start + 1);
  }
  std::vector<Cells> others = table(text);
  if (others.size() < 3) return {};
  const Cells last = std::move(others.back());
  others.pop_back();
  if (last.size() < 2) return {}; // "end", a title
  const auto same_kind = [&](const Cells &c) { return c[0] == last[0]; };
  if (std::count_if(others.begin(), others.end(), same_kind) >= 2)
    std::erase_if(others, [&](const Cells &c) { return !same_kind(c); });
  std::size_t fewest = others.front().size();
  for (const Cells &c : others) fewest = std::min(fewest, c.size());
  if (last.size() < fewest)
    return fmt::format("its last line has {} cells, the others have {} or more", last.size(), fewest);
  const int behind = decimals(last.back());
  if (behind < 0) return {};
  int above = -1, rows = 0;
  for (const Cells &c : others) {
    const int d = c.size() < last.size() ? -1 : decimals(c[last.size() - 1]);
    if (d < 0) continue;
    if (rows++ && d != above) return {};
    above = d;
  }
  if (rows < 2 || behind >= above) return {};
  return fmt::format("its last figure, {}, has {} decimals, those above it have {}", last.back(), behind, above);
}

} // namespace ampletie
