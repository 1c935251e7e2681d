#include "gnss/kinematic/kinematic.h"
#include "base/error.h"
#include "base/parallel.h"
#include "gnss/kinematic/motion.h"
#include "gnss/static/static_vector.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Whether at an epoch most carriers have been followed for long and will be, in either direction of time.
bool settled(const MovingSession &s, const MovingEpoch &e) {
  constexpr double long_s = 60;
  constexpr int enough = 12; // carriers
  int before = 0, after = 0;
  for (const MovingDifference &d : e.sats)
    for (const int a : d.arc)
      if (a >= 0) {
        const CarrierArc &arc = s.arcs[static_cast<std::size_t>(a)];
        before += e.time - arc.first > long_s, after += arc.last - e.time > long_s;
      }
  return before >= enough && after >= enough;
}

/// Places of the epochs that what lasts is estimated from: all of a minute's data, every other second of an hour's, and
/// where nothing happens every fifth: neighbours tell nothing new of reflections that last for minutes.
std::vector<std::size_t> thinned(const MovingSession &s) {
  const double span = s.epochs.back().time - s.epochs.front().time;
  const double every = span < 120 ? 0 : span < 900 ? 1 : 2, quiet = span < 900 ? every : 5;
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < s.epochs.size(); ++i) {
    if (s.epochs[i].count == 0) continue;
    const double since = out.empty() ? HUGE_VAL : s.epochs[i].time - s.epochs[out.back()].time;
    if (since >= quiet - 0.01 || (since >= every - 0.01 && !settled(s, s.load(i)))) out.push_back(i);
  }
  return out;
}

/// Seconds between checkpoints of what lasts: some 1500 of them at most.
double checkpoint_interval(const MovingSession &s) {
  return std::max(s.interval, (s.epochs.back().time - s.epochs.front().time) / 1500);
}

const SlowState *last_before(const std::vector<SlowState> &list, GpsTime t) {
  const auto it =
      std::lower_bound(list.begin(), list.end(), t, [](const SlowState &s, GpsTime x) { return s.time < x; });
  return it == list.begin() ? nullptr : &*std::prev(it);
}
const SlowState *first_after(const std::vector<SlowState> &list, GpsTime t) {
  const auto it =
      std::upper_bound(list.begin(), list.end(), t, [](GpsTime x, const SlowState &s) { return x < s.time; });
  return it == list.end() ? nullptr : &*it;
}

/// Whether a direction by itself knows a place: carriers, to less than half a metre.
bool worth(const Placed &p) { return p.state >= TrackState::floating && p.cov.trace() < 0.25; }

class Solver {
public:
  Solver(const ModelledTrack &base, const ModelledTrack &rover, const Orbits &orbits, const StaticOptions &options,
         const std::vector<LeftOutSpan> &left_out, const Progress &progress)
      : base_(base), rover_(rover), left_out_(left_out), progress_(progress),
        out_(std::make_unique<KinematicSolution>()) {
    out_->options = options;
    out_->orbits = &orbits;
  }

  std::unique_ptr<KinematicSolution> run() {
    std::vector<ForcedBreak> breaks;
    for (int attempt = 0;; ++attempt) {
      pair(breaks);
      const auto more = integers();
      if (more.empty() || attempt == 2) break;
      breaks.insert(breaks.end(), more.begin(), more.end());
    }
    what_lasts();
    place();
    finish();
    return std::move(out_);
  }

private:
  void pair(const std::vector<ForcedBreak> &breaks) {
    MovingSession &s = out_->session;
    s = pair_moving(base_, rover_, *out_->orbits, out_->options, left_out_, breaks, progress_);
    if (std::none_of(s.epochs.begin(), s.epochs.end(), [](const MovingInstant &e) { return e.bracketed; }))
      throw InputError(fmt::format("the two share no time: the base has {} to {}, the moving receiver {} to {}",
                                   iso(base_.first()), iso(base_.last()), iso(rover_.first()), iso(rover_.last())));
    if (std::all_of(s.epochs.begin(), s.epochs.end(), [](const auto &e) { return e.count == 0; }))
      throw InputError(s.notes.empty() ? "the two share no signal of one satellite at one time"
                                       : "the two share no signal: " + s.notes.front());
    MovingSetting &setting = out_->setting;
    setting.base = base_.about.marker, setting.base_height = base_.about.height;
    setting.like_receivers = !base_.about.receiver.empty() && base_.about.receiver == rover_.about.receiver;
    setting.longest = 0;
    for (const MovingSession::Instant &e : s.epochs)
      if (e.count) setting.longest = std::max(setting.longest, (e.start - setting.base).norm());
    thin_ = thinned(s);
  }

