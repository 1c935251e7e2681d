#pragma once
#include "formats/sinex.h"
#include "network/stacking.h"
#include <optional>

namespace ampletie {

/// One solution among many of one network.
struct StackFile {
  std::string name;
  SinexSolution solution;
};

/// A file that took no part.
struct StackLeftOut {
  std::string file, reason;
  std::string words() const { return file + ": " + reason; }
};

/// What is said of a stack besides its files.
struct StackOptions {
  std::vector<std::string> core;    ///< marks that give the datum; empty: all of them
  std::optional<ControlList> given; ///< coordinates and velocities of `core`, in the frame of the solutions
  std::vector<std::string> steps;   ///< "WTZR@2021-07-01"
  bool rotation = true, scale = false, seasonal = false;
  double epoch = 0; ///< of the coordinates, decimal year; 0: the middle
};

/// A stack of files, and what is to be said of them.
struct StackFiles {
  StackInput input;
  std::string frame;        ///< of all of them
  bool datum_given = false; ///< coordinates and velocities of marks lead into that frame
  std::vector<StackLeftOut> left_out;
};

/// Puts solutions together as days: each by the vectors from one of its marks to all others with their joint
/// covariance, without what was put in beforehand, so that no day's own datum comes in. A file of a frame that differs
/// from that of most, without a date, or twice there is left out. Throws `InputError` where fewer than two are left,
/// for names that no file has, steps that are none, and a list of given coordinates of another frame.
StackFiles stack_files(const std::vector<StackFile> &files, const StackOptions &options);

/// Solutions among files.
struct StackReading {
  std::vector<StackFile> files;
  std::vector<StackLeftOut> unread; ///< what is no solution with its matrix
};

/// Reads files, and those of folders by their names; packed ones are unpacked.
StackReading read_stack_files(const std::vector<std::string> &paths);

/// A list of coordinates and velocities, as SINEX or by columns. Throws `InputError`.
ControlList read_given_list(const std::string &path);

/// The epoch that a date says, decimal year; nothing typed: 0, the middle of the days. Throws `InputError`.
double stack_epoch(const std::string &date);

} // namespace ampletie
