#include "publication/instruments.h"
#include <algorithm>
#include <map>
#include <set>

namespace ampletie {
using nlohmann::json;
using nlohmann::ordered_json;
namespace {

struct Work {
  std::set<std::string> kinds, days;
  int pieces = 0; ///< runs and set-ups
  bool undated = false;
  void add(const char *kind, const std::string &day) {
    kinds.insert(kind), ++pieces;
    if (day.empty())
      undated = true;
    else
      days.insert(day);
  }
};

std::string covers(const Work &w, const std::optional<std::string> &until) {
  if (!until) return "none stated";
  if (w.days.empty()) return "the books have no days";
  if (*w.days.rbegin() > *until) return "ENDED before the work did";
  return w.undated ? "covers the days that are stated, not all are" : "covers the work";
}
} // namespace

ordered_json instrument_rows(const JobSnapshot &s) {
  std::map<std::string, Work> used;
  for (const LevelLine &l : s.levels().lines)
    if (l.used) used[l.run.instrument].add("levels", l.day);
  const TraverseReport &t = s.traverses();
  for (const auto &r : t.field.setups)
    if (t.in_network(*r)) used[r->setup.instrument].add("total station", r->setup.day);
  auto out = ordered_json::array();
  for (const auto &[serial, w] : used) {
    const auto card = s.state().instruments.find(serial);
    std::optional<std::string> until;
    if (card != s.state().instruments.end()) until = card->second.until.value;
    out.push_back({{"instrument", serial},
                   {"kinds", w.kinds},
                   {"pieces", w.pieces},
                   {"first_day", w.days.empty() ? ordered_json(nullptr) : ordered_json(*w.days.begin())},
                   {"last_day", w.days.empty() ? ordered_json(nullptr) : ordered_json(*w.days.rbegin())},
                   {"until", until ? ordered_json(*until) : ordered_json(nullptr)},
                   {"certificate", covers(w, until)}});
  }
  return out;
}

ReportTable instrument_table(const json &rows) {
  ReportTable out{"Levels and total stations, and their certificates",
                  {{"Instrument", "", false},
                   {"Used for", "", false},
                   {"Runs, set-ups", ""},
                   {"From", "", false},
                   {"To", "", false},
                   {"Certificate until", "", false},
                   {"", "", false}},
                  {}};
  std::vector<const json *> order;
  for (const json &r : rows) order.push_back(&r);
  const auto text = [](const json &v) { return v.is_null() ? std::string("–") : v.get<std::string>(); };
  std::stable_sort(order.begin(), order.end(), [&](const json *a, const json *b) {
    const auto end = [](const json &r) { return r.at("until").is_null() ? "9" : r.at("until").get<std::string>(); };
    return end(*a) < end(*b);
  });
  for (const json *r : order) {
    std::string kinds;
    for (const json &k : r->at("kinds")) kinds += (kinds.empty() ? "" : ", ") + k.get<std::string>();
    const std::string name = r->at("instrument");
    out.rows.push_back({name.empty() ? "not named in its book" : name, kinds,
                        std::to_string(r->at("pieces").get<int>()), text(r->at("first_day")), text(r->at("last_day")),
                        text(r->at("until")), r->at("certificate")});
  }
  return out;
}

} // namespace ampletie
