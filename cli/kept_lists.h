#pragma once
#include <map>
#include <optional>
#include <string>

namespace ampletie::cli {

/// Lists of a job as they were printed last, in the user's cache ($XDG_CACHE_HOME/ample-tie): to look at a job that
/// has not changed needs neither its sources nor the libraries that compute. One file a job; those that nobody made
/// for two months go.
struct KeptLists {
  int code = 0;                             ///< the exit code of `show`
  std::map<std::string, std::string> texts; ///< by "marks", "marks --json"
};

/// Tells the state of a job file, and what computes with it, from any other: where it is, its size, times and SQLite's
/// count of changes, the program, and where PROJ finds its grids. Empty when that cannot be told, as with a journal
/// beside the file. `program`: the file that computes.
std::string job_stamp(const std::string &job, const std::string &program);

/// Those that were kept for this stamp; nothing when there are none.
std::optional<KeptLists> read_kept(const std::string &job, const std::string &stamp);
/// A cache that cannot be written is no failure.
void write_kept(const std::string &job, const std::string &stamp, const KeptLists &lists);

} // namespace ampletie::cli
