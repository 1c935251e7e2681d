#pragma once
#include "publication/issue.h"

namespace ampletie {

/// Parts of control sheets, long and short, from an issue record alone.

/// What a reader must know before anything else: what fails, what is open, what took no part. `listed`: the sheet has a
/// list of that.
std::string verdict_words(const nlohmann::json &record, bool listed = true);
/// In what system coordinates are issued.
std::string issue_system_words(const nlohmann::json &record, bool physical);
/// What is asked of marks and what they reach; how many fall short is added up.
ReportTable asked_table(const nlohmann::json &record, int &short_of_it);
/// Who answers for it: authors, the second person, room for signatures.
ReportSection signing_section(const nlohmann::json &record);
/// What changed since the last issue, and what was done in between. `since`: of the record.
ReportSection since_section(const nlohmann::json &since, const nlohmann::json &record);
/// By which rules it was computed, for who wants to follow it.
ReportSection method_section(const nlohmann::json &record);

/// One page: what a client asks first. The long form, and the record, say the rest.
void shorten(Report &sheet, const nlohmann::json &record, LengthUnit unit);

} // namespace ampletie
