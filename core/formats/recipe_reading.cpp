#include "formats/recipe_reading.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "base/thousands.h"
#include <algorithm>
#include <cctype>
#include <fmt/format.h>

namespace ampletie {
namespace {

struct Piece {
  std::size_t from = 0, to = 0;
  std::string_view text;
  std::string_view code; ///< of a tagged word
  bool used = false;
};

bool matches(std::string_view code, std::string_view pattern) {
  if (pattern.size() > code.size()) return false;
  for (std::size_t i = 0; i < pattern.size(); ++i)
    if (pattern[i] != '.' && pattern[i] != code[i]) return false;
  return true;
}

std::size_t visible(std::string_view t) {
  return static_cast<std::size_t>(std::count_if(t.begin(), t.end(), [](char c) { return c != ' ' && c != '\t'; }));
}

/// Shrinks a span to what is not blank in it.
Piece span(std::string_view line, std::size_t from, std::size_t to) {
  from = std::min(from, line.size()), to = std::min(to, line.size());
  while (from < to && (line[from] == ' ' || line[from] == '\t')) ++from;
  while (to > from && (line[to - 1] == ' ' || line[to - 1] == '\t')) --to;
  return {from, to, line.substr(from, to - from), {}, false};
}

class Reader {
public:
  Reader(const Recipe &r, PaintLines paint, const RecipeSink &sink = {})
      : r_(r), paint_(paint), sink_(sink), angle_unit_(r.angle_unit) {
    factor_ = r.unit.empty() ? 1 : metres_in(r.unit);
  }
  RecipeReading out;

  void line(std::string_view text, long number) {
    number_ = number;
    if (trimmed(text).empty()) return;
    if (!r_.comment.empty() && text.substr(0, r_.comment.size()) == r_.comment) return;
    if (!r_.unit_key.empty() && starts_with_nocase(text, r_.unit_key)) {
      unit_line(text);
      return;
    }
    if (number <= r_.header_lines) return;
    ++out.lines;
    out.characters += visible(text) - separators(text);
    cut(text);
    const RecipeLine *kind = nullptr;
    for (const RecipeLine &l : r_.lines)
      if (told(l, text)) {
        kind = &l;
        break;
      }
    if (!kind) {
      const Piece all = span(text, 0, text.size());
      unread(all, "no line of the recipe begins like this");
      return;
    }
    record(*kind, text);
  }

  /// Pieces of a line, and whether a kind of line is told by it: for pointing at text.
  const std::vector<Piece> &pieces_of(std::string_view text) {
    cut(text);
    return pieces_;
  }
  bool tells(const RecipeLine &l, std::string_view text) {
    cut(text);
    return told(l, text);
  }

private:
  void unit_line(std::string_view text) {
    const Piece p = span(text, r_.unit_key.size(), text.size());
    std::string_view written = p.text;
    while (!written.empty() && std::string_view(":=;,\t ").find(written.front()) != std::string_view::npos)
      written.remove_prefix(1);
    while (!written.empty() && std::string_view(";, \t").find(written.back()) != std::string_view::npos)
      written.remove_suffix(1);
    const auto known = r_.unit_names.find(std::string(written));
    out.stated_unit = known == r_.unit_names.end() ? std::string(written) : known->second;
    double stated = 0;
    try {
      stated = metres_in(out.stated_unit);
    } catch (const InputError &e) {
      out.unit_conflict =
          fmt::format("line {} states the unit \"{}\", which the recipe does not know", number_, written);
      unread(p, "a unit that is not known");
      return;
    }
    paint(p, "unit", {});
    if (const auto angles = r_.angle_names.find(std::string(written)); angles != r_.angle_names.end()) {
      if (!r_.angle_unit.empty() && r_.angle_unit != angles->second)
        out.unit_conflict =
            fmt::format("line {} states angles in {}, the recipe says {}", number_, angles->second, r_.angle_unit);
      angle_unit_ = angles->second;
    }
    if (r_.unit.empty())
      factor_ = stated;
    else if (std::abs(stated / metres_in(r_.unit) - 1) > 1e-9)
      out.unit_conflict = fmt::format("line {} states {}, the recipe says {}", number_, out.stated_unit, r_.unit);
  }

