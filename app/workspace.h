#pragma once
#include "app/judge.h"
#include "base/error.h"
#include "open_job/job.h"
#include "publication/issue.h"
#include "results/measured.h"
#include <QObject>
#include <QString>
#include <atomic>
#include <chrono>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>
#include <unordered_map>

namespace ampletie {
class FolderWatch;
}

namespace ampletie::app {

/// What is selected, everywhere at once.
struct Selection {
  QString kind; ///< "occupation", "vector", "mark", "source", "doubt", "decision", "set-up" or empty
  std::string id;
  bool operator==(const Selection &) const = default;
};

/// A mark on the plan, in the job's grid.
struct PlanMark {
  std::string name;
  double east = 0, north = 0;
  Hold hold = Hold::none;
  std::optional<Eigen::Matrix2d> cov_en; ///< of the adjustment, m²
  bool published = false;
  bool side = false;        ///< a side shot: shown small
  bool provisional = false; ///< of a traverse by itself: only its own plan shows it
  std::string code{};
  CodeStyle style{}; ///< of the code
  std::optional<double> height{};
  std::optional<Eigen::Vector2d> velocity{}; ///< east, north in the job's frame, m/yr
};

/// The job in the window: owns it on the interface's thread, runs long work on another, tells everybody what changed.
class Workspace : public QObject {
  Q_OBJECT
public:
  explicit Workspace(QObject *parent = nullptr);
  ~Workspace() override;

  bool has_job() const { return job_ != nullptr; }
  const Job &job() const { return *job_; }
  /// Opens or makes a job; returns an empty string or what went wrong.
  QString open(const QString &path);
  QString create(const QString &path, const JobSettings &settings);

  void take(const QStringList &paths, const std::string &as = {}); ///< `as`: "levels" for a text that no recipe knows
  const std::vector<Intake> &last_intake() const { return last_intake_; }
  /// Records a decision; returns an empty string or what went wrong.
  QString decide(const std::string &verb, const std::string &target, const nlohmann::json &value,
                 const QString &reason);
  /// Records a typed text as a field of a thing; an empty string or what is possible.
  template <class What>
  QString decide_typed(const typename What::Id &about, const std::string &field, const QString &typed,
                       const QString &reason) {
    try {
      return decide("set", target_of<What>(about), {{field, typed_field<What>(field, typed.trimmed().toStdString())}},
                    reason);
    } catch (const InputError &e) {
      return QString::fromStdString(e.reason());
    }
  }
  /// Takes a text that was made here as a source; an empty string or what went wrong.
  QString take_text(const std::string &name, const std::string &text);
  /// Puts a recipe into the job and reads a source with it; an empty string or what went wrong.
  QString keep_recipe(const std::string &source, const std::string &name, const std::string &json);
  void undo();
  void redo();

  /// Long work, off this thread. Only one at a time; false when busy.
  bool solve(const std::set<std::string> &only = {}); ///< only these vectors; empty: whatever is out of date
  bool adjust();
  /// How long adjusting may take for the network to follow decisions by itself, s.
  void follow_within(double seconds) { at_once_ = seconds; }
  bool busy() const { return worker_.joinable() && !finished_; }
  /// Whether what is thought of the job (doubts, closures, causes) is still being computed; those shown are older.
  bool judging() const { return job_ && !job_->judged(); }
  void stop();
  /// Issues into a folder; returns an empty string or what went wrong.
  QString issue(const QString &folder) { return issue(folder, {}); }
  QString issue(const QString &folder, const IssueOptions &options);
  /// Takes what was read of a watched folder; what became of each stands in the folder's files.
  void take_watched(FolderWatch &watch, ReadFiles files);
  /// Lets `take` put files into the job, and says how many; `whence`: "of the archive".
  void take_with(const std::function<std::vector<Intake>(Job &)> &take, const QString &whence);
  /// A second person signs what they looked at; gives why not.
  QString sign(const QString &by, const QString &looked, const QString &remark);
  /// Provisional coordinates of one traverse; gives why not.
  QString issue_provisional(const QString &folder, const std::string &traverse);

  /// Writes the GNSS evidence report (.html or .pdf); returns an empty string or what went wrong.
  QString report(const QString &file);

  /// Writes the level report (.html or .pdf) or the heights (.csv); returns an empty string or what went wrong.
  QString level_report(const QString &file);

