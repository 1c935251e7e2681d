#include "base/text.h"
#include "geodesy/frame.h"
#include "geodesy/projection.h"
#include "job/decisions/things.h"
#include "time/year_text.h"
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

/// Words about a mark on the ground.
Field<InState> note(const char *name, const char *words, Decided<std::optional<std::string>> MarkNotes::*at) {
  Field<InState> f{name, words};
  f.read = [](const std::string &t) { return t.empty() ? json() : json(t); };
  f.keep = [=](InState &e, const json &v, long decision) {
    e.first->notes[e.second].*at = {v.is_null() ? std::nullopt : std::optional(v.get<std::string>()), decision};
  };
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
      note("monument", "monument", &MarkNotes::monument),
      note("access", "access", &MarkNotes::access),
      note("remark", "remark", &MarkNotes::remark),
      {"issued", "issued", "", 1, [](const std::string &t) { return json(read_yes("issued", t)); },
       [](E &e, const json &v, long decision) {
         e.first->notes[e.second].issued = {v.get<bool>(), decision};
       },
       [](const json &v) {
         return std::string(v.is_boolean() && !v.get<bool>() ? "stays out of issues" : "is issued");
       }},
  };
  return all;
}

const Fields<FieldEntry> &FieldEntryThing::fields() {
  using namespace ampletie::fields;
  using E = FieldEntry;
  const auto time = [](const char *name, const char *words, Slot<std::string> E::*at) {
    Field<E> f = text(name, words, at);
    f.read = [=](const std::string &t) {
      const std::string full = t.size() == 16 ? t + ":00" : t; // to the minute
      if (!t.empty() && !parse_iso(full)) refuse("\"" + t + "\" is no time: 2026-06-02T08:00, in GPS time");
      return t.empty() ? json() : json(full);
    };
    f.keep = [keep = f.keep](E &e, const json &v, long decision) {
      if (v.is_string() && !parse_iso(v.get<std::string>())) refuse("\"" + v.get<std::string>() + "\" is no time");
      keep(e, v, decision);
    };
    return f;
  };
  static const Fields<E> all{
      text("mark", "on", &E::mark),        number("height", "antenna height", &E::height, 0, 100, "m"),
      text("to", "read to", &E::point),    text("antenna", "antenna", &E::antenna),
      time("start", "from", &E::start),    time("stop", "to", &E::stop),
      text("remark", "remark", &E::remark)};
  return all;
}

void FieldEntryThing::tidy(JobState &s, const Id &id) {
  const FieldEntry &e = s.field_sheet[id.text];
  if (!e.mark.value) s.field_sheet.erase(id.text);
}

namespace {
/// A value that is said of all marks of a control list.
Field<InState> of_a_list(const char *name, const char *words, std::function<json(const std::string &)> read,
                         std::function<void(ListReading &, const json &)> keep, const char *unit = "",
                         double shown = 1) {
  return {name,
          words,
          unit,
          shown,
          [=](const std::string &t) { return t.empty() ? json() : read(t); },
          [=](InState &e, const json &v, long decision) {
            Decided<ListReading> &list = e.first->lists[e.second];
            keep(list.value, v);
            list.decision = decision;
          },
          {}};
}
Field<InState> name_of_a_list(const char *name, const char *words, std::string ListReading::*at,
                              std::vector<std::string> all) {
  const auto checked = [=](const std::string &t) {
    return all.empty() || t.empty() ? t : fields::read_one_of(name, t, all);
  };
  return of_a_list(
      name, words, [=](const std::string &t) { return json(checked(t)); },
      [=](ListReading &l, const json &v) { l.*at = v.is_null() ? "" : checked(v.get<std::string>()); });
}
/// A year or a day as a decimal year; throws `InputError` for what is neither.
double year_of(const std::string &t) {
  const auto year = parse_year(t);
  if (!year) fields::refuse("\"" + t + "\" is no year and no day (2026-05-12)");
  return *year;
}

/// A text that is looked at when it is typed; `check` throws `InputError`.
Field<InState> typed_of_a_list(const char *name, const char *words, std::string ListReading::*at,
                               void (*check)(const std::string &)) {
  return of_a_list(
      name, words,
      [=](const std::string &t) {
        check(t);
        return json(t);
      },
      [=](ListReading &l, const json &v) { l.*at = v.is_null() ? "" : v.get<std::string>(); });
}
Field<InState> flag_of_a_list(const char *name, const char *words, bool ListReading::*at) {
  return of_a_list(
      name, words, [=](const std::string &t) { return json(fields::read_yes(words, t)); },
      [=](ListReading &l, const json &v) { l.*at = !v.is_null() && v.get<bool>(); });
}
Field<InState> shift_of_a_list(const char *name, const char *words, double ListReading::*at) {
  return of_a_list(
      name, words, [=](const std::string &t) { return json(fields::read_number(words, t, -1e8, 1e8, "m")); },
      [=](ListReading &l, const json &v) { l.*at = v.is_null() ? 0 : fields::check_number(words, v, -1e8, 1e8, "m"); },
      "m");
}
Field<InState> sd_of_a_list(const char *name, const char *words, std::optional<double> ListReading::*at) {
  return of_a_list(
      name, words, [=](const std::string &t) { return json(fields::read_number(words, t, 0, 100, "m")); },
      [=](ListReading &l, const json &v) {
        l.*at = v.is_null() ? std::nullopt : std::optional(fields::check_number(words, v, 0, 100, "m"));
      },
      "mm", 1000);
}
/// A frame that the register knows.
Field<InState> frame_of_a_list() {
  const auto checked = [](const std::string &t) {
    if (!t.empty() && !frame_by_name(t)) fields::refuse("\"" + t + "\" names no frame realisation that is known");
    return t;
  };
  return of_a_list(
      "frame", "its coordinates are in", [=](const std::string &t) { return json(checked(t)); },
      [=](ListReading &l, const json &v) { l.frame = v.is_null() ? "" : checked(v.get<std::string>()); });
}

/// A source that serves for something in the whole job, or does no longer.
Field<InState> chosen(const char *name, const char *words, Decided<std::string> JobState::*slot, const char *yes,
                      const char *no) {
  Field<InState> f{name, words};
  f.read = [=](const std::string &t) { return json(fields::read_yes(words, t)); };
  f.keep = [=](InState &e, const json &v, long decision) {
    Decided<std::string> &now = e.first->*slot;
    if (v.get<bool>())
      now = {e.second, decision};
    else if (now.value == e.second)
      now = {};
  };
  f.said = [=](const json &v) { return std::string(v.is_boolean() && v.get<bool>() ? yes : no); };
  return f;
}
} // namespace