  /// Characters that only keep the columns apart.
  std::size_t separators(std::string_view text) const {
    if (r_.layout != Recipe::Layout::delimited || r_.delimiter == ' ' || r_.delimiter == '\t') return 0;
    return static_cast<std::size_t>(std::count_if(
        text.begin(), text.end(), [&](char c) { return c == r_.delimiter || (r_.quote && c == r_.quote); }));
  }

  /// Cuts the line into its pieces.
  void cut(std::string_view text) {
    pieces_.clear();
    switch (r_.layout) {
    case Recipe::Layout::delimited:
      delimited(text);
      break;
    case Recipe::Layout::fixed:
      break; // as the fields ask for them
    case Recipe::Layout::words: {
      std::size_t at = 0;
      while (at < text.size()) {
        while (at < text.size() && (text[at] == ' ' || text[at] == '\t')) ++at;
        std::size_t end = at;
        while (end < text.size() && text[end] != ' ' && text[end] != '\t') ++end;
        if (end > at) pieces_.push_back({at, end, text.substr(at, end - at), text.substr(at, r_.words.sign_at), false});
        at = end;
      }
    }
    }
  }
  void delimited(std::string_view text) {
    const bool blanks = r_.delimiter == ' ';
    std::size_t at = 0;
    while (at <= text.size()) {
      if (blanks)
        while (at < text.size() && (text[at] == ' ' || text[at] == '\t')) ++at;
      if (blanks && at >= text.size()) break;
      std::size_t start = at;
      while (start < text.size() && text[start] == ' ' && !blanks) ++start;
      if (r_.quote && start < text.size() && text[start] == r_.quote) {
        std::size_t end = start + 1;
        while (end < text.size() && text[end] != r_.quote) ++end;
        Piece p{start + 1,
                std::min(end, text.size()),
                text.substr(start + 1, std::min(end, text.size()) - start - 1),
                {},
                false};
        pieces_.push_back(p);
        at = end;
        while (at < text.size() && text[at] != r_.delimiter) ++at;
        ++at;
        continue;
      }
      std::size_t end = at;
      while (end < text.size() && text[end] != r_.delimiter && !(blanks && text[end] == '\t')) ++end;
      pieces_.push_back(span(text, at, end));
      at = end + 1;
    }
  }

  Piece *find(const RecipePlace &at, std::string_view text) {
    switch (r_.layout) {
    case Recipe::Layout::delimited:
      return at.column >= 0 && static_cast<std::size_t>(at.column) < pieces_.size()
                 ? &pieces_[static_cast<std::size_t>(at.column)]
                 : nullptr;
    case Recipe::Layout::fixed:
      pieces_.push_back(span(text, at.from, at.to));
      return &pieces_.back();
    case Recipe::Layout::words:
      for (Piece &p : pieces_)
        if (matches(p.code, at.word)) return &p;
      return nullptr;
    }
    return nullptr;
  }

  bool told(const RecipeLine &l, std::string_view text) {
    if (l.told_by == RecipePlace{}) return true;
    if (r_.layout == Recipe::Layout::fixed) {
      const Piece p = span(text, l.told_by.from, l.told_by.to);
      return l.is.empty() ? !p.text.empty() : std::find(l.is.begin(), l.is.end(), p.text) != l.is.end();
    }
    const Piece *p = find(l.told_by, text);
    if (!p) return false;
    if (r_.layout == Recipe::Layout::words) {
      if (l.is.empty()) return true;
      const std::string value = word_text(*p);
      return std::find(l.is.begin(), l.is.end(), value) != l.is.end();
    }
    return l.is.empty() ? !p->text.empty() : std::find(l.is.begin(), l.is.end(), p->text) != l.is.end();
  }

  /// The data of a word as text: leading zeros are filling.
  std::string word_text(const Piece &p) const {
    std::string_view d = p.text.size() > r_.words.data_at ? p.text.substr(r_.words.data_at) : std::string_view{};
    while (d.size() > 1 && d.front() == '0') d.remove_prefix(1);
    return std::string(d);
  }

