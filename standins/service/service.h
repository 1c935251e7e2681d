#pragma once
#include "base/vector.h"
#include "formats/gnss_data.h"
#include <cstdint>
#include <string>
#include <vector>

namespace ampletie::service {

/// What a service may do wrong, or be given wrong.
enum class Mistake {
  none,
  antenna, ///< computes with another antenna
  height,  ///< takes the antenna height for zero
  frame,   ///< gives the coordinates of another frame, and does not say which
  weak,    ///< no integers: decimetres, and says so
  day      ///< answers for data of another day
};

/// One file that was sent, and the truth about its mark, which no service knows so well.
struct Request {
  std::string observations;              ///< name of the file
  const ObservationFile *file = nullptr; ///< its header and span are all that is looked at
  Vec3 mark = Vec3::Zero();              ///< in the orbits' frame at the session's epoch, m
  Vec3 elsewhere = Vec3::Zero();         ///< the same mark in the frame of `Mistake::frame`
  std::optional<double> true_height;     ///< of the reference point, m; nothing: as the file says
  std::string other_antenna = "MARLIN A2       NONE";
  double other_antenna_up = -0.034; ///< what that antenna makes of the height, m
  Mistake mistake = Mistake::none;
};

struct Settings {
  std::uint64_t seed = 1;
  std::string frame = "IGS20 (ITRF2020)";
  double plan = 0.004, up = 0.009; ///< standard deviations after four hours; they shrink with the root of the time, m
};

/// The two files of an answer.
struct Answer {
  std::string sinex, report;
};
/// Positions the mark of a request with errors drawn from the covariance that it states, always the same for one seed.
Answer answer(const Request &r, const Settings &s);

/// Whether a scenario is one for this stand-in, and its answers written into a folder; files that it names lie beside
/// it. Form: docs/formats.md. Throws `InputError`.
bool is_service_scenario(const std::string &text);
void simulate_to(const std::string &text, const std::string &beside, const std::string &folder);

} // namespace ampletie::service