// Long because it is a table: a row for everything that is said of a source.
const Fields<SourceThing::Edits> &SourceThing::fields() {
  using namespace ampletie::fields;
  using E = SourceThing::Edits;
  static const Fields<E> all{
      name_of_a_list("unit", "its lengths are in", &ListReading::unit, {"m", "ft", "us-ft"}),
      name_of_a_list("turned", "axes that count the other way", &ListReading::turned, {"east", "north", "both"}),
      flag_of_a_list("exchanged", "east and north exchanged", &ListReading::exchanged),
      flag_of_a_list("packed", "degrees packed", &ListReading::packed),
      shift_of_a_list("add_east", "added to east", &ListReading::add_east),
      shift_of_a_list("add_north", "added to north", &ListReading::add_north),
      frame_of_a_list(),
      typed_of_a_list("epoch", "its coordinates are of", &ListReading::epoch,
                      [](const std::string &t) { static_cast<void>(year_of(t)); }),
      typed_of_a_list("crs", "its coordinates are in", &ListReading::crs,
                      [](const std::string &t) { static_cast<void>(Projection(t)); }),
      name_of_a_list("vertical", "its heights are in", &ListReading::vertical, {}),
      name_of_a_list("through", "led over through the grid of shifts", &ListReading::through, {}),
      sd_of_a_list("sd", "standard deviation of its marks in plan", &ListReading::sd),
      sd_of_a_list("sd_height", "standard deviation of its heights", &ListReading::sd_height),
      {"recipe", "read with the recipe", "", 1, [](const std::string &t) { return json(t); },
       [](E &e, const json &v, long decision) {
         e.first->recipes[e.second] = {v.get<std::string>(), decision};
       }},
      chosen("geoid", "heights through this grid", &JobState::geoid, "physical heights go through this grid",
             "physical heights do not go through this grid"),
      chosen("accuracy", "how good the geoid is, by this grid", &JobState::geoid_accuracy,
             "this grid says how good the geoid is", "this grid does not say how good the geoid is"),
      chosen("shifts", "the grid's datum through this grid", &JobState::shifts,
             "the job's grid is reached through these shifts", "the job's grid is not reached through these shifts"),
      {"bases", "its bases stood on", "", 1,
       [](const std::string &t) {
         return json(read_one_of("its bases stood on", lower(t), {"published", "stated"}));
       },
       [](E &e, const json &v, long decision) {
         const std::string on = read_one_of("its bases stood on", v.get<std::string>(), {"published", "stated"});
         e.first->bases_published[e.second] = {on == "published", decision};
       },
       [](const json &v) {
         return std::string(v == "published" ? "its bases stood on their published places"
                                             : "its bases stood where the list says");
       }},
      {"vectors", "its differences are vectors", "", 1,
       [](const std::string &t) { return json(read_yes("its differences are vectors", t)); },
       [](E &e, const json &v, long decision) {
         e.first->differences[e.second] = {v.get<bool>(), decision};
       },
       [](const json &v) {
         return std::string(v.get<bool>() ? "what it estimated together counts as vectors between its stations"
                                          : "its stations are a control list and no vectors");
       }},
      {"add_seconds", "added to its times", "s", 1,
       [](const std::string &t) { return json(read_number("added to its times", t, -200'000, 200'000, "s")); },
       [](E &e, const json &v, long decision) {
         const double s = v.get<double>();
         if (!(std::abs(s) <= 200'000)) refuse("no more than two days are added to times");
         e.first->added_seconds[e.second] = {s, decision};
       }},
      {"observed", "its marks were measured at", "", 1,
       [](const std::string &t) {
         static_cast<void>(year_of(t));
         return json(t);
       },
       [](E &e, const json &v, long decision) {
         const double year = year_of(v.get<std::string>());
         if (year < 1900 || year > 2200) refuse("\"" + v.get<std::string>() + "\" is no time of a measurement");
         e.first->observed[e.second] = {year, decision};
       }},
      {"of", "belongs to", "", 1, [](const std::string &t) { return t.empty() ? json() : json(t); },
       [](E &e, const json &v, long decision) {
         if (v.is_null())
           e.first->attachments.erase(e.second);
         else
           e.first->attachments[e.second] = {v.get<std::string>(), decision};
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
