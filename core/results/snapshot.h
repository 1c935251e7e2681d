#pragma once
#include "job/content.h"
#include "job/slice.h"
#include "job/state.h"
#include <condition_variable>
#include <functional>
#include <mutex>
#include <thread>

namespace ampletie {
class JobSnapshot;
struct ResultCaches;
struct Occupation;
struct PublishedMark;
struct MisplacedMark;
struct LevelReport;
struct ListSource;
struct GeoidChoice;
struct ShiftChoice;
struct TraverseReport;
struct VectorResult;

/// A node of the job's graph of results: what it reads and how it is computed. Defined once for each result, as a
/// `Result<T>` (results/job_results.cpp, judgement/findings.cpp); nothing else need know when it is out of date.
class ResultBase {
public:
  ResultBase(const char *name, Section section, std::vector<const ResultBase *> reads, std::vector<Slice> slices);
  virtual ~ResultBase() = default;
  ResultBase(const ResultBase &) = delete;
  const char *const name;
  const Section section; ///< where it is told when it cannot be computed
  const std::size_t index;
  const std::vector<const ResultBase *> reads;
  const std::vector<Slice> slices;
  const ResultBase *facet_of = nullptr; ///< set for a facet
  virtual std::shared_ptr<const void> compute(const JobSnapshot &s) const = 0;
  /// What tells this value from another where that is less than everything it was made of; empty: nothing is.
  virtual std::string key(const void *) const { return {}; }
};

template <class T> class Result : public ResultBase {
public:
  using Compute = std::function<T(const JobSnapshot &)>;
  using Key = std::function<std::string(const T &)>;
  Result(const char *title, Section where, std::vector<const ResultBase *> from, std::vector<Slice> parts,
         Compute compute, Key key = {})
      : ResultBase(title, where, std::move(from), std::move(parts)), compute_(std::move(compute)),
        key_(std::move(key)) {}
  std::shared_ptr<const void> compute(const JobSnapshot &s) const override {
    return std::make_shared<const T>(compute_(s));
  }
  std::string key(const void *value) const override { return key_ ? key_(*static_cast<const T *>(value)) : ""; }

private:
  Compute compute_;
  Key key_;
};

/// A result seen from one side: who reads it so is computed anew only when that side changes.
template <class T> class Facet : public ResultBase {
public:
  Facet(const char *title, const Result<T> &of, typename Result<T>::Key key)
      : ResultBase(title, of.section, {&of}, {}), key_(std::move(key)) {
    facet_of = &of;
  }
  std::shared_ptr<const void> compute(const JobSnapshot &s) const override;
  std::string key(const void *value) const override { return key_(*static_cast<const T *>(value)); }

private:
  typename Result<T>::Key key_;
};

/// A result that could not be computed, and why.
struct Trouble {
  Section section;
  std::string sentence;
  auto operator<=>(const Trouble &) const = default;
};

/// What results are computed from. The keys of `slices` tell contents apart; those of what is no decision are filled by
/// the job.
struct JobInputs {
  std::shared_ptr<const Contents> contents = std::make_shared<Contents>();
  std::shared_ptr<const JobState> state = std::make_shared<JobState>();
  SliceKeys slices;
  std::shared_ptr<const void> solved, tracks, motions, adjusted, issued; ///< as results of their own give them
};

/// How a result stands.
struct ResultStatus {
  const ResultBase *result = nullptr;
  enum class State { not_asked, current, failed } state = State::not_asked;
  double seconds = 0;   ///< that it took
  bool anew = false;    ///< computed for this snapshot, not taken over from the one before
  std::thread::id by{}; ///< the thread that computed it
  std::string trouble;
};

/// Everything about a job at one moment. Results are computed when somebody asks for them, once; a successor takes over
/// what has not changed. May be asked from several threads, and never changes as far as anybody can see.
class JobSnapshot {
public:
  JobSnapshot() : JobSnapshot(JobInputs{}, nullptr) {}
  /// `before`: whose results are taken over where nothing that they read has changed; null: none.
  JobSnapshot(JobInputs inputs, const JobSnapshot *before);
  JobSnapshot(const JobSnapshot &) = delete;

