#pragma once
#include "cli/command_line.h"
#include "cli/sitting.h"

namespace ampletie::cli {

/// Does what a command says; its exit code (docs/cli.md). Throws `InputError` for what cannot be done.
int act(const std::string &command, Sitting &here, const Arguments &a);

void print(const std::string &s);
/// Prints what became of files, of refused ones to the error output; false: one was.
bool all_taken(const std::vector<Intake> &became);
/// The commands of a file on one open job, a line each.
int batch(CommandLine &line, Sitting &here);

} // namespace ampletie::cli
