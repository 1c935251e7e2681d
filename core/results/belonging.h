#pragma once
#include "datum/datum.h"
#include "results/occupation.h"
#include <functional>

namespace ampletie {

/// A mistake that would explain where a mark lies, and what to say of its list then (a field of `SourceThing`); empty:
/// nothing that could be said.
struct MisplacedCause {
  std::string words, field{}, value{};
  bool operator==(const MisplacedCause &) const = default;
};

/// A published mark whose coordinates cannot belong to the job as they stand.
struct MisplacedMark {
  PublishedMark published;
  std::string sentence;               ///< where it would lie, or why it cannot be placed
  std::vector<MisplacedCause> causes; ///< each tried: with it the mark comes to lie where the job is
  bool accepted = false;              ///< the surveyor said that they are right: they are used
};

/// What marks that do not belong here share a doubt by: their file, or the mark where it was typed.
std::string misplaced_item(const PublishedMark &p);
/// Whether it was accepted that a published mark does not belong to the job.
bool misplaced_accepted(const JobState &s, const PublishedMark &p);

/// Where a job is.
struct Surroundings {
  std::map<std::string, Vec3> stood; ///< mark → where its receiver stood by the file's header
  std::optional<Vec3> centre;        ///< of receivers, else of the published marks themselves
};
Surroundings surroundings(const std::vector<Occupation> &occupations,
                          const std::map<std::string, PublishedMark> &published, const DatumSettings &datum);

/// Compares every published position with where the job is: with the receiver that stood on the mark (a kilometre is
/// beyond any header), else with the nearest receiver or the job's centre (beyond 200 km nothing measured leads there).
/// Gives what lies elsewhere, and what cannot be placed at all. The first mark of each source comes with the mistakes
/// that would explain it: exchanged axes, feet, a sign, packed degrees, another zone or hemisphere, a false easting
/// with the zone's number, local coordinates. `convert` gives a mark's place in the job's frame and throws `InputError`
/// in words; `accepted` are marks of which the surveyor said that they are right.
std::map<std::string, MisplacedMark> find_misplaced(const std::map<std::string, PublishedMark> &published,
                                                    const Surroundings &around, const DatumSettings &datum,
                                                    const std::function<Vec3(const PublishedMark &)> &convert,
                                                    const std::function<bool(const PublishedMark &)> &accepted);

} // namespace ampletie
