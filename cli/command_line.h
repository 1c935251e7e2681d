#pragma once
#include <CLI/CLI.hpp>
#include <optional>
#include <string>
#include <vector>

namespace ampletie::cli {

/// Everything that a command can be told.
struct Arguments {
  std::string looked; ///< of a second person's check, who is `by`
  std::string job, crs, vertical, realisation, epoch, title = "untitled job";
  std::vector<std::string> files, words, marks, columns;
  std::string mark, item, because, list, folder, scenario, only, as, frame, coordinate_epoch, orbits, unit,
      frame_of_rows, provisional, by;
  std::vector<double> xyz, grid, sd, velocity;
  std::optional<double> height, height_sd;
  std::vector<std::string> geodetic;
  double mask = 0, interval = 0;
  unsigned threads = 0;
  bool free = false, minimal = false, ahead = false, all = false, json = false, weighted = false, levels = false,
       traverses = false, plan = false;
  std::string what, systems, sessions, pairs;
  double frequencies = 0;
  std::vector<std::string> centre;
  std::string of_job, what_kind, template_file;
  double radius = 20;               ///< km
  double quiet = 20, watch_for = 0; ///< s
  std::string axis;                 ///< of a breakthrough
  bool planned = false;             ///< measure in the plan
  double within = 80;               ///< of a station of an archive, km
  bool look = false, solve_then = false;
  int port = 0;
  std::uint64_t seed = 1;
  std::string mistake, now; ///< of the archive's stand-in
  std::string shard;        ///< "2/5"
  std::string given;        ///< list of a stack's datum
  bool no_rotation = false, with_scale = false, seasonal = false;
};

/// The words of `ample`: its commands with their arguments. Knows nothing of jobs, so that help and wrong words cost
/// nothing; what a command does stands in actions.cpp under the same name.
struct CommandLine {
  CLI::App app{"Ample Tie: control surveying from the command line", "ample"};
  Arguments a;
  std::string chosen; ///< the command that was parsed
  CommandLine();
  CommandLine(const CommandLine &) = delete; ///< the parser points into the arguments
  std::vector<std::string> commands() const;
};

/// The lists that `show` knows, in order of the work.
inline constexpr const char *list_titles[] = {
    "sources",    "occupations", "vectors",   "tracks",      "stops",       "loops",      "runs",
    "heights",    "setups",      "traverses", "network",     "marks",       "comparison", "fits",
    "pairs",      "also",        "groups",    "constraints", "causes",      "patterns",   "change",
    "velocities", "plan",        "lists",     "geoids",      "measured",    "way",        "instruments",
    "doubts",     "decisions",   "results",   "field",       "attachments", "signed",     "issues"};
std::string list_names();

} // namespace ampletie::cli
