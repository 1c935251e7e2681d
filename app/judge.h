#pragma once
#include "open_job/job.h"
#include <chrono>
#include <condition_variable>
#include <exception>
#include <functional>
#include <mutex>
#include <thread>

class QObject;

namespace ampletie::app {

/// Computes something of a job beside the window, on a thread of its own: what is thought of it, unless said otherwise.
/// Only the snapshot that was handed over last matters: one that came while another was computed takes its place.
class Judge {
public:
  /// What is told of a snapshot that was judged: itself, and the mistake of the program that kept it from being so.
  using Done = std::function<void(std::shared_ptr<const JobSnapshot>, std::exception_ptr)>;
  /// `done` is called on the judge's thread, for what nobody has waited for.
  explicit Judge(Done done);
  using Work = std::function<void(const JobSnapshot &)>;
  Judge(Work work, Done done);
  /// A `Done` that tells a widget in the window's thread; a mistake of the program shows there.
  static Done in_window(QObject *widget, std::function<void(const std::shared_ptr<const JobSnapshot> &)> tell);
  ~Judge();
  /// Hands a snapshot over and waits a moment: most decisions change little. Whether it has been judged.
  bool judge(std::shared_ptr<const JobSnapshot> s, std::chrono::milliseconds patience);

private:
  void work();
  Work work_;
  Done done_;
  std::mutex mutex_;
  std::condition_variable came_, judged_;
  std::shared_ptr<const JobSnapshot> next_; ///< to be judged
  std::weak_ptr<const JobSnapshot> last_;   ///< judged last; a job that was left need not stay for it
  bool leaving_ = false, awaited_ = false;
  std::thread thread_;
};

} // namespace ampletie::app
