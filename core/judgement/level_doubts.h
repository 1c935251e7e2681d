#pragma once
#include "levelling/line.h"
#include <string>
#include <vector>

namespace ampletie {
struct LevelLine;

/// Mistakes that would explain a misclosure, each tried: a set-up booked twice taken away, two names exchanged, a
/// reading wrong by a whole decimetre or metre, the line of sight with the line's unbalance, the scale of one staff. As
/// clauses for a sentence, the likeliest first; empty when nothing fits within the limit.
std::vector<std::string> level_causes(const LevelLine &line, const Misclosure &closure, const LevelLimits &limits);

} // namespace ampletie
