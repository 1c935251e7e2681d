#pragma once
#include "formats/gnss_data.h"
#include <functional>

namespace ampletie {

/// Takes part of a file: some of its epochs, in order of time, and its header as far as it was read.
using BlockSink = std::function<void(const ObservationFile &)>;

/// A receiver's epochs handed out in blocks: hours at a high rate need not lie in memory.
struct ObservationBlocks {
  ObservationFile sample; ///< the whole header, and some sixty epochs spread over all
  GpsTime start, stop;    ///< first and last epoch
  std::size_t epochs = 0;
  double interval = 1;                         ///< nominal, s
  std::function<void(const BlockSink &)> each; ///< may be asked again
};

/// Epochs that a sample takes of so many: every n-th.
inline std::size_t sample_stride(std::size_t epochs) { return epochs < 120 ? 1 : epochs / 60; }
/// Appends an epoch of another file with all that it holds.
void append_epoch(ObservationFile &to, const ObservationFile &from, const ObservationEpoch &e);

} // namespace ampletie
