#pragma once
#include "job/decisions/things.h"
#include "job/thing.h"
#include <variant>

namespace ampletie {

/// Settings of the whole job.
struct SettingsSaid {
  nlohmann::json value;
  void fold(JobState &s, long decision) const;
  std::string said() const;
};
/// Settings of one vector alone.
struct VectorSaid {
  VectorId about;
  nlohmann::json value;
  void fold(JobState &s, long decision) const;
  std::string said() const;
};
/// A mark is held, checked or weighted, perhaps with coordinates of its own.
struct HoldSaid {
  MarkName about;
  HoldDecision hold;
  nlohmann::json value;
  /// Throws `InputError` for what is no place on Earth, no accuracy, no velocity.
  static HoldSaid read(const std::string &mark, const nlohmann::json &value);
  void fold(JobState &s, long decision) const;
  std::string said() const;
};
struct Released {
  MarkName about;
  void fold(JobState &s, long) const { s.holds.erase(about.text); }
  std::string said() const { return {}; }
};
struct LeftOut {
  ItemId about;
  std::string reason;
  void fold(JobState &s, long decision) const;
  std::string said() const { return {}; }
};
struct UsedAgain {
  ItemId about;
  void fold(JobState &s, long decision) const;
  std::string said() const { return {}; }
};
struct DoubtAccepted {
  DoubtId about;
  std::string reason;
  void fold(JobState &s, long decision) const { s.accepted[about.text] = {reason, decision}; }
  std::string said() const { return {}; }
};
/// A second person looked at what is to be issued.
struct SecondChecked {
  SecondCheck check;
  /// Throws `InputError` where nobody signed, or nothing was looked at.
  static SecondChecked read(const Decision &d);
  void fold(JobState &s, long decision) const;
  std::string said() const;
};
/// Takes back an earlier decision, or an earlier withdrawal: `standing` has done that before anything is folded.
struct Withdrawn {
  long decision = 0;
  void fold(JobState &, long) const {}
  std::string said() const { return {}; }
};

/// Everything that can be decided. How to add one: docs/how-to-add.md.
using Meaning =
    std::variant<SettingsSaid, VectorSaid, Said<OccupationThing>, Said<StopThing>, Said<RunThing>, Said<SightThing>,
                 Said<StaffThing>, Said<InstrumentThing>, Said<SetupThing>, Said<PointingThing>, Said<RouteThing>,
                 Said<StyleThing>, Said<FitThing>, Said<PairThing>, Said<AlsoThing>, Said<GroupThing>, Said<PlanThing>,
                 Said<AskedThing>, Said<MarkThing>, Said<FieldEntryThing>, Said<SourceThing>, HoldSaid, Released,
                 LeftOut, UsedAgain, DoubtAccepted, SecondChecked, Withdrawn>;

/// What an entry of the log means. Throws `InputError` when it cannot be read.
Meaning meaning_of(const Decision &d);

/// How the log writes what is decided about.
template <class What> std::string target_of(const typename What::Id &about) {
  return std::string(What::prefix) + about.text;
}

/// What an id as decisions write it points at; nothing for names that say themselves what they are. Spans of an
/// occupation or a vector point at that.
Thing thing_by_id(std::string_view id);
/// The thing of the job that a decision is about; nothing where it does not come from a source.
Thing thing_of(const Meaning &m);

} // namespace ampletie
