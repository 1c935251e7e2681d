#include "formats/point_recipe.h"
#include "base/angle.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/median.h"
#include "base/text.h"
#include "base/thousands.h"
#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

/// Values of a record that come together.
template <std::size_t N>
std::optional<std::array<double, N>> together(const RecipeRecord &r, const std::array<const char *, N> &names) {
  std::array<double, N> out{};
  std::size_t there = 0;
  std::string absent;
  for (std::size_t i = 0; i < N; ++i) {
    out[i] = r.number(names[i]);
    if (std::isfinite(out[i]))
      ++there;
    else
      absent = names[i];
  }
  if (there == 0) return {};
  if (there < N) throw InputError({}, r.line, fmt::format("the {} of {} is missing", absent, r.text("mark")));
  return out;
}

double signed_angle(const RecipeRecord &r, const char *name, const char *side, const char *negative, double limit) {
  double v = degrees(r.number(name));
  if (std::abs(v) > limit)
    throw InputError({}, r.line, fmt::format("the {} of {} is beyond {:.0f} degrees", name, r.text("mark"), limit));
  if (r.text(side) == negative) {
    if (v < 0)
      throw InputError(
          {}, r.line,
          fmt::format("the {} of {} has a sign and a hemisphere that is {}", name, r.text("mark"), negative));
    v = -v;
  }
  return v;
}

std::optional<double> finite(double v) { return std::isfinite(v) ? std::optional(v) : std::nullopt; }

void read_position(const RecipeRecord &r, ControlRow &row) {
  if (const auto v = together<3>(r, {"x", "y", "z"})) row.xyz = Vec3((*v)[0], (*v)[1], (*v)[2]);
  if (together<2>(r, {"latitude", "longitude"})) {
    const double h = r.number("ellipsoidal_height");
    if (!std::isfinite(h))
      throw InputError({}, r.line,
                       fmt::format("{} has latitude and longitude without an ellipsoidal height: a plan alone "
                                   "can be given in a grid only",
                                   row.mark));
    row.geodetic = Vec3(signed_angle(r, "latitude", "latitude_side", "south", 90),
                        signed_angle(r, "longitude", "longitude_side", "west", 360), h);
  }
  row.height = finite(r.number("physical_height"));
  if (const auto v = together<2>(r, {"east", "north"})) {
    if (row.height)
      row.grid = Vec3((*v)[0], (*v)[1], *row.height);
    else if (!row.xyz && !row.geodetic)
      row.plan = {(*v)[0], (*v)[1]};
  }
  if (const auto v = together<3>(r, {"velocity_x", "velocity_y", "velocity_z"}))
    row.velocity = Vec3((*v)[0], (*v)[1], (*v)[2]);
}

void read_uncertainty(const RecipeRecord &r, ControlRow &row) {
  const double plan = r.number("sd_plan"), up = r.number("sd_up"), height = r.number("sd_height");
  const double e = std::isfinite(plan) ? plan : r.number("sd_east"),
               n = std::isfinite(plan) ? plan : r.number("sd_north");
  row.sd_height = finite(std::isfinite(height) ? height : up);
  if (!std::isfinite(e) && !std::isfinite(n)) return;
  if (!std::isfinite(e) || !std::isfinite(n))
    throw InputError({}, r.line, fmt::format("of {} one standard deviation in plan is missing", row.mark));
  const double u = std::isfinite(up) ? up : height;
  if (!std::isfinite(u) && !row.plan)
    throw InputError({}, r.line, fmt::format("of {} the standard deviation in height is missing", row.mark));
  row.sd_enu = Vec3(e, n, std::isfinite(u) ? u : e); // of a plan the last is of no height
}

ControlRow row_of(const RecipeRecord &r) {
  ControlRow row;
  row.line = r.line;
  row.mark = r.text("mark");
  if (row.mark.empty()) throw InputError({}, r.line, "the mark has no name");
  check_name(row.mark, "the name of the mark", r.line);
  for (const auto &[name, out] : {std::pair{"description", &row.description},
                                  {"frame", &row.frame},
                                  {"code", &row.code},
                                  {"crs", &row.crs},
                                  {"vertical", &row.vertical},
                                  {"epoch", &row.epoch}}) {
    *out = printable(r.text(name));
    check_name(*out, std::string("the ") + name + " of " + row.mark, r.line);
  }
  read_position(r, row);
  read_uncertainty(r, row);
  if (double g = r.number("gravity"); std::isfinite(g)) row.gravity = g > 9000 ? g * 1e-5 : g; // milligals
  refuse_impossible(row);
  return row;
}

