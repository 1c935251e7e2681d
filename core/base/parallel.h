#pragma once
#include <algorithm>
#include <condition_variable>
#include <exception>
#include <mutex>
#include <queue>
#include <thread>
#include <vector>

namespace ampletie {

/// Calls `work(i, fetch(i))` for 0 … n−1: `fetch` in order on this thread, `work` on `workers` others, with no more
/// fetched and waiting than there are workers. Which `work` ends first is open; neither may throw.
template <class Fetch, class Work>
void fetch_and_work(std::size_t n, Fetch &&fetch, Work &&work, unsigned workers = std::thread::hardware_concurrency()) {
  using Item = decltype(fetch(std::size_t{}));
  workers = std::max(1U, std::min(workers, static_cast<unsigned>(n)));
  if (workers == 1) {
    for (std::size_t i = 0; i < n; ++i) work(i, fetch(i));
    return;
  }
  std::mutex mutex;
  std::condition_variable there, room;
  std::queue<std::pair<std::size_t, Item>> waiting;
  bool all = false;
  const auto labour = [&] {
    for (std::unique_lock lock(mutex);;) {
      there.wait(lock, [&] { return all || !waiting.empty(); });
      if (waiting.empty()) return;
      auto next = std::move(waiting.front());
      waiting.pop();
      lock.unlock();
      room.notify_one();
      work(next.first, std::move(next.second));
      lock.lock();
    }
  };
  std::vector<std::thread> threads;
  for (unsigned k = 0; k < workers; ++k) threads.emplace_back(labour);
  for (std::size_t i = 0; i < n; ++i) {
    Item item = fetch(i);
    std::unique_lock lock(mutex);
    room.wait(lock, [&] { return waiting.size() < workers; });
    waiting.emplace(i, std::move(item));
    lock.unlock();
    there.notify_one();
  }
  {
    const std::lock_guard lock(mutex);
    all = true;
  }
  there.notify_all();
  for (std::thread &t : threads) t.join();
}

/// Both at once, the second on a thread of its own; what either throws, the caller gets.
template <class First, class Second> void both_at_once(First &&first, Second &&second) {
  std::exception_ptr thrown;
  std::thread other([&] {
    try {
      second();
    } catch (...) {
      thrown = std::current_exception();
    }
  });
  try {
    first();
  } catch (...) {
    other.join();
    throw;
  }
  other.join();
  if (thrown) std::rethrow_exception(thrown);
}

} // namespace ampletie
