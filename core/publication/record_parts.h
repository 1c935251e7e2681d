#pragma once
#include "job/job.h"

namespace ampletie {

/// What every issue record holds of its job: doubts (of one section, or all), decisions, sources (those named, or all).
nlohmann::ordered_json record_doubts(const Job &job, const std::string &section = {});
nlohmann::ordered_json record_decisions(const Job &job);
nlohmann::ordered_json record_sources(const JobSnapshot &s, const std::set<std::string> &only = {});

/// Closes a record: time, hash and id.
IssueRecord sealed(const nlohmann::ordered_json &content);

} // namespace ampletie