std::vector<std::string> words_of(std::string_view line) {
  std::vector<std::string> out;
  for (std::size_t at = 0; at < line.size();) {
    const std::size_t from = line.find_first_not_of(" \t", at);
    if (from == std::string_view::npos) break;
    at = std::min(line.find_first_of(" \t", from), line.size());
    out.emplace_back(line.substr(from, at - from));
  }
  return out;
}

/// A text cut into columns, for guessing.
struct Cut {
  std::vector<std::vector<std::string>> lines; ///< of the first few hundred
};

Cut cut(std::string_view utf8, const Recipe &r) {
  Cut out;
  LineReader in(utf8);
  std::string_view line;
  while (out.lines.size() < 300 && in.next(line)) {
    if (trimmed(line).empty() || trimmed(line).front() == '#') continue;
    std::vector<std::string> cells;
    if (r.delimiter == ' ')
      cells = words_of(line);
    else
      CsvReader(line, r.delimiter).next(cells);
    out.lines.push_back(std::move(cells));
  }
  return out;
}

std::string with_point(std::string c, const Recipe &r) {
  c = without_thousands(c);
  if (r.decimal_comma) std::replace(c.begin(), c.end(), ',', '.');
  return c;
}

/// What stands in a column.
struct Seen {
  bool numbers = true, angles = true, decimals = false, any = false;
  bool all_different = true; ///< or nearly so: it may name marks
  double size = 0;           ///< median of the absolute values
  char letter = 0;           ///< hemisphere that the angles name
  std::string label;         ///< the word that stands in every line, if one does
  std::vector<double> values;
};

std::vector<Seen> look_at(const Cut &text, std::size_t from, const Recipe &r, std::size_t width) {
  std::vector<Seen> out(width);
  for (std::size_t k = 0; k < width; ++k) {
    Seen &s = out[k];
    std::set<std::string> names;
    std::vector<double> sizes;
    std::size_t cells = 0, numbers = 0, angles = 0;
    bool one_word = text.lines.size() > from + 1;
    for (std::size_t i = from; i < text.lines.size(); ++i) {
      const std::string c = k < text.lines[i].size() ? text.lines[i][k] : "";
      one_word = one_word && !c.empty() && c == text.lines[from][k];
      if (c.empty()) continue;
      ++cells;
      names.insert(c);
      const std::string p = with_point(c, r);
      const auto number = parse_number(p);
      const auto angle = number ? number : parse_angle_deg(p);
      numbers += number.has_value(), angles += angle.has_value();
      s.decimals = s.decimals || p.find('.') != std::string::npos;
      if (angle) s.values.push_back(*angle), sizes.push_back(std::abs(*angle));
      if (const auto at = p.find_last_of("NSEWnsew"); !number && at != std::string::npos)
        s.letter = static_cast<char>(std::toupper(static_cast<unsigned char>(p[at])));
    }
    // A remark at the end, or a mark that stands there twice, does not make another list of it.
    const double most = 0.75 * static_cast<double>(cells);
    s.any = cells > 0;
    s.numbers = static_cast<double>(numbers) >= most, s.angles = static_cast<double>(angles) >= most;
    s.all_different = 2 * names.size() > cells;
    if (!sizes.empty()) s.size = median(sizes);
    if (one_word && !s.angles) s.label = text.lines[from][k];
  }
  return out;
}

/// Lines at the top that are no marks: words where the lines below have figures.
std::size_t heads(const Cut &text, const Recipe &r) {
  const auto figures = [&](const std::vector<std::string> &cells) {
    return std::count_if(cells.begin(), cells.end(),
                         [&](const std::string &c) { return parse_angle_deg(with_point(c, r)).has_value(); });
  };
  std::vector<double> counts;
  for (const auto &l : text.lines) counts.push_back(static_cast<double>(figures(l)));
  const double usual = median(counts);
  std::size_t n = 0;
  while (n < text.lines.size() && n < 5 && counts[n] + 1 < usual) ++n;
  return n;
}

