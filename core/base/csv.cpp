#include "base/csv.h"
#include "base/text.h"
#include <algorithm>

namespace ampletie {
namespace {
/// Apostrophes in front count along, so that taking one off gives back what was written.
bool begins_formula(std::string_view t) {
  while (!t.empty() && t.front() == '\'') t.remove_prefix(1);
  return !t.empty() && std::string_view("=+-@").find(t.front()) != std::string_view::npos;
}
/// Where the quote that opens at `from` is closed before a delimiter or a line end; npos: it is not.
std::size_t closing_quote(std::string_view t, std::size_t from, char delimiter) {
  constexpr std::size_t longest = 8192;
  for (std::size_t i = from + 1; i < t.size() && i - from < longest; ++i) {
    if (t[i] != '"') continue;
    if (i + 1 < t.size() && t[i + 1] == '"') {
      ++i;
      continue;
    }
    std::size_t k = i + 1;
    while (k < t.size() && t[k] == ' ') ++k;
    // A quote in the middle shows that the first one opened nothing.
    return k == t.size() || t[k] == delimiter || t[k] == '\n' || t[k] == '\r' ? i : std::string_view::npos;
  }
  return std::string_view::npos;
}
} // namespace

std::string csv_cell(std::string_view t, char delimiter) {
  std::string body = begins_formula(t) ? "'" + std::string(t) : std::string(t);
  const bool quoted = body.find_first_of(std::string("\"\r\n") + delimiter) != std::string::npos ||
                      (!body.empty() && (body.front() == ' ' || body.back() == ' '));
  if (!quoted) return body;
  std::string out = "\"";
  for (char c : body) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

void CsvRow::next() {
  if (!first_) out_ += ',';
  first_ = false;
}
CsvRow &CsvRow::text(std::string_view t) {
  next();
  out_ += csv_cell(t);
  return *this;
}
CsvRow &CsvRow::plain(std::string_view t) {
  next();
  out_ += t;
  return *this;
}
CsvRow &CsvRow::number(double v, int decimals) {
  next();
  out_ += fixed(v, decimals);
  return *this;
}
CsvRow &CsvRow::nothing() {
  next();
  return *this;
}

bool CsvReader::next(std::vector<std::string> &cells) {
  cells.clear();
  if (at_ >= text_.size()) return false;
  line_ = next_line_;
  while (true) {
    std::size_t start = at_;
    while (start < text_.size() && text_[start] == ' ' && delimiter_ != ' ') ++start;
    std::string cell;
    bool quoted = false;
    std::size_t end = std::string_view::npos;
    if (start < text_.size() && text_[start] == '"')
      if (const std::size_t close = closing_quote(text_, start, delimiter_); close != std::string_view::npos) {
        quoted = true;
        for (std::size_t i = start + 1; i < close; ++i) {
          cell += text_[i];
          if (text_[i] == '"') ++i;
        }
        next_line_ += std::count(cell.begin(), cell.end(), '\n');
        end = text_.find_first_of(std::string("\n") + delimiter_, close);
      }
    if (!quoted) {
      end = text_.find_first_of(std::string("\n") + delimiter_, at_);
      cell = std::string(trimmed(text_.substr(at_, end == std::string_view::npos ? end : end - at_)));
    }
    if (cell.size() > 1 && cell.front() == '\'' && begins_formula(std::string_view(cell).substr(1))) cell.erase(0, 1);
    cells.push_back(std::move(cell));
    const bool more = end != std::string_view::npos && text_[end] == delimiter_;
    at_ = end == std::string_view::npos ? text_.size() : end + 1;
    if (more) continue;
    ++next_line_;
    return true;
  }
}

} // namespace ampletie
