#include "results/tracks.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "base/text.h"
#include "gnss/kinematic/joint_track.h"
#include "gnss/kinematic/kinematic.h"
#include "gnss/kinematic/motion.h"
#include "gnss/model/modelled_track.h"
#include "job/settings.h"
#include "results/job_results.h"
#include "results/reduction.h"
#include "results/track_pieces.h"
#include "results/track_stops.h"
#include "results/vector_plan.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Of what lasts (atmosphere, the base's reflections) two stops of a track have this share in common: counted over
/// simulated pairs, 0.0 in plan and 0.4 in height (docs/verification.md).
constexpr double shared_by_stops = 0.25;
/// A stop of the track lies on a mark that is known to stand here, m in plan and in height.
constexpr double on_mark_plan = 0.3, on_mark_height = 0.5;

/// Sites of files that follow one another as one, between two instants.
class Joined {
public:
  Joined(const std::vector<const Occupation *> &files, std::optional<GpsTime> from, std::optional<GpsTime> to,
         const Progress &progress)
      : from_(from), to_(to) {
    out.interval = files.front()->file->nominal_interval_s;
    static_cast<ObservationHeader &>(out.sample) = *files.front()->file;
    std::size_t all = 0;
    for (const Occupation *o : files) {
      if (o->file->types != out.sample.types)
        throw InputError(o->source_name + " has other signals than " + files.front()->source_name +
                         ": their tracks cannot be one");
      sites_.push_back(o->file);
      // Small ones are read once; `null`: in blocks, each time.
      held_.push_back(o->file->large() ? nullptr : o->file->whole());
      all += o->file->epochs;
      if (o == files.front()) continue;
      auto &marks = out.sample.marks;
      marks.insert(marks.end(), o->file->marks.begin(), o->file->marks.end());
      for (const auto &[sat, channel] : o->file->glonass_channel) out.sample.glonass_channel.emplace(sat, channel);
    }
    std::erase_if(out.sample.marks, [&](GpsTime t) { return !within(t); });
    const std::size_t stride = sample_stride(all);
    each([&](const ObservationFile &block) {
      progress.check();
      for (const ObservationEpoch &e : block.epochs) {
        if (out.epochs == 0) out.start = e.time;
        out.stop = e.time;
        if (out.epochs++ % stride == 0) append_epoch(out.sample, block, e);
      }
    });
    out.each = [this](const BlockSink &take) { each(take); };
  }
  Joined(const Joined &) = delete;
  ObservationBlocks out;

private:
  bool within(GpsTime t) const { return !(from_ && t < *from_) && !(to_ && t >= *to_); }

  /// Every epoch once, also where files overlap.
  void each(const BlockSink &take) const {
    std::optional<GpsTime> last;
    const auto part = [&](const ObservationFile &block) {
      const auto wanted = [&](const ObservationEpoch &e) { return within(e.time) && !(last && e.time - *last < 1e-3); };
      if (std::all_of(block.epochs.begin(), block.epochs.end(), wanted))
        take(block);
      else {
        ObservationFile some;
        static_cast<ObservationHeader &>(some) = block;
        for (const ObservationEpoch &e : block.epochs)
          if (wanted(e)) append_epoch(some, block, e);
        take(some);
      }
      if (!block.epochs.empty() && (!last || block.epochs.back().time > *last)) last = block.epochs.back().time;
    };
    for (std::size_t i = 0; i < sites_.size(); ++i) held_[i] ? part(*held_[i]) : sites_[i]->each_block(part);
  }

  std::optional<GpsTime> from_, to_;
  std::vector<std::shared_ptr<const ObservationSite>> sites_;
  std::vector<std::shared_ptr<const ObservationFile>> held_;
};

/// Of a further base over the same time the base tells its stops from those of the main one.
std::string stop_id(const TrackResult &t, GpsTime start, bool beside) {
  return content_id("k", t.rover_occupations.front() + "|" + iso(start) + (beside ? "|" + t.base + t.base_setup : ""));
}

class TrackSolution {
public:
  TrackSolution(const JobSnapshot &s, const Progress &progress) : s_(s), progress_(progress), reduction_(s) {}

