#pragma once
#include <memory>

namespace ampletie {

/// A value that its copies share: for what is large and never changes once it is made. Empty: a default value.
template <class T> class Shared {
public:
  Shared() {
    static const auto none = std::make_shared<const T>();
    value_ = none;
  }
  Shared(T v) : value_(std::make_shared<const T>(std::move(v))) {}
  const T &operator*() const { return *value_; }
  const T *operator->() const { return value_.get(); }

private:
  std::shared_ptr<const T> value_;
};

} // namespace ampletie
