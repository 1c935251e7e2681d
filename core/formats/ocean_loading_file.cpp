#include "formats/ocean_loading_file.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
std::vector<double> numbers(std::string_view line) {
  std::vector<double> out;
  std::size_t at = 0;
  while (at < line.size()) {
    while (at < line.size() && (line[at] == ' ' || line[at] == '\t')) ++at;
    std::size_t end = at;
    while (end < line.size() && line[end] != ' ' && line[end] != '\t') ++end;
    if (end == at) break;
    const auto v = parse_number(line.substr(at, end - at));
    if (!v) return {};
    out.push_back(*v);
    at = end;
  }
  return out;
}
bool is_comment(std::string_view line) { return line.substr(0, 2) == "$$"; }
} // namespace

bool looks_like_ocean_loading(std::string_view text) {
  LineReader in(text.substr(0, std::min<std::size_t>(text.size(), 20000)));
  std::string_view line;
  int rows = 0;
  while (in.next(line)) {
    if (is_comment(line) || trimmed(line).empty()) continue;
    const auto n = numbers(line).size();
    if (n == 11 && ++rows == 6) return true;
    if (n != 11 && rows > 0) return false;
  }
  return false;
}

std::vector<OceanLoading> read_ocean_loading(std::string_view text) {
  std::vector<OceanLoading> out;
  LineReader in(text);
  std::string_view line;
  int row = 6; // of the station that is being read
  while (in.next(line)) {
    const long at = in.number();
    if (trimmed(line).empty()) continue;
    if (is_comment(line)) {
      const auto where = line.find("lon/lat:");
      if (where != std::string_view::npos && !out.empty()) {
        std::vector<double> place;
        for (std::string_view rest = line.substr(where + 8); place.size() < 2;) {
          rest = trimmed(rest);
          const auto end = std::min(rest.find(' '), rest.size());
          const auto v = parse_number(rest.substr(0, end));
          if (!v) break;
          place.push_back(*v);
          rest = rest.substr(end);
        }
        if (place.size() == 2 && std::abs(place[1]) <= 90)
          out.back().longitude = radians(place[0]), out.back().latitude = radians(place[1]);
      }
      continue;
    }
    const auto n = numbers(line);
    if (row < 6) {
      if (n.size() != 11)
        throw InputError({}, at, fmt::format("{}: a row of eleven coefficients was expected here", out.back().station));
      const auto i = static_cast<std::size_t>(row % 3);
      for (std::size_t k = 0; k < 11; ++k) {
        if (row < 3 && (n[k] < -1 || n[k] > 1))
          throw InputError({}, at, "an amplitude of more than a metre is impossible");
        (row < 3 ? out.back().amplitude : out.back().phase)[i][k] = row < 3 ? n[k] : radians(n[k]);
      }
      ++row;
      continue;
    }
    if (n.size() == 11) throw InputError({}, at, "a row of coefficients stands before any station");
    OceanLoading c;
    c.station = std::string(trimmed(line));
    c.line = at;
    out.push_back(std::move(c));
    row = 0;
  }
  if (row < 6) throw InputError({}, in.number(), "the file ends inside the coefficients of " + out.back().station);
  if (out.empty()) throw InputError({}, in.number(), "the file holds no stations");
  return out;
}

} // namespace ampletie
