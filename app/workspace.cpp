#include "app/workspace.h"
#include "adjustment/statistics.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "judgement/decision_words.h"
#include "open_job/folder_watch.h"
#include "publication/gnss_report.h"
#include "publication/issue_folder.h"
#include "publication/level_data.h"
#include "publication/level_report.h"
#include "publication/provisional_issue.h"
#include "publication/record_parts.h"
#include "publication/traverse_report.h"
#include "render/render.h"
#include "results/job_results.h"
#include "results/network_run.h"
#include "results/tracks.h"
#include "results/vector_keeper.h"
#include <QCoreApplication>
#include <QEventLoop>
#include <QFileInfo>
#include <QTimer>
#include <chrono>

namespace ampletie::app {

namespace {
double seconds_since(std::chrono::steady_clock::time_point start) {
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}
} // namespace

Workspace::Workspace(QObject *parent) : QObject(parent) {
  judge_ = std::make_unique<Judge>(Judge::in_window(this, [this](const std::shared_ptr<const JobSnapshot> &s) {
    if (!job_ || job_->snapshot() != s) return;
    judging_slow_ = seconds_since(asked_) > 0.03;
    Q_EMIT judged();
  }));
  follower_ = std::make_unique<Judge>(
      [this](const JobSnapshot &s) {
        const auto start = std::chrono::steady_clock::now();
        std::optional<NetworkRun> run;
        try {
          run = run_network(s, s.vectors(), {});
        } catch (const InputError &) {
          // It stays out of date: who adjusts it is told why.
        }
        adjusted_in(seconds_since(start));
        const std::lock_guard lock(followed_mutex_);
        followed_ = {&s, std::move(run)};
      },
      Judge::in_window(this, [this](const std::shared_ptr<const JobSnapshot> &s) {
        // Where the job has moved on since, it is asked of what it is now; what could not be adjusted stays out of
        // date.
        if (!take_followed(s) && network_stood_ && follow()) return;
        job_changed();
      }));
}

Workspace::~Workspace() {
  judge_.reset();
  follower_.reset();
  stop();
  if (worker_.joinable()) worker_.join();
}

void Workspace::measure_from_selection() {
  if (!job_) return;
  measuring_from_ = selection_.kind == "mark" && selection_.id != measuring_from_ ? selection_.id : std::string();
  Q_EMIT selection_changed();
}

const TrackResult *Workspace::track(const std::string &id) const {
  if (!job_) return nullptr;
  const auto &all = job_->tracks();
  const auto it = std::find_if(all.begin(), all.end(), [&](const TrackResult &t) { return t.id == id; });
  return it == all.end() ? nullptr : &*it;
}

const TrackResult *Workspace::track_of_stop(const std::string &id) const {
  if (!job_) return nullptr;
  for (const TrackResult &t : job_->tracks())
    if (stop_of(t, id)) return &t;
  return nullptr;
}

const MeasuredVector *Workspace::measured(const std::string &id) const {
  if (!job_) return nullptr;
  for (const MeasuredVector &v : job_->snapshot()->get(measured_result()))
    if (v.id == id) return &v;
  return nullptr;
}

void Workspace::leave_job() {
  // What is still computed belongs to the job that is left: it ends, and what it found is not taken over.
  stop();
  if (worker_.joinable()) worker_.join();
  ++generation_;
  finished_ = true;
}

void Workspace::enter(std::unique_ptr<Job> job) {
  leave_job();
  job_ = std::move(job);
  job_->judge_beside();
  approximate_.clear();
  index_ = {};
  selection_ = {};
  measuring_from_.clear();
  network_stood_ = false, slow_ = 0;
  job_changed();
  Q_EMIT selection_changed();
  // Ways between frames are found anew by each thread: for this one when the job is drawn, not with a first decision.
  QTimer::singleShot(200, this, [this, generation = generation_.load()] {
    if (!job_ || generation != generation_ || job_->vectors().empty()) return;
    try {
      const JobDatum datum = job_datum(*job_->snapshot());
      static_cast<void>(network_parts(*job_->snapshot(), job_->vectors(), datum, NetworkScope::vectors));
    } catch (const InputError &) {
      // it is a doubt already
    }
  });
}

void Workspace::adjusted_in(double seconds) { slow_ = seconds > at_once_ ? slow_ + 1 : 0; }

bool Workspace::follow() {
  const bool stood = std::exchange(network_stood_, job_ && job_->network() && !job_->network_stale());
  if (!stood || network_stood_ || !job_ || !job_->network() || busy()) return false;
  // A thread's first adjustment opens registers and grids: of a small network one that is slow says little.
  constexpr int small = 500, large = 2500; // observations
  const int observations = job_->network()->result.adjustment.observations, too_often = observations < small ? 3 : 1;
  if (observations > large || slow_ >= too_often) return false;
  const std::shared_ptr<const JobSnapshot> s = job_->snapshot();
  if (!out_of_date(*s).empty()) return false;
  network_stood_ = true; // what is decided before it is there follows too
  // Nobody waits for it: the window shows what was decided first, and the numbers a moment later.
  if (!follower_->judge(s, std::chrono::milliseconds(0))) return true;
  take_followed(s); // there at once, also where nothing is left to adjust
  return false;
}

bool Workspace::take_followed(const std::shared_ptr<const JobSnapshot> &s) {
  const std::lock_guard lock(followed_mutex_);
  if (!job_ || job_->snapshot() != s || followed_.of != s.get()) return false;
  network_stood_ = followed_.run.has_value();
  if (followed_.run) job_->accept_network(std::move(*followed_.run));
  followed_ = {};
  return network_stood_;
}

void Workspace::job_changed() {
  // What is thought of a network that is about to be another need not be found.
  const bool follows = follow();
  // Long enough for most decisions, too short to be felt: then nothing is drawn twice. Of a job where that never
  // suffices nobody waits.
  const std::chrono::milliseconds patience(judging_slow_ ? 0 : 12);
  if (job_ && !follows && !job_->judged()) {
    asked_ = std::chrono::steady_clock::now();
    if (judge_->judge(job_->snapshot(), patience)) judging_slow_ = false;
  }
  Q_EMIT changed();
}

void Workspace::beside(const QString &what, const std::function<void()> &work) {
  QEventLoop waiting;
  std::exception_ptr why;
  Q_EMIT message(what, false);
  ++away_;
  std::thread other([&] {
    try {
      work();
    } catch (...) {
      why = std::current_exception();
    }
    QMetaObject::invokeMethod(&waiting, &QEventLoop::quit, Qt::QueuedConnection);
  });
  waiting.exec(QEventLoop::ExcludeUserInputEvents);
  other.join();
  --away_;
  if (why) std::rethrow_exception(why);
}

QString Workspace::open(const QString &path) {
  if (away_) return "files are being read: one moment";
  try {
    // The same file again: its lock is ours. Should it not open any more, the window must not show what is gone.
    if (job_ && QFileInfo(path).canonicalFilePath() == QFileInfo(text(job_->store().path())).canonicalFilePath()) {
      leave_job();
      job_.reset();
      index_ = {};
      selection_ = {};
      Q_EMIT changed();
      Q_EMIT selection_changed();
    }
    std::unique_ptr<Job> job;
    beside("Opening " + QFileInfo(path).fileName() + " …", [&] {
      job = std::make_unique<Job>(Job::open(path.toStdString()));
      // What every sheet begins with.
      const JobSnapshot &s = *job->snapshot();
      s.occupations(), s.published(), s.levels(), s.traverses(), s.vectors(), s.get(measured_result());
    });
    enter(std::move(job));
    const bool read_only = job_->store().read_only();
    Q_EMIT message(read_only ? "Opened for reading only: " + text(job_->store().why_read_only()) : QString(),
                   read_only);
    return {};
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
}

QString Workspace::create(const QString &path, const JobSettings &settings) {
  try {
    enter(std::make_unique<Job>(Job::create(path.toStdString(), settings)));
    return {};
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
}

void Workspace::take(const QStringList &paths, const std::string &as) {
  if (!job_ || away_) return;
  std::vector<std::string> list;
  for (const auto &p : paths) list.push_back(p.toStdString());
  try {
    ReadFiles read;
    beside(QString(list.size() == 1 ? "Reading %1 file …" : "Reading %1 files …").arg(list.size()),
           [&, have = job_->contents()] { read = read_files(list, as, *have); });
    if (!job_) return;
    last_intake_ = job_->take_read(std::move(read));
  } catch (const std::exception &e) {
    Q_EMIT message(QString::fromUtf8(e.what()), true);
    return;
  }
  int refused = 0, taken = 0;
  for (const Intake &i : last_intake_)
    i.outcome == Intake::Outcome::refused ? ++refused : i.outcome == Intake::Outcome::already_here ? 0 : ++taken;
  job_changed();
  Q_EMIT message(QString("%1 taken, %2 refused, %3 already here")
                     .arg(taken)
                     .arg(refused)
                     .arg(static_cast<int>(last_intake_.size()) - taken - refused),
                 refused > 0);
}

QString Workspace::decide(const std::string &verb, const std::string &target, const nlohmann::json &value,
                          const QString &reason) {
  if (!job_) return "no job is open";
  try {
    job_->decide(verb, target, value, reason.toStdString());
    job_changed();
    return {};
  } catch (const std::exception &e) {
    const QString why = QString::fromUtf8(e.what());
    Q_EMIT message(why, true);
    return why;
  }
}

QString Workspace::take_text(const std::string &name, const std::string &text) {
  if (!job_) return "no job is open";
  try {
    last_intake_ = job_->take_bytes({{name, text}});
    job_changed();
    return last_intake_.front().outcome == Intake::Outcome::taken
               ? QString()
               : QString::fromStdString(last_intake_.front().sentence);
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
}

void Workspace::take_watched(FolderWatch &watch, ReadFiles files) {
  take_with([&](Job &job) { return watch.accept(job, std::move(files)); }, "of the watched folder");
}

void Workspace::take_with(const std::function<std::vector<Intake>(Job &)> &take, const QString &whence) {
  if (!job_) return;
  try {
    const auto became = take(*job_);
    const auto taken = std::count_if(became.begin(), became.end(),
                                     [](const Intake &i) { return i.outcome == Intake::Outcome::taken; });
    if (taken) Q_EMIT message(QString("%1 file%2 %3 taken").arg(taken).arg(taken == 1 ? "" : "s").arg(whence), false);
    job_changed();
  } catch (const std::exception &e) {
    Q_EMIT message(QString::fromUtf8(e.what()), true);
    job_changed(); // some may be in it
  }
}

QString Workspace::keep_recipe(const std::string &source, const std::string &name, const std::string &json) {
  try {
    const auto kept = job_->take_bytes({{name + ".json", json}});
    if (kept.front().outcome == Intake::Outcome::refused) return QString::fromStdString(kept.front().sentence);
    return decide("set", "source:" + source, {{"recipe", name}}, "said by pointing at the text");
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
}

void Workspace::walk(long (Job::*step)(), const QString &what) {
  if (!job_) return;
  try {
    // Of the job as it stands, where everything has its name already.
    const DecisionWords words = job_->words();
    if (const Decision *d = job_->decision(((*job_).*step)())) Q_EMIT message(what + text(words.sentence(*d)), false);
  } catch (const std::exception &e) {
    Q_EMIT message(QString::fromUtf8(e.what()), true);
  }
  job_changed();
}

void Workspace::undo() { walk(&Job::undo, "taken back: "); }
void Workspace::redo() { walk(&Job::redo, "made again: "); }

void Workspace::run(
    const QString &what,
    std::function<std::function<QString()>(std::shared_ptr<const JobSnapshot>, const Progress &)> work) {
  if (worker_.joinable()) worker_.join();
  finished_ = false;
  progress_ = std::make_shared<Progress>();
  progress_->report = [this](double f, const std::string &s) {
    const QString sentence = text(s);
    QMetaObject::invokeMethod(
        this, [this, f, sentence] { Q_EMIT progress(f, sentence); }, Qt::QueuedConnection);
  };
  Q_EMIT work_started(what);
  const int generation = generation_;
  worker_ = std::thread([this, generation, snapshot = job_->snapshot(), p = progress_, work = std::move(work)] {
    std::function<QString()> take_over;
    QString failure;
    bool stopped = false;
    try {
      take_over = work(snapshot, *p);
    } catch (const Cancelled &) {
      stopped = true;
    } catch (const std::exception &e) {
      failure = QString::fromUtf8(e.what());
    }
    QMetaObject::invokeMethod(
        this,
        [this, generation, take_over, failure, stopped] {
          if (generation != generation_) return;
          finished_ = true;
          if (worker_.joinable()) worker_.join();
          QString done = failure;
          bool failed = !failure.isEmpty();
          if (stopped) done = "stopped; nothing was taken over";
          if (take_over) {
            try {
              done = take_over();
            } catch (const std::exception &e) {
              done = QString::fromUtf8(e.what());
              failed = true;
            }
          }
          job_changed();
          Q_EMIT work_finished(done, failed);
        },
        Qt::QueuedConnection);
  });
}

void Workspace::stop() {
  if (progress_) progress_->cancel();
}

bool Workspace::solve(const std::set<std::string> &only) {
  if (!job_ || busy()) return false;
  run("Solving",
      [this, known = job_->vectors(), only](std::shared_ptr<const JobSnapshot> s,
                                            const Progress &p) -> std::function<QString()> {
        // Which antennas moved decides what is a vector and what is a track.
        const auto found = std::make_shared<FoundMotions>(find_motions(*s, 0, p));
        s = with_motions(s, *found);
        // Each vector goes into the file as it comes: a long solution that is interrupted is not lost.
        const auto keeper =
            std::make_shared<VectorKeeper>([this, generation = generation_.load()](std::vector<StoredResult> packed) {
              QMetaObject::invokeMethod(
                  this,
                  [this, generation, packed = std::move(packed)] {
                    if (generation == generation_) job_->keep_vectors(packed);
                  },
                  Qt::QueuedConnection);
            });
        const auto keep = [keeper](const VectorResult &v) { (*keeper)(v); };
        auto result = std::make_shared<std::vector<VectorResult>>();
        auto moved = std::make_shared<std::vector<TrackResult>>(solved_tracks(*s));
        try {
          const bool any = !s->get(plan_result()).empty();
          if (any || s->moving().empty()) *result = solve_vectors(*s, known, 0, p, only, keep);
          if (only.empty() && !s->moving().empty()) *moved = solve_tracks(*s, p);
        } catch (const Cancelled &) {
          keeper->flush();
          return [this, found] {
            job_->accept_motions(*found);
            job_->take_kept_vectors();
            return QString("stopped; what was solved until then is kept");
          };
        }
        // Packed here, so that the window does not wait for it.
        auto stored = std::make_shared<std::vector<StoredResult>>();
        for (const VectorResult &v : *result) stored->push_back(to_stored(v));
        return [this, result, stored, found, moved] {
          job_->accept_motions(*found);
          if (!moved->empty() || !job_->tracks().empty()) job_->accept_tracks(std::move(*moved));
          job_->accept_vectors(std::move(*result), std::move(*stored));
          int fixed = 0;
          for (const auto &v : job_->vectors()) fixed += v.error.empty() && v.solved->solution == Solution::fixed;
          QString out = QString("%1 of %2 vectors fixed").arg(fixed).arg(job_->vectors().size());
          if (const auto n = job_->tracks().size()) out += QString(", %1 track%2").arg(n).arg(n == 1 ? "" : "s");
          return out;
        };
      });
  return true;
}

bool Workspace::adjust() {
  if (!job_ || busy()) return false;
  if (const std::string why = out_of_date(*job_->snapshot()); !why.empty()) {
    Q_EMIT work_finished(QString::fromStdString(why), true);
    return false;
  }
  run("Adjusting network",
      [this, vectors = job_->vectors()](std::shared_ptr<const JobSnapshot> s,
                                        const Progress &p) -> std::function<QString()> {
        const auto start = std::chrono::steady_clock::now();
        auto result = std::make_shared<NetworkRun>(run_network(*s, vectors, p));
        adjusted_in(seconds_since(start));
        return [this, result] {
          const auto &a = result->result.adjustment;
          const QString done = QString("variance factor %1, the global test %2")
                                   .arg(a.variance_factor, 0, 'f', 2)
                                   .arg(!a.passes ? "fails"
                                        : a.low() ? "passes, low"
                                                  : "passes");
          job_->accept_network(std::move(*result));
          return done;
        };
      });
  return true;
}

QString Workspace::issue(const QString &folder, const IssueOptions &options) {
  if (!job_) return "no job is open";
  try {
    judge_now();
    IssuePackage p = prepare_issue(*job_, options);
    add_sheets(p, "control");
    const std::string also = issue_into(*job_, p, folder.toStdString());
    if (!also.empty()) Q_EMIT message(text(also), false);
    job_changed();
    return {};
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
}

QString Workspace::sign(const QString &by, const QString &looked, const QString &remark) {
  if (!job_) return "no job is open";
  try {
    sign_second_check(*job_, by.trimmed().toStdString(), looked.trimmed().toStdString(),
                      remark.trimmed().toStdString());
    job_changed();
    return {};
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
}

QString Workspace::issue_provisional(const QString &folder, const std::string &traverse) {
  if (!job_) return "no job is open";
  try {
    judge_now();
    IssuePackage p = prepare_provisional(*job_, traverse, unit_of_choice(choice_object(job_->state().settings.issue)));
    add_sheets(p, "provisional");
    issue_into(*job_, p, folder.toStdString());
    Q_EMIT message(
        QString("provisional coordinates of %1 marks written to %2").arg(p.record.data.at("marks").size()).arg(folder),
        false);
    job_changed();
    return {};
  } catch (const std::exception &e) {
    Q_EMIT message(text(e.what()), true);
    return QString::fromUtf8(e.what());
  }
}

const Workspace::Index &Workspace::index() const {
  if (index_.of != job_->snapshot()) {
    index_ = {job_->snapshot(), {}, {}};
    for (const auto *list : {&index_.of->occupations(), &index_.of->moving()})
      for (const Occupation &o : *list) index_.occupations.emplace(o.id, &o);
    for (const VectorResult &v : index_.of->vectors()) index_.vectors.emplace(v.id, &v);
  }
  return index_;
}

const Occupation *Workspace::occupation(const std::string &id) const {
  if (!job_) return nullptr;
  const auto it = index().occupations.find(id);
  return it == index_.occupations.end() ? nullptr : it->second;
}

const VectorResult *Workspace::vector(const std::string &id) const {
  if (!job_) return nullptr;
  const auto it = index().vectors.find(id);
  return it == index_.vectors.end() ? nullptr : it->second;
}

void Workspace::select(const QString &kind, const std::string &id) {
  const Selection s{kind, id};
  if (s == selection_) return;
  selection_ = s;
  Q_EMIT selection_changed();
}

QString Workspace::report(const QString &file) {
  if (!job_) return "there is no job";
  try {
    judge_now();
    write_report(gnss_report(*job_), file.toStdString());
    Q_EMIT message("GNSS evidence written to " + file, false);
    return {};
  } catch (const InputError &e) {
    Q_EMIT message(text(e.what()), true);
    return text(e.what());
  }
}

QString Workspace::level_report(const QString &file) {
  if (!job_) return "there is no job";
  try {
    judge_now();
    if (!write_level_data(*job_, file.toStdString())) write_report(ampletie::level_report(*job_), file.toStdString());
    Q_EMIT message("levels written to " + file, false);
    return {};
  } catch (const InputError &e) {
    Q_EMIT message(text(e.what()), true);
    return text(e.what());
  }
}

QString Workspace::traverse_report(const QString &file) {
  if (!job_) return "there is no job";
  try {
    judge_now();
    if (!write_traverse_data(*job_, file.toStdString()))
      write_report(ampletie::traverse_report(*job_), file.toStdString());
    Q_EMIT message("traverses written to " + file, false);
    return {};
  } catch (const InputError &e) {
    Q_EMIT message(text(e.what()), true);
    return text(e.what());
  }
}

namespace {
/// Velocities of published marks in the job's frame, and of the ground where it moves in it.
void put_velocities(const JobSnapshot &s, std::map<std::string, PlanMark> &marks) {
  try {
    const JobDatum datum = job_datum(s);
    if (datum.local()) return;
    const Vec3 near = job_place(s, datum);
    const Mat3 axes = local_axes(to_geodetic(near));
    const auto ground = ground_velocity(datum.frame(), near, datum.motion());
    const OperationPolicy policy = operation_policy(s.state().settings);
    for (auto &[name, m] : marks) {
      const auto p = s.published().find(name);
      std::optional<Vec3> v;
      if (p != s.published().end() && p->second.velocity && p->second.xyz) {
        const auto frame = p->second.frame.empty() ? std::optional(datum.frame()) : frame_by_name(p->second.frame);
        if (frame)
          v = velocity_in(frame_change(*frame, datum.frame(), near, policy), {*p->second.xyz, *frame, datum.epoch()},
                          *p->second.velocity);
      } else if (ground && ground->m_yr.norm() > 0)
        v = ground->m_yr;
      if (v) m.velocity = (axes * *v).head<2>();
    }
  } catch (const InputError &) {
    // a datum that cannot be used is a doubt of its own
  }
}
} // namespace

std::vector<PlanMark> Workspace::plan_marks() const {
  std::vector<PlanMark> out;
  if (!job_) return out;
  const auto &s = *job_->snapshot();
  std::map<std::string, PlanMark> marks;
  auto hold_of = [&](const std::string &name) {
    const auto h = s.state().holds.find(name);
    return h == s.state().holds.end() ? Hold::none : h->second.how;
  };
  const auto has_place = [&](const std::string &name) {
    const PublishedMark *p = s.listed(name);
    return p && p->has_position();
  };
  if (const NetworkRun *run = job_->network()) {
    // Drawn to 95 % of a known accuracy; of one that was estimated they are larger.
    const double larger = std::pow(factor95(2, run->result.scale_degrees) / factor95(2), 2);
    for (const AdjustedMark &m : run->result.marks) {
      if (!m.plan_known) continue;
      const FullPosition &p = run->positions.at(m.name);
      marks[m.name] = {m.name,
                       p.grid.east,
                       p.grid.north,
                       hold_of(m.name),
                       larger * m.network_cov_enu.topLeftCorner<2, 2>(),
                       has_place(m.name)};
    }
  }
  bool missing = false;
  for (const Occupation &o : s.occupations()) missing = missing || !marks.count(o.mark);
  for (const auto *all : {&s.published(), &s.checks()})
    for (const auto &[name, p] : *all) missing = missing || !marks.count(name);
  if (missing) {
    try {
      std::optional<Projection> projection;
      auto place = [&](const std::string &name, const std::string &key, const std::function<Geodetic()> &where) {
        if (marks.count(name)) return;
        const std::string k = s.state().settings.datum.crs + s.shift_choice().source + key;
        auto it = approximate_.find(k);
        if (it == approximate_.end()) {
          if (!projection) try {
              projection.emplace(job_datum(s).projection());
            } catch (const InputError &) {
              projection.emplace(s.state().settings.datum.crs); // near enough to be looked at
            }
          const GridPoint g = projection->project(where());
          it = approximate_.emplace(k, std::pair(g.east, g.north)).first;
        }
        marks[name] = {name, it->second.first, it->second.second, hold_of(name), {}, has_place(name)};
      };
      for (const auto *all : {&s.published(), &s.checks()})
        for (const auto &[name, p] : *all) {
          if (p.grid && !marks.count(name))
            marks[name] = {name, p.grid->x(), p.grid->y(), hold_of(name), {}, true};
          else if (p.xyz)
            place(name, "p" + name + p.source_id + p.said + std::to_string(p.decision),
                  [&x = *p.xyz] { return to_geodetic(x); });
          else if (p.geodetic_deg)
            place(name, "p" + name + p.source_id + p.said + std::to_string(p.decision), [&g = *p.geodetic_deg] {
              return Geodetic{g.x() * M_PI / 180, g.y() * M_PI / 180, g.z()};
            });
        }
      for (const Occupation &o : s.occupations())
        if (o.file->approximate.norm() > 6e6) place(o.mark, o.id, [&] { return to_geodetic(o.file->approximate); });
    } catch (const InputError &) {
      // Without a usable grid there is no plan; the datum's doubt says why.
    }
  }
  // Provisional marks stand over none that is known better.
  for (const auto &[name, m] : s.traverses().marks)
    if (!m.local && !marks.count(name))
      marks[name] = {name,    m.place.east, m.place.north, hold_of(name), {},
                     false,   !m.station,   true,          m.code,        s.state().style_of(m.code),
                     m.height};
  if (!marks.empty()) put_velocities(s, marks);
  for (auto &[name, m] : marks) out.push_back(std::move(m));
  return out;
}

} // namespace ampletie::app
