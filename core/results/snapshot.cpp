#include "results/snapshot.h"
#include "base/hash.h"
#include "base/progress.h"
#include "base/reason.h"
#include "results/caches.h"
#include <chrono>

namespace ampletie {
namespace {
std::mutex registering;
std::vector<const ResultBase *> &registered() {
  static std::vector<const ResultBase *> all;
  return all;
}
/// What this thread is computing, innermost last.
thread_local std::vector<const ResultBase *> computing;

std::size_t registered_as(const ResultBase *r) {
  const std::lock_guard lock(registering);
  registered().push_back(r);
  return registered().size() - 1;
}
} // namespace

ResultBase::ResultBase(const char *n, Section where, std::vector<const ResultBase *> r, std::vector<Slice> s)
    : name(n), section(where), index(registered_as(this)), reads(std::move(r)), slices(std::move(s)) {}

JobSnapshot::JobSnapshot(JobInputs inputs, const JobSnapshot *before)
    : inputs_(std::move(inputs)), caches_(before ? before->caches_ : std::make_shared<ResultCaches>()) {
  if (!before) return;
  const std::lock_guard lock(before->mutex_);
  entries_ = before->entries_;
}

const JobState &JobSnapshot::state() const { return *inputs_.state; }

std::string JobSnapshot::stamp(const ResultBase &r) const {
  std::string all = r.name;
  for (const ResultBase *read : r.reads) {
    const Entry &e = entry(*read);
    all += "|" + (e.key.empty() ? e.stamp : e.key);
  }
  for (Slice s : r.slices) all += "/" + inputs_.slices[static_cast<std::size_t>(s)];
  return sha256_hex(all);
}

void JobSnapshot::make_room(const ResultBase &r) const {
  if (checked_.size() > r.index) return;
  entries_.resize(std::max(entries_.size(), r.index + 1));
  checked_.resize(r.index + 1, 0), anew_.resize(r.index + 1, 0), busy_.resize(r.index + 1, 0);
}

/// The computing of one result by this thread: others who ask for it wait until it ends, however it ends.
class JobSnapshot::Turn {
public:
  /// Waits while another thread has it; `done` when there is nothing left to do.
  Turn(const JobSnapshot &s, std::size_t index) : s_(s), index_(index) {
    std::unique_lock lock(s_.mutex_);
    s_.ended_.wait(lock, [&] { return s_.checked_[index_] || !s_.busy_[index_]; });
    done = s_.checked_[index_];
    if (done) return;
    s_.busy_[index_] = 1;
    before = s_.entries_[index_];
  }
  void end(std::shared_ptr<const Entry> with, bool anew) {
    const std::lock_guard lock(s_.mutex_);
    s_.entries_[index_] = std::move(with), s_.checked_[index_] = 1, s_.anew_[index_] = anew;
  }
  ~Turn() {
    if (done) return;
    const std::lock_guard lock(s_.mutex_);
    s_.busy_[index_] = 0;
    s_.ended_.notify_all();
  }
  Turn(const Turn &) = delete;
  bool done = false;
  std::shared_ptr<const Entry> before;

private:
  const JobSnapshot &s_;
  const std::size_t index_;
};

const JobSnapshot::Entry &JobSnapshot::entry(const ResultBase &r) const {
  {
    const std::lock_guard lock(mutex_);
    make_room(r);
    if (checked_[r.index]) return *entries_[r.index];
  }
  Turn turn(*this, r.index);
  if (!turn.done) {
    auto fresh = std::make_shared<Entry>();
    fresh->stamp = stamp(r); // asks for what it reads
    const bool same = turn.before && !turn.before->assumed && turn.before->stamp == fresh->stamp;
    if (same)
      turn.end(turn.before, false);
    else
      turn.end(computed(r, std::move(fresh)), true);
  }
  const std::lock_guard lock(mutex_);
  return *entries_[r.index];
}

std::shared_ptr<const JobSnapshot::Entry> JobSnapshot::computed(const ResultBase &r, std::shared_ptr<Entry> e) const {
  struct Mark {
    explicit Mark(const ResultBase *what) { computing.push_back(what); }
    ~Mark() { computing.pop_back(); }
  } mark(&r);
  const auto begin = std::chrono::steady_clock::now();
  try {
    e->value = r.compute(*this);
    if (e->value) e->key = r.key(e->value.get());
  } catch (const Cancelled &) {
    throw;
  } catch (const std::logic_error &) {
    throw;
  } catch (const std::exception &why) {
    e->trouble = reason_of(why, std::string("the computation failed: ") + why.what());
    e->key = "!" + e->trouble;
  }
  e->seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return e;
}

std::shared_ptr<const void> JobSnapshot::at_hand(const ResultBase &r) const {
  const std::lock_guard lock(mutex_);
  return r.index < checked_.size() && checked_[r.index] ? entries_[r.index]->value : nullptr;
}

const void *JobSnapshot::demand(const ResultBase &r) const {
  if (!computing.empty()) {
    const auto &said = computing.back()->reads;
    if (computing.back() != &r &&
        std::none_of(said.begin(), said.end(), [&](const ResultBase *x) { return x == &r || x->facet_of == &r; }))
      throw std::logic_error(std::string("\"") + computing.back()->name + "\" reads \"" + r.name +
                             "\" and does not say so");
  }
  return entry(r).value.get();
}

std::shared_ptr<const void> JobSnapshot::share(const ResultBase &r) const {
  demand(r);
  return entry(r).value;
}

std::string JobSnapshot::key_of(const ResultBase &r) const {
  demand(r);
  const Entry &e = entry(r);
  return e.key.empty() ? e.stamp : e.key;
}

std::vector<ResultStatus> JobSnapshot::status() const {
  std::vector<const ResultBase *> all;
  {
    const std::lock_guard lock(registering);
    all = registered();
  }
  const std::lock_guard lock(mutex_);
  std::vector<ResultStatus> out;
  for (const ResultBase *r : all) {
    ResultStatus x;
    x.result = r;
    if (r->index < checked_.size() && checked_[r->index]) {
      const Entry &e = *entries_[r->index];
      x.state = e.trouble.empty() ? ResultStatus::State::current : ResultStatus::State::failed;
      x.seconds = e.seconds, x.trouble = e.trouble, x.anew = anew_[r->index], x.by = e.by;
    }
    out.push_back(x);
  }
  return out;
}

std::vector<Trouble> JobSnapshot::troubles() const {
  std::vector<Trouble> out;
  for (const ResultStatus &s : status())
    if (!s.trouble.empty()) out.push_back({s.result->section, s.trouble});
  std::sort(out.begin(), out.end()); // results are registered in the order in which they were first asked for
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

void JobSnapshot::place(const ResultBase &r, std::shared_ptr<const void> value) {
  const std::lock_guard lock(mutex_);
  make_room(r);
  auto fresh = std::make_shared<Entry>();
  fresh->value = std::move(value), fresh->assumed = true;
  fresh->stamp = fresh->key = "assumed";
  entries_[r.index] = std::move(fresh), checked_[r.index] = 1;
}

void JobSnapshot::assume(JobState state) { inputs_.state = std::make_shared<const JobState>(std::move(state)); }

} // namespace ampletie