  /// Writes the traverse report (.html or .pdf), the provisional marks (.csv) or the survey (.xml).
  QString traverse_report(const QString &file);

  std::vector<PlanMark> plan_marks() const;
  const Selection &selection() const { return selection_; }
  /// Measures from the selected mark to every one that is selected after it; once more at the same mark: no longer.
  void measure_from_selection();
  const std::string &measuring_from() const { return measuring_from_; } ///< mark; empty: nothing is measured
  /// Null: there is none of this id.
  const MeasuredVector *measured(const std::string &id) const;
  /// Null: there is none of this id.
  const TrackResult *track(const std::string &id) const;
  const TrackResult *track_of_stop(const std::string &id) const;
  void select(const QString &kind, const std::string &id);
  void go(Section s) { Q_EMIT section_wanted(s); }

  /// Instants as the job's settings want them shown.
  TimeStyle times() const { return has_job() ? job().state().settings.times : TimeStyle{}; }
  QString clock(GpsTime t) const { return QString::fromStdString(shown_clock(t, times())); }
  QString day_clock(GpsTime t) const { return QString::fromStdString(shown_day_clock(t, times())); }

  const Occupation *occupation(const std::string &id) const;
  const VectorResult *vector(const std::string &id) const;
  /// The selected vector; null when something else is selected, or nothing.
  const VectorResult *selected_vector() const {
    return has_job() && selection_.kind == "vector" ? vector(selection_.id) : nullptr;
  }

Q_SIGNALS:
  void changed(); ///< the job, its results or its doubts
  void judged();  ///< only what is thought of it: doubts, closures, causes
  void selection_changed();
  void progress(double fraction, const QString &sentence);
  void work_started(const QString &what);
  void work_finished(const QString &message, bool failed);
  void message(const QString &text, bool failed);
  void section_wanted(ampletie::Section s);

private:
  void leave_job();
  void enter(std::unique_ptr<Job> job);
  /// After everything that changed the job: tells of it, at once and again when it has been judged.
  void job_changed();
  /// Adjusts anew beside the window after a decision, where the network stood until then and it takes no time.
  bool follow();
  void adjusted_in(double seconds);
  /// Whether it was still wanted.
  bool take_followed(const std::shared_ptr<const JobSnapshot> &s);
  /// Doubts as they are now, for what leaves the house.
  void judge_now() { job_->snapshot()->get(doubts_result()); }
  /// Lets another thread do what takes long and touches no job of the window; meanwhile the window is drawn, keys and
  /// clicks wait.
  void beside(const QString &what, const std::function<void()> &work);
  void walk(long (Job::*step)(), const QString &what);
  void run(const QString &what,
           std::function<std::function<QString()>(std::shared_ptr<const JobSnapshot>, const Progress &)> work);
  std::unique_ptr<Job> job_;
  std::unique_ptr<Judge> judge_, follower_;
  /// What the follower found, and of what.
  struct Followed {
    const JobSnapshot *of = nullptr;
    std::optional<NetworkRun> run; ///< empty: it does not adjust
  };
  std::mutex followed_mutex_;
  Followed followed_;
  bool network_stood_ = false;                    ///< adjusted and up to date before the last change
  std::atomic<double> at_once_ = 0.1;             ///< s
  std::chrono::steady_clock::time_point asked_{}; ///< when it was last asked what is thought of the job
  bool judging_slow_ = false;                     ///< and whether that took longer than anybody waits
  std::atomic<int> slow_ = 0;                     ///< adjustments in a row that took too long to follow decisions
  std::vector<Intake> last_intake_;
  Selection selection_;
  std::string measuring_from_;
  std::thread worker_;
  std::atomic<int> generation_ = 0; ///< of the job: work that was begun for another is not taken over
  std::atomic<bool> finished_{true};
  int away_ = 0; ///< another thread reads for this one, which waits
  std::shared_ptr<Progress> progress_;
  /// Things of the snapshot by their ids.
  struct Index {
    std::shared_ptr<const JobSnapshot> of;
    std::unordered_map<std::string, const Occupation *> occupations;
    std::unordered_map<std::string, const VectorResult *> vectors;
  };
  const Index &index() const;
  mutable Index index_;
  mutable std::map<std::string, std::pair<double, double>> approximate_; ///< grid of marks without published place
};

} // namespace ampletie::app
