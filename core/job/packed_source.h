#pragma once
#include <string>

struct sqlite3;

namespace ampletie {

/// Tells whether a source lies in its job as it did, without unpacking it: a day at 1 Hz packs to a fifth, and no more
/// than a megabyte of it is in memory at a time. The connection is its own and reads only.
class PackedSources {
public:
  /// Throws `InputError` when the job cannot be opened.
  explicit PackedSources(const std::string &job);
  PackedSources(const PackedSources &) = delete;
  ~PackedSources();
  /// SHA-256 of the packed bytes of a source, its pieces in order; empty: it is not there, or cannot be read.
  std::string hash(const std::string &source_id) const;

private:
  sqlite3 *db_ = nullptr;
};

} // namespace ampletie
