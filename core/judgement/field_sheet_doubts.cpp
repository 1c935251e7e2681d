#include "judgement/field_sheet_doubts.h"
#include "base/text.h"
#include "judgement/doubt_list.h"
#include "results/occupation.h"
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
constexpr double read_alike = 0.0021; ///< two readings of one height by one crew, m (common practice)
constexpr double same_time = 600;      ///< a watch, and a receiver that takes minutes to begin, s

/// An entry with its times, where it states them.
struct Entry {
  std::string name, mark;
  const FieldEntry *said;
  std::optional<GpsTime> start, stop;
};

/// Seconds that an entry and a file have in common; of an entry with one time or none how near that is.
double in_common(const Entry &e, const Occupation &o) {
  if (e.start && e.stop)
    return std::min(*e.stop - o.start, o.stop - *e.start) > 0
               ? std::min({*e.stop - o.start, o.stop - *e.start, o.stop - o.start, *e.stop - *e.start})
               : 0;
  if (e.start) return std::abs(*e.start - o.start) < 3 * same_time ? 1 : 0;
  if (e.stop) return std::abs(*e.stop - o.stop) < 3 * same_time ? 1 : 0;
  return e.mark == o.mark ? 0.5 : 0;
}

class FieldSheet {
public:
  FieldSheet(DoubtList &list, const JobSnapshot &s) : list_(list), s_(s) {
    for (const auto &[name, f] : s.state().field_sheet) {
      Entry e{name, s.state().mark_name(*f.mark.value), &f, {}, {}};
      if (f.start.value) e.start = parse_iso(*f.start.value);
      if (f.stop.value) e.stop = parse_iso(*f.stop.value);
      entries_.push_back(std::move(e));
    }
  }
  void run() {
    // Those that agree in mark and time first; what is left over is known by its time and height, where one file
    // alone has both.
    for (const Entry &e : entries_) {
      const Occupation *best = nullptr;
      double most = 0;
      for (const Occupation &o : s_.occupations()) {
        if (taken_.count(o.id) || o.mark != e.mark) continue;
        if (const double t = in_common(e, o); t > most) most = t, best = &o;
      }
      if (best) of_[e.name] = best, taken_.insert(best->id);
    }
    for (const Entry &e : entries_) {
      if (of_.count(e.name)) continue;
      if (own_elsewhere(e)) continue; // its clock, or the sheet's: no reason to take another mark's file
      std::vector<const Occupation *> at_that_time = others_at(e), alike;
      for (const Occupation *o : at_that_time)
        if (e.said->height.value && std::abs(*e.said->height.value - o->measured) <= read_alike) alike.push_back(o);
      const Occupation *one = alike.size() == 1 ? alike.front() : nullptr;
      if (one) of_[e.name] = one, taken_.insert(one->id);
    }
    for (const Entry &e : entries_)
      if (const auto o = of_.find(e.name); o != of_.end())
        compare(e, *o->second);
      else
        without_file(e);
  }

private:
  /// Files that nobody claims, of the time that an entry states.
  std::vector<const Occupation *> others_at(const Entry &e) const {
    std::vector<const Occupation *> out;
    for (const Occupation &o : s_.occupations())
      if (!taken_.count(o.id) && o.mark != e.mark && in_common(e, o) > 0) out.push_back(&o);
    return out;
  }
  /// A file of the entry's mark that nobody claims, at another time: the nearest; null: there is none.
  const Occupation *own_elsewhere(const Entry &e) const {
    const Occupation *best = nullptr;
    for (const Occupation &o : s_.occupations())
      if (o.mark == e.mark && !taken_.count(o.id) && (e.start || e.stop) && (!best || away(e, o) < away(e, *best)))
        best = &o;
    return best;
  }
  static double away(const Entry &e, const Occupation &o) {
    return std::abs(e.start ? o.start - *e.start : o.stop - *e.stop);
  }
  void without_file(const Entry &e) {
    Doubt &d =
        list_.add(DoubtKind::field_entry_without_file, e.name, Section::intake, {},
                  fmt::format("{} was occupied{} by the field sheet; no file of the job is of that", e.mark, when(e)),
                  "field:" + e.name);
    if (const Occupation *o = own_elsewhere(e)) {
      const double s = e.start ? o->start - *e.start : o->stop - *e.stop, weeks = 1024 * 7 * 86400.0;
      const std::string hours =
          std::abs(std::remainder(s, weeks)) < 86400 && std::abs(s) > 86400 ? "1024 weeks off: its receiver's clock"
          : std::abs(s) < 86400 ? fmt::format("{:+.1f} h off: its clock, or the sheet is in local time", s / 3600)
                                : fmt::format("{:+.0f} days off", s / 86400);
      d.causes.push_back(
          fmt::format("the file {} of {} begins at {}, {}", o->source_name, e.mark, iso(o->start), hours));
      return;
    }
    // A crew that wrote of all marks claims all files: then this one has none.
    constexpr std::size_t few = 4;
    if (const auto others = others_at(e); others.size() <= few)
      for (const Occupation *o : others) {
        d.causes.push_back("the file of " + (o->mark.empty() ? o->source_name : o->mark) + " is of that time");
        d.corrections.push_back(correct(
            *o, "The file of " + (o->mark.empty() ? o->source_name : o->mark) + " is of " + e.mark, "mark", e.mark));
      }
  }
  static std::string when(const Entry &e) {
    if (!e.start && !e.stop) return "";
    return fmt::format(" {}{}", e.start ? "from " + iso(*e.start) : "until " + iso(*e.stop),
                       e.start && e.stop ? " to " + iso(*e.stop).substr(11) : "");
  }
  Doubt &differ(const Entry &e, const Occupation &o, const std::string &what, const std::string &sentence) {
    return list_.add(DoubtKind::field_sheet_differs, occupation_name(o), Section::intake,
                     {Thing::Kind::occupation, o.id}, sentence, "field:" + e.name + "|" + what);
  }
  static Correction correct(const Occupation &o, const std::string &words, const std::string &field,
                            const std::string &value) {
    Correction c{words, {}, field, value};
    c.occupation = o.id;
    return c;
  }

