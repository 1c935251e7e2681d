#pragma once
#include "job/decisions/field.h"
#include "job/ids.h"

namespace ampletie {

/// Things that decisions can say values about. Each is defined in a file of its own beside this one: its fields with
/// their bounds and words, and where in the state they are kept.

struct OccupationThing {
  using Id = OccupationId;
  static constexpr const char *prefix = ""; // the id tells
  static constexpr const char *noun = "an occupation";
  static const Fields<OccupationEdits> &fields();
  static OccupationEdits &of(JobState &s, const Id &id) { return s.occupations[id.text]; }
};

struct StopThing {
  using Id = StopId;
  static constexpr const char *prefix = ""; // the id tells
  static constexpr const char *noun = "a stop";
  static const Fields<StopEdits> &fields();
  static StopEdits &of(JobState &s, const Id &id) { return s.stops[id.text]; }
};

struct RunThing {
  using Id = RunId;
  static constexpr const char *prefix = ""; // the id tells
  static constexpr const char *noun = "a run";
  static const Fields<RunEdits> &fields();
  static RunEdits &of(JobState &s, const Id &id) { return s.runs[id.text]; }
};

struct SightThing {
  using Id = SightId;
  static constexpr const char *prefix = ""; // the id tells
  using Edits = InState;
  static constexpr const char *noun = "a staff reading";
  static const Fields<Edits> &fields();
  static Edits of(JobState &s, const Id &id) { return {&s, id.text}; }
};

struct StaffThing {
  using Id = StaffName;
  static constexpr const char *prefix = "staff:";
  using Edits = InState;
  static constexpr const char *noun = "a staff";
  static const Fields<Edits> &fields();
  static Edits of(JobState &s, const Id &id) { return {&s, id.text}; }
};

struct InstrumentThing {
  using Id = SerialNumber;
  static constexpr const char *prefix = "instrument:";
  static constexpr const char *noun = "an instrument";
  static const Fields<InstrumentCard> &fields();
  static InstrumentCard &of(JobState &s, const Id &id) { return s.instruments[id.text]; }
};

struct SetupThing {
  using Id = SetupId;
  static constexpr const char *prefix = ""; // the id tells
  static constexpr const char *noun = "a set-up";
  static const Fields<SetupEdits> &fields();
  static SetupEdits &of(JobState &s, const Id &id) { return s.setups[id.text]; }
};
/// What a set-up sighted under one name.
struct TargetThing {
  static constexpr const char *noun = "a target";
  static const Fields<SetupEdits::Target> &fields();
};

struct PointingThing {
  using Id = PointingId;
  static constexpr const char *prefix = ""; // the id tells
  static constexpr const char *noun = "a pointing";
  static const Fields<PointingEdits> &fields();
  static PointingEdits &of(JobState &s, const Id &id) { return s.pointings[id.text]; }
};

struct RouteThing {
  using Id = SetupId;
  static constexpr const char *prefix = "traverse:";
  static constexpr const char *noun = "a traverse";
  static const Fields<RouteEdits> &fields();
  static RouteEdits &of(JobState &s, const Id &id) { return s.routes[id.text]; }
};

struct StyleThing {
  using Id = GroupName;
  static constexpr const char *prefix = "style:";
  static constexpr const char *noun = "a code's style";
  static const Fields<CodeStyle> &fields();
  static CodeStyle &of(JobState &s, const Id &id) { return s.styles[id.text]; }
};

struct FitThing {
  using Id = FitName;
  static constexpr const char *prefix = "fit:";
  static constexpr const char *noun = "a frame fit";
  static const Fields<FitEdits> &fields();
  static FitEdits &of(JobState &s, const Id &id) { return s.fits[id.text]; }
};
struct PairThing {
  using Id = PairName;
  static constexpr const char *prefix = "pair:";
  static constexpr const char *noun = "a pair of a frame fit";
  static const Fields<FitEdits::Pair> &fields();
  static FitEdits::Pair &of(JobState &s, const Id &id); ///< throws `InputError` for an id without both names
};

struct AlsoThing {
  using Id = AlsoName;
  static constexpr const char *prefix = "also:";
  static constexpr const char *noun = "a further system";
  static const Fields<AlsoEdits> &fields();
  static AlsoEdits &of(JobState &s, const Id &id) { return s.also[id.text]; }
};
struct GroupThing {
  using Id = WeightGroup;
  static constexpr const char *prefix = "group:";
  static constexpr const char *noun = "a group of observations";
  static const Fields<GroupEdits> &fields();
  static GroupEdits &of(JobState &s, const Id &id) { return s.groups[id.text]; }
};

struct PlanThing {
  using Id = PlanName;
  static constexpr const char *prefix = "plan:";
  static constexpr const char *noun = "a plan";
  static const Fields<PlanEdits> &fields();
  static PlanEdits &of(JobState &s, const Id &id);             ///< throws `InputError` for what is no kind of plan
  static void require(const Id &id, const std::string &field); ///< throws for what a plan of this kind has not
  static const std::vector<std::string> &fields_of(const std::string &kind); ///< throws for what is no kind
};

struct AskedThing {
  using Id = GroupName;
  static constexpr const char *prefix = "asked:";
  static constexpr const char *noun = "an asked accuracy";
  static const Fields<AskedOfGroup> &fields();
  static AskedOfGroup &of(JobState &s, const Id &id) { return s.asked[id.text]; }
  static void tidy(JobState &s, const Id &id);
};

struct MarkThing {
  using Id = MarkName;
  static constexpr const char *prefix = "mark:";
  using Edits = InState;
  static constexpr const char *noun = "a mark";
  static const Fields<Edits> &fields();
  static Edits of(JobState &s, const Id &id) { return {&s, id.text}; }
};

struct FieldEntryThing {
  using Id = FieldEntryName;
  static constexpr const char *prefix = "field:";
  static constexpr const char *noun = "an entry of the field sheet";
  static const Fields<FieldEntry> &fields();
  static FieldEntry &of(JobState &s, const Id &id) { return s.field_sheet[id.text]; }
  static void tidy(JobState &s, const Id &id); ///< an entry without a mark is none
};

struct SourceThing {
  using Id = SourceId;
  static constexpr const char *prefix = "source:";
  using Edits = InState;
  static constexpr const char *noun = "a source";
  static const Fields<Edits> &fields();
  static Edits of(JobState &s, const Id &id) { return {&s, id.text}; }
};

} // namespace ampletie