  TrackResult solve(const PlannedTrack &p) const {
    TrackResult r;
    r.id = p.id, r.fingerprint = p.fingerprint, r.beside = p.beside, r.orbits = reduction_.orbits->name();
    for (const Occupation *o : p.rover) r.rover_occupations.push_back(o->id);
    r.rover = p.rover.front()->mark.empty() ? p.rover.front()->source_name : p.rover.front()->mark;
    if (p.base.empty()) {
      r.error = p.why_no_base;
      return r;
    }
    const Occupation &base = *p.base.front();
    r.base_occupation = base.id, r.base = base.mark, r.base_setup = base.setup;
    for (const Occupation *o : {&base, p.rover.front()})
      if (!o->antenna_height) r.error = occupation_name(*o) + ": " + o->height_problem;
    for (const Occupation *o : p.base)
      if (r.error.empty()) r.error = movement_problem(*o, left_out_spans(s_.state(), p.id, o->id));
    if (!r.error.empty()) return r;
    try {
      work(p, r);
    } catch (const InputError &e) {
      r.error = e.reason();
    }
    return r;
  }

private:
  void work(const PlannedTrack &p, TrackResult &r) const {
    const Orbits &orbits = *reduction_.orbits;
    progress_.step(0, "reading " + r.rover);
    const Joined file(p.rover, p.from, p.to, progress_);
    if (file.out.epochs == 0) throw InputError("the receiver has no epoch in that part of its time");
    const AntennaSetup antenna = antenna_of(*p.rover.front()), at_base = antenna_of(*p.base.front());
    const GpsTime middle = file.out.start + (file.out.stop - file.out.start) / 2;
    progress_.step(0.05, fmt::format("base {} of {}", r.base, r.rover));
    const Joined base_file(p.base, {}, {}, progress_);
    r.base_xyz = code_position(base_file.out.sample, orbits, at_base, s_.state().settings.mask_deg).marker;
    // A published place that contradicts the code by more than code can err is no anchor.
    if (const auto there = better_place(r.base, middle); there && (there->first - r.base_xyz).norm() < 30)
      r.base_xyz = there->first, r.base_sd = there->second;
    ModelOptions options = reduction_.options();
    progress_.step(0.1, fmt::format("{}: {} epochs", r.rover, file.out.epochs));
    ModelledTrack base, rover;
    both_at_once([&] { rover = model_in_blocks(file.out, orbits, {}, antenna, options, progress_); },
                 [&] { base = model_in_blocks(base_file.out, orbits, r.base_xyz, at_base, options, progress_); });
    std::string ids;
    for (const Occupation *o : p.base) ids += o->id + ",";
    for (const Occupation *o : p.rover) ids += "," + o->id;
    progress_.step(0.4, "solving track of " + r.rover);
    const auto solution = solve_kinematic(base, rover, orbits, static_options(s_.state().settings),
                                          left_out_spans(s_.state(), p.id, ids), progress_);
    r.frame = orbits.frame(middle), r.epoch = decimal_year(middle);
    for (const MovingInstant &e : solution->session.epochs) r.without_base += !e.bracketed;
    stops(p, *solution, r);
    own_heights(p, solution->track);
    for (const GpsTime t : file.out.sample.marks)
      if (const auto e = event_at(solution->track, t)) r.events.push_back(*e);
    r.solved = std::move(solution->track);
  }

  /// All was solved with the antenna's height of the first piece; the file may say others later on.
  static void own_heights(const PlannedTrack &p, KinematicTrack &t) {
    for (const Occupation *o : p.rover) {
      const double more = o->antenna_height.value_or(0) - p.rover.front()->antenna_height.value_or(0);
      if (more == 0) continue;
      for (TrackEpoch &e : t.epochs)
        if (o->start <= e.time && e.time <= o->stop && e.position.norm() > 0)
          e.position -= more * local_axes(to_geodetic(e.position)).row(2).transpose();
    }
  }

