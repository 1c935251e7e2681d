#pragma once
#include "job/slice.h"
#include "job/state.h"

namespace ampletie {

/// A log folded as it grows: one more decision costs what it says, not what was said before.
class Folding {
public:
  /// Takes over a log. One that has only grown by a decision is followed, the same one is known; else all is folded
  /// anew.
  void follow(const std::vector<Decision> &log);
  /// The state as decided; names that stand for others are settled.
  JobState state() const;
  const SliceKeys &keys() const { return keys_; }
  /// Decisions that could not be read, and why.
  const std::map<long, std::string> &unreadable() const { return raw_.unreadable; }

private:
  bool append(const Decision &d); ///< false: it cannot be read; half of it may have been taken
  void restart(const std::vector<Decision> &log);
  JobState raw_;
  SliceKeys keys_;
  std::vector<long> seen_;
};

} // namespace ampletie
