#pragma once
#include "publication/report.h"
#include "results/changes.h"
#include "results/motions.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// Changes against records among the sources, as an issue record and `ample show` hold them.
nlohmann::ordered_json change_rows(const std::vector<JobChange> &changes);

/// The section of the control sheet about one of them, with the movements drawn on the record's marks.
ReportSection change_section(const nlohmann::json &change, const nlohmann::json &record);

/// Velocities from repeated campaigns, as an issue record and `ample show velocities` hold them.
nlohmann::ordered_json motion_object(const JobMotions &m);

/// The section of the control sheet about them.
ReportSection motion_section(const nlohmann::json &motion);

/// "3 of 9 marks move, from 4 times" and the like, of those against what stands or of those in the frame.
std::string motion_words(const JobMotions &m, bool in_frame);

/// "2 of 9 marks moved against the other 7" and the like.
std::string change_words(const JobChange &c);

} // namespace ampletie
