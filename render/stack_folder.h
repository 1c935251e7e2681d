#pragma once
#include "results/stack_files.h"
#include <string>

namespace ampletie {

/// Throws `InputError` where there is something already.
void refuse_full_folder(const std::string &folder);

/// Writes what a stack gives into a new folder, or an empty one: `stack.html`, `stack.pdf`, `stack.json`, `series.csv`
/// and, where coordinates were given, `marks.csv` (docs/formats.md). Throws `InputError`; then nothing is left there.
void write_stack(const StackFiles &files, const Stack &stack, const std::string &folder);

} // namespace ampletie
