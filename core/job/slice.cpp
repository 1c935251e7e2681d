#include "job/slice.h"
#include "job/settings.h"

namespace ampletie {
namespace {
template <class T, class... All> constexpr bool among = (std::is_same_v<T, All> || ...);

Slice use_of(const ItemId &item) {
  switch (thing_by_id(item.text).kind) {
  case Thing::Kind::source:
    return Slice::use_of_sources;
  case Thing::Kind::occupation:
    return Slice::use_of_occupations;
  case Thing::Kind::level_line:
  case Thing::Kind::sight:
    return Slice::use_of_levels;
  case Thing::Kind::station:
  case Thing::Kind::pointing:
  case Thing::Kind::traverse:
    return Slice::use_of_stations;
  default:
    return Slice::use_of_vectors; // and spans of the whole job
  }
}

} // namespace

std::vector<Slice> slices_of(const Meaning &m) {
  return std::visit(
      [](const auto &x) -> std::vector<Slice> {
        using T = std::decay_t<decltype(x)>;
        if constexpr (std::is_same_v<T, SettingsSaid>) {
          std::vector<Slice> out;
          for (const auto &[name, v] : x.value.items())
            if (const SettingInfo *i = find_setting(name)) out.push_back(static_cast<Slice>(i->part));
          return out;
        } else if constexpr (among<T, LeftOut, UsedAgain>)
          return {use_of(x.about)};
        else if constexpr (std::is_same_v<T, VectorSaid>)
          return {Slice::vector_settings};
        else if constexpr (std::is_same_v<T, Said<OccupationThing>>)
          return {Slice::occupations};
        else if constexpr (std::is_same_v<T, Said<StopThing>>)
          return {Slice::stops};
        else if constexpr (among<T, Said<RunThing>, Said<SightThing>, Said<StaffThing>>)
          return {Slice::levelling};
        else if constexpr (std::is_same_v<T, Said<InstrumentThing>>)
          return {Slice::instruments};
        else if constexpr (among<T, Said<SetupThing>, Said<PointingThing>>)
          return {Slice::stations};
        else if constexpr (std::is_same_v<T, Said<RouteThing>>)
          return {Slice::routes};
        else if constexpr (std::is_same_v<T, Said<StyleThing>>)
          return {Slice::styles};
        else if constexpr (among<T, Said<FitThing>, Said<PairThing>, Said<AlsoThing>>)
          return {Slice::fits};
        else if constexpr (std::is_same_v<T, Said<GroupThing>>)
          return {Slice::groups};
        else if constexpr (std::is_same_v<T, Said<PlanThing>>)
          return {Slice::plan};
        else if constexpr (std::is_same_v<T, Said<AskedThing>>)
          return {Slice::asked};
        else if constexpr (std::is_same_v<T, Said<MarkThing>>) {
          std::vector<Slice> out;
          for (const auto &[name, v] : x.value.items()) {
            const bool note = name != "gravity" && name != "same_as";
            out.push_back(note ? Slice::mark_notes : Slice::marks);
            // What was said of the one name is held by the other.
            if (name == "same_as") out.push_back(Slice::holds);
          }
          return out;
        } else if constexpr (std::is_same_v<T, Said<FieldEntryThing>>)
          return {Slice::field_sheet};
        else if constexpr (std::is_same_v<T, Said<SourceThing>>)
          return x.value.size() == 1 && x.value.contains("of") ? std::vector{Slice::attachments}
                 : x.value.contains("geoid") || x.value.contains("interpolation") || x.value.contains("accuracy") ||
                         x.value.contains("shifts")
                     ? std::vector{Slice::recipes, Slice::settings_datum}
                     : std::vector{Slice::recipes};
        else if constexpr (among<T, HoldSaid, Released>)
          return {Slice::holds};
        else if constexpr (std::is_same_v<T, DoubtAccepted>)
          return {Slice::accepted};
        else if constexpr (std::is_same_v<T, SecondChecked>)
          return {Slice::second_checks};
        else
          static_assert(std::is_same_v<T, Withdrawn>, "say which slice a new kind of decision changes");
        return {};
      },
      m);
}

const char *slice_name(Slice s) {
  constexpr const char *names[] = {"settings: shown",
                                   "settings: datum",
                                   "settings: vectors",
                                   "settings: orbits",
                                   "settings: sessions",
                                   "settings: loops",
                                   "settings: levels",
                                   "settings: traverse",
                                   "settings: network",
                                   "settings: judgement",
                                   "settings: issue",
                                   "settings of single vectors",
                                   "said of occupations",
                                   "said of stops",
                                   "said of levels",
                                   "instrument cards",
                                   "said of set-ups",
                                   "said of traverses",
                                   "styles",
                                   "frame fits",
                                   "groups",
                                   "plan",
                                   "accuracy asked for",
                                   "said of marks",
                                   "notes on marks",
                                   "field sheet",
                                   "attachments",
                                   "second persons' checks",
                                   "recipes",
                                   "holds",
                                   "use of sources",
                                   "use of occupations",
                                   "use of vectors",
                                   "use of levels",
                                   "use of set-ups",
                                   "accepted doubts",
                                   "decisions that cannot be read",
                                   "sources",
                                   "solved vectors",
                                   "solved tracks",
                                   "movements found",
                                   "adjusted network",
                                   "issue records"};
  static_assert(std::size(names) == slice_count);
  return names[static_cast<std::size_t>(s)];
}

} // namespace ampletie
