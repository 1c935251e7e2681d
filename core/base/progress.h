#pragma once
#include <atomic>
#include <exception>
#include <functional>
#include <string>

namespace ampletie {

/// Thrown by `Progress::step` once the user has pressed Stop.
struct Cancelled : std::exception {
  const char *what() const noexcept override { return "stopped"; }
};

/// How far a long computation has come, with a sentence; and the way to stop it. Safe to use from several threads.
class Progress {
public:
  std::function<void(double fraction, const std::string &sentence)> report;
  void cancel() { cancelled_ = true; }
  bool cancelled() const { return cancelled_; }
  void check() const {
    if (cancelled_) throw Cancelled();
  }
  void step(double fraction, const std::string &sentence) const {
    check();
    if (report) report(fraction, sentence);
  }

private:
  std::atomic<bool> cancelled_{false};
};

} // namespace ampletie