bool is_plan(const Seen &s) { return s.any && s.numbers && s.decimals && s.size >= 1000; }
bool is_marked_angle(const Seen &s) { return s.any && s.angles && !s.numbers && !s.values.empty(); }

/// Whether three columns are geocentric.
bool geocentric(const std::vector<Seen> &s, std::size_t k) {
  if (k + 2 >= s.size()) return false;
  for (std::size_t j = k; j < k + 3; ++j)
    if (!s[j].any || !s[j].numbers || s[j].values.size() != s[k].values.size()) return false;
  for (std::size_t i = 0; i < s[k].values.size(); ++i)
    if (const double n = Vec3(s[k].values[i], s[k + 1].values[i], s[k + 2].values[i]).norm(); n < 6.3e6 || n > 6.4e6)
      return false;
  return !s[k].values.empty();
}

/// Latitude and longitude as plain degrees: many decimals, and no more than there are.
bool degrees_pair(const std::vector<Seen> &s, std::size_t k) {
  return k + 1 < s.size() && s[k].any && s[k + 1].any && s[k].numbers && s[k + 1].numbers && s[k].decimals &&
         s[k + 1].decimals && s[k].size <= 180 && s[k + 1].size <= 180 && k + 2 < s.size() && s[k + 2].any &&
         s[k + 2].numbers;
}

using Meant = std::map<std::size_t, std::string>;

/// The columns of the position among `s`, which are those numbered `at`; whether there are any.
bool position_columns(const std::vector<Seen> &s, const std::vector<std::size_t> &at,
                      const std::vector<std::string> &labels, Meant &out) {
  for (std::size_t k = 0; k + 1 < s.size(); ++k) {
    if (geocentric(s, k)) {
      out[at[k]] = "x", out[at[k + 1]] = "y", out[at[k + 2]] = "z";
      return true;
    }
    const bool plan = is_plan(s[k]) && is_plan(s[k + 1]);
    const bool marked = is_marked_angle(s[k]) && is_marked_angle(s[k + 1]);
    if (!plan && !marked && !degrees_pair(s, k)) continue;
    // Of grids the northing is usually the one with seven figures (common practice); a zone in front makes the easting
    // larger still.
    const auto northing_like = [](double v) { return v >= 1e6 && v < 1.1e7; };
    const bool said = labels[k].starts_with("N") && labels[k + 1].starts_with("E"),
               otherwise = labels[k].starts_with("E") && labels[k + 1].starts_with("N");
    const bool turned = plan ? said || (!otherwise && northing_like(s[k].size) && s[k + 1].size < 1e6)
                             : s[k].letter == 'E' || s[k].letter == 'W';
    const char *a = plan ? "east" : "latitude", *b = plan ? "north" : "longitude";
    out[at[k]] = turned ? b : a, out[at[k + 1]] = turned ? a : b;
    const std::size_t h = k + 2;
    const bool height = h < s.size() && s[h].any && s[h].numbers && s[h].size < 9000;
    if (height) out[at[h]] = plan ? "physical_height" : "ellipsoidal_height";
    return plan || height;
  }
  return false;
}

/// The same among the columns [from, to): words that stand in every line only name what follows.
bool position_between(const std::vector<Seen> &all, std::size_t from, std::size_t to, Meant &out) {
  std::vector<Seen> s;
  std::vector<std::size_t> at;
  std::vector<std::string> labels;
  for (std::size_t k = from; k < to; ++k) {
    if (!all[k].label.empty()) continue;
    s.push_back(all[k]), at.push_back(k);
    labels.push_back(k > from ? all[k - 1].label : "");
  }
  if (!position_columns(s, at, labels, out)) return false;
  for (std::size_t k = from; k < to; ++k)
    if (!all[k].label.empty()) out[k] = "ignore";
  return true;
}

} // namespace

