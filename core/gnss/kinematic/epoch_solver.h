#pragma once
#include "gnss/kinematic/slow_filter.h"
#include "gnss/kinematic/track.h"

namespace ampletie {

/// A place of the moving marker, orbits' frame.
struct Placed {
  TrackState state = TrackState::none;
  Vec3 position = Vec3::Zero();
  Mat3 cov = Mat3::Zero();
  Mat3 own = Mat3::Zero(); ///< the part of it that is this place's alone: as if what lasts were known
  int satellites = 0;
  double rms_m = 0;  ///< of the carriers' residuals
  double misfit = 0; ///< squares of the carriers' residuals over what the noise lets expect
  int redundancy = 0, rejected = 0;
};

/// Places epochs, given what lasts. The noise is that of an epoch by itself: reflections do not average out within a
/// stop, and the mean of one says so.
class EpochSolver {
public:
  EpochSolver(const MovingSession &s, const MovingSetting &setting, const StaticOptions &o, const Relations &known);
  /// What lasts, from the data before and after (either may be null), at an instant between.
  void take(const SlowState *before, const SlowState *after, GpsTime t);
  /// One epoch, or the mean place of a standstill over several.
  /// `codes`: without them where what lasts was estimated from theirs.
  /// `residuals`: gets those of the carriers that were used, of all of its epochs.
  Placed solve(const std::vector<const MovingEpoch *> &epochs, bool codes = true,
               std::vector<ResidualSample> *residuals = nullptr) const;
  Placed solve(const MovingEpoch &e, std::vector<ResidualSample> *residuals = nullptr) const {
    return solve(std::vector<const MovingEpoch *>{&e}, true, residuals);
  }

private:
  struct Row;
  /// A checkpoint as information.
  struct Told {
    const SlowState *by;
    bool ionosphere; ///< with it
    std::vector<SlowKey> keys;
    Eigen::MatrixXd information;
    Eigen::VectorXd vector, prior;
  };
  const Told &told_by(const SlowState &given, GpsTime t, bool ionosphere);
  void collect(const std::vector<const MovingEpoch *> &epochs, std::vector<Row> &rows, std::vector<SlowKey> &added,
               bool codes) const;
  static Row *judge(std::vector<Row> &rows, const Eigen::VectorXd &x, const std::vector<double> &weight, Placed &out);
  static void tell(const std::vector<Row> &rows, std::vector<ResidualSample> &out);
  void classify(const std::vector<Row> &rows, Placed &out) const;
  double variance(const MovingDifference &d, const MovingRow &r, double count, double span) const;

  const MovingSession &s_;
  const MovingSetting &setting_;
  const StaticOptions &o_;
  std::vector<std::pair<int, std::int64_t>> unit_of_;
  int components_;
  NoiseModel noise_, single_;
  std::map<SlowKey, Eigen::Index> at_;
  Eigen::MatrixXd information_; ///< of the slow states
  std::vector<Told> told_;      ///< of late
  Eigen::VectorXd vector_;      ///< information times state
};

} // namespace ampletie