  void record(const RecipeLine &kind, std::string_view text) {
    RecipeRecord rec;
    rec.line = number_;
    rec.kind = static_cast<std::size_t>(&kind - r_.lines.data());
    rec.what = kind.what;
    if (kind.what == RecipeLine::What::run_start) state_.clear();
    bool sound = true;
    std::vector<std::string_view> emptied; // its own column is empty: nothing, not what stood there before
    for (const RecipeField &f : kind.fields) {
      Piece *p = find(f.at, text);
      if (p && p->text.empty() && (f.meaning == "code" || f.meaning == "remark")) emptied.push_back(f.meaning);
      if (!p || p->text.empty()) continue;
      p->used = true;
      if (f.meaning == "ignore") {
        paint(*p, f.meaning, {});
        continue;
      }
      RecipeValue v;
      v.from = p->from, v.to = p->to;
      if (const std::string trouble = value(f, *p, v); !trouble.empty()) {
        unread(*p, trouble);
        sound = false;
        continue;
      }
      paint(*p, f.meaning, {});
      rec.values.insert_or_assign(f.meaning, std::move(v));
    }
    if (!(kind.told_by == RecipePlace{})) {
      if (r_.layout == Recipe::Layout::fixed) {
        const Piece p = span(text, kind.told_by.from, kind.told_by.to);
        const bool twice = std::any_of(pieces_.begin(), pieces_.end(),
                                       [&](const Piece &q) { return q.used && q.from <= p.from && q.to >= p.to; });
        if (!twice) paint(p, kind.name.empty() ? "record" : kind.name, {});
      } else if (Piece *p = find(kind.told_by, text); p && !p->used) {
        p->used = true;
        paint(*p, kind.name.empty() ? "record" : kind.name, {});
      }
    }
    if (r_.layout == Recipe::Layout::fixed)
      leftover_fixed(text);
    else
      for (const Piece &p : pieces_)
        if (!p.used && !p.text.empty()) unread(p, "the recipe says nothing about it");
    if (sound && kind.what == RecipeLine::What::record && rec.values.empty()) {
      unread(span(text, 0, text.size()), "nothing of a " + kind.name + " is on it");
      return;
    }
    if (!sound) return;
    ++out.read_lines;
    if (kind.what == RecipeLine::What::state || kind.what == RecipeLine::What::run_start) {
      for (const auto &[meaning, v] : rec.values) state_.insert_or_assign(meaning, v);
      for (std::string_view meaning : emptied)
        if (const auto it = state_.find(meaning); it != state_.end()) state_.erase(it);
    } else if (kind.what == RecipeLine::What::record)
      for (const auto &[meaning, v] : state_)
        if (std::find(emptied.begin(), emptied.end(), meaning) == emptied.end()) rec.values.emplace(meaning, v);
    out.add(std::move(rec), sink_);
    if (kind.what == RecipeLine::What::run_end) state_.clear();
  }

  void leftover_fixed(std::string_view text) {
    std::vector<std::pair<std::size_t, std::size_t>> taken;
    for (const Piece &p : pieces_) taken.emplace_back(p.from, p.to);
    for (const RecipeLine &l : r_.lines)
      if (!(l.told_by == RecipePlace{})) taken.emplace_back(l.told_by.from, l.told_by.to);
    std::size_t at = 0;
    while (at < text.size()) {
      auto inside = [&](std::size_t i) {
        return std::any_of(taken.begin(), taken.end(), [&](const auto &t) { return i >= t.first && i < t.second; });
      };
      while (at < text.size() && (text[at] == ' ' || text[at] == '\t' || inside(at))) ++at;
      std::size_t end = at;
      while (end < text.size() && text[end] != ' ' && text[end] != '\t' && !inside(end)) ++end;
      if (end > at) unread(span(text, at, end), "the recipe says nothing about it");
      at = end;
    }
  }