  /// Between two epochs along the cubic of their places and velocities; what that costs grows with the time from the
  /// nearer one (accelerations of 1 m/s² that nobody saw).
  static std::optional<TrackEvent> event_at(const KinematicTrack &t, GpsTime when) {
    const auto next = std::lower_bound(t.epochs.begin(), t.epochs.end(), when,
                                       [](const TrackEpoch &e, GpsTime x) { return e.time < x; });
    if (next == t.epochs.end() || next == t.epochs.begin()) return {};
    const TrackEpoch &a = *std::prev(next), &b = *next;
    if (a.state == TrackState::none || b.state == TrackState::none || b.time - a.time > 3 * t.interval + 0.01)
      return {};
    const double T = b.time - a.time, u = (when - a.time) / T;
    const Vec3 chord = (b.position - a.position) / T;
    const Vec3 va = a.velocity.allFinite() ? a.velocity : chord, vb = b.velocity.allFinite() ? b.velocity : chord;
    TrackEvent e;
    e.time = when, e.solution = std::min(a.state, b.state);
    e.position = cubic_between(a.position, va, b.position, vb, T, u);
    e.cov = (1 - u) * a.cov + u * b.cov + Mat3::Identity() * std::pow(0.5 * u * (1 - u) * T * T, 2);
    return e;
  }

  /// Of a base, with its deviation: as published, or along a solved vector from a mark that is. What a metre more or
  /// less of it does to a track is a tenth of a millimetre in a kilometre.
  std::optional<std::pair<Vec3, double>> better_place(const std::string &base, GpsTime t) const {
    constexpr double usual = 0.01; // where a list states none
    const auto published = [&](const PublishedMark &p) { return p.sd_enu ? p.sd_enu->norm() / std::sqrt(3.0) : usual; };
    if (const auto own = s_.anchors().find(base); own != s_.anchors().end())
      return std::pair(reduction_.place(own->second, t), published(own->second));
    std::optional<std::pair<Vec3, double>> out;
    double nearest = 1e18;
    for (const VectorResult &v : s_.vectors()) {
      if (!v.error.empty() || !v.used || v.solved->solution != Solution::fixed || v.length() >= nearest) continue;
      const bool to = v.to == base;
      const auto other = s_.anchors().find(to ? v.from : v.to);
      if ((!to && v.from != base) || other == s_.anchors().end()) continue;
      out.emplace(reduction_.place(other->second, t) + (to ? v.solved->d : Vec3(-v.solved->d)),
                  std::sqrt(std::pow(published(other->second), 2) + v.solved->cov.trace() / 3));
      nearest = v.length();
    }
    return out;
  }

  /// Those that the file names, those of the crew's lists, then those that are found elsewhere.
  void stops(const PlannedTrack &p, const KinematicSolution &k, TrackResult &r) const {
    const double height = p.rover.front()->antenna_height.value_or(0);
    // The file may say another one on the way.
    const auto height_at = [&](GpsTime t) {
      double h = height;
      for (const Occupation *o : p.rover)
        if (o->start <= t && t <= o->stop) h = o->antenna_height.value_or(0);
      return h;
    };
    const auto taken = [&](GpsTime from, GpsTime to) {
      return std::any_of(r.stops.begin(), r.stops.end(),
                         [&](const TrackStop &t) { return t.start <= to && from <= t.stop; });
    };
    const GpsTime from = p.from.value_or(p.rover.front()->start), to = p.to.value_or(p.rover.back()->stop);
    for (const Occupation *o : p.rover)
      if (!o->file->moving && p.rover.size() > 1 && o->stop >= from && o->start <= to)
        add(k, r, TrackStop::Kind::event, o->mark, o->start, o->stop, o->antenna_height.value_or(0), height);
    std::vector<std::pair<GpsTime, GpsTime>> still;
    for (const Standstill &x : k.track.standstills)
      still.emplace_back(k.track.epochs[x.first].time, k.track.epochs[x.last].time);
    for (const ListedStop &x : listed_stops(s_, from, to)) {
      const auto stood = stood_within(x, still);
      const auto [a, b] = stood.value_or(std::pair(x.from, x.to));
      if (taken(a, b)) {
        r.stop_notes.push_back(
            fmt::format("{} line {}: {} is named twice at that time", x.source_name, x.line, x.name));
        continue;
      }
      if (!stood)
        r.stop_notes.push_back(fmt::format("{} line {}: the antenna did not stand for most of {}, from {} to {}",
                                           x.source_name, x.line, x.name, iso_ms(x.from).substr(11),
                                           iso_ms(x.to).substr(11)));
      const std::size_t before = r.stops.size();
      add(k, r, TrackStop::Kind::list, x.name, a, b, listed_height(*p.rover.front(), x, r).value_or(height_at(a)),
          height);
      if (r.stops.size() == before) continue;
      r.stops.back().code = x.code;
      if (x.tilt.value_or(0) > 0) lean(*p.rover.front(), x, r);
    }
    for (const auto &[a, b] : still)
      if (!taken(a, b)) add(k, r, TrackStop::Kind::found, "", a, b, height_at(a), height);
    std::sort(r.stops.begin(), r.stops.end(), [](const TrackStop &a, const TrackStop &b) { return a.start < b.start; });
    for (const ClockOffer &c : clock_offers(s_, from, to, still))
      r.clock_hints.push_back(
          {c.source_id,
           fmt::format("{}: {} of its {} stops are standstills as their times are written; with {:+.0f} s "
                       "({}) {} are",
                       c.source_name, c.match_now, c.of, c.seconds, offset_words(c.seconds, from), c.match),
           c.seconds});
  }

