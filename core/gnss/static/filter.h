#pragma once
#include "gnss/filter/gaussian_state.h"
#include "gnss/model/differences.h"
#include "gnss/model/noise_model.h"
#include "gnss/static/filter_tape.h"
#include <Eigen/Dense>
#include <optional>

namespace ampletie {

/// Everything about one rover of a session against the common base.
struct FilterLeg {
  const DifferencedSession *session = nullptr;
  Vec3 start = Vec3::Zero(); ///< a-priori vector from the base
  double height_difference = 0;
  bool like_receivers = true;
  std::optional<NoiseInUse> noise; ///< as learnt from this leg's residuals; none: that of the options
};

/// Sequential least squares over a session: a Kalman filter whose state carries the coloured noise, so that the
/// ambiguities' covariance is right before any integer is searched. One leg gives a vector; several legs from one base
/// give all vectors of a session with their joint covariance: what the base contributes is common to them, and the
/// atmosphere of rovers that stand near each other is alike.
///
/// State per leg: position (3), relative zenith delay, on long vectors the base's zenith delay and two gradients, per
/// system a clock (renewed every epoch) and code biases per band, for GLONASS a carrier-code bias per band, per
/// satellite a slant ionosphere (on 1575.42 MHz), per satellite and band a multipath term, per arc an ambiguity in
/// cycles, and for short arcs a drift of the multipath along it. States of satellites that have set are taken out.
class SessionFilter {
public:
  /// `tape` (of a filter of one leg) is told every step.
  SessionFilter(std::vector<FilterLeg> legs, const StaticOptions &o, FilterTape *tape = nullptr);
  /// `times`: epochs at which the state moves on although no leg has data.
  void run(const Progress &progress, const std::vector<GpsTime> &times = {});

  /// Positions of all legs, their zenith delays, the carrier biases of GLONASS, then all arcs leg by leg.
  struct Estimate {
    Eigen::VectorXd x;
    Eigen::MatrixXd p;
    Eigen::Index first_arc = 0;
    std::vector<Eigen::Index> first_of_leg;                   ///< of each leg's arcs
    std::map<std::pair<std::size_t, int>, Eigen::Index> bias; ///< leg, band
    std::vector<Eigen::Index> stands;                         ///< where each stands in the filter; −1: nowhere
    /// Ambiguities of a leg's arcs in a state of this layout, cycles, with what the carrier biases add to them.
    Eigen::VectorXd with_biases(const Eigen::VectorXd &state, std::size_t leg, const DifferencedSession &s) const;
  };
  Estimate estimate() const;
  Eigen::Index states() const { return state_.size; }
  /// What an arc is too short to average, a constant of it.
  struct ArcConstant {
    std::size_t leg;
    int arc;
    double sd; ///< cycles
  };
  std::vector<ArcConstant> arc_constants() const;
  double fit() const { return normalised_ / std::max(1, used_); }
  int rejected() const { return rejected_; }
  double ionosphere_sd(std::size_t leg) const;
  double zenith_sd(std::size_t leg) const;
  /// First epoch of a run of three rejected phases: a slip that nothing else saw.
  const std::vector<std::vector<ForcedBreak>> &breaks() const { return breaks_; }

private:
  enum class Kind {
    position,
    zenith,
    base_zenith,
    gradient,
    clock,
    code_bias,
    carrier_bias,
    ionosphere,
    multipath,
    drift,
    arc
  };
  struct Key {
    Kind kind;
    int leg, a, b; ///< a: system or satellite, b: band or axis or arc
    auto operator<=>(const Key &) const = default;
  };
  using Design = std::vector<std::pair<Eigen::Index, double>>; ///< states and what an observation has of them
  struct Row {
    Design h;
    double y, variance, shared; ///< `shared`: the base's part of the variance
    int band;                   ///< −1 − band for codes
    std::size_t leg;
    const Difference *d;
  };
  Eigen::Index index(const Key &k) const {
    const auto it = at_.find(k);
    return it == at_.end() ? -1 : it->second;
  }
  Eigen::Index add(const Key &k, double x, double variance);
  Eigen::Index add_correlated(const Key &k, const std::vector<double> &prior);
  void remove_gone(GpsTime now);
  void advance(GpsTime now, double dt);
  void satellite(SatId sat, GpsTime time, const std::vector<const Difference *> &by_leg);
  void rows_of(std::size_t leg, GpsTime time, const Difference &d, std::vector<Row> &rows);
  Row code_row(std::size_t leg, const Difference &d, std::size_t band, Eigen::Index iono, double factor,
               const Design &common);
  Row phase_row(std::size_t leg, GpsTime time, const Difference &d, std::size_t band, Eigen::Index iono, double factor,
                Design common);
  Design geometry(std::size_t leg, const Difference &d, Eigen::Index clock) const;
  Eigen::Index ionosphere_state(std::size_t leg, const Difference &d);
  Eigen::Index arc_state(std::size_t leg, const Difference &d, std::size_t band, double lambda);
  void add_multipath(Row &r, std::size_t band);
  void add_drift(Row &r, GpsTime time, std::size_t band);
  Eigen::Index add_reflection(const Key &key, double variance);
  template <class Covariance> std::vector<double> prior_of(const Key &key, double variance, Covariance &&other);
  void apply(std::vector<Row> &rows, GpsTime time);
  CommonProcess process_of(const Key &k) const;
  /// The part of a state's variance that legs share (docs/methods/session.md).
  double common_part(const Key &k, double variance) const;
  void note_fit(const std::vector<Row> &rows, const Eigen::VectorXd &innovation, const Eigen::MatrixXd &s);
  /// A state as new: nothing of before is left in it.
  void renew(Eigen::Index i, double variance, int arc = -1);
  double cross(std::size_t k, std::size_t l, double vk, double vl) const;

  std::vector<FilterLeg> legs_;
  const StaticOptions &o_;
  FilterTape *tape_ = nullptr;
  std::vector<NoiseModel> noise_;
  std::map<Key, Eigen::Index> at_;
  std::vector<Key> keys_;
  GaussianState state_;
  std::map<std::pair<int, SatId>, GpsTime> last_seen_;
  std::map<Key, double> variance_; ///< stationary variance of ionosphere, multipath and drift states
  std::map<std::tuple<std::size_t, SatId, int>, std::pair<int, GpsTime>> misses_;
  std::map<std::pair<int, int>, std::pair<double, int>> arc_multipath_; ///< leg, arc → sum of the variance, epochs
  std::map<Key, int> drift_of_;                                         ///< drift state → the arc it belongs to now
  std::vector<std::vector<ForcedBreak>> breaks_;
  double normalised_ = 0;
  int used_ = 0, rejected_ = 0;
};

/// Share of a constant or drift of one arc that is the base's and in another leg's arc as well: half, by the time both
/// last; 0 for other satellites and bands.
double common_of_arcs(const CarrierArc &a, const CarrierArc &b);
double iono_factor(double hz);
/// Obliquity of a thin shell at 350 km.
double shell_obliquity(double elevation);

} // namespace ampletie
