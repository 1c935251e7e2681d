#include "base/error.h"
#include "gnss/kinematic/short_vector.h"
#include "gnss/static/session_solution.h"
#include "job/settings.h"
#include "results/lists.h"
#include "results/reduction.h"
#include "results/row_lists.h"
#include "results/vector_pairs.h"
#include "results/vector_plan.h"
#include <atomic>
#include <fmt/format.h>
#include <list>
#include <mutex>
#include <set>
#include <thread>

namespace ampletie {
namespace {

/// One solution of a job's vectors, phase by phase; each phase runs on all threads.
class VectorSolution {
public:
  VectorSolution(const JobSnapshot &s, unsigned threads, const Progress &progress)
      : s_(s), progress_(progress), threads_(threads ? threads : std::max(1u, std::thread::hardware_concurrency())),
        reduction_(s), sessions_(session_names(s.occupations())) {}

  void choose(std::vector<PlannedVector> plan, const std::map<std::string, const VectorResult *> &known,
              const std::set<std::string> &only);
  void place_antennas();
  void reduce_occupations();
  void solve_each(const std::function<void(const VectorResult &)> &solved);
  void solve_sessions();
  std::vector<VectorResult> results() && { return std::move(out_); }

private:
  /// `body` for each of `n`, with a share of the progress; the first exception ends it.
  void parallel(std::size_t n, const char *sentence, std::size_t weight, const std::function<void(std::size_t)> &body);
  VectorResult solved_vector(const PlannedVector &p) const;
  void solve_together(const PlannedSession &p);