  /// Brings the stop that was added last to the tip of a pole that leaned. It turns about its tip as a whole: what was
  /// solved is the place of the phase centre, whose offset above the reference point leaned along.
  void lean(const Occupation &rover, const ListedStop &x, TrackResult &r) const {
    TrackStop &t = r.stops.back();
    const Mat3 axes = local_axes(to_geodetic(r.base_xyz + t.d));
    double above = 0;
    const AntennaSetup antenna = antenna_of(rover);
    if (antenna.calibration && !antenna.calibration->frequencies.empty())
      above = antenna.calibration->frequencies.begin()->second.offset_neu.z();
    t.tilt = *x.tilt, t.lean = x.lean;
    const double length = t.antenna_height + above, aside = length * std::sin(t.tilt);
    t.d += axes.transpose() * Vec3(0, 0, length * (1 - std::cos(t.tilt)));
    if (x.lean)
      t.d -= axes.transpose() * Vec3(aside * std::sin(*x.lean), aside * std::cos(*x.lean), 0);
    else { // in whatever direction
      t.lean_cov = axes.transpose() * Vec3(aside * aside / 2, aside * aside / 2, 0).asDiagonal() * axes;
      t.cov += t.lean_cov;
      r.stop_notes.push_back(fmt::format(
          "{} line {}: the pole at {} leaned {:.1f}° nobody knows where to: its place is known to {:.0f} mm",
          x.source_name, x.line, x.name, degrees(t.tilt), 1000 * aside / std::sqrt(2)));
    }
  }

  /// Of the reference point above the mark, from the list's reading; nothing: it has none that can be used.
  std::optional<double> listed_height(const Occupation &rover, const ListedStop &x, TrackResult &r) const {
    if (!x.height || x.height_to.empty() || lower(x.height_to) == "arp") return x.height;
    std::string why = "no dimensions of \"" + rover.antenna + "\" say where \"" + x.height_to + "\" is";
    if (const AntennaPoint *point = find_point(s_.contents(), rover.antenna, x.height_to); point) try {
        return arp_height(*x.height, false, *point);
      } catch (const InputError &e) {
        why = e.reason();
      }
    r.stop_notes.push_back(fmt::format("{} line {}: the height of {} is not used, the file's counts: {}", x.source_name,
                                       x.line, x.name, why));
    return {};
  }

  static std::string offset_words(double seconds, GpsTime t) {
    const double leap = gps_minus_utc(t);
    // A zone of the Earth on the same day before one on another.
    double days = 0;
    if (const double zone = -seconds / 3600; zone < -12.1 || zone > 14.1) days = std::round(seconds / 86400);
    const double rest = seconds - 86400 * days, hours = std::round((rest - leap) / 900) / 4;
    std::string out;
    if (std::abs(rest - leap - 3600 * hours) < 1)
      out = hours == 0 ? "UTC" : fmt::format("local time, UTC{:+g} h", -hours);
    else if (std::abs(rest) > 1)
      out = fmt::format("{:+g} h", rest / 3600);
    if (days != 0) out += fmt::format("{}{:+.0f} day", out.empty() ? "" : ", ", days);
    return out;
  }

