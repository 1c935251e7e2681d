// What `ample` does with jobs. It is called by the small program of that name (ample/main.cpp), which answers for help
// and kept lists by itself. The contract with scripts stands in docs/cli.md.
#include "base/error.h"
#include "cli/actions.h"
#include "cli/author.h"
#include "cli/keep_lists.h"
#include <cstdio>

namespace ampletie::cli {
namespace {

int run(int argc, char **argv) {
  CommandLine line;
  try {
    line.app.parse(argc, argv);
  } catch (const CLI::ParseError &e) {
    return line.app.exit(e) == 0 ? 0 : 2;
  }
  if (!line.a.by.empty()) decide_as(line.a.by);
  Sitting here;
  const std::string job = line.a.job, command = line.chosen; // a batch makes the arguments anew for each line
  const int code = command == "batch" ? batch(line, here) : act(command, here, line.a);
  // Who decides one thing after another should not wait for lists that nobody looks at in between.
  for (const char *looked_at_next : {"show", "solve", "adjust", "batch"})
    if (here.open && command == looked_at_next) keep_lists(job, *here.open);
  return code;
}

} // namespace
} // namespace ampletie::cli

int main(int argc, char **argv) {
  try {
    return ampletie::cli::run(argc, argv);
  } catch (const ampletie::InputError &e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 2;
  } catch (const std::exception &e) {
    std::fprintf(stderr, "internal error: %s\n", e.what());
    return 3;
  }
}