  /// Fills a value; gives the trouble in words, or nothing.
  std::string value(const RecipeField &f, const Piece &p, RecipeValue &v) {
    const RecipeMeaning &m = *recipe_meaning(r_.reads, f.meaning);
    const bool word = r_.layout == Recipe::Layout::words;
    switch (m.type) {
    case RecipeMeaning::Type::text:
      v.text = word ? word_text(p) : std::string(p.text);
      if (word && v.text == "0") v.text.clear(); // nothing but filling: no name
      return {};
    case RecipeMeaning::Type::coded: {
      const std::string written = word ? word_text(p) : std::string(p.text);
      const auto map = r_.codes.find(f.meaning);
      if (map != r_.codes.end())
        if (const auto code = map->second.find(written); code != map->second.end()) {
          v.text = code->second;
          return {};
        }
      // A file may write the value itself.
      const auto values = split(m.values, '|');
      if (std::find(values.begin(), values.end(), lower(written)) != values.end()) {
        v.text = lower(written);
        return {};
      }
      return map == r_.codes.end() ? "the recipe has no codes for " + f.meaning
                                   : fmt::format("\"{}\" is no code for {}", written, f.meaning);
    }
    case RecipeMeaning::Type::angle: {
      const std::string unit = f.unit.empty() ? angle_unit_ : f.unit;
      if (unit.empty()) return "neither the file nor the recipe says the unit of angles";
      std::string t = word ? word_text(p) : std::string(p.text);
      if (r_.decimal_comma) std::replace(t.begin(), t.end(), ',', '.');
      const auto a = read_angle(unit, t);
      if (!a) return "no angle in " + unit;
      v.text = std::string(p.text);
      v.number = *a * f.factor;
      if (r_.angles_left && (f.meaning == "circle" || f.meaning == "angle")) v.number = 2 * pi - v.number;
      return {};
    }
    case RecipeMeaning::Type::number:
    case RecipeMeaning::Type::length:
      break;
    }
    double number = 0, scale = f.factor;
    if (word) {
      if (p.text.size() != r_.words.data_at + r_.words.data) return "the word has another width than the recipe says";
      const char sign = p.text[r_.words.sign_at];
      if (sign != '+' && sign != '-') return "the word has no sign where the recipe says";
      const auto digits = parse_integer(p.text.substr(r_.words.data_at));
      if (!digits) return "letters where a number should be";
      number = static_cast<double>(*digits) * (sign == '-' ? -1 : 1);
      const auto unit = r_.words.units.find(p.text[r_.words.unit_at]);
      if (unit == r_.words.units.end())
        return fmt::format("the unit \"{}\" of the word is not known to the recipe", p.text[r_.words.unit_at]);
      scale *= unit->second.factor * metres_in(unit->second.unit);
    } else {
      std::string t = without_thousands(p.text);
      if (r_.decimal_comma) std::replace(t.begin(), t.end(), ',', '.');
      const auto n = parse_number(t);
      if (!n) return "letters where a number should be";
      number = *n;
      scale *= f.unit.empty() ? (m.type == RecipeMeaning::Type::length ? factor_ : 1) : metres_in(f.unit);
    }
    v.text = std::string(p.text);
    v.number = number * scale;
    return {};
  }

  void paint(const Piece &p, std::string meaning, std::string why) {
    if (!meaning.empty()) out.read_characters += visible(p.text);
    const auto n = static_cast<std::size_t>(number_);
    if (n < paint_.from || n >= paint_.from + paint_.count) return;
    out.pieces.push_back({number_, p.from, p.to, std::move(meaning), std::move(why)});
  }
  void unread(const Piece &p, std::string why) {
    if (out.unread++ == 0) out.first_unread = {number_, p.from, p.to, {}, why};
    paint(p, {}, std::move(why));
  }

