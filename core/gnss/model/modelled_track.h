#pragma once
#include "base/parked.h"
#include "formats/observation_blocks.h"
#include "gnss/model/occupation_model.h"

namespace ampletie {

/// The reduced epochs of one receiver in order of time; those of hours at a high rate do not lie in memory.
class ModelledTrack {
public:
  ModelledTrack() = default;
  explicit ModelledTrack(const OccupationModel &m);
  ModelledReceiver about;

  std::size_t size() const { return instants_.size(); }
  GpsTime time(std::size_t i) const { return instants_[i].time; }
  GpsTime first() const { return instants_.front().time; }
  GpsTime last() const { return instants_.back().time; }
  void append(const ModelledEpoch &e);
  void load(std::size_t i, ModelledEpoch &out) const;
  /// Takes observations out: `bad(epoch, observation)`.
  template <class Bad> void drop(Bad &&bad) {
    ModelledTrack kept;
    ModelledEpoch e;
    for (std::size_t i = 0; i < size(); ++i) {
      load(i, e);
      std::erase_if(e.sats, [&](const ModelledObservation &o) { return bad(e, o); });
      kept.append(e);
    }
    instants_ = std::move(kept.instants_), sats_ = std::move(kept.sats_);
  }

private:
  struct Instant : ModelledInstant {
    std::size_t first, count; ///< of its observations
  };
  std::vector<Instant> instants_;
  Parked<ModelledObservation> sats_;
};

/// Looks at the epochs of a track one after the other. A reference lasts until the fourth other epoch is looked at.
class TrackReader {
public:
  explicit TrackReader(const ModelledTrack &t) : track_(t) {}
  const ModelledEpoch &at(std::size_t i) {
    Slot &s = slots_[i % slots_.size()];
    if (!s.loaded || s.place != i) track_.load(i, s.epoch), s.place = i, s.loaded = true;
    return s.epoch;
  }

private:
  struct Slot {
    std::size_t place = 0;
    bool loaded = false;
    ModelledEpoch epoch;
  };
  const ModelledTrack &track_;
  std::array<Slot, 4> slots_;
};

/// Reduces what a receiver logged, block by block. `marker`: where it stood; nothing: it moved, and every epoch is
/// reduced at the place that its codes give (`model_track`). Throws `InputError` as those for whole files do.
ModelledTrack model_in_blocks(const ObservationBlocks &f, const Orbits &orbits, const std::optional<Vec3> &marker,
                              const AntennaSetup &antenna, const ModelOptions &options, const Progress &progress);

} // namespace ampletie
