#pragma once
#include "job/state.h"

namespace ampletie {

/// A job's settings as a small open file (JSON) that another job can begin with, and colleagues can read and use: every
/// setting that is not as the program has it by itself, as text in the unit shown. Title and epoch are the job's own
/// and are no part of it.
std::string write_template(const JobSettings &s);

/// The settings that a template says; the rest as the program has them. Throws `InputError` with a sentence when the
/// text is none of ours, is newer, names a setting that there is not, or gives a value that does not fit.
JobSettings read_template(const std::string &text);

} // namespace ampletie
