#pragma once
#include "gnss/filter/gaussian_state.h"
#include "gnss/kinematic/moving_session.h"
#include "gnss/kinematic/relations.h"
#include "gnss/model/noise_model.h"
#include "gnss/model/options.h"
#include <memory>

namespace ampletie {

/// A state that outlives an epoch.
struct SlowKey {
  enum class Kind : std::uint8_t { zenith, lapse, gradient, code_bias, carrier_bias, ionosphere, unit };
  Kind kind;
  int a = 0, b = 0; ///< a: system, satellite or unit; b: band or axis
  auto operator<=>(const SlowKey &) const = default;
};
/// The slow states with their covariance (lower triangle) as far as the data up to an instant tell.
struct SlowState {
  GpsTime time;
  std::vector<SlowKey> keys;
  Eigen::VectorXd x;
  Eigen::MatrixXd p;
  Eigen::VectorXd prior; ///< variance of what was known beforehand; infinite: nothing
};

/// Between a base and a moving receiver, what all parts of the solution need to know.
struct MovingSetting {
  Vec3 base = Vec3::Zero(); ///< marker, orbits' frame
  double base_height = 0;
  bool like_receivers = true;
  double longest = 0; ///< distance reached, m
};

/// What phases and codes at an epoch have of the slow states, the place and the clocks.
struct MovingRow {
  std::vector<std::pair<SlowKey, double>> slow;
  Vec3 place = Vec3::Zero();
  char system = ' ';
  double y = 0;
  int band = 0, arc = -1; ///< −1: a code
};
/// The rows of a satellite; `unit_of`: unit and whole cycles of an arc (unit −1: its phase is not used).
void rows_of(const MovingEpoch &e, const MovingDifference &d, const MovingSession &s, const MovingSetting &setting,
             const StaticOptions &o, const std::vector<std::pair<int, std::int64_t>> &unit_of,
             std::vector<MovingRow> &rows);
/// Standard deviation of the ionosphere's difference at the zenith, m.
double moving_ionosphere_sd(const MovingEpoch &e, const MovingSetting &setting, const StaticOptions &o);
/// Prior variance of a slow state; 0: none is known.
double prior_variance(const SlowKey &k, const MovingSession &s, const MovingSetting &setting, const StaticOptions &o,
                      double ionosphere_sd);
/// Moves the states on by `dt` seconds, in either direction.
void advance_slow(SlowState &s, double dt, const StaticOptions &o);
/// Units of a session's arcs: of those that are joined the component, of the others one each, with whole cycles.
std::vector<std::pair<int, std::int64_t>> units_of(const Relations &relations);
int component_count(const Relations &relations);

/// Sequential least squares over thinned epochs in one direction of time: place and clocks are free at every epoch,
/// what lasts (atmosphere, biases, one real number per arc) is carried on. Correlated noise counts once: an arc's first
/// value with the whole variance, later ones by what they add (docs/methods/kinematic.md). Arcs whose integers are
/// accepted, at two instants apart, are joined to components that share one real number.
class SlowFilter {
public:
  /// `known`: integers accepted before; then none are sought. `thin`: places of the epochs used, ascending.
  SlowFilter(const MovingSession &s, const MovingSetting &setting, const StaticOptions &o,
             const std::vector<std::size_t> &thin, bool backward, const Relations *known = nullptr);
  ~SlowFilter();
  /// Keeps a checkpoint at least this many seconds apart; 0: none.
  void run(const Progress &progress, double checkpoint_s);
  Relations relations() const;
  std::vector<SlowState> take_checkpoints(); ///< in order of time
  const std::vector<ForcedBreak> &breaks() const;
  int rejected() const;
  double ratio() const; ///< smallest with which integers were accepted; 0: none were

private:
  class Work;
  std::unique_ptr<Work> work_;
  bool backward_ = false;
};

} // namespace ampletie
