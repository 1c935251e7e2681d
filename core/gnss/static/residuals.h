#pragma once
#include "gnss/model/differences.h"
#include "gnss/static/static_vector.h"
#include <Eigen/Core>

namespace ampletie {

/// What is known when the phase residuals are computed.
struct ResidualSetting {
  Vec3 position = Vec3::Zero();                   ///< against the a-priori vector
  Eigen::VectorXd ambiguities;                    ///< cycles, one per arc
  double ionosphere_sd = 0.001, zenith_sd = 0.02; ///< m, of the delays at the zenith
  bool like_receivers = true;
};

/// What the residuals say of the noise: Σ v²/σ² against its expectation, and the share of the multipath that lasts.
struct NoiseEvidence {
  double sum = 0, expected = 0, slow_share = 0;
  double delays = 0, expected_delays = 0; ///< of the ionosphere, squares over the prior
  double ionosphere_ratio() const { return expected_delays > 0 ? delays / expected_delays : 1; }
  double ratio() const { return expected > 0 ? sum / expected : 1; }
};

/// Fills `out.residuals` and `out.rms_m`: with position and ambiguities known only clocks, troposphere and ionosphere
/// still follow the data, epoch by epoch.
NoiseEvidence phase_residuals(const DifferencedSession &s, const StaticOptions &o, const ResidualSetting &known,
                              StaticVector &out);

} // namespace ampletie
