#pragma once
#include "open_job/job.h"

namespace ampletie {

/// What every issue record holds of its job: doubts (of one section, or all), decisions, sources (those named, or all).
nlohmann::ordered_json record_doubts(const Job &job, std::optional<Section> section = {});
/// What takes no part in the result.
nlohmann::ordered_json record_left_over(const Job &job);
nlohmann::ordered_json record_decisions(const Job &job);
nlohmann::ordered_json record_sources(const JobSnapshot &s, const std::set<std::string> &only = {});

/// What is asked of an adjusted mark and what it reaches: `of`, `plan` and `height` with `asked_m`, `reached_m` and
/// `met`, `height_of`, `met`; null when nothing is asked.
nlohmann::ordered_json record_accuracy(const Job &job, const NetworkRun &run, const AdjustedMark &m);

/// Against the last issue that was not withdrawn: marks that moved, new ones, those that are gone; what was decided and
/// taken since. Null: there was none. `marks`: as the new record holds them.
nlohmann::ordered_json record_since_last(const Job &job, const nlohmann::ordered_json &marks);

/// Closes a record: its number in the job, time, id and the bytes that are kept and written, whose hash is the
/// record's.
IssueRecord sealed(const Job &job, nlohmann::ordered_json content);

/// Whether it was decided that a mark stays out of issues.
bool stays_out(const JobState &s, const std::string &mark);
/// The last check of a second person that was made of what the coordinates are now; null: there is none.
const SecondCheck *standing_check(const JobState &s, const NetworkRun &run);
/// Signs that somebody looked at the coordinates as they are now. Throws `InputError` where there are none yet, and for
/// one who decided in the job: a second person is somebody else.
void sign_second_check(Job &job, const std::string &by, const std::string &looked, const std::string &remark);
/// Who entered decisions that stand, in their order.
std::vector<std::string> authors_of(const Job &job);

/// What is known of marks on the ground, with the pictures and papers that belong to them and to their occupations.
nlohmann::ordered_json record_notes(const Job &job, const std::set<std::string> &marks);
/// Where earlier issues of the job, not provisional ones, had these marks.
nlohmann::ordered_json record_earlier(const Job &job, const std::set<std::string> &marks);

} // namespace ampletie
