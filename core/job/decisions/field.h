#pragma once
#include "base/text.h"
#include "job/state.h"

namespace ampletie {

/// How one value that a decision can say about a thing is written, checked, kept and said. The only place where its
/// bounds stand: the command line, the window and the log go through it.
template <class Edits> struct Field {
  const char *name, *words;
  const char *unit = ""; ///< of numbers in sentences
  double shown = 1;      ///< factor to it
  /// A typed text as the value of a decision, null for an empty one; throws `InputError` with what is possible.
  std::function<nlohmann::json(const std::string &)> read{};
  /// Keeps a value; throws `InputError` when it cannot be.
  std::function<void(Edits &, const nlohmann::json &, long decision)> keep{};
  /// Said in its own way; absent: words, value and unit.
  std::function<std::string(const nlohmann::json &)> said{};
};
template <class Edits> using Fields = std::vector<Field<Edits>>;

/// A value in words: numbers with their unit, "as before" for null.
std::string value_words(const nlohmann::json &v, const char *unit = "", double shown = 1);

template <class Edits> const Field<Edits> *find_field(const Fields<Edits> &fields, std::string_view name) {
  for (const Field<Edits> &f : fields)
    if (f.name == name) return &f;
  return nullptr;
}

/// "mark, height and constant"
template <class Edits> std::string field_names(const Fields<Edits> &fields) {
  std::string out;
  for (std::size_t i = 0; i < fields.size(); ++i)
    out += (i == 0 ? "" : i + 1 == fields.size() ? " and " : ", ") + std::string(fields[i].name);
  return out;
}

/// Where a value stands in the state by itself: the name that it stands under.
using InState = std::pair<JobState *, std::string>;

namespace fields {
void refuse(const std::string &why); ///< throws `InputError`
double read_number(const char *words, const std::string &text, double least, double most, const char *unit);
double check_number(const char *words, const nlohmann::json &v, double least, double most, const char *unit);
bool read_yes(const char *words, const std::string &text);
std::string read_one_of(const char *words, const std::string &text, const std::vector<std::string> &all);

template <class T> using Slot = Decided<std::optional<T>>;

/// A number between bounds, in the unit of the decision.
template <class Edits>
Field<Edits> number(const char *name, const char *words, Slot<double> Edits::*at, double least, double most,
                    const char *unit, double shown = 1) {
  return {name,
          words,
          unit,
          shown,
          [=](const std::string &t) {
            return t.empty() ? nlohmann::json() : nlohmann::json(read_number(words, t, least, most, unit));
          },
          [=](Edits &e, const nlohmann::json &v, long decision) {
            e.*at = {v.is_null() ? std::nullopt : std::optional(check_number(words, v, least, most, unit)), decision};
          }};
}

/// A number that is typed, bounded and said in a unit of the trade, of which `size` makes that of the decision.
template <class Edits>
Field<Edits> scaled(const char *name, const char *words, Slot<double> Edits::*at, double least, double most,
                    const char *unit, double size) {
  Field<Edits> f = number(name, words, at, size * least, size * most, unit, 1 / size);
  f.read = [=](const std::string &t) {
    return t.empty() ? nlohmann::json() : nlohmann::json(size * read_number(words, t, least, most, unit));
  };
  return f;
}

/// An angle in any writing, degrees.
nlohmann::json read_angle(const std::string &text, double most);
template <class Edits>
Field<Edits> angle(const char *name, const char *words, Slot<double> Edits::*at, double most = 360) {
  Field<Edits> f = number(name, words, at, -most, most, "°");
  f.read = [=](const std::string &t) { return read_angle(t, most); };
  return f;
}

/// A text; `needed`: it cannot be given up by an empty one.
template <class Edits>
Field<Edits> text(const char *name, const char *words, Slot<std::string> Edits::*at, bool needed = false) {
  return {name,
          words,
          "",
          1,
          [=](const std::string &t) {
            if (t.empty() && needed) refuse(std::string(words) + " cannot be empty");
            return t.empty() ? nlohmann::json() : nlohmann::json(t);
          },
          [=](Edits &e, const nlohmann::json &v, long decision) {
            e.*at = {v.is_null() ? std::nullopt : std::optional(v.get<std::string>()), decision};
          }};
}

/// A number that stands in a map of the state; null takes it away.
Field<InState> number_in(const char *name, const char *words, std::map<std::string, Decided<double>> JobState::*at,
                         double least, double most, const char *unit);

/// One of several names.
template <class Edits>
Field<Edits> one_of(const char *name, const char *words, Slot<std::string> Edits::*at,
                    const std::vector<std::string> &all) {
  Field<Edits> f = text(name, words, at);
  f.read = [=](const std::string &t) {
    return t.empty() ? nlohmann::json() : nlohmann::json(read_one_of(words, t, all));
  };
  f.keep = [=, keep = f.keep](Edits &e, const nlohmann::json &v, long decision) {
    if (!v.is_null()) read_one_of(words, v.get<std::string>(), all);
    keep(e, v, decision);
  };
  return f;
}

/// Yes or no, each said in its own words.
template <class Edits>
Field<Edits> yes_no(const char *name, const char *words, Slot<bool> Edits::*at, const char *yes, const char *no) {
  Field<Edits> f{name, words};
  f.read = [=](const std::string &t) { return nlohmann::json(read_yes(words, t)); };
  f.keep = [=](Edits &e, const nlohmann::json &v, long decision) {
    e.*at = {v.is_null() ? std::nullopt : std::optional(v.get<bool>()), decision};
  };
  f.said = [=](const nlohmann::json &v) {
    return v.is_boolean() ? std::string(v.get<bool>() ? yes : no) : std::string(words) + " as before";
  };
  return f;
}

/// A table of values by name, as `{"name": value}`; `each` keeps or takes away one of them.
template <class Edits>
Field<Edits> table(const char *name, const char *words,
                   std::function<void(Edits &, const std::string &, const nlohmann::json &, long)> each,
                   std::function<std::string(const std::string &, const nlohmann::json &)> said) {
  Field<Edits> f{name, words};
  f.read = [=](const std::string &) -> nlohmann::json {
    refuse(std::string(words) + " is said by name");
    return {};
  };
  f.keep = [=](Edits &e, const nlohmann::json &v, long decision) {
    if (!v.is_object()) refuse(std::string(words) + " has not the form that it should have");
    for (const auto &[key, x] : v.items()) each(e, key, x, decision);
  };
  f.said = [=](const nlohmann::json &v) {
    std::string out;
    for (const auto &[key, x] : v.items()) out += (out.empty() ? "" : ", ") + said(key, x);
    return out;
  };
  return f;
}
} // namespace fields

/// A field and its value in words.
template <class Edits> std::string field_said(const Field<Edits> &f, const nlohmann::json &v) {
  return f.said ? f.said(v) : std::string(f.words) + " " + value_words(v, f.unit, f.shown);
}

/// What was said about a thing: `What` gives the kind of its id, its fields, and where they are kept.
template <class What> struct Said {
  typename What::Id about;
  nlohmann::json value;

  /// Throws `InputError` for fields that there are none of and values that cannot be.
  void fold(JobState &s, long decision) const {
    auto &&edits = What::of(s, about);
    for (const auto &[name, v] : value.items()) {
      const auto *f = find_field(What::fields(), name);
      if (!f) fields::refuse(std::string(What::noun) + " has " + field_names(What::fields()) + "; no \"" + name + "\"");
      if constexpr (requires { What::require(about, name); }) What::require(about, name);
      f->keep(edits, v, decision);
    }
    if constexpr (requires { What::tidy(s, about); }) What::tidy(s, about);
  }
  std::string said() const {
    std::string out;
    for (const auto &[name, v] : value.items())
      if (const auto *f = find_field(What::fields(), name)) out += (out.empty() ? "" : ", ") + field_said(*f, v);
    return out;
  }
};

/// A typed text for a field of a thing; throws `InputError` for a name that it has not and a text that does not fit.
template <class What> nlohmann::json typed_field(const std::string &name, const std::string &text) {
  const auto *f = find_field(What::fields(), name);
  if (!f) fields::refuse(std::string(What::noun) + " has " + field_names(What::fields()) + "; no \"" + name + "\"");
  return f->read(text);
}

/// Words NAME=VALUE, from one of them on, as what is said of a thing.
template <class What> nlohmann::json typed_fields(const std::vector<std::string> &words, std::size_t first) {
  nlohmann::json out;
  for (std::size_t i = first; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    out[name] = typed_field<What>(name, text);
  }
  return out;
}

} // namespace ampletie
