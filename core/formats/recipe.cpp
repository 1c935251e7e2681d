#include "formats/recipe.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include <cmath>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace ampletie {
namespace {
using nlohmann::json;
constexpr const char *format_name = "ample-tie recipe";

const std::map<RecipeLine::What, std::string> &what_names() {
  static const std::map<RecipeLine::What, std::string> names{{RecipeLine::What::record, "record"},
                                                             {RecipeLine::What::state, "state"},
                                                             {RecipeLine::What::run_start, "run start"},
                                                             {RecipeLine::What::run_end, "run end"}};
  return names;
}

std::string text_of(const json &j, const char *key, const std::string &otherwise = {}) {
  const auto it = j.find(key);
  if (it == j.end() || it->is_null()) return otherwise;
  if (!it->is_string()) throw InputError(fmt::format("recipe: \"{}\" must be a text", key));
  return it->get<std::string>();
}
long count_of(const json &j, const char *key, long otherwise, long least, long most) {
  const auto it = j.find(key);
  if (it == j.end()) return otherwise;
  if (!it->is_number_integer() || it->get<long>() < least || it->get<long>() > most)
    throw InputError(fmt::format("recipe: \"{}\" must be a whole number from {} to {}", key, least, most));
  return it->get<long>();
}

RecipePlace place_of(const json &j, Recipe::Layout layout) {
  RecipePlace p;
  switch (layout) {
  case Recipe::Layout::delimited:
    p.column = static_cast<int>(count_of(j, "column", 0, 1, 1000)) - 1;
    if (p.column < 0) throw InputError("recipe: a field of a delimited file needs its \"column\"");
    break;
  case Recipe::Layout::fixed:
    p.from = static_cast<std::size_t>(count_of(j, "from", 0, 1, 10000));
    p.to = static_cast<std::size_t>(count_of(j, "to", 0, 1, 10000));
    if (p.from == 0 || p.to < p.from) throw InputError("recipe: a field of fixed columns needs \"from\" and \"to\"");
    --p.from;
    break;
  case Recipe::Layout::words:
    p.word = text_of(j, "word");
    if (p.word.empty()) throw InputError("recipe: a field of tagged words needs its \"word\"");
    break;
  }
  return p;
}

void put_place(json &j, const RecipePlace &p, Recipe::Layout layout) {
  if (layout == Recipe::Layout::delimited)
    j["column"] = p.column + 1;
  else if (layout == Recipe::Layout::fixed)
    j["from"] = p.from + 1, j["to"] = p.to;
  else
    j["word"] = p.word;
}

char character(const json &j, const char *key, char otherwise) {
  const std::string t = text_of(j, key, std::string(1, otherwise));
  if (t.empty()) return '\0';
  if (t.size() != 1) throw InputError(fmt::format("recipe: \"{}\" must be one character", key));
  return t[0];
}

void check(const Recipe &r) {
  if (r.name.empty()) throw InputError("recipe: it has no \"name\"");
  if (recipe_meanings(r.reads).empty()) throw InputError("recipe: \"" + r.reads + "\" is no kind of file");
  if (r.lines.empty()) throw InputError("recipe: it has no \"lines\"");
  if (!r.unit.empty()) static_cast<void>(metres_in(r.unit));
  for (const auto &[written, unit] : r.unit_names) static_cast<void>(metres_in(unit));
  if (!r.angle_unit.empty()) static_cast<void>(read_angle(r.angle_unit, "0"));
  for (const auto &[written, unit] : r.angle_names) static_cast<void>(read_angle(unit, "0"));
  for (const auto &[meaning, map] : r.codes) {
    const RecipeMeaning *m = recipe_meaning(r.reads, meaning);
    if (!m || m->type != RecipeMeaning::Type::coded) throw InputError("recipe: \"" + meaning + "\" has no codes");
    for (const auto &[written, value] : map) {
      bool known = false;
      for (auto v : split(m->values, '|')) known = known || v == value;
      if (!known) throw InputError(fmt::format("recipe: {} cannot be \"{}\", only {}", meaning, value, m->values));
    }
  }
  for (const RecipeLine &l : r.lines)
    for (const RecipeField &f : l.fields) {
      if (!recipe_meaning(r.reads, f.meaning))
        throw InputError(fmt::format("recipe: {} knows no \"{}\"", r.reads, f.meaning));
      if (f.unit.empty()) continue;
      if (recipe_meaning(r.reads, f.meaning)->type == RecipeMeaning::Type::angle)
        static_cast<void>(read_angle(f.unit, "0"));
      else
        static_cast<void>(metres_in(f.unit));
    }
  for (const auto &[c, u] : r.words.units) static_cast<void>(metres_in(u.unit));
}

} // namespace

