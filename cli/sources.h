#pragma once
#include "cli/command_line.h"
#include "open_job/job.h"

namespace ampletie::cli {

/// `ample set JOB source …`: how a file is read and what it is used for. Throws `InputError` in words.
void set_source(Job &job, const std::vector<std::string> &words, const std::string &because);

/// The source that a word names, which must be a grid of shifts. Throws `InputError` in words.
std::string shift_grid_named(const Job &job, const std::string &word);

/// `ample cut GRID OUT`: the part of a geoid grid around a place, or around a job's marks, as GTX or ISG. Gives a
/// sentence on what was written; throws `InputError` where the grid does not reach.
std::string cut_grid(const Arguments &a);

} // namespace ampletie::cli
