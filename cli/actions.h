#pragma once
#include "cli/command_line.h"
#include "cli/sitting.h"

namespace ampletie::cli {

/// Does what a command says; its exit code (docs/cli.md). Throws `InputError` for what cannot be done.
int act(const std::string &command, Sitting &here, const Arguments &a);

/// The commands of a file on one open job, a line each.
int batch(CommandLine &line, Sitting &here);

} // namespace ampletie::cli
