#pragma once
#include "job/decision.h"
#include "job/folding.h"
#include "judgement/decision_words.h"
#include "judgement/findings.h"
#include "judgement/record_compare.h"
#include "judgement/trace.h"
#include "open_job/intake.h"
#include "results/tracks.h"

namespace ampletie {

/// A job: its file, its log of decisions, and what was computed from them. Owned by one thread; workers get snapshots.
class Job {
public:
  /// Refuses systems and realisations that are not known, or of another kind, before a file is made.
  static Job create(const std::string &path, const JobSettings &settings);
  /// Opens whatever can be opened: damaged sources and decisions are doubts, parts that cannot be computed too.
  static Job open(const std::string &path);

  const Store &store() const { return store_; }
  const std::vector<Decision> &decisions() const { return log_; }
  const JobState &state() const { return now()->state(); }
  /// Everything as it is now. Results are computed when they are asked for.
  std::shared_ptr<const JobSnapshot> snapshot() const { return now(); }
  const std::vector<VectorResult> &vectors() const { return now()->vectors(); }
  /// Vectors that are planned and were never solved.
  std::size_t unsolved() const { return now()->get(plan_result()).size() - vectors().size(); }
  /// What a vector was before it was solved again in this sitting; null when there is nothing to compare with.
  const VectorResult *before(const std::string &vector) const {
    const auto it = before_.find(vector);
    return it == before_.end() ? nullptr : &it->second;
  }
  /// As of a vector: what a track was before it was solved again in this sitting.
  const TrackResult *before_track(const std::string &track) const {
    const auto it = before_tracks_.find(track);
    return it == before_tracks_.end() ? nullptr : &it->second;
  }
  /// The last adjustment; null when there is none. Stale when its inputs have changed.
  const NetworkRun *network() const { return adjusted_.get(); }
  bool network_stale() const { return adjusted_ && !now()->get(network_result()); }
  /// Loops and repeated vectors as they close now, before any adjustment.
  const LoopReport &loops() const { return judgement(loops_result(), seen_loops_); }
  /// What is thought of what total stations say by themselves.
  const TraverseFindings &traverse_findings() const { return judgement(traverse_findings_result(), seen_findings_); }
  /// Frame fits of the network as it is adjusted.
  const std::vector<JobFit> &fits() const { return judgement(fits_result(), seen_fits_); }
  const std::vector<Doubt> &doubts() const { return judgement(doubts_result(), seen_doubts_); }
  /// The three above take long. A window does not wait for them: it lets another thread ask the snapshot for the
  /// doubts, and until then they are those of a moment ago.
  void judge_beside() { beside_ = true; }
  bool judged() const { return now()->ready(doubts_result()) != nullptr; }
  /// Says decisions with the names that things have now.
  DecisionWords words() const { return {*now(), vectors(), doubts(), log_}; }
  std::size_t open_doubts() const;

  /// Takes files by path; each is judged by itself, and one bad file does not keep the others out.
  /// `as`: "levels" takes a text that no recipe knows, to be given one.
  std::vector<Intake> take(const std::vector<std::string> &paths, const std::string &as = {});
  std::vector<Intake> take_bytes(const std::vector<std::pair<std::string, std::string>> &files,
                                 const std::string &as = {});
  /// Takes what has been read, perhaps by another thread, for this job.
  std::vector<Intake> take_read(ReadFiles files);
  /// What is read of a job's sources now; may be kept and asked by other threads.
  std::shared_ptr<const Contents> contents() const { return contents_; }

  /// Tries a decision with everything that follows from it, appends it and returns its number. What cannot be read,
  /// holds numbers that are none or makes a part of the job fail that did not fail before is refused with `InputError`;
  /// then nothing has changed.
  long decide(const std::string &verb, const std::string &target, nlohmann::json value, const std::string &reason);
  /// Decisions until `end_batch` are tried together and written in one transaction; each is only read at once.
  void begin_batch();
  /// Those that would have been refused are not kept: their places in the batch, and why. Throws when the disk does
  /// not take them; then none is kept.
  std::vector<std::pair<std::size_t, std::string>> end_batch();
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
  /// The same of tracks, and of which antennas were found to move.
  void accept_tracks(std::vector<TrackResult> tracks);
  void accept_motions(const FoundMotions &found);
  const std::vector<TrackResult> &tracks() const { return now()->get(tracks_result()); }
  void accept_network(NetworkRun run);
  void add_issue_record(const IssueRecord &r);

private:
  explicit Job(Store store);
  /// The snapshot, made when somebody looks: many decisions of a batch are looked at by nobody.
  const std::shared_ptr<const JobSnapshot> &now() const {
    if (behind_) const_cast<Job *>(this)->look_again();
    return snapshot_;
  }
  template <class T> const T &judgement(const Result<T> &r, std::shared_ptr<const T> &seen) const {
    if (!beside_) return now()->get(r);
    if (auto ready = now()->ready(r)) seen = std::move(ready);
    if (!seen) seen = std::make_shared<const T>();
    return *seen;
  }
  /// Observations are read from the job's file from now on, when somebody asks; gives what is to be kept of them, null
  /// for what is not. May be called by several threads.
  nlohmann::json rest_in_file(SourceContent &c) const;
  /// Keeps what was read of observations, by source, as far as the job can be written.
  void keep_sites(std::map<std::string, nlohmann::json> by_source);
  /// Reads everything that was taken; of observations what was kept of them is enough.
  Contents read_contents();
  /// Tries a decision, appends it and gives its number.
  long append(Decision d);
  /// Tries the log with its last decision; takes that off again and throws when it does harm.
  void try_last();
  void reload();
  std::vector<VectorResult> stored_vectors() const;
  void replace_vectors(std::vector<VectorResult> vectors);
  /// A new snapshot of what is in the members below.
  void look_again();
  Store store_;
  std::vector<Decision> log_;
  Folding folding_;
  /// The observations that were read last, for all who ask for their epochs.
  std::shared_ptr<RecentlyRead> recent_ = std::make_shared<RecentlyRead>();
  std::optional<std::size_t> batch_; ///< decisions that were there before it
  std::vector<Trouble> batch_troubles_;
  std::shared_ptr<const Contents> contents_ = std::make_shared<Contents>();
  std::shared_ptr<const std::vector<VectorResult>> solved_ = std::make_shared<std::vector<VectorResult>>();
  std::shared_ptr<const NetworkRun> adjusted_;
  std::shared_ptr<const std::vector<IssueRecord>> issued_ = std::make_shared<std::vector<IssueRecord>>();
  std::shared_ptr<const std::vector<TrackResult>> tracks_ = std::make_shared<std::vector<TrackResult>>();
  std::shared_ptr<const FoundMotions> motions_ = std::make_shared<FoundMotions>();
  long solved_times_ = 0, tracks_times_ = 0;
  std::shared_ptr<const JobSnapshot> snapshot_;
  std::map<std::string, VectorResult> before_;
  std::map<std::string, TrackResult> before_tracks_;
  bool beside_ = false, behind_ = false;
  mutable std::shared_ptr<const LoopReport> seen_loops_;
  mutable std::shared_ptr<const std::vector<JobFit>> seen_fits_;
  mutable std::shared_ptr<const TraverseFindings> seen_findings_;
  mutable std::shared_ptr<const std::vector<Doubt>> seen_doubts_;
};

} // namespace ampletie
