#pragma once
#include "base/vector.h"
#include "network/step_search.h"
#include <Eigen/Core>
#include <array>
#include <string>
#include <vector>

namespace ampletie {

/// One day's solution of a network, without what was put in beforehand.
struct DaySolution {
  std::string name;
  double year = 0;                ///< decimal, its middle
  std::vector<std::size_t> marks; ///< places in `StackInput::marks`, each once
  Eigen::VectorXd at;             ///< 3 per mark: X, Y, Z less the reference place, m
  Eigen::MatrixXd weight;         ///< normal matrix of these, 1/m²; may lack a datum
};

/// A mark that jumped: an earthquake, another antenna.
struct MarkStep {
  std::size_t mark = 0;
  double year = 0;
};

struct StackInput {
  std::vector<std::string> marks;
  std::vector<Vec3> reference; ///< rough places, m
  std::vector<DaySolution> days;
  std::vector<MarkStep> steps;
  bool rotation = true, scale = false; ///< that each day has of its own, besides a shift
  bool seasonal = false;               ///< a year's and half a year's wave of each mark
  /// The datum: these marks keep their reference places on the average (shift, and turn and scale where days have
  /// them), and these velocities. Empty: all marks that serve, with no velocity, so that all others are against their
  /// mean.
  struct Core {
    std::size_t mark = 0;
    Vec3 off = Vec3::Zero(), velocity = Vec3::Zero(); ///< given place less the reference place at `epoch`, m; m/yr
  };
  std::vector<Core> core;
  double epoch = 0;        ///< of the places that come out and of `Core::off`; 0: the middle of the days
  double outlier_p = 1e-3; ///< chance that a clean network of days loses one mark of one day
};

/// A mark on a day.
struct StackedDay {
  std::size_t day = 0;    ///< in `StackInput::days`
  Vec3 at = Vec3::Zero(); ///< east, north, up from its place at the epoch, the day's own datum taken off, m
  Vec3 residual = Vec3::Zero();
  bool outlier = false; ///< not used
};

struct StackedMark {
  std::size_t mark = 0;
  Vec3 place = Vec3::Zero();    ///< X, Y, Z at the epoch less the reference place, m
  Vec3 place_sd = Vec3::Zero(); ///< east, north, up, m, under the noise that was found; without what was given
  Vec3 velocity = Vec3::Zero(), velocity_sd = Vec3::Zero(); ///< east, north, up, m/yr; under the noise that was found
  Vec3 white_sd = Vec3::Zero();                             ///< of the velocity, had all noise been white, m/yr
  std::vector<std::pair<double, Vec3>> steps, step_sd;      ///< year, east, north, up, m
  Eigen::Matrix<double, 3, 4> seasonal =
      Eigen::Matrix<double, 3, 4>::Zero(); ///< cos, sin of the calendar year, of its half, m
  std::array<SeriesNoise, 3> noise;
  std::vector<StackedDay> series; ///< by time
  bool core = false;
  int outliers() const {
    int n = 0;
    for (const StackedDay &d : series) n += d.outlier;
    return n;
  }
};

struct Stack {
  double epoch = 0;
  std::optional<SuspectedStep> suspected; ///< a jump that nobody said, by place in `marks`; never applied
  std::vector<StackedMark> marks;
  double factor = 1; ///< by which the days' standard deviations are too small
  int outliers = 0;
  std::vector<std::string> left_out; ///< marks and steps that took no part, with the reason
  /// The mark that looks as if it had jumped; null: none does.
  const StackedMark *jumped() const { return suspected ? &marks[suspected->series] : nullptr; }
};

/// Adds up the normal equations of days whose datum is each its own: place, velocity, steps and waves of every mark by
/// least squares over all days, a shift (turn, scale) of each day eliminated from its weights before (Davies and
/// Blewitt 2000; Altamimi et al. 2002 write the same with explicit parameters). The datum comes from `core` by minimal
/// constraints. Mark-days that do not fit are taken out one a day, worst first, and the rest added up again. Velocities
/// get the standard deviations of the noise that their own residuals show (series_noise.h). Throws `InputError` where
/// days are fewer than two, hang together by too few marks, or a weight is none.
Stack stack_days(const StackInput &in);

} // namespace ampletie
