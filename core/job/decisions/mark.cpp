#include "base/text.h"
#include "job/decisions/things.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;

/// A part of a code's style that is shown or not.
Field<CodeStyle> part(const char *name, const char *words, bool CodeStyle::*at) {
  Field<CodeStyle> f{name, words};
  f.read = [=](const std::string &t) { return json(fields::read_yes(words, lower(t))); };
  f.keep = [=](CodeStyle &c, const json &v, long decision) { c.*at = v.get<bool>(), c.decision = decision; };
  f.said = [=](const json &v) { return (v.is_boolean() && v.get<bool>() ? "with " : "without ") + std::string(words); };
  return f;
}

/// A 95 % value in metres, typed in millimetres.
Field<AskedOfGroup> asked(const char *name, std::optional<double> AskedOfGroup::*at) {
  Field<AskedOfGroup> f{name, name, "mm", 1000};
  f.read = [](const std::string &text) {
    const std::string t = lower(text);
    if (t.empty()) return json();
    const auto v = t == "none" ? std::optional(0.0) : parse_decimal(t);
    if (!v || *v < 0 || *v > 10000)
      fields::refuse("a 95 % value is a number of millimetres between 0 (nothing asked) and 10000");
    return json(*v / 1000);
  };
  f.keep = [=](AskedOfGroup &g, const json &v, long decision) {
    g.*at = v.is_null() ? std::nullopt : std::optional(fields::check_number(name, v, 0, 10, "m"));
    g.decision = decision;
  };
  return f;
}
} // namespace

const Fields<CodeStyle> &StyleThing::fields() {
  using namespace ampletie::fields;
  static const Fields<CodeStyle> all{
      {"symbol", "symbol", "", 1,
       [](const std::string &t) { return json(read_one_of("a symbol", lower(t), code_symbols())); },
       [](CodeStyle &c, const json &v, long decision) {
         c.symbol = read_one_of("a symbol", v.get<std::string>(), code_symbols()), c.decision = decision;
       }},
      part("label", "its label", &CodeStyle::label),
      part("height", "its height", &CodeStyle::height),
      part("line", "a line", &CodeStyle::line),
  };
  return all;
}

const Fields<AskedOfGroup> &AskedThing::fields() {
  using namespace ampletie::fields;
  static const Fields<AskedOfGroup> all{
      asked("plan", &AskedOfGroup::plan),
      asked("height", &AskedOfGroup::height),
      {"of", "of the", "", 1,
       [](const std::string &t) {
         return t.empty() ? json() : json(read_one_of("accuracy is asked of what", lower(t), {"network", "local"}));
       },
       [](AskedOfGroup &g, const json &v, long decision) {
         g.local = v.is_null() ? std::nullopt
                               : std::optional(read_one_of("accuracy is asked of what", v.get<std::string>(),
                                                           {"network", "local"}) == "local");
         g.decision = decision;
       }},
  };
  return all;
}

void AskedThing::tidy(JobState &s, const Id &id) {
  const AskedOfGroup &g = s.asked[id.text];
  if (!g.plan && !g.height && !g.local) s.asked.erase(id.text);
}

const Fields<MarkThing::Edits> &MarkThing::fields() {
  using namespace ampletie::fields;
  using E = MarkThing::Edits;
  static const Fields<E> all{
      number_in("gravity", "gravity", &JobState::gravity, 9.7, 9.9, "m/s²"),
      {"same_as", "stands for", "", 1, [](const std::string &t) { return t.empty() ? json() : json(t); },
       [](E &e, const json &v, long decision) {
         if (v.is_string() && v != e.second)
           e.first->same_marks[e.second] = {v.get<std::string>(), decision};
         else
           e.first->same_marks.erase(e.second);
       }},
  };
  return all;
}

const Fields<SourceThing::Edits> &SourceThing::fields() {
  using namespace ampletie::fields;
  using E = SourceThing::Edits;
  static const Fields<E> all{
      {"recipe", "read with the recipe", "", 1, [](const std::string &t) { return json(t); },
       [](E &e, const json &v, long decision) {
         e.first->recipes[e.second] = {v.get<std::string>(), decision};
       }},
      {"geoid", "heights through this grid", "", 1,
       [](const std::string &t) { return json(read_yes("whether heights go through this grid", t)); },
       [](E &e, const json &v, long decision) {
         if (v.get<bool>())
           e.first->geoid = {e.second, decision};
         else if (e.first->geoid.value == e.second)
           e.first->geoid = {};
       },
       [](const json &v) {
         return std::string(v.is_boolean() && v.get<bool>() ? "physical heights go through this grid"
                                                            : "physical heights do not go through this grid");
       }},
      {"interpolation", "read", "", 1,
       [](const std::string &t) {
         return json(read_one_of("a grid is read", lower(t), {"bilinear", "bicubic"}));
       },
       [](E &e, const json &v, long decision) {
         const bool cubic = read_one_of("a grid is read", v.get<std::string>(), {"bilinear", "bicubic"}) == "bicubic";
         e.first->interpolations[e.second] = {cubic ? GridInterpolation::bicubic : GridInterpolation::bilinear,
                                              decision};
       }},
      {"seen", "what is unread", "", 1,
       [](const std::string &t) { return json(read_yes("what is unread was looked at", t)); },
       [](E &e, const json &v, long decision) {
         if (v.get<bool>()) e.first->seen[e.second] = decision;
       },
       [](const json &) { return std::string("what is unread was looked at"); }},
  };
  return all;
}

} // namespace ampletie
