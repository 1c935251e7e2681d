#include "formats/listed_columns.h"
#include "formats/recipe.h"
#include <cstring>

namespace ampletie {
namespace {
/// Metres in a unit as heads write it; 1 for degrees; 0 when it is not known.
double unit_of_head(const std::string &unit) {
  static const std::map<std::string, std::string> names{{"ft", "ft"},
                                                        {"feet", "ft"},
                                                        {"foot", "ft"},
                                                        {"intl_ft", "ft"},
                                                        {"ift", "ft"},
                                                        {"international_feet", "ft"},
                                                        {"international_foot", "ft"},
                                                        {"us_ft", "us-ft"},
                                                        {"ftus", "us-ft"},
                                                        {"usft", "us-ft"},
                                                        {"sft", "us-ft"},
                                                        {"us_feet", "us-ft"},
                                                        {"us_survey_feet", "us-ft"},
                                                        {"us_survey_foot", "us-ft"},
                                                        {"survey_feet", "us-ft"},
                                                        {"m", "m"},
                                                        {"metre", "m"},
                                                        {"metres", "m"},
                                                        {"meter", "m"},
                                                        {"meters", "m"},
                                                        {"mm", "mm"}};
  if (unit == "deg" || unit == "°" || unit == "degrees") return 1;
  const auto it = names.find(unit);
  return it == names.end() ? 0 : metres_in(it->second);
}

std::string canonical(const std::string &name, std::span<const Alias> words) {
  for (const Alias &a : words)
    for (auto n : split(a.names, ' '))
      if (name == n) return a.canonical;
  return {};
}
} // namespace

std::pair<std::string, double> understood(std::string_view head, std::span<const Alias> words) {
  std::string c = lower(trimmed(head));
  std::erase(c, '.'); // Elev., Pt. No.
  for (char &x : c)
    if (x == ' ' || x == '-') x = '_';
  std::string unit;
  if (const auto open = c.find_first_of("[(");
      open != std::string::npos && open > 0 && c.find_first_of("])", open) == c.size() - 1) {
    unit = c.substr(open + 1, c.size() - open - 2);
    c = c.substr(0, open);
    while (!c.empty() && c.back() == '_') c.pop_back();
  }
  if (unit.empty()) {
    if (const std::string plain = canonical(c, words); !plain.empty()) return {plain, 1};
    for (const char *u : {"_us_ft", "_ftus", "_usft", "_ft", "_mm", "_m"})
      if (c.size() > std::strlen(u) && c.ends_with(u)) {
        unit = u + 1;
        c.resize(c.size() - std::strlen(u));
        break;
      }
  }
  const double metres = unit.empty() ? 1 : unit_of_head(unit);
  return {metres > 0 ? canonical(c, words) : std::string(), metres};
}

char delimiter_of(std::string_view line) {
  char best = ',';
  std::ptrdiff_t most = 0;
  for (char d : {';', '\t', ','}) {
    const auto n = std::count(line.begin(), line.end(), d);
    if (n > most) best = d, most = n;
  }
  return best;
}

std::string_view first_line(std::string_view text, std::size_t &start, long &number) {
  start = text.substr(0, 3) == "\xEF\xBB\xBF" ? 3 : 0, number = 0;
  while (start < text.size()) {
    const std::size_t end = std::min(text.find('\n', start), text.size());
    const std::string_view line = text.substr(start, end - start);
    ++number;
    if (!trimmed(line).empty() && trimmed(line).front() != '#') return line;
    start = end + 1;
  }
  return {};
}

} // namespace ampletie