  void add(const KinematicSolution &k, TrackResult &r, TrackStop::Kind kind, const std::string &name, GpsTime from,
           GpsTime to, double height, double height_of_file) const {
    const StopPlace p = k.stop(from, to);
    TrackStop t;
    t.kind = kind, t.name = name,
    t.named_by = kind == TrackStop::Kind::event  ? "file"
                 : kind == TrackStop::Kind::list ? "list"
                                                 : "",
    t.start = from, t.stop = to;
    t.id = stop_id(r, from, !r.beside.empty()), t.antenna_height = height;
    if (!r.beside.empty()) t.same_as = stop_id(r, from, false);
    t.epochs = p.epochs, t.spread_m = p.spread, t.solution = p.place.state, t.satellites = p.place.satellites;
    // The track was solved with the height of the file.
    const Vec3 up = local_axes(to_geodetic(p.place.position)).row(2);
    t.d = p.place.position - r.base_xyz - up * (height - height_of_file), t.cov = p.place.cov,
    t.common = shared_by_stops * (p.place.cov - p.place.own);
    if (t.solution != TrackState::none)
      r.stops.push_back(std::move(t));
    else if (!name.empty())
      r.stop_notes.push_back(fmt::format("nothing could be solved at {} from {} to {}: {} epochs with the base", name,
                                         iso_ms(from).substr(11), iso_ms(to).substr(11), p.epochs));
  }

  const JobSnapshot &s_;
  const Progress &progress_;
  const Reduction reduction_;
};

/// Names of stops: what was decided, what the file or a list says, the mark that is known to stand there, a number.
class StopNames {
public:
  StopNames(const JobSnapshot &s) : s_(s) {
    try {
      datum_.emplace(job_datum(s));
      const OperationPolicy policy = operation_policy(s.state().settings);
      for (const auto &[name, p] : s.published()) places_[name] = published_in_job(p, *datum_, policy).xyz;
      for (const auto &[name, p] : s.checks()) places_[name] = published_in_job(p, *datum_, policy).xyz;
    } catch (const InputError &) {
      places_.clear(); // a datum that cannot be used is a doubt of its own
    }
  }
  void name(TrackResult &t) const {
    int number = 0;
    const auto base = places_.find(t.base);
    for (TrackStop &x : t.stops) {
      ++number;
      const auto said = s_.state().stops.find(x.same_as.empty() ? x.id : x.same_as);
      if (said != s_.state().stops.end() && said->second.code.value) x.code = *said->second.code.value;
      if (said != s_.state().stops.end() && said->second.height.value) {
        const Mat3 axes = local_axes(to_geodetic(t.base_xyz + x.d));
        const double more = *said->second.height.value - x.antenna_height, aside = x.lean ? std::sin(x.tilt) : 0;
        x.d -= axes.transpose() * Vec3(more * aside * std::sin(x.lean.value_or(0)),
                                       more * aside * std::cos(x.lean.value_or(0)), more * std::cos(x.tilt));
        if (x.antenna_height > 0) { // a longer pole leans further aside
          const Mat3 other = x.lean_cov * std::pow(*said->second.height.value / x.antenna_height, 2);
          x.cov += other - x.lean_cov, x.lean_cov = other;
        }
        x.antenna_height = *said->second.height.value;
      }
      if (said != s_.state().stops.end() && said->second.mark.value) {
        x.mark = x.name = s_.state().mark_name(*said->second.mark.value), x.named_by = "decision";
        continue;
      }
      if (x.named_by == "file" || x.named_by == "list") {
        x.mark = s_.state().mark_name(x.name);
        continue;
      }
      x.mark.clear();
      if (base != places_.end()) near_mark(t, base->second, x);
      if (x.mark.empty()) x.name = fmt::format("stop {}", number), x.named_by = "number";
    }
  }

private:
  void near_mark(const TrackResult &t, const Vec3 &base, TrackStop &x) const {
    const Mat3 axes = local_axes(to_geodetic(base));
    const Mat3 turn =
        frame_change(t.frame, datum_->frame(), base, operation_policy(s_.state().settings)).linear_part(t.epoch, base);
    double nearest = on_mark_plan;
    for (const auto &[name, place] : places_) {
      const Vec3 off = axes * (base + turn * x.d - place);
      if (off.head<2>().norm() < nearest && std::abs(off.z()) < on_mark_height)
        nearest = off.head<2>().norm(), x.mark = x.name = name, x.named_by = "known mark";
    }
  }
  const JobSnapshot &s_;
  std::optional<JobDatum> datum_;
  std::map<std::string, Vec3> places_;
};

} // namespace