  std::vector<ForcedBreak> integers() {
    SlowFilter forward(out_->session, out_->setting, out_->options, thin_, false),
        backward(out_->session, out_->setting, out_->options, thin_, true);
    both_at_once([&] { forward.run(progress_, 0); }, [&] { backward.run(progress_, 0); });
    out_->track.relations = reconcile(
        out_->session.arcs, forward.relations(),
        out_->options.backward ? backward.relations() : Relations(out_->session.arcs.size()), out_->track.contradicted);
    // A direction that accepted none says nothing of those that were.
    const double a = forward.ratio(), b = backward.ratio();
    out_->track.ratio = a > 0 && b > 0 ? std::min(a, b) : std::max(a, b);
    return forward.breaks();
  }

  void what_lasts() {
    const double every = checkpoint_interval(out_->session);
    SlowFilter forward(out_->session, out_->setting, out_->options, thin_, false, &out_->track.relations),
        backward(out_->session, out_->setting, out_->options, thin_, true, &out_->track.relations);
    both_at_once([&] { forward.run(progress_, every); }, [&] { backward.run(progress_, every); });
    out_->forward = forward.take_checkpoints();
    if (out_->options.backward) out_->backward = backward.take_checkpoints();
    out_->track.rejected = forward.rejected();
  }

  void place() {
    const MovingSession &s = out_->session;
    KinematicTrack &t = out_->track;
    t.epochs.resize(s.epochs.size());
    struct Part {
      std::vector<TwoWays> ways;
      std::vector<ResidualSample> residuals;
      double misfit = 0;
      long redundancy = 0;
    } parts[2]; // added up in order of time: the same bits whichever thread comes first
    const std::size_t half = s.epochs.size() / 2, stride = std::max<std::size_t>(1, s.epochs.size() / 500),
                      every = std::max<std::size_t>(1, s.epochs.size() / 700); // residuals are drawn no finer
    auto part = [&](std::size_t from, std::size_t to, Part &own) {
      EpochSolver solver(s, out_->setting, out_->options, t.relations),
          one(s, out_->setting, out_->options, t.relations);
      const SlowState *before = nullptr, *after = nullptr;
      bool any = false;
      for (std::size_t i = from; i < to; ++i) {
        progress_.check();
        const MovingEpoch e = s.load(i);
        TrackEpoch &out = t.epochs[i];
        out.time = e.time, out.bracketed = e.bracketed;
        const SlowState *f = last_before(out_->forward, e.time), *b = first_after(out_->backward, e.time);
        // Between two checkpoints what lasts hardly changes.
        if (!any || f != before || b != after) solver.take(f, b, e.time), before = f, after = b, any = true;
        const Placed p = solver.solve(e, i % every ? nullptr : &own.residuals);
        out.state = p.state, out.satellites = static_cast<std::uint8_t>(std::min(p.satellites, 255));
        if (p.state == TrackState::none) continue;
        out.position = p.position, out.cov = p.cov;
        if (p.state == TrackState::fixed) own.misfit += p.misfit, own.redundancy += p.redundancy;
        if (i % stride) continue;
        TwoWays w{i, Vec3::Constant(NAN), Vec3::Constant(NAN)};
        one.take(f, nullptr, e.time);
        if (const Placed q = one.solve(e); worth(q)) w.forward = q.position;
        one.take(nullptr, b, e.time);
        if (const Placed q = one.solve(e); worth(q)) w.backward = q.position;
        own.ways.push_back(w);
      }
    };
    both_at_once([&] { part(0, half, parts[0]); }, [&] { part(half, s.epochs.size(), parts[1]); });
    t.ways = std::move(parts[0].ways);
    t.ways.insert(t.ways.end(), parts[1].ways.begin(), parts[1].ways.end());
    t.residuals = std::move(parts[0].residuals);
    t.residuals.insert(t.residuals.end(), parts[1].residuals.begin(), parts[1].residuals.end());
    misfit_ = parts[0].misfit + parts[1].misfit, redundancy_ = parts[0].redundancy + parts[1].redundancy;
  }

  void finish() {
    KinematicTrack &t = out_->track;
    const MovingSession &s = out_->session;
    t.interval = s.interval, t.longest_m = out_->setting.longest, t.slips = s.slips, t.arcs = s.arcs;
    t.notes = s.notes;
    for (const MovingSession::Instant &e : s.epochs) t.lost += e.count == 0;
    for (const ModelledReceiver *m : {&base_.about, &rover_.about}) {
      t.notes.insert(t.notes.end(), m->notes.begin(), m->notes.end());
      if (m->clock_jumps)
        t.notes.push_back(
            fmt::format("{} jumps of whole milliseconds between code and carrier taken out", m->clock_jumps));
    }
    t.noise_ratio = redundancy_ > 0 ? misfit_ / static_cast<double>(redundancy_) : 1;
    out_->scale = std::clamp(t.noise_ratio, 1.0, 9.0);
    if (out_->scale > 1.3)
      t.notes.push_back(fmt::format("the carriers scatter {:.1f} times as much as usual; the accuracies allow for it",
                                    std::sqrt(out_->scale)));
    if (t.contradicted)
      t.notes.push_back(
          fmt::format("{} carrier arcs stay real: forward and backward found different whole numbers", t.contradicted));
    for (TrackEpoch &e : t.epochs)
      if (e.state != TrackState::none)
        e.cov =
            e.cov * out_->scale + type_b(out_->setting.base, e.position, *out_->orbits, out_->options, e.satellites);
    find_velocities(t);
    // Places were found for the instants of reception; an epoch's label is the receiver's clock.
    for (std::size_t i = 0; i < t.epochs.size(); ++i)
      if (t.epochs[i].velocity.allFinite()) t.epochs[i].position += t.epochs[i].velocity * s.epochs[i].clock;
    bridge_gaps(t);
    t.standstills = find_standstills(t);
  }