ControlList read_points(const Recipe &r, std::string_view utf8) {
  ControlList out;
  out.delimiter = r.delimiter;
  out.said = write_recipe(r);
  if (!r.unit.empty()) out.unit = metres_in(r.unit);
  RowKeeper keep(out);
  Recipe with_angles = r;
  if (with_angles.angle_unit.empty()) with_angles.angle_unit = "dms";
  const auto take = [&](const RecipeRecord &record) {
    if (record.what == RecipeLine::What::record && !record.values.empty()) keep.add(row_of(record));
  };
  const RecipeReading q = read_with(with_angles, utf8, {}, 0, take);
  if (!q.unit_conflict.empty()) throw InputError(q.unit_conflict);
  if (out.rows.empty()) throw InputError("the list holds no marks, as the recipe reads it");
  return out;
}

std::optional<Recipe> proposed_points_recipe(std::string_view utf8, const std::string &name) {
  // Structured texts are somebody else's, however many figures are in them.
  if (const auto start = utf8.find_first_not_of(" \t\r\n\xEF\xBB\xBF");
      start == std::string_view::npos || utf8[start] == '{' || utf8[start] == '[' || utf8[start] == '<')
    return {};
  Recipe r = blank_recipe(utf8, name);
  r.reads = "control", r.angle_unit = "dms", r.comment = "#";
  const Cut text = cut(utf8, r);
  if (text.lines.empty()) return {};
  if (!text.lines.front().empty() && text.lines.front().front().starts_with('$')) return {}; // sentences of a receiver
  // Commas between figures in quotes are no delimiters.
  for (const auto &line : text.lines)
    for (const std::string &c : line)
      for (std::size_t i = 1; i + 1 < c.size(); ++i)
        if (without_thousands(c) == c && c[i] == ',' && std::isdigit(static_cast<unsigned char>(c[i - 1])) &&
            std::isdigit(static_cast<unsigned char>(c[i + 1])))
          r.decimal_comma = true;
  const std::size_t skip = heads(text, r);
  std::vector<double> widths;
  for (std::size_t i = skip; i < text.lines.size(); ++i) widths.push_back(static_cast<double>(text.lines[i].size()));
  if (widths.empty()) return {};
  const auto width = static_cast<std::size_t>(median(widths));
  const auto seen = look_at(text, skip, r, width);
  // The name: the first column in which no two lines agree and no figure has decimals.
  const auto names = [&](std::size_t k) {
    return seen[k].any && seen[k].all_different && !(seen[k].numbers && seen[k].decimals);
  };
  std::size_t mark = 0;
  while (mark < width && !names(mark)) ++mark;
  if (mark >= width) return {};
  Meant meant{{mark, "mark"}};
  if (!position_between(seen, mark + 1, width, meant) && !position_between(seen, 0, mark, meant)) return {};
  for (std::size_t k = meant.rbegin()->first; k < width; ++k)
    if (seen[k].any && !seen[k].numbers && !meant.count(k)) {
      meant[k] = "description";
      break;
    }
  RecipeLine &line = r.lines.front();
  line.name = "mark";
  for (const auto &[k, what] : meant) {
    RecipeField f;
    f.meaning = what, f.at.column = static_cast<int>(k);
    line.fields.push_back(std::move(f));
  }
  // Heads stand at the top; comments and blank lines among them count as lines.
  LineReader in(utf8);
  std::string_view l;
  for (std::size_t n = 0; n < skip && in.next(l);) {
    if (!trimmed(l).empty() && trimmed(l).front() != '#') ++n;
    r.header_lines = in.number();
  }
  return r;
}

std::string columns_in_words(const Recipe &r) {
  std::string out;
  for (const RecipeLine &l : r.lines)
    for (const RecipeField &f : l.fields)
      out += fmt::format("{}{} {}", out.empty() ? "" : ", ",
                         r.layout == Recipe::Layout::delimited ? fmt::format("{}", f.at.column + 1)
                         : r.layout == Recipe::Layout::fixed   ? fmt::format("{}–{}", f.at.from + 1, f.at.to)
                                                               : f.at.word,
                         f.meaning);
  std::replace(out.begin(), out.end(), '_', ' ');
  return out;
}

} // namespace ampletie