std::optional<double> read_angle(std::string_view unit, std::string_view text) {
  if (unit == "dms") {
    const auto v = parse_angle_deg(text);
    return v ? std::optional(radians(*v)) : std::nullopt;
  }
  if (unit != "gon" && unit != "deg" && unit != "rad" && unit != "packed dms" && unit != "arcsec" && unit != "mgon")
    throw InputError("\"" + std::string(unit) +
                     "\" is no unit of angles that is known (gon, deg, dms, packed dms, rad, arcsec, mgon)");
  const auto v = parse_number(text);
  if (!v) return {};
  if (unit == "gon") return *v * pi / 200;
  if (unit == "deg") return radians(*v);
  if (unit == "rad") return *v;
  if (unit == "arcsec") return *v * rad_per_arcsec;
  if (unit == "mgon") return *v * pi / 200000;
  const auto unpacked = unpacked_deg(*v); // ddd.mmsss
  return unpacked ? std::optional(radians(*unpacked)) : std::nullopt;
}

double metres_in(std::string_view unit) {
  if (unit == "m") return 1;
  if (unit == "mm") return 1e-3;
  if (unit == "cm") return 1e-2;
  if (unit == "0.1 mm") return 1e-4;
  if (unit == "km") return 1e3;
  if (unit == "ft") return 0.3048;
  if (unit == "us-ft") return 1200.0 / 3937.0;
  throw InputError("\"" + std::string(unit) +
                   "\" is no unit of length that is known (m, mm, cm, 0.1 mm, km, ft, us-ft)");
}

bool looks_like_recipe(std::string_view text) {
  const auto start = text.find('{');
  return start != std::string_view::npos && start < 64 && text.size() < (std::size_t{1} << 20) &&
         text.substr(0, 2000).find(format_name) != std::string_view::npos;
}

namespace {
/// Where a file says its unit, and how it writes them.
void read_unit(const json &u, Recipe &r) {
  if (!u.is_object()) throw InputError("recipe: \"unit in file\" must hold \"starts with\" and \"values\"");
  r.unit_key = text_of(u, "starts with");
  if (r.unit_key.empty()) throw InputError("recipe: \"unit in file\" needs \"starts with\"");
  const auto v = u.find("values");
  if (v != u.end() && v->is_object())
    for (const auto &[written, unit] : v->items())
      r.unit_names[written] = unit.is_string() ? unit.get<std::string>() : "";
  const auto a = u.find("angles");
  if (a != u.end() && a->is_object())
    for (const auto &[written, unit] : a->items())
      r.angle_names[written] = unit.is_string() ? unit.get<std::string>() : "";
}

void read_words(const json &w, RecipeWords &q) {
  auto at = [&](const char *key, std::size_t otherwise) {
    return static_cast<std::size_t>(count_of(w, key, static_cast<long>(otherwise), 1, 64));
  };
  q.code = at("code", q.code);
  q.unit_at = at("unit at", q.unit_at + 1) - 1;
  q.sign_at = at("sign at", q.sign_at + 1) - 1;
  q.data_at = at("data at", q.data_at + 1) - 1;
  q.data = at("data", q.data);
  if (const auto u = w.find("units"); u != w.end() && u->is_object())
    for (const auto &[c, unit] : u->items()) {
      if (c.size() != 1 || !unit.is_object()) throw InputError("recipe: the units of words are told by one character");
      RecipeWords::Unit x;
      x.unit = text_of(unit, "unit", "m");
      x.factor = unit.value("factor", 1.0);
      q.units[c[0]] = x;
    }
}

RecipeField read_field(const json &x, Recipe::Layout layout) {
  if (!x.is_object()) throw InputError("recipe: a field must be an object");
  RecipeField field;
  field.meaning = text_of(x, "meaning");
  field.at = place_of(x, layout);
  field.unit = text_of(x, "unit");
  if (const auto k = x.find("factor"); k != x.end()) {
    if (!k->is_number() || !std::isfinite(k->get<double>()) || k->get<double>() == 0)
      throw InputError("recipe: a factor must be a number other than zero");
    field.factor = k->get<double>();
  }
  return field;
}

RecipeLine read_line(const json &l, Recipe::Layout layout) {
  if (!l.is_object()) throw InputError("recipe: a line must be an object");
  RecipeLine line;
  line.name = text_of(l, "name");
  const std::string what = text_of(l, "what", "record");
  bool known = false;
  for (const auto &[w, name] : what_names())
    if (name == what) line.what = w, known = true;
  if (!known) throw InputError("recipe: a line is a record, a state, a run start or a run end, not \"" + what + "\"");
  if (const auto t = l.find("told by"); t != l.end()) {
    if (!t->is_object()) throw InputError("recipe: \"told by\" must say where and what");
    line.told_by = place_of(*t, layout);
    if (const auto is = t->find("is"); is != t->end()) {
      if (!is->is_array()) throw InputError("recipe: \"is\" must be a list");
      for (const json &x : *is)
        if (x.is_string()) line.is.push_back(x.get<std::string>());
    }
  }
  if (const auto f = l.find("fields"); f != l.end()) {
    if (!f->is_array()) throw InputError("recipe: \"fields\" must be a list");
    for (const json &x : *f) line.fields.push_back(read_field(x, layout));
  }
  return line;
}
} // namespace

