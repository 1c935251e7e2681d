#include "formats/observation_blocks.h"

namespace ampletie {

void append_epoch(ObservationFile &to, const ObservationFile &from, const ObservationEpoch &e) {
  to.epochs.push_back(e);
  to.epochs.back().first = static_cast<std::uint32_t>(to.records.size());
  for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
    SatelliteRecord record = from.records[r];
    const auto first = from.values.begin() + record.first;
    record.first = static_cast<std::uint32_t>(to.values.size());
    to.records.push_back(record);
    to.values.insert(to.values.end(), first, first + record.count);
  }
}

} // namespace ampletie
