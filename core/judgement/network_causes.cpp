#include "judgement/network_causes.h"
#include "base/size_words.h"
#include "judgement/height_causes.h"
#include "judgement/shift_reason.h"
#include "results/observed_names.h"
#include <Eigen/Core>
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

const char *too(double size) { return size > 0 ? "too large" : "too small"; }

/// "0.312 m to the north-east": of a displacement in plan.
std::string plan_words(double east, double north) {
  return length_words(std::hypot(east, north)) + " to the " + side_words(east, north);
}

/// Of a calibration's unknown: "antenna TESSEL T4|NONE".
std::string antenna_name(std::string id) {
  std::replace(id.begin(), id.end(), '|', ' ');
  return id;
}

/// One explanation put into words.
class Wording {
public:
  Wording(const JobSnapshot &s, const NetworkRun &run, const ObservedNames &names) : s_(s), run_(run), names_(names) {
    for (const Occupation &o : s.occupations())
      if (o.used) by_setup_.emplace(o.setup, &o);
  }

  NetworkCause of(const Explanation &e) const {
    NetworkCause c{e, {}, {}, Section::network, {}, {}};
    for (const Mistake &m : e.mistakes) {
      if (!c.mistake.empty()) c.mistake += "; and ";
      c.mistake += words(m, c);
      if (c.thing.id.empty()) place(m, c);
    }
    c.effect = e.clears() ? "tried: all tests pass then"
                          : fmt::format("tried: {}{}{}",
                                        e.variance_factor > e.upper ? "the network as a whole fails still" : "",
                                        e.variance_factor > e.upper && e.failing ? ", and " : "",
                                        e.failing == 1  ? "one single test fails still"
                                        : e.failing > 1 ? fmt::format("{} single tests fail still", e.failing)
                                                        : "");
    if (!e.moved.empty()) c.effect += ", " + e.moved + " moves by " + length_words(e.moves);
    return c;
  }

private:
  std::string setup(const std::string &id) const {
    if (const auto o = by_setup_.find(id); o != by_setup_.end()) return occupation_name(*o->second);
    const auto [mark, again] = names_.ends(id);
    return mark.empty() ? id : "the set-up on " + mark;
  }
  std::string ends(const std::string &id) const {
    const auto [from, to] = names_.ends(id);
    return from.empty() ? id : from + " → " + to;
  }

  /// A vector with the time of its occupation: others may join the same marks.
  std::string vector(const std::string &id) const {
    for (const VectorResult &v : s_.vectors())
      if (v.id == id)
        for (const Occupation &o : s_.occupations())
          if (o.id == v.to_occupation) return v.from + " → " + occupation_name(o);
    for (const MeasuredVector &v : s_.get(measured_result()))
      if (v.id == id) return v.name_and_where();
    return ends(id);
  }

  std::string antenna_height(const Mistake &m, NetworkCause &c) const {
    const double size = m.size[0];
    std::string out = fmt::format("the height of the antenna in {} was entered {} {}", setup(m.about),
                                  length_words(std::abs(size)), too(size));
    const auto found = by_setup_.find(m.about);
    if (found == by_setup_.end()) return out;
    const Occupation &o = *found->second;
    if (const auto why = height_causes(s_.contents(), o, -size, m.sd[0]); !why.empty()) out += ": " + why.front();
    if (o.antenna_height && !o.slant) {
      Correction k;
      k.occupation = o.id, k.field = "height", k.value = fmt::format("{:.4f}", o.measured - size);
      k.words = fmt::format("{}: {} m", occupation_name(o), k.value);
      c.corrections.push_back(std::move(k));
    }
    return out;
  }

  std::string level(const Mistake &m) const {
    std::string out =
        fmt::format("the levels {} are {} {}", ends(m.about), length_words(std::abs(m.size[0])), too(m.size[0]));
    for (const LevelSection &x : s_.levels().sections)
      if (x.id == m.about)
        if (const auto why = level_causes(x.difference, m.size[0], m.sd[0]); !why.empty()) out += ": " + why.front();
    return out;
  }

  std::string held(const Mistake &m) const {
    const bool height = m.kind == MistakeKind::held_height;
    std::string out =
        height ? fmt::format("the height that {} is held at is {} {}", m.about, length_words(std::abs(m.size[0])),
                             too(m.size[0]))
               : fmt::format("the place that {} is held at lies {} of it", m.about, plan_words(m.size[0], m.size[1]));
    // Another frame, another epoch, the geoid twice: what it would be if what is published meant something else.
    const auto at = run_.positions.find(m.about);
    if (at != run_.positions.end())
      out += shift_reason(s_, at->second, {m.about}, height ? Vec3(0, 0, -m.size[0]) : Vec3(-m.size[0], -m.size[1], 0));
    return out;
  }