  const Recipe &r_;
  PaintLines paint_;
  RecipeSink sink_;
  std::string angle_unit_;
  double factor_ = 1;
  long number_ = 0;
  std::vector<Piece> pieces_;
  std::map<std::string, RecipeValue, std::less<>> state_;
};

} // namespace

void RecipeReading::add(RecipeRecord r, const RecipeSink &sink) {
  ++count;
  telling += r.what == RecipeLine::What::record &&
             std::any_of(r.values.begin(), r.values.end(), [](const auto &v) { return tells_something(v.first); });
  if (sink)
    sink(r);
  else
    records.push_back(std::move(r));
}

double RecipeReading::score() const {
  if (lines == 0 || characters == 0) return 0;
  if (telling == 0) return 0;
  const double score = std::min(1.0, static_cast<double>(read_lines) / static_cast<double>(lines)) *
                       std::min(1.0, static_cast<double>(read_characters) / static_cast<double>(characters));
  return unit_conflict.empty() ? score : 0.8 * score;
}

RecipeReading read_with(const Recipe &r, std::string_view utf8, PaintLines paint, std::size_t limit,
                        const RecipeSink &sink) {
  Reader reader(r, paint, sink);
  LineReader in(utf8);
  std::string_view line;
  std::size_t n = 0;
  while (in.next(line)) {
    if (limit && ++n > limit) break;
    reader.line(line.substr(0, 4096), in.number());
  }
  return std::move(reader.out);
}

std::optional<RecipeMatch> best_recipe(const std::vector<Recipe> &all, std::string_view utf8, double least) {
  std::optional<RecipeMatch> best;
  const std::string_view start = utf8.substr(0, std::size_t{1} << 16);
  for (std::size_t i = 0; i < all.size(); ++i) {
    const double score = read_with(all[i], start, {}, 300, [](const RecipeRecord &) {}).score();
    if (score >= least && (!best || score > best->score)) best = RecipeMatch{i, score};
  }
  return best;
}

namespace {

/// The column, span or word that a selection lies in, and what is written there.
std::pair<RecipePlace, std::string> place_of(const Recipe &r, Reader &reader, std::string_view line, std::size_t from,
                                             std::size_t to) {
  if (to > line.size() || from >= to) throw InputError("select a piece of a line first");
  RecipePlace at;
  if (r.layout == Recipe::Layout::fixed) {
    at.from = from, at.to = to;
    return {at, std::string(line.substr(from, to - from))};
  }
  const auto pieces = reader.pieces_of(line);
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    if (from < pieces[i].from || to > pieces[i].to) continue;
    if (r.layout == Recipe::Layout::delimited)
      at.column = static_cast<int>(i);
    else
      at.word = std::string(pieces[i].code.substr(0, r.words.code));
    return {at, std::string(pieces[i].text)};
  }
  throw InputError("the selection must lie within one column or word, without its separator");
}

} // namespace

Recipe with_meaning(Recipe r, std::string_view line, std::size_t from, std::size_t to, const std::string &meaning,
                    const std::string &value) {
  const RecipeMeaning *m = recipe_meaning(r.reads, meaning);
  if (!m) throw InputError("\"" + meaning + "\" is no meaning of " + r.reads);
  Reader reader(r, {});
  const auto [at, written] = place_of(r, reader, line, from, to);
  const auto pieces = reader.pieces_of(line);
  RecipeLine *own = nullptr;
  for (RecipeLine &l : r.lines)
    if (reader.tells(l, line)) {
      own = &l;
      break;
    }
  if (!own) {
    RecipeLine l;
    // Words tell themselves; columns are told by the first one when it is a word that others share.
    if (r.layout == Recipe::Layout::delimited && !pieces.empty() && at.column != 0 && !pieces[0].text.empty() &&
        !parse_number(pieces[0].text)) {
      l.told_by.column = 0;
      l.is = {std::string(pieces[0].text)};
      l.name = l.is[0];
    } else if (r.layout == Recipe::Layout::words) {
      l.told_by.word = at.word;
      l.name = "words with " + at.word;
    } else
      l.name = "line";
    r.lines.insert(r.lines.begin(), std::move(l));
    own = &r.lines.front();
  }
  std::erase_if(own->fields, [&, &at = at](const RecipeField &f) {
    return f.at == at || (f.meaning == meaning && meaning != "ignore");
  });
  const bool length = m->type == RecipeMeaning::Type::length, angle = m->type == RecipeMeaning::Type::angle;
  // Refuses units that are none.
  if (length && !value.empty()) static_cast<void>(metres_in(value));
  if (angle && !value.empty()) static_cast<void>(read_angle(value, "0"));
  own->fields.push_back({meaning, at, length || angle ? value : "", 1});
  if (m->type == RecipeMeaning::Type::coded) {
    if (value.empty()) throw InputError("say what \"" + written + "\" stands for: " + m->values);
    r.codes[meaning][written] = value;
  }
  return r;
}

