#pragma once
#include "job/doubt_kind.h"
#include "job/thing.h"
#include "judgement/traverse_causes.h"
#include "results/network_run.h"

namespace ampletie {
class DoubtList;

/// Something that can be decided at once and would settle or explain a doubt: a field of a source as typed, or a mark
/// held with what is published of it.
struct Correction {
  std::string words, source, field, value; ///< a field of `SourceThing`, and its value
  std::string hold{};                      ///< or the mark to hold, as `value` says
  std::string route{};                     ///< or the set-up of whose traverse `field` becomes `value`
  std::string occupation{};                ///< or the occupation whose `field` does
  std::string stop{};                      ///< or the stop of a track
};

/// What the software cannot settle and the surveyor must.
struct Doubt {
  enum class State { open, accepted };
  std::string id, about, sentence;
  std::string formerly{}; ///< its id before kinds had codes: acceptances may name that
  DoubtKind kind = DoubtKind::not_computed;
  Section section = Section::intake; ///< where to go
  Thing thing;                       ///< to select there
  std::string other{};               ///< of two names that may be one mark the one to give up
  std::optional<double> value, limit;
  std::string unit;
  std::optional<double> effect_m;        ///< on the issued coordinates, where it can be told
  std::vector<std::string> causes;       ///< each found by a check that was made
  std::vector<Correction> corrections{}; ///< that can be decided at once
  State state = State::open;
  std::string accepted_because;
};

/// A doubt's value or limit in print, in a unit that suits its size: "92.3575°", "153.656 m", "3.42 χ²".
std::string measured(double value, const std::string &unit);

// Doubts as results of the job, by what they read (judgement/findings.cpp puts them together).
void misplaced_doubts(DoubtList &list, const JobSnapshot &s);
/// The grid of physical heights: none, unused, ends near marks, counts otherwise than the job.
void geoid_doubts(DoubtList &list, const JobSnapshot &s);
/// Frame fits: what fails, what nobody checks, what lies beyond them.
void fit_doubts(DoubtList &list, const JobSnapshot &s);
/// Tracks and what was found to move: what was not solved, gaps of the base, stops that are not what they should be.
void track_doubts(DoubtList &list, const JobSnapshot &s);
/// Vectors and fixes that others measured: what runs on default weights, is not fixed, or cannot be used.
void measured_doubts(DoubtList &list, const JobSnapshot &s);
/// Further systems that marks were to be issued in and are not.
void also_doubts(DoubtList &list, const JobSnapshot &s);
/// Lists that give a mark otherwise than the one whose coordinates or height are used.
void list_doubts(DoubtList &list, const JobSnapshot &s);
/// Answers of positioning services against what the job knows of the same set-up; bases that only an answer could tie.
void answer_doubts(DoubtList &list, const JobSnapshot &s);
void file_doubts(DoubtList &list, const JobSnapshot &s);
/// Pictures and papers that belong to nothing, or were taken elsewhere.
void attachment_doubts(DoubtList &list, const JobSnapshot &s);
/// The field sheet against the files: what differs, what no file came of.
void field_sheet_doubts(DoubtList &list, const JobSnapshot &s);
void occupation_doubts(DoubtList &list, const JobSnapshot &s);
void level_line_doubts(DoubtList &list, const JobSnapshot &s);
void understood_less(DoubtList &list, const RecipeSource &src, Section section);
void same_book_doubts(DoubtList &list, const JobSnapshot &s);
void datum_doubts(DoubtList &list, const JobSnapshot &s);
/// Decisions whose target the sources do not hold any more: a recipe reads a book otherwise, a file is damaged.
void targetless_doubts(DoubtList &list, const JobSnapshot &s);
/// Damaged sources and records, decisions that do not count, results that could not be computed.
void plain_doubts(DoubtList &list, const JobSnapshot &s, const std::vector<Trouble> &troubles);

} // namespace ampletie