  const JobState &state() const;
  // The results that most others read (results/job_results.h).
  const Contents &contents() const;             ///< what the job computes with: sources that are left out tell nothing
  const std::vector<ListSource> &lists() const; ///< control lists, as they are read and meant
  const std::vector<Occupation> &occupations() const;
  const std::vector<Occupation> &moving() const;                  ///< of receivers that moved: in none of the above
  const std::map<std::string, PublishedMark> &published() const;  ///< those with a position
  const std::map<std::string, PublishedMark> &benchmarks() const; ///< those with a physical height
  /// Those with a position that vectors may lean on: the held ones, and all as long as none is held.
  const std::map<std::string, PublishedMark> &anchors() const;
  /// Those that are only to be compared with: in none of the above.
  const std::map<std::string, PublishedMark> &checks() const;
  /// What is published of a mark, in whatever way it takes part; null: nothing.
  const PublishedMark *listed(const std::string &mark) const;
  /// Those whose coordinates cannot belong here: not used unless accepted.
  const std::map<std::string, MisplacedMark> &misplaced() const;
  const std::optional<Vec3> &centre() const; ///< of the job, where anything tells it
  Eigen::Vector2d grid_origin() const;       ///< of a local plane: the middle of what is published in it
  const ShiftChoice &shift_choice() const;   ///< the grid of shifts that leads to the older datum of the job's grid
  const GeoidChoice &geoid_choice() const;   ///< the grid that the surveyor chose for physical heights
  const LevelReport &levels() const;
  const TraverseReport &traverses() const;
  const std::vector<VectorResult> &vectors() const; ///< as they were solved, with what decisions say of them

  /// The value; an empty one when it cannot be computed. Throws `std::logic_error` when the result that is being
  /// computed has not said that it reads this one.
  template <class T> const T &get(const Result<T> &r) const {
    const auto value = static_cast<const T *>(demand(r));
    static const T empty{};
    return value ? *value : empty;
  }
  /// The value where it has been computed already; null: nobody has asked for it yet, or a thread is at it.
  template <class T> std::shared_ptr<const T> ready(const Result<T> &r) const {
    return std::static_pointer_cast<const T>(at_hand(r));
  }
  /// The value as it can be kept; null when it cannot be computed.
  std::shared_ptr<const void> share(const ResultBase &r) const;
  /// Tells the value of a result from any other one.
  std::string key_of(const ResultBase &r) const;
  /// Of everything that was asked for.
  std::vector<Trouble> troubles() const;
  std::vector<ResultStatus> status() const;
  /// Puts a value in place of what would be computed, to try things out.
  template <class T> void assume(const Result<T> &r, T value) { place(r, std::make_shared<const T>(std::move(value))); }
  /// The same for decisions.
  void assume(JobState state);
  const JobInputs &inputs() const { return inputs_; }
  ResultCaches &caches() const { return *caches_; }

private:
  struct Entry {
    std::string stamp, key, trouble;
    std::shared_ptr<const void> value;
    double seconds = 0;
    std::thread::id by = std::this_thread::get_id();
    bool assumed = false;
  };
  const void *demand(const ResultBase &r) const;
  std::shared_ptr<const void> at_hand(const ResultBase &r) const;
  class Turn;
  const Entry &entry(const ResultBase &r) const;
  std::shared_ptr<const Entry> computed(const ResultBase &r, std::shared_ptr<Entry> e) const;
  void make_room(const ResultBase &r) const;
  std::string stamp(const ResultBase &r) const;
  void place(const ResultBase &r, std::shared_ptr<const void> value);
  JobInputs inputs_;
  std::shared_ptr<ResultCaches> caches_;
  mutable std::mutex mutex_; ///< of the tables below, never held while something is computed
  mutable std::condition_variable ended_;
  mutable std::vector<std::shared_ptr<const Entry>> entries_; ///< by index; those of the one before until asked
  mutable std::vector<char> checked_;                         ///< that an entry is of this moment
  mutable std::vector<char> anew_;                            ///< that it was computed here
  mutable std::vector<char> busy_;                            ///< that a thread computes it
};

template <class T> std::shared_ptr<const void> Facet<T>::compute(const JobSnapshot &s) const {
  return s.share(*facet_of);
}

} // namespace ampletie
