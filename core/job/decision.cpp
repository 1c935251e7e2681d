#include "job/decision.h"
#include "base/error.h"
#include "base/text.h"
#include "job/settings.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;

/// Targets of decisions that say values, by how they begin.
struct TargetRow {
  std::string_view prefix;
  std::size_t cut; ///< how much of that is no part of the id
  Meaning (*read)(std::string id, const json &value);
  Thing::Kind thing;
};
template <class What> Meaning about(std::string id, const json &value) { return Said<What>{{std::move(id)}, value}; }
Meaning about_vector(std::string id, const json &value) { return VectorSaid{{std::move(id)}, value}; }

/// A thing whose ids do not tell its kind: the target does.
template <class What> constexpr TargetRow named(Thing::Kind thing) {
  const std::string_view prefix = What::prefix;
  return {prefix, prefix.size(), about<What>, thing};
}

/// Of what is used or left out, and nothing else.
Meaning nothing_to_say(std::string, const json &) {
  throw InputError("of a track, or of a vector or fix that others measured, can only be said whether it is used");
}

constexpr TargetRow targets[] = {
    {"o-", 0, about<OccupationThing>, Thing::Kind::occupation},
    {"v-", 0, about_vector, Thing::Kind::vector},
    {"x-", 0, nothing_to_say, Thing::Kind::measured},
    {"m-", 0, nothing_to_say, Thing::Kind::track},
    {"k-", 0, about<StopThing>, Thing::Kind::stop},
    {"l-", 0, about<RunThing>, Thing::Kind::level_line},
    {"r-", 0, about<SightThing>, Thing::Kind::sight},
    {"t-", 0, about<SetupThing>, Thing::Kind::station},
    {"p-", 0, about<PointingThing>, Thing::Kind::pointing},
    named<RouteThing>(Thing::Kind::traverse),
    named<SourceThing>(Thing::Kind::source),
    named<MarkThing>(Thing::Kind::nothing),
    named<AskedThing>(Thing::Kind::nothing),
    named<StyleThing>(Thing::Kind::nothing),
    named<FitThing>(Thing::Kind::nothing),
    named<PairThing>(Thing::Kind::nothing),
    named<AlsoThing>(Thing::Kind::nothing),
    named<GroupThing>(Thing::Kind::nothing),
    named<PlanThing>(Thing::Kind::nothing),
    named<StaffThing>(Thing::Kind::nothing),
    named<InstrumentThing>(Thing::Kind::nothing),
    named<FieldEntryThing>(Thing::Kind::nothing),
};

const TargetRow *row_of(std::string_view target) {
  for (const TargetRow &r : targets)
    if (target.starts_with(r.prefix)) return &r;
  return nullptr;
}

bool is_hash(std::string_view s) {
  return s.size() == 64 && s.find_first_not_of("0123456789abcdef") == std::string_view::npos;
}

std::string settings_said(const json &value) {
  std::string out;
  for (const auto &[name, v] : value.items()) {
    if (v.is_string() && v.get_ref<const std::string &>().empty()) continue;
    const SettingInfo *i = find_setting(name);
    out += (out.empty() ? "" : ", ") + (i ? std::string(i->label) : name) + " " + value_words(v, i ? i->unit : "");
  }
  return out;
}
} // namespace

void SettingsSaid::fold(JobState &s, long decision) const {
  for (const auto &[name, v] : value.items()) {
    apply_setting(s.settings, name, v);
    s.setting_decisions[name] = decision;
  }
}
std::string SettingsSaid::said() const { return settings_said(value); }

void VectorSaid::fold(JobState &s, long decision) const {
  JobSettings probe; // what does not fit is said now, not when the vector is solved
  for (const auto &[name, v] : value.items())
    if (v.is_null())
      s.vector_settings[about.text].erase(name);
    else {
      apply_setting(probe, name, v);
      s.vector_settings[about.text][name] = {v, decision};
    }
}
std::string VectorSaid::said() const { return settings_said(value); }

void LeftOut::fold(JobState &s, long decision) const {
  s.left_out[about.text] = {reason, decision};
  s.taken_up.erase(about.text);
}
void UsedAgain::fold(JobState &s, long decision) const {
  s.left_out.erase(about.text);
  s.taken_up[about.text] = decision;
}

SecondChecked SecondChecked::read(const Decision &d) {
  SecondChecked out;
  out.check = {d.value.value("by", ""),
               d.value.value("looked", ""),
               d.reason,
               d.author,
               d.time,
               d.value.value("content", ""),
               0};
  if (trimmed(out.check.by).empty()) throw InputError("who looked at it? A check is signed with a name");
  if (trimmed(out.check.looked).empty()) throw InputError("what was looked at? A check says it");
  return out;
}
void SecondChecked::fold(JobState &s, long decision) const {
  s.second_checks.push_back(check);
  s.second_checks.back().decision = decision;
}
std::string SecondChecked::said() const { return check.by + " looked at: " + check.looked; }

Meaning meaning_of(const Decision &d) {
  if (d.verb == "set") {
    if (is_setting_group(d.target)) return SettingsSaid{d.value};
    const TargetRow *r = row_of(d.target);
    if (!r) throw InputError("\"" + d.target + "\" is nothing that values can be said about");
    return r->read(d.target.substr(r->cut), d.value);
  }
  if (d.verb == "hold") return HoldSaid::read(d.target, d.value);
  if (d.verb == "release") return Released{{d.target}};
  if (d.verb == "leave-out") return LeftOut{{d.target}, d.reason};
  if (d.verb == "use") return UsedAgain{{d.target}};
  if (d.verb == "accept") return DoubtAccepted{{d.target}, d.reason};
  if (d.verb == "sign") return SecondChecked::read(d);
  if (d.verb == "withdraw") return Withdrawn{d.value.value("decision", 0L)};
  throw InputError("\"" + d.verb + "\" is nothing that can be decided");
}

Thing thing_by_id(std::string_view id) {
  if (is_hash(id)) return {Thing::Kind::source, std::string(id)};
  const TargetRow *r = row_of(id);
  if (!r || r->thing == Thing::Kind::nothing) return {};
  std::string_view own = id.substr(r->cut);
  if (r->cut == 0) own = own.substr(0, own.find(':')); // a span
  return {r->thing, std::string(own)};
}

namespace {
// By the type: a mark may be called like the id of something else.
template <class What> Thing pointed_at(const Said<What> &x) { return thing_by_id(target_of<What>(x.about)); }
Thing pointed_at(const VectorSaid &x) { return thing_by_id(x.about.text); }
Thing pointed_at(const LeftOut &x) { return thing_by_id(x.about.text); }
Thing pointed_at(const UsedAgain &x) { return thing_by_id(x.about.text); }
Thing pointed_at(const SettingsSaid &) { return {}; }
Thing pointed_at(const HoldSaid &) { return {}; }
Thing pointed_at(const Released &) { return {}; }
Thing pointed_at(const DoubtAccepted &) { return {}; }
Thing pointed_at(const SecondChecked &) { return {}; }
Thing pointed_at(const Withdrawn &) { return {}; }
} // namespace

Thing thing_of(const Meaning &m) {
  return std::visit([](const auto &x) { return pointed_at(x); }, m);
}

} // namespace ampletie
