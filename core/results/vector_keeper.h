#pragma once
#include "results/vectors.h"
#include <chrono>

namespace ampletie {

/// Gathers vectors as they are solved and hands them on packed, at most every two seconds: what is solved in between is
/// all that a killed program loses, and the disk is not asked for every one. Called from one thread at a time.
class VectorKeeper {
public:
  explicit VectorKeeper(std::function<void(std::vector<StoredResult>)> write) : write_(std::move(write)) {}
  void operator()(const VectorResult &v) {
    batch_.push_back(to_stored(v));
    if (std::chrono::steady_clock::now() - last_ > std::chrono::seconds(2)) flush();
  }
  void flush() {
    last_ = std::chrono::steady_clock::now();
    if (!batch_.empty()) write_(std::exchange(batch_, {}));
  }

private:
  std::function<void(std::vector<StoredResult>)> write_;
  std::vector<StoredResult> batch_;
  std::chrono::steady_clock::time_point last_ = std::chrono::steady_clock::now();
};

} // namespace ampletie
