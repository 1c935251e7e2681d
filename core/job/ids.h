#pragma once
#include <compare>
#include <string>

namespace ampletie {

/// A name that cannot be taken for one of another kind.
template <class Tag> struct Id {
  std::string text;
  auto operator<=>(const Id &) const = default;
};

using SourceId = Id<struct SourceTag>;         ///< SHA-256 of the bytes
using OccupationId = Id<struct OccupationTag>; ///< "o-…"
using StopId = Id<struct StopTag>;             ///< "k-…": a standstill of a track
using VectorId = Id<struct VectorTag>;         ///< "v-…"
using RunId = Id<struct RunTag>;               ///< "l-…": a levelled run, or a part of one
using SightId = Id<struct SightTag>;           ///< "r-…": a staff reading
using SetupId = Id<struct SetupTag>;           ///< "t-…": a set-up of a total station
using PointingId = Id<struct PointingTag>;     ///< "p-…"
using MarkName = Id<struct MarkTag>;
using GroupName = Id<struct GroupTag>; ///< a mark or code, or the beginning of several: "WALL*"
using StaffName = Id<struct StaffTag>;
using SerialNumber = Id<struct SerialTag>;       ///< of an instrument, as the books write it
using FitName = Id<struct FitTag>;               ///< a system that a frame fit leads to
using AlsoName = Id<struct AlsoTag>;             ///< a further system of the issue
using WeightGroup = Id<struct WeightTag>;        ///< of observations: "kind=vectors", "day=2026-05-12"
using PlanName = Id<struct PlanTag>;             ///< what is planned: "session 1"
using FieldEntryName = Id<struct FieldEntryTag>; ///< of the field sheet
using PairName = Id<struct PairTag>;             ///< "SYSTEM|MARK"
using DoubtId = Id<struct DoubtTag>;             ///< "d-…"
using ItemId = Id<struct ItemTag>;               ///< anything that can be left out, or a span of it

} // namespace ampletie
