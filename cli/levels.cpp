#include "cli/levels.h"
#include "base/error.h"
#include "base/text.h"
#include "cli/words.h"
#include "time/gps_time.h"
#include <fmt/format.h>
#include <set>

namespace ampletie::cli {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

/// Id of a line, of a part of one, or of a run as a file has it.
std::string run_of(const Job &job, const std::string &word) {
  std::set<std::string> found;
  for (const LevelLine &l : job.snapshot()->levels->lines) {
    if (l.id == word || l.name == word) found.insert(l.id);
    for (const auto &part : l.parts)
      if (part == word) found.insert(part);
  }
  for (const LevelSource &s : job.snapshot()->levels->sources)
    for (const LevelRun &r : s.runs)
      if (r.id == word || r.name == word) found.insert(r.id);
  if (found.empty()) throw InputError("there is no run \"" + word + "\"");
  if (found.size() > 1) throw InputError("\"" + word + "\" names several runs: use the id");
  return *found.begin();
}

/// Readings on a line of a file.
std::vector<std::string> readings(const Job &job, const std::string &text) {
  std::vector<std::string> out;
  const auto colon = text.rfind(':');
  if (colon == std::string::npos) return out;
  const auto line = parse_integer(text.substr(colon + 1));
  if (!line) return out;
  for (const LevelSource &s : job.snapshot()->levels->sources)
    if (s.name == text.substr(0, colon))
      for (const LevelRun &r : s.runs)
        for (const StaffSight &x : r.sights)
          if (x.line == *line) out.push_back(x.id);
  return out;
}

std::pair<std::string, std::string> two_marks(const std::string &text) {
  const auto colon = text.find(':');
  if (colon == std::string::npos || colon == 0 || colon + 1 == text.size())
    throw InputError("two marks are needed, as OLD:NEW");
  return {text.substr(0, colon), text.substr(colon + 1)};
}

/// Where a line ends: what follows it follows its last part.
std::string last_part(const Job &job, const std::string &word) {
  const std::string id = run_of(job, word);
  for (const LevelLine &l : job.snapshot()->levels->lines)
    if (l.id == id) return l.parts.back();
  return id;
}

json run_value(const Job &job, const std::string &name, const std::string &text) {
  if (name == "reverse") {
    if (text != "yes" && text != "no") throw InputError("reverse is yes or no");
    return {{"reverse", text == "yes"}};
  }
  if (name == "split" || name == "join") return {{"split", {{text, name == "split"}}}};
  if (name == "computed" || name == "held") return {{"computed", {{text, name == "computed"}}}};
  if (name == "rename") {
    const auto [from, to] = two_marks(text);
    return {{"rename", {{from, to}}}};
  }
  if (name == "exchange") {
    const auto [a, b] = two_marks(text);
    return {{"rename", {{a, b}, {b, a}}}};
  }
  if (name == "follows") return {{"follows", text.empty() ? json() : json(last_part(job, text))}};
  if (name == "name") return {{"name", text.empty() ? json() : json(text)}};
  if (text.empty() && (name == "sd" || name == "sd-setup" || name == "staff-scale" || name == "staff-temperature" ||
                       name == "collimation"))
    return {{name, json()}};
  if (name == "sd") return {{name, number(name, text, 0.01, 100)}};
  if (name == "sd-setup") return {{name, number(name, text, 0.001, 20)}};
  if (name == "staff-scale") return {{name, number(name, text, -2000, 2000)}};
  if (name == "staff-temperature") return {{name, number(name, text, -40, 60)}};
  if (name == "collimation") return {{name, number(name, text, -1, 1)}};
  throw InputError("a run has no \"" + name + "\"");
}

/// "0.012@2026-05-10": the slope found on a day; "@2026-05-10" takes that test off the card.
json instrument_value(const std::string &name, const std::string &text) {
  auto day = [](const std::string &t) {
    if (t.size() != 10 || !parse_iso(t)) throw InputError("\"" + t + "\" is no day: write it as 2026-05-10");
    return t;
  };
  if (name == "sd") return {{"sd", text.empty() ? json() : json(number(name, text, 0.01, 100))}};
  if (name == "sd-setup") return {{"sd-setup", text.empty() ? json() : json(number(name, text, 0.001, 20))}};
  if (name == "until") return {{"until", text.empty() ? json() : json(day(text))}};
  if (name == "collimation") {
    const auto at = text.find('@');
    if (at == std::string::npos) throw InputError("say on which day the test was, as in 0.012@2026-05-10");
    return {{"collimation",
             {{day(text.substr(at + 1)), at == 0 ? json() : json(number(name, text.substr(0, at), -1, 1))}}}};
  }
  for (const CardEntry &e : station_card())
    if (name == e.name) return {{name, text.empty() ? json() : json(number(name, text, e.least, e.most))}};
  throw InputError("an instrument has sd, sd-setup, collimation and until (a level), direction, zenith, distance, "
                   "distance-ppm, wavelength, reference-pressure, reference-temperature, scale and constant (a total "
                   "station), no \"" +
                   name + "\"");
}

} // namespace

