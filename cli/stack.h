#pragma once
#include "cli/command_line.h"
#include "cli/sitting.h"

namespace ampletie::cli {

/// `ample stack FOLDER FILE…`: many days' solutions of one network added up, without a job.
int cmd_stack(Sitting &here, const Arguments &a);

} // namespace ampletie::cli