const char *stop_kind_name(TrackStop::Kind k) {
  constexpr const char *names[] = {"event", "list", "found"};
  return names[static_cast<int>(k)];
}

const TrackStop *stop_of(const TrackResult &t, const std::string &id) {
  const auto it = std::find_if(t.stops.begin(), t.stops.end(), [&](const TrackStop &s) { return s.id == id; });
  return it == t.stops.end() ? nullptr : &*it;
}

bool TrackResult::names_a_mark() const {
  return std::any_of(stops.begin(), stops.end(), [](const TrackStop &x) { return x.used && !x.mark.empty(); });
}

std::string TrackResult::bases() const {
  std::string out = base;
  for (const OtherBase &o : others) out += " + " + o.base;
  return out;
}

double TrackResult::fixed_share() const {
  return solved->epochs.empty()
             ? 0
             : static_cast<double>(solved->count(TrackState::fixed)) / static_cast<double>(solved->epochs.size());
}

bool in_a_joint(const std::vector<TrackResult> &all, const TrackResult &t) {
  return std::any_of(all.begin(), all.end(), [&](const TrackResult &j) {
    return j.error.empty() && std::find(j.of.begin(), j.of.end(), t.id) != j.of.end();
  });
}

namespace {
/// A stop of the main base with what the others have of it, as seen from the main one.
TrackStop joint_stop(const TrackStop &x, const std::vector<const TrackResult *> &parts,
                     const std::vector<TrackOfBase> &ways) {
  TrackStop out = x;
  out.same_as = x.id, out.id = content_id("k", x.id + "|joint");
  // One pole leaned: what that leaves unknown is the same from every base.
  std::vector<Mat3> cov{x.cov - x.lean_cov};
  std::vector<double> ties{0};
  std::vector<Vec3> d{x.d};
  for (std::size_t b = 1; b < parts.size(); ++b)
    for (const TrackStop &o : parts[b]->stops) {
      // What was laid onto the first way adds nothing to a place.
      if (o.same_as != x.id || !ways[b].tie || o.solution != x.solution || o.solution < TrackState::floating) continue;
      cov.push_back(o.cov - o.lean_cov), ties.push_back(*ways[b].tie);
      d.push_back(parts[b]->base_xyz + o.d - parts.front()->base_xyz);
      out.satellites = std::max(out.satellites, o.satellites);
    }
  const JointWeights w = joint_weights(cov, ties);
  for (std::size_t i = 1; i < d.size(); ++i) out.d += w.weights[i] * (d[i] - x.d);
  out.cov = w.cov + x.lean_cov;
  return out;
}

/// Puts the tracks of several bases together, of those that are solved.
TrackResult join(const PlannedTrack &p, const std::vector<TrackResult> &all) {
  TrackResult r;
  r.id = p.id, r.fingerprint = p.fingerprint, r.of = p.of;
  std::vector<const TrackResult *> parts;
  for (const std::string &id : p.of)
    for (const TrackResult &t : all)
      if (t.id == id && t.error.empty()) parts.push_back(&t);
  for (const TrackResult &t : all)
    if (t.id == p.of.front()) r.base = t.base, r.rover = t.rover, r.rover_occupations = t.rover_occupations;
  if (parts.size() < 2) {
    r.error = parts.empty() ? "from none of its bases could it be solved"
                            : "from " + parts.front()->base + " alone could it be solved: there is nothing to join";
    return r;
  }
  const TrackResult &first = *parts.front();
  r.base = first.base, r.base_setup = first.base_setup, r.base_occupation = first.base_occupation;
  r.base_xyz = first.base_xyz, r.base_sd = first.base_sd, r.orbits = first.orbits, r.frame = first.frame,
  r.epoch = first.epoch;
  std::vector<TrackOfBase> ways;
  for (const TrackResult *t : parts) {
    const bool tied = t->base_sd && first.base_sd;
    ways.push_back({&*t->solved, t->base,
                    tied ? std::optional(std::pow(*t->base_sd, 2) + std::pow(*first.base_sd, 2)) : std::nullopt});
  }
  JointTrack joint = join_tracks(ways);
  for (const TrackStop &x : first.stops) r.stops.push_back(joint_stop(x, parts, ways));
  const Mat3 axes = local_axes(to_geodetic(first.base_xyz));
  for (const BaseComparison &c : joint.comparisons)
    r.others.push_back({c.base, c.epochs, c.apart, axes * c.mean, c.rms, c.laid_on});
  for (const TrackEpoch &e : joint.track.epochs) r.without_base += !e.bracketed;
  r.solved = std::move(joint.track);
  return r;
}
} // namespace

