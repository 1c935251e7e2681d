#pragma once
#include <algorithm>
#include <map>
#include <string>
#include <utility>

namespace ampletie {

/// Disjoint sets of names joined by vectors. A name that was never joined is a set of its own.
class Groups {
public:
  /// False when both were in one set already.
  bool join(const std::string &a, const std::string &b) {
    const std::string x = root(a), y = root(b);
    if (x == y) return false;
    parent_[std::max(x, y)] = std::min(x, y);
    return true;
  }
  std::string root(const std::string &a) const {
    std::string top = a;
    for (auto it = parent_.find(top); it != parent_.end(); it = parent_.find(top)) top = it->second;
    // The next question goes straight there: a line of ten thousand marks is one chain.
    for (auto it = parent_.find(a); it != parent_.end() && it->second != top;)
      it = parent_.find(std::exchange(it->second, top));
    return top;
  }

private:
  mutable std::map<std::string, std::string> parent_;
};

} // namespace ampletie
