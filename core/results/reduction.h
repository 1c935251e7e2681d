#pragma once
#include "results/vectors.h"

namespace ampletie {

/// What all observations of satellites are reduced with: orbits, what is known of the ionosphere, antennas, and the way
/// to where published marks are at an instant. Throws `InputError` when the job has no orbits.
class Reduction {
public:
  explicit Reduction(const JobSnapshot &s);
  const std::unique_ptr<Orbits> orbits;
  const JobDatum datum;
  const OperationPolicy policy;
  ModelOptions options() const; ///< pointing into this
  /// A published mark at the epoch of a session. Where nothing says how it moved it stays: as a place to linearise at
  /// that is good enough.
  TaggedPoint anchor(const PublishedMark &p, double epoch) const;
  /// The same in the orbits' frame.
  Vec3 place(const PublishedMark &p, GpsTime t) const;

private:
  const JobSnapshot &s_;
  std::unique_ptr<IonospherePrior> ionosphere_;
  std::vector<SatelliteAntenna> satellites_;
};

AntennaSetup antenna_of(const Occupation &o);
/// The same occupation with a higher elevation mask.
OccupationModel above_mask(OccupationModel m, double mask_deg);

} // namespace ampletie
