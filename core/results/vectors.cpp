#include "base/angle.h"
#include "base/error.h"
#include "gnss/session_solution.h"
#include "job/settings.h"
#include "results/vector_plan.h"
#include <atomic>
#include <fmt/format.h>
#include <list>
#include <mutex>
#include <set>
#include <thread>

namespace ampletie {
namespace {

/// The same occupation with a higher elevation mask.
OccupationModel above_mask(OccupationModel m, double mask_deg) {
  const auto mask = static_cast<float>(radians(mask_deg));
  for (ModelledEpoch &e : m.epochs) std::erase_if(e.sats, [&](const auto &o) { return o.elevation < mask; });
  return m;
}

} // namespace

std::vector<VectorResult> solve_vectors(const JobSnapshot &s, const std::vector<VectorResult> &known, unsigned threads,
                                        const Progress &progress, const std::set<std::string> &only,
                                        const std::function<void(const VectorResult &)> &solved) {
  auto plan = plan_vectors(s);
  if (!only.empty()) // what was never solved and is not asked for stays unsolved
    std::erase_if(plan, [&](const PlannedVector &p) {
      return !only.count(p.id) &&
             std::none_of(known.begin(), known.end(), [&](const VectorResult &k) { return k.id == p.id; });
    });
  if (plan.empty())
    throw InputError("there is nothing to solve: no two occupations at different marks overlap in time");
  const auto orbits = job_orbits(s);
  const JobDatum datum = job_datum(s);
  const OperationPolicy policy{s.state().settings.worst_transformation_m, false};

  std::vector<VectorResult> out(plan.size());
  std::vector<std::size_t> todo;
  std::set<std::string> needed;
  for (std::size_t i = 0; i < plan.size(); ++i) {
    const auto same = std::find_if(known.begin(), known.end(), [&](const auto &k) {
      return k.id == plan[i].id && (k.fingerprint == plan[i].fingerprint || (!only.empty() && !only.count(k.id)));
    });
    if (same != known.end())
      out[i] = *same;
    else
      todo.push_back(i);
  }
  // Whatever is solved anew, or should be solved together and is not, needs the whole of its session.
  std::set<std::string> touched;
  for (std::size_t i : todo) touched.insert(plan[i].session);
  {
    std::vector<VectorResult> before;
    for (const VectorResult &v : out)
      if (!v.id.empty()) before.push_back(v);
    refresh(before, s, plan);
    for (const VectorResult &v : before)
      if (v.session_due) touched.insert(v.session);
  }
  for (const PlannedVector &p : plan)
    if (touched.count(p.session)) needed.insert({p.from->id, p.to->id});
  // Where each antenna stands, well enough to linearise: published marks exactly, the others by their code position
  // relative to the published marks of the same session, which cancels what orbits and ionosphere share.
  std::map<std::string, Vec3> code, place;
  std::map<std::string, std::string> trouble;
  std::vector<const Occupation *> work;
  std::set<std::string> wanted_sessions;
  const auto session = session_names(s.occupations());
  for (const auto &id : needed) wanted_sessions.insert(session.at(id));
  for (const Occupation &o : s.occupations())
    if (o.used && wanted_sessions.count(session.at(o.id))) work.push_back(&o);

  std::mutex mutex;
  std::atomic<std::size_t> done{0};
  std::size_t total = work.size() + todo.size() * 4 + needed.size() * 2 + touched.size() * 8;
  auto parallel = [&](std::size_t n, const char *sentence, std::size_t weight,
                      const std::function<void(std::size_t)> &body) {
    std::atomic<std::size_t> next{0};
    std::exception_ptr failure;
    auto loop = [&] {
      try {
        for (std::size_t i = next++; i < n; i = next++) {
          progress.step(static_cast<double>(done) / static_cast<double>(total),
                        fmt::format("{} {} of {}", sentence, i + 1, n));
          body(i);
          done += weight;
        }
      } catch (...) {
        const std::lock_guard lock(mutex);
        if (!failure) failure = std::current_exception();
        next = n;
      }
    };
    const unsigned count = std::min<unsigned>(threads ? threads : std::max(1u, std::thread::hardware_concurrency()),
                                              static_cast<unsigned>(std::max<std::size_t>(1, n)));
    std::vector<std::thread> pool;
    for (unsigned t = 1; t < count; ++t) pool.emplace_back(loop);
    loop();
    for (auto &t : pool) t.join();
    if (failure) std::rethrow_exception(failure);
  };
  auto antenna_of = [](const Occupation &o) {
    AntennaSetUp a;
    a.arp_offset_enu = {o.east, o.north, o.antenna_height.value_or(0)};
    a.azimuth = radians(o.azimuth_deg);
    a.calibration = o.calibration;
    a.loading = o.loading;
    a.weather = o.weather;
    return a;
  };
  parallel(work.size(), "positions from code,", 1, [&](std::size_t i) {
    try {
      const Vec3 p = code_position(*work[i]->file, *orbits, antenna_of(*work[i]), s.state().settings.mask_deg).marker;
      const std::lock_guard lock(mutex);
      code[work[i]->id] = p;
    } catch (const InputError &e) {
      const std::lock_guard lock(mutex);
      trouble[work[i]->id] = e.reason();
    }
  });
  std::map<std::string, std::vector<Vec3>> corrections;
  for (const Occupation *o : work) {
    const auto p = s.published().find(o->mark);
    if (p == s.published().end() || !code.count(o->id)) continue;
    const GpsTime middle = o->start + (o->stop - o->start) / 2;
    TaggedPoint t = published_in_job(p->second, datum, policy);
    t.epoch = decimal_year(middle);
    const Vec3 there = FrameChange(datum.frame(), orbits->frame(middle), t.xyz, policy)(t).xyz;
    place[o->id] = there;
    // A published position that contradicts the code by more than code can err is no anchor.
    if ((there - code[o->id]).norm() < 30)
      corrections[session.at(o->id)].push_back(there - code[o->id]);
    else
      place.erase(o->id);
  }
  for (const Occupation *o : work) {
    if (place.count(o->id) || !code.count(o->id)) continue;
    Vec3 shift = Vec3::Zero();
    const auto &list = corrections[session.at(o->id)];
    for (const Vec3 &c : list) shift += c / static_cast<double>(list.size());
    place[o->id] = code[o->id] + shift;
  }
  std::vector<const Occupation *> modelled;
  for (const Occupation *o : work)
    if (needed.count(o->id) && place.count(o->id)) modelled.push_back(o);
  std::map<std::string, OccupationModel> models;
  ModelOptions options;
  options.mask_deg = s.state().settings.mask_deg;
  std::vector<SatelliteAntenna> satellites;
  for (const auto &c : s.contents())
    if (c.antex) satellites.insert(satellites.end(), c.antex->satellites.begin(), c.antex->satellites.end());
  const auto ionosphere = job_ionosphere(s);
  options.ionosphere = ionosphere.get();
  if (s.state().settings.orbits == "precise" && !satellites.empty()) options.satellite_antennas = &satellites;
  parallel(modelled.size(), "reducing occupation", 2, [&](std::size_t i) {
    OccupationModel m = model_occupation(*modelled[i]->file, *orbits, place.at(modelled[i]->id),
                                         antenna_of(*modelled[i]), options, progress);
    const std::lock_guard lock(mutex);
    models.emplace(modelled[i]->id, std::move(m));
  });
  parallel(todo.size(), "solving vector", 4, [&](std::size_t k) {
    const PlannedVector &p = plan[todo[k]];
    VectorResult r;
    r.id = p.id, r.session = p.session, r.fingerprint = p.fingerprint, r.orbits = orbits->name();
    r.from_occupation = p.from->id, r.to_occupation = p.to->id, r.from = p.from->mark, r.to = p.to->mark;
    r.from_set_up = p.from->set_up, r.to_set_up = p.to->set_up;
    for (const Occupation *o : {p.from, p.to}) {
      const auto t = trouble.find(o->id);
      if (t != trouble.end()) r.error = o->mark + ": " + t->second;
      if (!o->antenna_height) r.error = o->mark + ": " + o->height_problem;
    }
    if (r.error.empty()) {
      try {
        const JobSettings set = settings_of_vector(s.state(), p.id);
        const OccupationModel &a = models.at(p.from->id), &b = models.at(p.to->id);
        const auto left = left_out_spans(s.state(), p.id, p.from->id + "," + p.to->id);
        // A mask of its own can only be higher: the occupations were reduced once, at the job's.
        r.solved = solve_static(set.mask_deg > s.state().settings.mask_deg ? above_mask(a, set.mask_deg) : a,
                                set.mask_deg > s.state().settings.mask_deg ? above_mask(b, set.mask_deg) : b, *orbits,
                                static_options(set), left, progress);
        const GpsTime middle = r.solved.first + (r.solved.last - r.solved.first) / 2;
        r.frame = orbits->frame(middle);
        r.epoch = decimal_year(middle);
      } catch (const InputError &e) {
        r.error = e.reason();
      }
    }
    if (solved && r.error.empty()) {
      const std::lock_guard lock(mutex);
      solved(r);
    }
    out[todo[k]] = std::move(r);
  });
  refresh(out, s, plan);
  std::vector<PlannedSession> together = plan_sessions(out, s.state());
  std::erase_if(together, [&](const PlannedSession &p) {
    // A session with members that are out of date waits for them.
    return !out[p.legs.front()].session_due ||
           std::any_of(p.legs.begin(), p.legs.end(), [&](std::size_t i) { return out[i].stale; });
  });
  parallel(together.size(), "solving together, session", 8, [&](std::size_t k) {
    const PlannedSession &p = together[k];
    std::vector<SessionLeg> legs;
    // Vectors with settings of their own bring their masks and options along.
    std::list<OccupationModel> masked;
    std::list<StaticOptions> own;
    for (std::size_t i : p.legs) {
      const VectorResult &v = out[i];
      SessionLeg leg{&models.at(v.to_occupation), &v.solved,
                     left_out_spans(s.state(), v.id, v.from_occupation + "," + v.to_occupation)};
      const JobSettings set = settings_of_vector(s.state(), v.id);
      leg.options = &own.emplace_back(static_options(set));
      if (set.mask_deg > s.state().settings.mask_deg) {
        leg.rover = &masked.emplace_back(above_mask(*leg.rover, set.mask_deg));
        leg.base = &masked.emplace_back(above_mask(models.at(v.from_occupation), set.mask_deg));
      }
      legs.push_back(leg);
    }
    try {
      const SessionSolution q = solve_session(models.at(out[p.legs.front()].from_occupation), legs, *orbits,
                                              static_options(s.state().settings), progress);
      for (std::size_t n = 0; n < p.legs.size(); ++n)
        out[p.legs[n]].joint = {p.id,
                                p.key,
                                static_cast<int>(n),
                                static_cast<int>(p.legs.size()),
                                q.d[n],
                                q.cov.middleRows(static_cast<Eigen::Index>(3 * n), 3),
                                q.window_s,
                                q.model_fit};
    } catch (const InputError &) {
      // Its vectors stay independent ones, and say that they are still to be solved together.
    }
  });
  refresh(out, s, plan);
  progress.step(1, "vectors solved");
  return out;
}

const RecipeSource *recipe_source(const JobSnapshot &s, const std::string &id) {
  for (const LevelSource &x : s.levels().sources)
    if (x.source_id == id) return &x;
  const auto *field = s.traverses().field.source(id);
  return field ? &field->head : nullptr;
}

} // namespace ampletie
