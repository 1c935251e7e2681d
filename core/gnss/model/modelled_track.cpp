#include "gnss/model/modelled_track.h"

namespace ampletie {

ModelledTrack::ModelledTrack(const OccupationModel &m) : about(m) {
  for (const ModelledEpoch &e : m.epochs) append(e);
}

void ModelledTrack::append(const ModelledEpoch &e) {
  instants_.push_back({e, sats_.size(), e.sats.size()});
  sats_.append(e.sats);
}

void ModelledTrack::load(std::size_t i, ModelledEpoch &out) const {
  const Instant &own = instants_[i];
  static_cast<ModelledInstant &>(out) = own;
  sats_.read(own.first, own.count, out.sats);
}

} // namespace ampletie