Recipe read_recipe(std::string_view text) {
  json j;
  try {
    j = json::parse(text);
  } catch (const json::exception &e) {
    throw InputError(std::string("recipe: it is no JSON: ") + e.what());
  }
  if (!j.is_object() || text_of(j, "format") != format_name) throw InputError("this JSON file is no recipe");
  if (count_of(j, "version", 0, 0, 1000000) != 1) throw InputError("recipe: it is of a version that is not known");
  Recipe r;
  r.name = text_of(j, "name");
  r.reads = text_of(j, "reads", "levels");
  const std::string layout = text_of(j, "layout", "delimited");
  if (layout != "delimited" && layout != "fixed" && layout != "words")
    throw InputError("recipe: the layout is delimited, fixed or words, not \"" + layout + "\"");
  r.layout = layout == "fixed"   ? Recipe::Layout::fixed
             : layout == "words" ? Recipe::Layout::words
                                 : Recipe::Layout::delimited;
  r.delimiter = character(j, "delimiter", ',');
  r.quote = character(j, "quote", '"');
  r.decimal_comma = text_of(j, "decimal", ".") == ",";
  r.comment = text_of(j, "comment");
  r.header_lines = count_of(j, "header lines", 0, 0, 10000);
  r.unit = text_of(j, "unit");
  if (const auto u = j.find("unit in file"); u != j.end()) read_unit(*u, r);
  r.angle_unit = text_of(j, "angles");
  const std::string turned = text_of(j, "angles count", "right");
  if (turned != "right" && turned != "left")
    throw InputError("recipe: angles count to the right or to the left, not \"" + turned + "\"");
  r.angles_left = turned == "left";
  if (const auto c = j.find("codes"); c != j.end() && c->is_object())
    for (const auto &[meaning, map] : c->items()) {
      if (!map.is_object()) throw InputError("recipe: the codes of \"" + meaning + "\" must be pairs");
      for (const auto &[written, value] : map.items())
        r.codes[meaning][written] = value.is_string() ? value.get<std::string>() : "";
    }
  if (const auto w = j.find("words"); w != j.end() && w->is_object()) read_words(*w, r.words);
  const auto lines = j.find("lines");
  if (lines == j.end() || !lines->is_array()) throw InputError("recipe: it has no \"lines\"");
  for (const json &l : *lines) r.lines.push_back(read_line(l, r.layout));
  check(r);
  return r;
}

std::string write_recipe(const Recipe &r) {
  nlohmann::ordered_json j;
  j["format"] = format_name;
  j["version"] = 1;
  j["name"] = r.name;
  j["reads"] = r.reads;
  j["layout"] = r.layout == Recipe::Layout::fixed ? "fixed" : r.layout == Recipe::Layout::words ? "words" : "delimited";
  if (r.layout == Recipe::Layout::delimited) {
    j["delimiter"] = std::string(1, r.delimiter);
    j["quote"] = r.quote ? std::string(1, r.quote) : "";
  }
  j["decimal"] = r.decimal_comma ? "," : ".";
  if (!r.comment.empty()) j["comment"] = r.comment;
  if (r.header_lines) j["header lines"] = r.header_lines;
  if (!r.unit.empty()) j["unit"] = r.unit;
  if (!r.angle_unit.empty()) j["angles"] = r.angle_unit;
  if (r.angles_left) j["angles count"] = "left";
  if (!r.unit_key.empty()) j["unit in file"] = {{"starts with", r.unit_key}, {"values", r.unit_names}};
  if (!r.angle_names.empty()) j["unit in file"]["angles"] = r.angle_names;
  if (!r.codes.empty()) j["codes"] = r.codes;
  if (r.layout == Recipe::Layout::words) {
    nlohmann::ordered_json w{{"code", r.words.code},           {"unit at", r.words.unit_at + 1},
                             {"sign at", r.words.sign_at + 1}, {"data at", r.words.data_at + 1},
                             {"data", r.words.data},           {"units", nlohmann::ordered_json::object()}};
    for (const auto &[c, u] : r.words.units) w["units"][std::string(1, c)] = {{"unit", u.unit}, {"factor", u.factor}};
    j["words"] = w;
  }
  j["lines"] = nlohmann::ordered_json::array();
  for (const RecipeLine &l : r.lines) {
    nlohmann::ordered_json o;
    o["name"] = l.name;
    o["what"] = what_names().at(l.what);
    if (!(l.told_by == RecipePlace{})) {
      json t;
      put_place(t, l.told_by, r.layout);
      if (!l.is.empty()) t["is"] = l.is;
      o["told by"] = t;
    }
    o["fields"] = nlohmann::ordered_json::array();
    for (const RecipeField &f : l.fields) {
      json x{{"meaning", f.meaning}};
      put_place(x, f.at, r.layout);
      if (!f.unit.empty()) x["unit"] = f.unit;
      if (f.factor != 1) x["factor"] = f.factor;
      o["fields"].push_back(nlohmann::ordered_json(x));
    }
    j["lines"].push_back(o);
  }
  return j.dump(2) + "\n";
}

} // namespace ampletie
