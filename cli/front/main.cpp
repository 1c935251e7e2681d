// `ample`: reads the words of a command, prints help and lists that were kept, and hands everything else to ample-job,
// which alone links what computes. Starting that takes longer than answering.
#include "cli/command_line.h"
#include "cli/kept_lists.h"
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <unistd.h>

namespace {
namespace fs = std::filesystem;

/// The program beside this one, or in lib/ample-tie where it is installed; empty: there is none.
std::string job_program() {
  std::error_code e;
  const fs::path here = fs::read_symlink("/proc/self/exe", e).parent_path();
  for (const char *place : {"ample-job", "../lib/ample-tie/ample-job"})
    if (fs::exists(here / place, e)) return fs::canonical(here / place, e).string();
  return {};
}

} // namespace

int main(int argc, char **argv) {
  using namespace ampletie::cli;
  CommandLine line;
  try {
    line.app.parse(argc, argv);
  } catch (const CLI::ParseError &e) {
    return line.app.exit(e) == 0 ? 0 : 2;
  }
  const std::string program = job_program();
  if (line.chosen == "show" && line.a.frame_of_rows.empty())
    if (const auto kept = read_kept(line.a.job, job_stamp(line.a.job, program)))
      if (const auto text = kept->texts.find(line.a.list + (line.a.json ? " --json" : "")); text != kept->texts.end()) {
        std::fwrite(text->second.data(), 1, text->second.size(), stdout);
        return kept->code;
      }
  if (!program.empty()) ::execv(program.c_str(), argv);
  std::fprintf(stderr, "the part \"ample-job\" of this program %s\n",
               program.empty() ? "is not installed" : std::strerror(errno));
  return 3;
}