Recipe with_line_kind(Recipe r, std::string_view line, std::size_t from, std::size_t to, RecipeLine::What what) {
  Reader reader(r, {});
  const auto [at, written] = place_of(r, reader, line, from, to);
  RecipeLine kind;
  for (const RecipeLine &l : r.lines)
    if (reader.tells(l, line)) {
      kind = l;
      break;
    }
  // What was said of such lines so far stays true of this kind where it fits this line.
  std::erase_if(kind.fields, [&, &at = at](const RecipeField &f) {
    if (f.at == at) return r.layout != Recipe::Layout::words; // a word tells its line and holds a value too
    Recipe alone = r;
    alone.header_lines = 0, alone.comment.clear(), alone.unit_key.clear();
    alone.lines = {RecipeLine{}};
    alone.lines[0].fields = {f};
    const RecipeReading q = read_with(alone, line);
    return q.records.empty() || (f.meaning != "ignore" && !q.records[0].find(f.meaning));
  });
  kind.told_by = at;
  kind.is = r.layout == Recipe::Layout::words ? std::vector<std::string>{} : std::vector{written};
  kind.name = r.layout == Recipe::Layout::words ? "words with " + at.word : written;
  kind.what = what;
  std::erase_if(r.lines, [&, &at = at](const RecipeLine &l) { return l.told_by == at && l.is == kind.is; });
  r.lines.insert(r.lines.begin(), std::move(kind));
  return r;
}

namespace {
/// Lines at the top without figures, where figures follow: heads in whatever language.
long lines_of_heads(const Recipe &r, std::string_view utf8) {
  const auto figures = [&](std::string_view line) {
    std::size_t n = 0;
    Reader reader(r, {});
    for (const Piece &piece : reader.pieces_of(line)) {
      const auto first = piece.text.find_first_not_of("+-");
      n += first != std::string_view::npos && std::isdigit(static_cast<unsigned char>(piece.text[first])) != 0;
    }
    return n;
  };
  LineReader in(utf8);
  std::string_view line;
  long heads = 0;
  while (heads < 30 && in.next(line)) {
    if (figures(line) >= 2) return heads;
    ++heads;
  }
  return 0;
}
} // namespace

Recipe blank_list_recipe(std::string_view utf8, const std::string &name, const std::string &reads) {
  Recipe r = blank_recipe(utf8, name);
  r.reads = reads, r.angle_unit = "dms", r.comment = "#";
  r.header_lines = lines_of_heads(r, utf8.substr(0, 8192));
  return r;
}

Recipe blank_recipe(std::string_view utf8, const std::string &name) {
  Recipe r;
  r.name = name;
  const std::string_view start = utf8.substr(0, 8192);
  std::ptrdiff_t most = 0;
  for (char d : {';', '\t', '|', ','}) {
    const auto n = std::count(start.begin(), start.end(), d);
    if (n > most + (d == ',' ? most : 0)) r.delimiter = d, most = n;
  }
  if (most == 0) r.delimiter = ' ';
  // Commas inside numbers where something else keeps the columns apart.
  if (r.delimiter != ',')
    for (std::size_t i = 1; i + 1 < start.size(); ++i)
      if (start[i] == ',' && std::isdigit(static_cast<unsigned char>(start[i - 1])) &&
          std::isdigit(static_cast<unsigned char>(start[i + 1])))
        r.decimal_comma = true;
  r.lines.push_back({"line", RecipeLine::What::record, {}, {}, {}});
  return r;
}

} // namespace ampletie