  const ModelledTrack &base_, &rover_;
  const std::vector<LeftOutSpan> &left_out_;
  const Progress &progress_;
  std::unique_ptr<KinematicSolution> out_;
  std::vector<std::size_t> thin_;
  double misfit_ = 0;
  long redundancy_ = 0;
};

} // namespace

std::size_t KinematicTrack::count(TrackState s) const {
  return static_cast<std::size_t>(
      std::count_if(epochs.begin(), epochs.end(), [s](const TrackEpoch &e) { return e.state == s; }));
}

std::string state_name(TrackState s) {
  switch (s) {
  case TrackState::code:
    return "code";
  case TrackState::floating:
    return "float";
  case TrackState::partly_fixed:
    return "partly fixed";
  case TrackState::fixed:
    return "fixed";
  default:
    return "none";
  }
}

StopPlace KinematicSolution::stop(GpsTime from, GpsTime to) const {
  StopPlace out;
  std::vector<MovingEpoch> loaded;
  std::vector<Vec3> places;
  const auto first = std::lower_bound(session.epochs.begin(), session.epochs.end(), from + -1e-3,
                                      [](const MovingInstant &e, GpsTime t) { return e.time < t; });
  for (auto i = static_cast<std::size_t>(first - session.epochs.begin()); i < session.epochs.size(); ++i) {
    if (session.epochs[i].time - to > 1e-3) break;
    if (session.epochs[i].count == 0) continue;
    loaded.push_back(session.load(i));
    if (track.epochs[i].state != TrackState::none && !track.epochs[i].bridged)
      places.push_back(track.epochs[i].position);
  }
  std::vector<const MovingEpoch *> epochs;
  for (const MovingEpoch &e : loaded) epochs.push_back(&e);
  out.epochs = epochs.size();
  if (epochs.empty()) return out;
  EpochSolver solver(session, setting, options, track.relations);
  solver.take(last_before(forward, epochs.front()->time), first_after(backward, epochs.back()->time),
              epochs.front()->time + (epochs.back()->time - epochs.front()->time) / 2);
  out.place = solver.solve(epochs);
  if (out.place.state != TrackState::fixed && epochs.size() > 1) {
    // Nothing but the standstill itself tells of its carriers: what lasts is estimated from it too, and its codes count
    // there.
    const GpsTime last = epochs.back()->time;
    solver.take(last_before(forward, last + 1e-3), first_after(backward, last), last);
    Placed own = solver.solve(epochs, false);
    if (own.state > out.place.state || out.place.state == TrackState::none) out.place = std::move(own);
  }
  if (out.place.state == TrackState::none) return out;
  out.place.cov =
      out.place.cov * scale + type_b(setting.base, out.place.position, *orbits, options, out.place.satellites);
  out.place.own *= scale;
  for (const Vec3 &p : places) out.spread += (p - out.place.position).squaredNorm();
  if (!places.empty()) out.spread = std::sqrt(out.spread / static_cast<double>(places.size()));
  return out;
}

std::unique_ptr<KinematicSolution> solve_kinematic(const OccupationModel &base, const OccupationModel &rover,
                                                   const Orbits &orbits, const StaticOptions &options,
                                                   const std::vector<LeftOutSpan> &left_out, const Progress &progress) {
  return solve_kinematic(ModelledTrack(base), ModelledTrack(rover), orbits, options, left_out, progress);
}

std::unique_ptr<KinematicSolution> solve_kinematic(const ModelledTrack &base, const ModelledTrack &rover,
                                                   const Orbits &orbits, const StaticOptions &options,
                                                   const std::vector<LeftOutSpan> &left_out, const Progress &progress) {
  if (base.size() == 0 || rover.size() == 0)
    throw InputError(base.size() == 0 ? "the base has no usable epoch" : "the moving receiver has no usable epoch");
  return Solver(base, rover, orbits, options, left_out, progress).run();
}

} // namespace ampletie
