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
  checked_.resize(r.index + 1, 0), anew_.resize(r.index + 1, 0);
}

const JobSnapshot::Entry &JobSnapshot::entry(const ResultBase &r) const {
  const std::lock_guard lock(mutex_);
  make_room(r);
  if (checked_[r.index]) return *entries_[r.index];
  auto fresh = std::make_shared<Entry>();
  fresh->stamp = stamp(r); // asks for what it reads
  if (!entries_[r.index] || entries_[r.index]->assumed || entries_[r.index]->stamp != fresh->stamp) {
    struct Mark {
      explicit Mark(const ResultBase *what) { computing.push_back(what); }
      ~Mark() { computing.pop_back(); }
    } mark(&r);
    const auto begin = std::chrono::steady_clock::now();
    try {
      fresh->value = r.compute(*this);
      if (fresh->value) fresh->key = r.key(fresh->value.get());
    } catch (const Cancelled &) {
      throw;
    } catch (const std::logic_error &) {
      throw;
    } catch (const std::exception &e) {
      fresh->trouble = reason_of(e, std::string("the computation failed: ") + e.what());
      fresh->key = "!" + fresh->trouble;
    }
    fresh->seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    entries_[r.index] = std::move(fresh);
    anew_[r.index] = 1;
  }
  checked_[r.index] = 1;
  return *entries_[r.index];
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
      x.seconds = e.seconds, x.trouble = e.trouble, x.anew = anew_[r->index];
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