std::vector<TrackResult> solved_tracks(const JobSnapshot &s) {
  const auto solved = std::static_pointer_cast<const std::vector<TrackResult>>(s.inputs().tracks);
  return solved ? *solved : std::vector<TrackResult>{};
}

std::vector<TrackResult> solve_tracks(const JobSnapshot &s, const Progress &progress) {
  std::set<std::string> all;
  for (const PlannedTrack &p : s.get(track_plan_result())) all.insert(p.id);
  if (all.empty())
    throw InputError(
        "there is no track to solve: no receiver of the job moved (an occupation is said to with moving=yes)");
  return solve_some_tracks(s, progress, all);
}

std::vector<TrackResult> solve_some_tracks(const JobSnapshot &s, const Progress &progress,
                                           const std::set<std::string> &only) {
  const std::vector<TrackResult> known = solved_tracks(s);
  std::vector<TrackResult> out;
  std::optional<TrackSolution> solution;
  for (const PlannedTrack &p : s.get(track_plan_result())) {
    const bool asked = only.count(p.id) > 0;
    const auto same = std::find_if(known.begin(), known.end(), [&](const TrackResult &t) {
      return t.id == p.id && (!asked || (t.fingerprint == p.fingerprint && t.error.empty()));
    });
    if (same != known.end()) {
      out.push_back(*same);
      continue;
    }
    if (!asked) continue;
    if (!p.of.empty()) {
      out.push_back(join(p, out));
      continue;
    }
    if (!solution) solution.emplace(s, progress);
    out.push_back(solution->solve(p));
  }
  progress.step(1, "tracks solved");
  return out;
}

void refresh(std::vector<TrackResult> &tracks, const JobSnapshot &s, const std::vector<PlannedTrack> &plan) {
  const auto planned = [&](const TrackResult &t) {
    return std::find_if(plan.begin(), plan.end(), [&](const PlannedTrack &x) { return x.id == t.id; });
  };
  // Whose receiver is left out, or stood after all, is none.
  std::erase_if(tracks, [&](const TrackResult &t) { return planned(t) == plan.end(); });
  if (tracks.empty()) return;
  // As planned, in whatever order they were kept.
  std::stable_sort(tracks.begin(), tracks.end(),
                   [&](const TrackResult &a, const TrackResult &b) { return planned(a) < planned(b); });
  const StopNames names(s);
  for (TrackResult &t : tracks) {
    const auto p = planned(t);
    t.stale = p->fingerprint != t.fingerprint;
    if (!p->base.empty()) t.base = p->base.front()->mark, t.base_setup = p->base.front()->setup;
    t.beside = p->beside;
    auto left = s.state().left_out.find(t.id);
    // With a joint track go those that it is made of.
    for (const PlannedTrack &j : plan)
      if (std::find(j.of.begin(), j.of.end(), t.id) != j.of.end() && left == s.state().left_out.end())
        left = s.state().left_out.find(j.id);
    t.used = left == s.state().left_out.end();
    t.left_out_because = t.used ? "" : left->second.reason;
    names.name(t);
    for (TrackStop &x : t.stops) {
      auto out = s.state().left_out.find(x.id);
      if (out == s.state().left_out.end() && !x.same_as.empty()) out = s.state().left_out.find(x.same_as);
      x.used = out == s.state().left_out.end();
      x.left_out_because = x.used ? "" : out->second.reason;
    }
  }
}

const Result<std::vector<TrackResult>> &tracks_result() {
  static const Result<std::vector<TrackResult>> r{"tracks",
                                                  Section::gnss,
                                                  {&track_plan_result(), &contents_result(), &belonging_result()},
                                                  {Slice::tracks, Slice::stops, Slice::use_of_vectors,
                                                   Slice::settings_datum, Slice::settings_network, Slice::marks},
                                                  [](const JobSnapshot &s) {
                                                    std::vector<TrackResult> out = solved_tracks(s);
                                                    refresh(out, s, s.get(track_plan_result()));
                                                    return out;
                                                  }};
  return r;
}

} // namespace ampletie
