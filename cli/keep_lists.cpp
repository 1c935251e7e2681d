#include "cli/keep_lists.h"
#include "cli/command_line.h"
#include "cli/kept_lists.h"
#include "cli/show.h"
#include <filesystem>

namespace ampletie::cli {

void keep_lists(const std::string &path, const Job &job) {
  if (job.store().read_only()) return; // its writer may be changing it just now
  std::error_code e;
  const std::string stamp = job_stamp(path, std::filesystem::read_symlink("/proc/self/exe", e).string());
  if (stamp.empty() || read_kept(path, stamp)) return;
  KeptLists lists;
  lists.code = job.open_doubts() ? 1 : 0;
  for (const std::string list : list_titles) {
    if (list == "results") continue;     // tells of the program that runs
    if (list == "tracks") continue;      // hundreds of thousands of epochs
    if (list == "constraints") continue; // three adjustments that few ask for
    try {
      const auto all = rows(job, list, false);
      lists.texts[list] = table(all), lists.texts[list + " --json"] = all.dump(1) + "\n";
    } catch (const std::exception &) {
      // What cannot be shown says so when it is asked for; the command that was given is done all the same.
    }
  }
  write_kept(path, stamp, lists);
}

} // namespace ampletie::cli