  const JobSnapshot &s_;
  const Progress &progress_;
  const unsigned threads_;
  const Reduction reduction_;
  const std::map<std::string, std::string> sessions_; ///< by occupation
  std::vector<PlannedVector> plan_;
  std::vector<VectorResult> out_;        ///< as the plan; those to be solved are empty until then
  std::vector<std::size_t> todo_;        ///< places in the plan
  std::set<std::string> needed_;         ///< occupations that must be reduced
  std::vector<const Occupation *> work_; ///< all of the sessions that are touched
  std::map<std::string, Vec3> place_;    ///< of antennas' marks, orbits' frame
  std::map<std::string, std::string> trouble_;
  std::map<std::string, OccupationModel> models_;
  std::mutex mutex_;
  std::atomic<std::size_t> done_{0};
  std::size_t total_ = 1;
};

void VectorSolution::parallel(std::size_t n, const char *sentence, std::size_t weight,
                              const std::function<void(std::size_t)> &body) {
  std::atomic<std::size_t> next{0};
  std::exception_ptr failure;
  auto loop = [&] {
    try {
      for (std::size_t i = next++; i < n; i = next++) {
        progress_.step(static_cast<double>(done_) / static_cast<double>(total_),
                       fmt::format("{} {} of {}", sentence, i + 1, n));
        body(i);
        done_ += weight;
      }
    } catch (...) {
      const std::lock_guard lock(mutex_);
      if (!failure) failure = std::current_exception();
      next = n;
    }
  };
  const unsigned count = std::min<unsigned>(threads_, static_cast<unsigned>(std::max<std::size_t>(1, n)));
  std::vector<std::thread> pool;
  for (unsigned t = 1; t < count; ++t) pool.emplace_back(loop);
  loop();
  for (auto &t : pool) t.join();
  if (failure) std::rethrow_exception(failure);
}

/// What is taken over and what is to be solved. Whatever is solved anew, or should be solved together and is not, needs
/// the whole of its session.
void VectorSolution::choose(std::vector<PlannedVector> plan, const std::map<std::string, const VectorResult *> &known,
                            const std::set<std::string> &only) {
  plan_ = std::move(plan);
  out_.resize(plan_.size());
  std::set<std::string> touched;
  std::vector<VectorResult> before;
  for (std::size_t i = 0; i < plan_.size(); ++i) {
    const auto same = known.find(plan_[i].id);
    if (same != known.end() &&
        (same->second->fingerprint == plan_[i].fingerprint || (!only.empty() && !only.count(plan_[i].id))))
      before.push_back(out_[i] = *same->second);
    else
      todo_.push_back(i), touched.insert(plan_[i].session);
  }
  refresh(before, s_, plan_);
  for (const VectorResult &v : before)
    if (v.session_due) touched.insert(v.session);
  for (const PlannedVector &p : plan_)
    if (touched.count(p.session)) needed_.insert({p.from->id, p.to->id});
  std::set<std::string> wanted;
  for (const auto &id : needed_) wanted.insert(sessions_.at(id));
  for (const Occupation &o : s_.occupations())
    if (o.used && wanted.count(sessions_.at(o.id))) work_.push_back(&o);
  total_ = work_.size() + todo_.size() * 4 + needed_.size() * 2 + touched.size() * 8;
}

/// Where each antenna stands, well enough to linearise: anchors exactly, the others by their code position relative
/// to the anchors of the same session, which cancels what orbits and ionosphere share.
void VectorSolution::place_antennas() {
  std::map<std::string, Vec3> code;
  parallel(work_.size(), "positions from code,", 1, [&](std::size_t i) {
    try {
      const Vec3 p = code_position(*work_[i]->file->whole(), *reduction_.orbits, antenna_of(*work_[i]),
                                   s_.state().settings.mask_deg)
                         .marker;
      const std::lock_guard lock(mutex_);
      code[work_[i]->id] = p;
    } catch (const InputError &e) {
      const std::lock_guard lock(mutex_);
      trouble_[work_[i]->id] = e.reason();
    }
  });
  std::map<std::string, std::vector<Vec3>> corrections;
  for (const Occupation *o : work_) {
    const auto p = s_.anchors().find(o->mark);
    if (p == s_.anchors().end() || !code.count(o->id)) continue;
    const GpsTime middle = o->start + (o->stop - o->start) / 2;
    const Vec3 there = reduction_.place(p->second, middle);
    place_[o->id] = there;
    // A published position that contradicts the code by more than code can err is no anchor.
    if ((there - code[o->id]).norm() < 30)
      corrections[sessions_.at(o->id)].push_back(there - code[o->id]);
    else
      place_.erase(o->id);
  }
  for (const Occupation *o : work_) {
    if (place_.count(o->id) || !code.count(o->id)) continue;
    Vec3 shift = Vec3::Zero();
    const auto &list = corrections[sessions_.at(o->id)];
    for (const Vec3 &c : list) shift += c / static_cast<double>(list.size());
    place_[o->id] = code[o->id] + shift;
  }
}

void VectorSolution::reduce_occupations() {
  std::vector<const Occupation *> modelled;
  for (const Occupation *o : work_)
    if (needed_.count(o->id) && place_.count(o->id)) modelled.push_back(o);
  const ModelOptions options = reduction_.options();
  parallel(modelled.size(), "reducing occupation", 2, [&](std::size_t i) {
    try {
      OccupationModel m = model_occupation(*modelled[i]->file->whole(), *reduction_.orbits, place_.at(modelled[i]->id),
                                           antenna_of(*modelled[i]), options, progress_);
      const std::lock_guard lock(mutex_);
      models_.emplace(modelled[i]->id, std::move(m));
    } catch (const InputError &e) {
      const std::lock_guard lock(mutex_);
      trouble_[modelled[i]->id] = e.reason();
    }
  });
}

VectorResult VectorSolution::solved_vector(const PlannedVector &p) const {
  VectorResult r;
  r.id = p.id, r.session = p.session, r.fingerprint = p.fingerprint, r.orbits = reduction_.orbits->name();
  r.from_occupation = p.from->id, r.to_occupation = p.to->id, r.from = p.from->mark, r.to = p.to->mark;
  r.from_setup = p.from->setup, r.to_setup = p.to->setup;
  for (const Occupation *o : {p.from, p.to}) {
    const auto t = trouble_.find(o->id);
    if (t != trouble_.end()) r.error = o->mark + ": " + t->second;
    if (const std::string why = movement_problem(*o, left_out_spans(s_.state(), p.id, o->id)); !why.empty())
      r.error = why;
    if (!o->antenna_height) r.error = o->mark + ": " + o->height_problem;
  }
  if (r.error.empty()) {
    try {
      const JobSettings set = settings_of_vector(s_.state(), p.id);
      const OccupationModel &a = models_.at(p.from->id), &b = models_.at(p.to->id);
      const auto left = left_out_spans(s_.state(), p.id, p.from->id + "," + p.to->id);
      // A mask of its own can only be higher: the occupations were reduced once, at the job's.
      const bool higher = set.mask_deg > s_.state().settings.mask_deg;
      const auto &solve = common_span(a, b) <= longest_short_s ? solve_short : solve_static;
      r.solved = solve(higher ? above_mask(a, set.mask_deg) : a, higher ? above_mask(b, set.mask_deg) : b,
                       *reduction_.orbits, static_options(set), left, progress_);
      const GpsTime middle = r.solved->first + (r.solved->last - r.solved->first) / 2;
      r.frame = reduction_.orbits->frame(middle);
      r.epoch = decimal_year(middle);
    } catch (const InputError &e) {
      r.error = e.reason();
    }
  }
  return r;
}

void VectorSolution::solve_each(const std::function<void(const VectorResult &)> &solved) {
  parallel(todo_.size(), "solving vector", 4, [&](std::size_t k) {
    VectorResult r = solved_vector(plan_[todo_[k]]);
    if (solved && r.error.empty()) {
      const std::lock_guard lock(mutex_);
      solved(r);
    }
    out_[todo_[k]] = std::move(r);
  });
  refresh(out_, s_, plan_);
}

void VectorSolution::solve_sessions() {
  std::vector<PlannedSession> together = plan_sessions(out_, s_.state());
  std::erase_if(together, [&](const PlannedSession &p) {
    // A session with members that are out of date waits for them.
    return !out_[p.legs.front()].session_due ||
           std::any_of(p.legs.begin(), p.legs.end(), [&](std::size_t i) { return out_[i].stale; });
  });
  parallel(together.size(), "solving together, session", 8, [&](std::size_t k) { solve_together(together[k]); });
  refresh(out_, s_, plan_);
}

void VectorSolution::solve_together(const PlannedSession &p) {
  std::vector<SessionLeg> legs;
  // Vectors with settings of their own bring their masks and options along.
  std::list<OccupationModel> masked;
  std::list<StaticOptions> own;
  for (std::size_t i : p.legs) {
    const VectorResult &v = out_[i];
    SessionLeg leg{&models_.at(v.to_occupation), &*v.solved,
                   left_out_spans(s_.state(), v.id, v.from_occupation + "," + v.to_occupation)};
    const JobSettings set = settings_of_vector(s_.state(), v.id);
    leg.options = &own.emplace_back(static_options(set));
    if (set.mask_deg > s_.state().settings.mask_deg) {
      leg.rover = &masked.emplace_back(above_mask(*leg.rover, set.mask_deg));
      leg.base = &masked.emplace_back(above_mask(models_.at(v.from_occupation), set.mask_deg));
    }
    legs.push_back(leg);
  }
  try {
    const SessionSolution q = solve_session(models_.at(out_[p.legs.front()].from_occupation), legs, *reduction_.orbits,
                                            static_options(s_.state().settings), progress_);
    for (std::size_t n = 0; n < p.legs.size(); ++n)
      out_[p.legs[n]].joint = {p.id,
                               p.key,
                               static_cast<int>(n),
                               static_cast<int>(p.legs.size()),
                               q.d[n],
                               q.cov.middleRows(static_cast<Eigen::Index>(3 * n), 3),
                               q.window_s,
                               q.model_fit,
                               {}};
  } catch (const InputError &e) {
    // Its vectors stay independent ones; a doubt says why.
    for (std::size_t i : p.legs) {
      out_[i].joint = {};
      out_[i].joint.key = p.key, out_[i].joint.failed = e.reason();
    }
  }
}

} // namespace

std::vector<VectorResult> solve_vectors(const JobSnapshot &s, const std::vector<VectorResult> &known, unsigned threads,
                                        const Progress &progress, const std::set<std::string> &only,
                                        const std::function<void(const VectorResult &)> &solved) {
  auto plan = plan_vectors(s);
  std::map<std::string, const VectorResult *> before;
  for (const VectorResult &v : known) before.emplace(v.id, &v);
  if (!only.empty()) // what was never solved and is not asked for stays unsolved
    std::erase_if(plan, [&](const PlannedVector &p) { return !only.count(p.id) && !before.count(p.id); });
  if (plan.empty()) throw InputError("there is nothing to solve: " + why_no_pairs(s));
  VectorSolution solution(s, threads, progress);
  solution.choose(std::move(plan), before, only);
  solution.place_antennas();
  solution.reduce_occupations();
  solution.solve_each(solved);
  solution.solve_sessions();
  progress.step(1, "vectors solved");
  return std::move(solution).results();
}

const RecipeSource *recipe_source(const JobSnapshot &s, const std::string &id) {
  for (const ListSource &x : s.lists())
    if (x.source_id == id) return &x;
  for (const RowSource &x : s.get(row_lists_result()))
    if (x.source_id == id) return &x;
  for (const LevelSource &x : s.levels().sources)
    if (x.source_id == id) return &x;
  const auto *field = s.traverses().field.source(id);
  return field ? &field->head : nullptr;
}

} // namespace ampletie
