#pragma once
#include "formats/rinex_observation.h"

namespace ampletie {

/// Reads observations out of the bytes of a file that come in pieces. What has to be undone as a whole (compact RINEX,
/// packings other than gzip) is kept until the end.
class BlocksOfSource {
public:
  explicit BlocksOfSource(ObservationBlockReader::Take take);
  ~BlocksOfSource();
  void add(std::string_view piece);
  /// False: these are no observations that are read so, and none were handed out.
  bool finish();

private:
  struct Work;
  std::unique_ptr<Work> work_;
};

} // namespace ampletie
