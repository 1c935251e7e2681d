#include "app/judge.h"
#include <QMetaObject>
#include <QObject>

namespace ampletie::app {

Judge::Judge(Done done)
    : Judge(
          [](const JobSnapshot &s) {
            s.get(traverse_findings_result());
            s.get(loops_result());
            s.get(doubts_result());
          },
          std::move(done)) {}

Judge::Judge(Work work, Done done)
    : work_(std::move(work)), done_(std::move(done)), thread_([this] { this->work(); }) {}

Judge::Done Judge::in_window(QObject *widget, std::function<void(const std::shared_ptr<const JobSnapshot> &)> tell) {
  return [widget, tell](const std::shared_ptr<const JobSnapshot> &s, std::exception_ptr mistake) {
    QMetaObject::invokeMethod(
        widget,
        [tell, s, mistake] {
          tell(s);
          if (mistake) std::rethrow_exception(mistake);
        },
        Qt::QueuedConnection);
  };
}

Judge::~Judge() {
  {
    const std::lock_guard lock(mutex_);
    leaving_ = true;
    next_.reset();
  }
  came_.notify_all();
  thread_.join();
}

bool Judge::judge(std::shared_ptr<const JobSnapshot> s, std::chrono::milliseconds patience) {
  std::unique_lock lock(mutex_);
  next_ = s;
  came_.notify_all();
  awaited_ = true;
  const bool there = judged_.wait_for(lock, patience, [&] { return last_.lock() == s; });
  awaited_ = false;
  return there;
}

void Judge::work() {
  std::unique_lock lock(mutex_);
  for (;;) {
    came_.wait(lock, [&] { return leaving_ || next_; });
    if (leaving_) return;
    const auto s = std::exchange(next_, nullptr);
    lock.unlock();
    std::exception_ptr mistake;
    try {
      work_(*s);
    } catch (...) {
      mistake = std::current_exception(); // what the data do wrong is a result; this is not
    }
    lock.lock();
    last_ = s;
    judged_.notify_all();
    if (next_ || (awaited_ && !mistake)) continue;
    lock.unlock();
    done_(s, mistake);
    lock.lock();
  }
}

} // namespace ampletie::app
