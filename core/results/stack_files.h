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

/// A file, or a mark of the list that is given, that took no part.
struct StackLeftOut {
  std::string name, reason;
  std::string words() const { return name + ": " + reason; }
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
  std::string frame;          ///< of all of them
  bool datum_given = false;   ///< coordinates and velocities of marks lead into that frame
  std::vector<Vec3> given_sd; ///< stated of `input.core`: east, north, up, m; zero: not
  std::vector<StackLeftOut> left_out;
  std::vector<StackLeftOut> given_unused; ///< marks of the list that is given which cannot serve though files have them
};

/// Solutions among files.
struct StackReading {
  std::vector<StackFile> files;
  std::vector<StackLeftOut> unread; ///< what is no solution with its matrix
};

/// Puts solutions together as days: each by the vectors from one of its marks to all others with their joint
/// covariance, without what was put in beforehand, so that no day's own datum comes in. A file of a frame that differs
/// from that of most, without a date, or twice there is left out. Throws `InputError` where fewer than two are left,
/// for names that no file has, steps that are none, and a list of given coordinates of another frame.
StackFiles stack_files(const StackReading &files, const StackOptions &options);

/// How a mark that gives the datum comes out against what was given of it. A datum by minimal constraints takes the
/// mean of all: one wrong mark shifts and turns everything, and shows here alone.
struct GivenMisfit {
  std::size_t mark = 0;                               ///< in `StackInput::marks`
  Vec3 place = Vec3::Zero(), velocity = Vec3::Zero(); ///< computed less given; east, north, up, m, m/yr
  bool agrees = true; ///< within 3.29 of both deviations; a place whose list states none has 10 mm, velocities 1 mm/yr
};
std::vector<GivenMisfit> given_misfits(const StackFiles &files, const Stack &stack);

/// The files themselves, and those of folders by name.
std::vector<std::string> stack_paths(const std::vector<std::string> &named);

/// Reads files, and those of folders by their names; packed ones are unpacked.
StackReading read_stack_files(const std::vector<std::string> &paths);

/// A list of coordinates and velocities, as SINEX or by columns. Throws `InputError`.
ControlList read_given_list(const std::string &path);

/// The epoch that a date says, decimal year; nothing typed: 0, the middle of the days. Throws `InputError`.
double stack_epoch(const std::string &date);

} // namespace ampletie