  void compare(const Entry &e, const Occupation &o) {
    if (o.mark != e.mark) {
      Doubt &d = differ(e, o, "mark",
                        fmt::format("the file is of {}, the field sheet ({}) says {} at that time",
                                    o.mark.empty() ? "no mark" : o.mark, e.name, e.mark));
      d.corrections.push_back(correct(o, "It is " + e.mark, "mark", e.mark));
    }
    height(e, o);
    if (e.said->antenna.value && antenna_key(*e.said->antenna.value) != antenna_key(o.antenna)) {
      Doubt &d = differ(e, o, "antenna",
                        fmt::format("the file names the antenna {}, the field sheet ({}) {}",
                                    o.antenna.empty() ? "not" : o.antenna, e.name, *e.said->antenna.value));
      d.corrections.push_back(correct(o, "Take that antenna", "antenna", *e.said->antenna.value));
    }
    if (e.start && std::abs(o.start - *e.start) > same_time)
      differ(e, o, "start",
             fmt::format("the file begins at {}, by the field sheet ({}) the receiver logged from {}", iso(o.start),
                         e.name, iso(*e.start)));
    if (e.stop && std::abs(o.stop - *e.stop) > same_time)
      differ(e, o, "stop",
             fmt::format("the file ends at {}, by the field sheet ({}) the receiver logged until {}", iso(o.stop),
                         e.name, iso(*e.stop)));
  }

  /// Of the reference point, where both readings lead there; else as they were read, to the same point.
  void height(const Entry &e, const Occupation &o) {
    if (!e.said->height.value) return;
    const double read = *e.said->height.value;
    const std::string to = e.said->point.value.value_or("arp");
    const bool to_arp = lower(to) == "arp";
    std::optional<double> arp;
    if (to_arp)
      arp = read;
    else if (const AntennaPoint *point = find_point(s_.contents(), o.antenna, to))
      arp = arp_height(read, false, *point);
    const bool same_point = lower(to) == lower(o.measured_to);
    std::optional<double> away;
    if (arp && o.antenna_height)
      away = *arp - *o.antenna_height;
    else if (same_point)
      away = read - o.measured;
    if (away && std::abs(*away) <= read_alike) return;
    Doubt &d = differ(e, o, "height",
                      fmt::format("the file has {:.3f} m to {}, the field sheet ({}) {:.3f} m to {}{}", o.measured,
                                  o.measured_to == "arp" ? "the reference point" : o.measured_to, e.name, read,
                                  to_arp ? "the reference point" : to,
                                  away ? "" : ": no dimensions of the antenna say how these two compare"));
    if (away) d.value = 1000 * std::abs(*away), d.limit = 2, d.unit = "mm", d.effect_m = std::abs(*away);
    d.corrections.push_back(correct(o, fmt::format("Take {:.3f} m", read), "height", fmt::format("{:.4f}", read)));
    if (!same_point) d.corrections.push_back(correct(o, "It was read to " + to, "height_to", to));
  }

  DoubtList &list_;
  const JobSnapshot &s_;
  std::vector<Entry> entries_;
  std::map<std::string, const Occupation *> of_;
  std::set<std::string> taken_;
};

} // namespace

void field_sheet_doubts(DoubtList &list, const JobSnapshot &s) { FieldSheet(list, s).run(); }

std::vector<std::string> field_entry_doubts(const std::string &entry) {
  std::vector<std::string> out{doubt_id(DoubtKind::field_entry_without_file, "field:" + entry)};
  for (const char *what : {"mark", "height", "antenna", "start", "stop"})
    out.push_back(doubt_id(DoubtKind::field_sheet_differs, "field:" + entry + "|" + what));
  return out;
}

} // namespace ampletie
