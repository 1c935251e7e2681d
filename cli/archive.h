#pragma once
#include "cli/command_line.h"
#include "cli/sitting.h"

namespace ampletie::cli {

/// `ample fetch JOB ADDRESS`: what the job needs of an archive, fetched and taken.
int cmd_fetch(Sitting &here, const Arguments &a);

/// `ample serve FOLDER`: the stand-in of a reference archive.
int cmd_serve(Sitting &here, const Arguments &a);

} // namespace ampletie::cli