  std::string line(const Mistake &m) const {
    const LevelLine *l = s_.levels().line(m.about);
    const std::string name = l ? l->name : m.about;
    if (m.kind == MistakeKind::line_reversed)
      return fmt::format("the levels of {} were walked the other way than they are booked: reverse the line", name);
    return m.kind == MistakeKind::line_in_feet
               ? fmt::format("the staff of {} was read in feet, the book says metres", name)
               : fmt::format("the staff of {} was read in metres, the book says feet", name);
  }

  std::string calibration(const Mistake &m) const {
    const std::string name = antenna_name(m.about);
    std::string out = fmt::format("the phase centre of {} lies {} {} than its calibration says", name,
                                  length_words(std::abs(m.size[0])), m.size[0] < 0 ? "higher" : "lower");
    const std::string type = name.substr(name.find(' ') + 1);
    if (const auto why = calibration_causes(s_.contents(), type, m.size[0], m.sd[0]); !why.empty())
      out += ": as if " + why.front();
    return out;
  }

  std::string words(const Mistake &m, NetworkCause &c) const {
    const std::string by = m.size.size() == 1 ? length_words(std::abs(m.size[0])) : length_words(m.size.norm());
    switch (m.kind) {
    case MistakeKind::antenna_height:
      return antenna_height(m, c);
    case MistakeKind::instrument_height:
      return fmt::format("the height of the instrument in {} was entered {} {}", setup(m.about), by, too(m.size[0]));
    case MistakeKind::target_height:
      return fmt::format("the height of the target in {} was entered {} {}", ends(m.about), by, too(m.size[0]));
    case MistakeKind::beside_mark:
      return fmt::format(
          "the antenna in {} did not stand over its mark, but {}{}", setup(m.about), plan_words(-m.size[0], -m.size[1]),
          std::abs(m.size[2]) > 3.3 * m.sd[2]
              ? fmt::format(" and {} {}", length_words(std::abs(m.size[2])), m.size[2] < 0 ? "higher" : "lower")
              : std::string());
    case MistakeKind::on_another:
      return fmt::format("{} stood on {}", setup(m.about), m.other);
    case MistakeKind::exchanged:
      return fmt::format("{} and {} were exchanged: each stood on the other's mark", setup(m.about), setup(m.other));
    case MistakeKind::vector:
      return fmt::format("the vector {} is wrong by {}", vector(m.about), by);
    case MistakeKind::level:
      return level(m);
    case MistakeKind::line_reversed:
    case MistakeKind::line_in_feet:
    case MistakeKind::line_in_metres:
      return line(m);
    case MistakeKind::direction:
      return fmt::format("the direction {} is wrong by {}", ends(m.about), angle_words(m.size[0], 1, true));
    case MistakeKind::distance:
      return fmt::format("the distance {} is {} {}", ends(m.about), by, too(m.size[0]));
    case MistakeKind::prism_constant:
      return fmt::format("all distances of {} are {} {}: the constant of the prism", setup(m.about), by,
                         too(m.size[0]));
    case MistakeKind::distance_scale:
      return fmt::format("all distances of {} are {:.0f} ppm {}: pressure or temperature", setup(m.about),
                         std::abs(m.size[0]) * 1e6, too(m.size[0]));
    case MistakeKind::held_plan:
    case MistakeKind::held_height:
      return held(m);
    case MistakeKind::phase_centre:
      return calibration(m);
    }
    return {};
  }

  /// Where to go for it.
  void place(const Mistake &m, NetworkCause &c) const {
    if (const auto o = by_setup_.find(m.about); o != by_setup_.end())
      c.section = Section::intake, c.thing = {Thing::Kind::occupation, o->second->id};
    else if (m.kind == MistakeKind::held_plan || m.kind == MistakeKind::held_height)
      c.section = Section::network, c.thing = {Thing::Kind::mark, m.about};
    else if (m.kind == MistakeKind::vector)
      c.section = Section::network, c.thing = thing_by_id(m.about);
    else if (m.kind == MistakeKind::level) {
      for (const LevelSection &x : s_.levels().sections)
        if (x.id == m.about) c.section = Section::levels, c.thing = {Thing::Kind::level_line, x.line};
    } else if (s_.levels().line(m.about))
      c.section = Section::levels, c.thing = {Thing::Kind::level_line, m.about};
    else if (m.kind != MistakeKind::phase_centre)
      c.section = Section::traverse, c.thing = {Thing::Kind::station, m.other.empty() ? m.about : m.other};
  }

  const JobSnapshot &s_;
  const NetworkRun &run_;
  const ObservedNames &names_;
  std::map<std::string, const Occupation *> by_setup_;
};

} // namespace

std::vector<NetworkCause> network_causes(const JobSnapshot &s, const NetworkRun &run) {
  std::vector<NetworkCause> out;
  const std::vector<Explanation> found = explain_network(network_input(s, s.vectors()), run.result, {});
  if (found.empty()) return out;
  const ObservedNames names(s);
  const Wording words(s, run, names);
  for (const Explanation &e : found) out.push_back(words.of(e));
  return out;
}

} // namespace ampletie
