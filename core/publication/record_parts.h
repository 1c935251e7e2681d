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

/// Closes a record: its number in the job, time, id and the bytes that are kept and written, whose hash is the
/// record's.
IssueRecord sealed(const Job &job, nlohmann::ordered_json content);

} // namespace ampletie
