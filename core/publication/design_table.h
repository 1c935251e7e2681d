#pragma once
#include "publication/report.h"
#include "results/design.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// What a plan will reach, as `ample show plan` has it.
nlohmann::ordered_json design_object(const JobSnapshot &s, const JobDesign &d);

nlohmann::ordered_json breakthrough_row(const Breakthrough &b);
/// How far two drives will miss each other, 95 % in each direction: "K9 and N9 meet within …".
std::string breakthrough_words(const Breakthrough &b);

/// "R07 would be 3 mm worse in height; K9 would be lost" of a planned item that is left out.
std::string worth_words(const PlannedItem &item);
/// "8 satellites, integers 99.9 %" of a session; empty for others.
/// "line K7-HB1 would help K7 most: 0.4 mm in plan, 6.2 mm in height".
std::string help_words(const PlannedHelp &h);
std::string session_words(const PlannedItem &item);
/// The answer in one sentence: how many of the marks will reach what is asked.
std::string design_words(const JobSnapshot &s, const JobDesign &d);

/// The plan as a document for the crew: what to measure, and what it will reach.
Report design_report(const JobSnapshot &s, const JobDesign &d);

} // namespace ampletie
