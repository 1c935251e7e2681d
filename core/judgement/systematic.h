#pragma once
#include "judgement/comparison.h"

namespace ampletie {

/// What the differences of one list have in common, by fits of the published places to the adjusted ones: parts that
/// are significant, each against the model without it. Throws `InputError` where the marks determine no fit (all on one
/// place or line).
std::vector<SystematicPart> systematic_parts(const JobSnapshot &s, const NetworkRun &run,
                                             const std::vector<const ComparedMark *> &marks);

} // namespace ampletie