void set_levels(Job &job, const std::vector<std::string> &words, const std::string &because) {
  if (words.size() < 3) throw InputError("say which one and NAME=VALUE");
  for (std::size_t i = 2; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    if (words[0] == "run") {
      job.decide("set", run_of(job, words[1]), run_value(job, name, text), because);
    } else if (words[0] == "reading") {
      if (name != "mark") throw InputError("of a reading only the mark can be corrected; leave it out if it is wrong");
      const auto ids = readings(job, words[1]);
      if (ids.empty()) throw InputError("there is no reading \"" + words[1] + "\": write FILE:LINE");
      for (const auto &id : ids) job.decide("set", id, {{"mark", text}}, because);
    } else if (words[0] == "instrument") {
      job.decide("set", "instrument:" + words[1], instrument_value(name, text), because);
    } else if (words[0] == "mark") {
      json v;
      if (name == "gravity") {
        v["gravity"] = text.empty() ? json() : json(number(name, text, 9.7, 9.9));
      } else if (name == "same-as") {
        if (text == words[1]) throw InputError("a name cannot stand for itself");
        v["same_as"] = text.empty() ? json() : json(text);
      } else
        throw InputError("a mark has gravity (m/s²) and same-as, no \"" + name + "\"");
      job.decide("set", "mark:" + words[1], v, because);
    } else if (words[0] == "staff") {
      if (name != "scale") throw InputError("a staff has a scale, in ppm");
      job.decide("set", "staff:" + words[1], {{"scale", text.empty() ? json() : json(number(name, text, -2000, 2000))}},
                 because);
    } else {
      const RecipeSource *source = nullptr;
      for (const auto &c : job.snapshot()->contents)
        if (c.source.name == words[1] || c.source.id == words[1]) source = recipe_source(*job.snapshot(), c.source.id);
      if (!source) throw InputError("there is no level file or field book \"" + words[1] + "\"");
      json v;
      if (name == "seen")
        v["seen"] = text == "yes";
      else if (name == "recipe") {
        const auto all = job_recipes(job.snapshot()->contents, source->used->reads);
        if (std::none_of(all.begin(), all.end(), [&](const Recipe &r) { return r.name == text; }))
          throw InputError("there is no recipe \"" + text + "\": take its file first");
        v["recipe"] = text;
      } else
        throw InputError("a source has no \"" + name + "\"");
      job.decide("set", "source:" + source->source_id, v, because);
    }
  }
}

std::vector<std::string> level_items(const Job &job, const std::string &text) {
  if (auto ids = readings(job, text); !ids.empty()) return ids;
  for (const LevelLine &l : job.snapshot()->levels->lines)
    if (l.name == text) return {l.id};
  return {text};
}

ordered_json run_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const LevelLine &l : job.snapshot()->levels->lines) {
    ordered_json j{{"id", l.id},
                   {"name", l.name},
                   {"from", l.reduced.from},
                   {"to", l.reduced.to},
                   {"length_m", l.reduced.length},
                   {"setups", l.reduced.setups},
                   {"difference_m", l.reduced.difference}};
    // The worst closure speaks for the run.
    const Misclosure *worst = worst_closure(l.misclosures);
    auto closures = ordered_json::array();
    for (const Misclosure &m : l.misclosures)
      closures.push_back({{"kind", m.kind == Misclosure::Kind::loop ? "loop" : "between"},
                          {"from", m.from},
                          {"to", m.to},
                          {"misclosure_m", m.value},
                          {"limit_m", m.limit},
                          {"sd_m", m.sd},
                          {"length_m", m.length},
                          {"setups", m.setups},
                          {"passes", m.within_limit()}});
    j["misclosure_m"] = worst ? ordered_json(worst->value) : ordered_json(nullptr);
    j["limit_m"] = worst ? ordered_json(worst->limit) : ordered_json(nullptr);
    j["passes"] = worst ? ordered_json(worst->within_limit()) : ordered_json(nullptr);
    j["used"] = l.used;
    j["problem"] = l.problem;
    j["closures"] = closures;
    auto marks = ordered_json::array();
    for (const LineHeight &h : l.heights)
      marks.push_back({{"name", h.mark},
                       {"height_m", h.observed},
                       {"correction_m", h.correction},
                       {"adjusted_m", h.height},
                       {"sd_m", h.sd},
                       {"known", h.known}});
    j["marks"] = marks;
    auto troubles = ordered_json::array();
    for (const auto &t : l.setups.troubles)
      troubles.push_back({{"line", l.run.sights[t.sight].line}, {"what", t.what}});
    j["troubles"] = troubles;
    out.push_back(j);
  }
  return out;
}

ordered_json height_rows(const Job &job) {
  auto out = ordered_json::array();
  const auto &n = job.snapshot()->levels->network;
  if (!n) return out;
  for (const LevelNetworkMark &m : n->marks)
    out.push_back({{"name", m.name},
                   {"height_m", m.height},
                   {"sd_m", m.sd},
                   {"held", m.held},
                   {"relative", m.relative},
                   {"sections", m.sections}});
  return out;
}

} // namespace ampletie::cli
