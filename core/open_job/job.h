#pragma once
#include "job/decision.h"
#include "judgement/decision_words.h"
#include "judgement/doubts.h"
#include "judgement/record_compare.h"
#include "judgement/trace.h"
#include "results/network_run.h"

namespace ampletie {

/// What became of one dropped file.
struct Intake {
  enum class Outcome { taken, already_here, same_name_other_content, refused };
  std::string file, sentence;
  Outcome outcome = Outcome::taken;
};

/// A job: its file, its log of decisions, and what was computed from them. Owned by one thread; workers get snapshots.
class Job {
public:
  /// Refuses systems and realisations that are not known, or of another kind, before a file is made.
  static Job create(const std::string &path, const JobSettings &settings);
  /// Opens whatever can be opened: damaged sources and decisions are doubts, parts that cannot be computed too.
  static Job open(const std::string &path);

  const Store &store() const { return store_; }
  const std::vector<Decision> &decisions() const { return log_; }
  const JobState &state() const { return snapshot_->state; }
  std::shared_ptr<const JobSnapshot> snapshot() const { return snapshot_; }
  const std::vector<VectorResult> &vectors() const { return vectors_; }
  /// Vectors that are planned and were never solved.
  std::size_t unsolved() const { return unsolved_; }
  /// What a vector was before it was solved again in this sitting; null when there is nothing to compare with.
  const VectorResult *before(const std::string &vector) const {
    const auto it = before_.find(vector);
    return it == before_.end() ? nullptr : &it->second;
  }
  /// The last adjustment; null when there is none. Stale when its inputs have changed.
  const NetworkRun *network() const { return network_.get(); }
  bool network_stale() const;
  /// Loops and repeated vectors as they close now, before any adjustment.
  const LoopReport &loops() const { return loops_; }
  /// What is thought of what total stations say by themselves.
  const TraverseFindings &traverse_findings() const { return traverse_findings_; }
  const std::vector<Doubt> &doubts() const { return doubts_; }
  /// Says decisions with the names that things have now.
  DecisionWords words() const { return {*snapshot_, vectors_, doubts_, log_}; }
  std::size_t open_doubts() const;

  /// Takes files by path; each is judged by itself, and one bad file does not keep the others out.
  /// `as`: "levels" takes a text that no recipe knows, to be given one.
  std::vector<Intake> take(const std::vector<std::string> &paths, const std::string &as = {});
  std::vector<Intake> take_bytes(const std::vector<std::pair<std::string, std::string>> &files,
                                 const std::string &as = {});

  /// Tries a decision with everything that follows from it, appends it and returns its number. What cannot be read,
  /// holds numbers that are none or makes a part of the job fail that did not fail before is refused with `InputError`;
  /// then nothing has changed.
  long decide(const std::string &verb, const std::string &target, nlohmann::json value, const std::string &reason);
  bool can_undo() const { return undo_target(log_) > 0; }
  bool can_redo() const { return redo_target(log_) > 0; }
  /// The decision that was withdrawn, or made again; 0: there was none.
  long undo();
  long redo();
  const Decision *decision(long number) const;

  /// Keeps vectors of a solution that is still running, so that they are not lost when the program ends.
  void keep_vectors(const std::vector<StoredResult> &packed) { store_.add_results(packed); }
  /// Takes over what was kept of a solution that was stopped.
  void take_kept_vectors();
  /// Takes over what a worker computed; results that no longer fit the job are marked stale.
  /// `stored` are the same vectors packed for the file, when the worker has done that already.
  void accept_vectors(std::vector<VectorResult> vectors, std::vector<StoredResult> stored = {});
  void accept_network(NetworkRun run);
  void add_issue_record(const IssueRecord &r) {
    store_.add_issue_record(r);
    refold();
  }

private:
  explicit Job(Store store);
  /// Folds the log with its last decision on trial; takes that off again and throws when it does harm.
  void try_last();
  void reload();
  std::vector<VectorResult> stored_vectors() const;
  void replace_vectors(std::vector<VectorResult> vectors);
  void refold();
  /// Takes marks out of `published` that cannot belong to the job.
  static void find_misplaced(JobSnapshot &s);
  /// Marks that traverses may hang on; computed anew when vectors, levels or held marks have changed.
  void find_known_places(const JobSnapshot &s);
  Store store_;
  std::vector<Decision> log_;
  Contents contents_;
  std::shared_ptr<const JobSnapshot> snapshot_;
  std::vector<VectorResult> vectors_;
  std::size_t unsolved_ = 0;
  std::map<std::string, VectorResult> before_;
  std::unique_ptr<NetworkRun> network_;
  LoopReport loops_;
  std::string loops_key_;
  LevelReadings level_readings_;
  SetupReadings setup_readings_;
  KnownPlaces known_places_; ///< what vectors and held marks say, without total stations
  std::string known_key_;
  std::shared_ptr<const JobDatum> datum_;
  LineCache lines_;
  TraverseFindings traverse_findings_;
  std::vector<Doubt> doubts_;
};

} // namespace ampletie
