#include "base/size_words.h"
#include "judgement/doubt_list.h"
#include "judgement/doubts.h"
#include "results/found_motion.h"
#include "results/job_results.h"
#include "results/track_record.h"
#include "results/track_stops.h"
#include "results/tracks.h"
#include "results/vector_plan.h"
#include <Eigen/Dense>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

constexpr double wide_spread_m = 0.03; ///< of a standstill's epochs about their mean: the pole was not held still
constexpr double quantile_three = 3.29;

std::string clock_time(GpsTime t) { return iso_ms(t).substr(11); }

/// "10:04:10 to 10:06:02 (112 s) and 3 more", of epochs that no data of the base bracket.
std::string gaps_of(const KinematicTrack &k) {
  std::vector<std::pair<GpsTime, GpsTime>> spans;
  bool open = false;
  for (const TrackEpoch &e : k.epochs) {
    if (!e.bracketed && open) spans.back().second = e.time;
    if (!e.bracketed && !open) spans.emplace_back(e.time, e.time);
    open = !e.bracketed;
  }
  if (spans.empty()) return {};
  const auto longest = std::max_element(
      spans.begin(), spans.end(), [](const auto &a, const auto &b) { return a.second - a.first < b.second - b.first; });
  return fmt::format("{} to {} ({:.0f} s){}", clock_time(longest->first), clock_time(longest->second),
                     longest->second - longest->first,
                     spans.size() > 1 ? fmt::format(" and {} more", spans.size() - 1) : "");
}

Correction of_occupation(const char *words, const Occupation &o, const char *moving) {
  Correction c{words, "", "moving", moving};
  c.occupation = o.id;
  return c;
}

class TrackDoubts {
public:
  TrackDoubts(DoubtList &list, const JobSnapshot &s) : list_(list), s_(s) {}

  void run() {
    for (const Occupation &o : s_.moving()) taken_as_track(o), bases_in_vain(o);
    for (const Occupation &o : s_.occupations()) moved_all_the_same(o), bases_in_vain(o);
    for (const TrackResult &t : s_.get(tracks_result()))
      if (t.used) track(t);
    stops_of_no_track();
  }

private:
  void taken_as_track(const Occupation &o) {
    if (!o.used || o.moving_by == Occupation::MovingBy::decision) return;
    const Thing about{Thing::Kind::occupation, o.id};
    if (o.moving_by == Occupation::MovingBy::data && !o.file->moving) {
      double way = 0;
      for (const Moved &m : o.moved) way += m.metres;
      Doubt &d =
          list_.add(DoubtKind::found_to_move, occupation_name(o), Section::gnss, about,
                    fmt::format("its file does not say that it moved, its data do: {:.0f} m on the way from {}; it is "
                                "solved as a track",
                                way, o.moved.empty() ? "its start" : clock_time(o.moved.front().from)),
                    o.id);
      d.corrections.push_back(of_occupation("It is a track", o, "yes"));
      d.corrections.push_back(of_occupation("It stood", o, "no"));
    }
  }

  /// Stops of a list that no track of the job has: of another day, another receiver, another job.
  void stops_of_no_track() {
    const auto &tracks = s_.get(tracks_result());
    const auto &plan = s_.get(track_plan_result());
    // Who moved may not have been looked at yet.
    const FoundMotions &motions = found_motions(s_);
    if (plan.empty() && std::any_of(s_.occupations().begin(), s_.occupations().end(),
                                    [&](const Occupation &o) { return o.used && !motions.count(o.id); }))
      return;
    // What is not solved yet may have them.
    if (tracks.size() < plan.size() ||
        std::any_of(tracks.begin(), tracks.end(), [](const auto &t) { return t.stale || !t.error.empty(); }))
      return;
    std::set<std::pair<std::string, long>> found; // source and line
    std::set<std::string> by_another_clock;
    for (const TrackResult &t : tracks) {
      for (const ClockHint &h : t.clock_hints) by_another_clock.insert(h.source_id);
      if (!t.solved->epochs.empty())
        for (const ListedStop &x : listed_stops(s_, t.solved->epochs.front().time, t.solved->epochs.back().time))
          found.emplace(x.source_id, x.line);
    }
    for (const SourceContent &c : s_.contents()) {
      if (!c.stops || by_another_clock.count(c.source.id)) continue;
      std::size_t lost = 0;
      const StopRow *first = nullptr;
      for (const StopRow &r : c.stops->rows)
        if (!found.count({c.source.id, r.line}) && lost++ == 0) first = &r;
      if (lost == 0) continue;
      list_.add(DoubtKind::stop_list_trouble, c.source.name, Section::gnss, {Thing::Kind::source, c.source.id},
                tracks.empty()
                    ? fmt::format("no receiver of the job moved: its {} stops count for nothing", lost)
                    : fmt::format("{} of its {} stops fall into no track, the first is {} in line {}: of another "
                                  "day, another receiver or another job",
                                  lost, c.stops->rows.size(), first->name, first->line),
                c.source.id + " lost");
    }
  }

  /// What was said of the bases of a receiver and does nothing.
  void bases_in_vain(const Occupation &o) {
    if (!o.used || (o.base.empty() && o.bases != "all")) return;
    std::string why;
    if (!o.moving)
      why = "it stands: only a receiver that moves is solved from a base that is named, or from all";
    else if (o.bases == "all" && !o.base.empty())
      why = "all bases are asked for and " + o.base + " alone: that one is taken";
    else if (const auto &plan = s_.get(track_plan_result());
             o.bases == "all" && std::none_of(plan.begin(), plan.end(), [&](const PlannedTrack &p) {
               return p.of.size() > 1 &&
                      std::any_of(p.rover.begin(), p.rover.end(), [&](const auto *r) { return r->id == o.id; });
             }))
      why = "all bases are asked for, and no second one logged a minute beside it";
    if (!why.empty())
      list_.add(DoubtKind::decision_does_not_count, occupation_name(o), Section::gnss, {Thing::Kind::occupation, o.id},
                why, o.id + " bases");
  }

  void moved_all_the_same(const Occupation &o) {
    if (!o.used || o.moved.empty() || o.moving_by == Occupation::MovingBy::decision) return;
    const std::string why = movement_problem(o, left_out_spans(s_.state(), o.id, o.id));
    if (why.empty()) return;
    Doubt &d = list_.add(DoubtKind::did_not_stand, occupation_name(o), Section::gnss, {Thing::Kind::occupation, o.id},
                         why, o.id);
    for (const Moved &m : o.moved) d.effect_m = std::max(d.effect_m.value_or(0), m.metres);
    d.corrections.push_back(of_occupation("Solve it as a track", o, "yes"));
    d.corrections.push_back(of_occupation("It stood", o, "no"));
  }

  void track(const TrackResult &t) {
    const Thing about{Thing::Kind::track, t.id};
    const std::string name = "track of " + t.rover;
    if (!t.error.empty()) {
      list_.add(DoubtKind::track_not_solved, name, Section::gnss, about, t.error, t.id);
      return;
    }
    const KinematicTrack &k = *t.solved;
    for (const OtherBase &o : t.others) other_base(t, o, about, name);
    // What a way from several bases lacks the joint one tells.
    const bool part = in_a_joint(s_.get(tracks_result()), t);
    if (t.stale && !part)
      list_.add(DoubtKind::track_out_of_date, name, Section::gnss, about,
                "something that it was solved from has changed: solve it again", t.id);
    if (t.without_base > 0 && !part)
      list_.add(DoubtKind::base_has_gaps, name, Section::gnss, about,
                fmt::format("{} of {} epochs are outside the data of {}: {}", t.without_base, k.epochs.size(),
                            t.bases(), gaps_of(k)),
                t.id);
    if (k.noise_ratio > 2 && !t.joint())
      list_.add(DoubtKind::track_noisy, name, Section::gnss, about,
                fmt::format("its carriers scatter {:.1f} times as much as usual", std::sqrt(k.noise_ratio)), t.id);
    if (!t.beside.empty()) return; // a further base has the same stops as the main one
    for (const ClockHint &h : t.clock_hints) {
      Doubt &d = list_.add(DoubtKind::stop_list_clock, name, Section::gnss, {Thing::Kind::source, h.source_id},
                           h.sentence, t.id + h.source_id);
      d.corrections.push_back({"Add that to its times", h.source_id, "add_seconds", fmt::format("{:.0f}", h.seconds)});
    }
    for (const std::string &n : t.stop_notes)
      list_.add(DoubtKind::stop_list_trouble, name, Section::gnss, about, n, t.id + n);
    if (t.joint()) return; // and so has the joint track
    for (const TrackStop &x : t.stops)
      if (x.used && !x.mark.empty()) stop(t, x);
    same_mark_again(t);
  }

  /// Two bases that place one way differently.
  void other_base(const TrackResult &t, const OtherBase &o, const Thing &about, const std::string &name) {
    const std::size_t by_chance = 5 + o.epochs / 50;
    if (o.apart <= by_chance) return;
    Doubt &d =
        list_.add(DoubtKind::bases_disagree, name, Section::gnss, about, base_comparison_words(t, o), t.id + o.base);
    d.effect_m = std::max(o.enu.norm(), o.rms), d.value = static_cast<double>(o.apart),
    d.limit = static_cast<double>(by_chance), d.unit = "epochs";
    if (!o.laid_on && o.enu.norm() > 2 * o.rms)
      d.causes.push_back("all of the way lies so: " + t.base + " or " + o.base +
                         " does not stand where it was taken to, or with another "
                         "antenna height");
    else
      d.causes.push_back(
          "a part of the way lies so: whole numbers are wrong from one of them there, or a base was disturbed");
  }

  void stop(const TrackResult &t, const TrackStop &x) {
    const Thing about{Thing::Kind::stop, x.id};
    const std::string name = fmt::format("stop {} at {}", x.name, clock_time(x.start));
    if (x.solution != TrackState::fixed)
      list_.add(DoubtKind::stop_not_fixed, name, Section::gnss, about,
                fmt::format("it is {}, from {} epochs of {:.0f} s", state_name(x.solution), x.epochs, x.stop - x.start),
                x.id);
    if (x.spread_m > wide_spread_m && x.solution == TrackState::fixed)
      list_.add(DoubtKind::stop_not_still, name, Section::gnss, about,
                fmt::format("its epochs lie {} about their mean: the antenna was not still all the time from {} to {}",
                            length_words(x.spread_m), clock_time(x.start), clock_time(x.stop)),
                x.id);
    known_mark(t, x, about, name);
  }

  /// What would be the height if it alone were wrong, by how far the stop lies too high.
  static void other_height(Doubt &d, const TrackStop &x, double too_high) {
    const double height = x.antenna_height + too_high;
    d.causes.push_back(fmt::format("the antenna stood {:.3f} m {} than its {:.3f} m at {}: height {:.3f} m",
                                   std::abs(too_high), too_high > 0 ? "higher" : "lower", x.antenna_height,
                                   clock_time(x.start), height));
    if (height < 0 || height > 30) return;
    Correction c{fmt::format("Height {:.3f} m at {}", height, clock_time(x.start)), "", "height",
                 fmt::format("{:.3f}", height)};
    c.stop = x.id;
    d.corrections.push_back(std::move(c));
  }

  /// Two stops of a track on one mark: what lasts is the same in both.
  void same_mark_again(const TrackResult &t) {
    std::map<std::string, const TrackStop *> first;
    const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
    const JobSettings &set = s_.state().settings;
    for (const TrackStop &x : t.stops) {
      if (!x.used || x.mark.empty() || x.solution != TrackState::fixed) continue;
      const auto [it, fresh] = first.try_emplace(x.mark, &x);
      if (fresh) continue;
      const TrackStop &y = *it->second;
      const Vec3 off = axes * (x.d - y.d);
      const Mat3 own = (x.cov - x.common) + (y.cov - y.common);
      const Mat3 cov = axes * own * axes.transpose() +
                       Mat3(2 * Vec3(set.centring_sd_m, set.centring_sd_m, set.height_sd_m).cwiseAbs2().asDiagonal());
      const double up_limit = quantile_three * std::sqrt(cov(2, 2)),
                   plan_limit = quantile_three * std::sqrt(cov(0, 0) + cov(1, 1));
      const bool up = std::abs(off.z()) > up_limit, plan = off.head<2>().norm() > plan_limit;
      if (!up && !plan) continue;
      Doubt &d =
          list_.add(DoubtKind::stop_off_its_mark, fmt::format("stop {} at {}", x.name, clock_time(x.start)),
                    Section::gnss, {Thing::Kind::stop, x.id},
                    fmt::format("it lies {} in plan and {:+.3f} m in height from the stop on the same mark at {}",
                                length_words(off.head<2>().norm()), off.z(), clock_time(y.start)),
                    x.id + y.id);
      d.effect_m = off.norm(), d.value = up ? std::abs(off.z()) : off.head<2>().norm(),
      d.limit = up ? up_limit : plan_limit;
      d.unit = "m";
      if (up && !plan) other_height(d, x, off.z()), other_height(d, y, -off.z());
    }
  }

  /// A stop on a mark that is published: a height keyed in wrong shows at once.
  void known_mark(const TrackResult &t, const TrackStop &x, const Thing &about, const std::string &name) {
    const PublishedMark *mark = s_.listed(x.mark), *base = s_.listed(t.base);
    if (!mark || !base || !mark->has_position() || !base->has_position()) return;
    try {
      const JobDatum datum = job_datum(s_);
      const OperationPolicy policy = operation_policy(s_.state().settings);
      const PlacedMark a = published_at(*base, datum, t.epoch, policy), b = published_at(*mark, datum, t.epoch, policy);
      const Mat3 turn = frame_change(t.frame, datum.frame(), a.point.xyz, policy).linear_part(t.epoch, a.point.xyz);
      const Mat3 axes = local_axes(to_geodetic(b.point.xyz));
      const Vec3 off = axes * (a.point.xyz + turn * x.d - b.point.xyz);
      const JobSettings &set = s_.state().settings;
      Mat3 cov = axes * turn * x.cov * turn.transpose() * axes.transpose();
      cov.diagonal() += Vec3(set.centring_sd_m, set.centring_sd_m, set.height_sd_m).cwiseAbs2() * 2;
      for (const PublishedMark *p : {mark, base})
        if (p->sd_enu) cov.diagonal() += p->sd_enu->cwiseAbs2();
      const double plan_limit = quantile_three * std::sqrt(cov(0, 0) + cov(1, 1)),
                   up_limit = quantile_three * std::sqrt(cov(2, 2));
      const bool up = std::abs(off.z()) > up_limit, plan = off.head<2>().norm() > plan_limit;
      if (!up && !plan) return;
      Doubt &d = list_.add(DoubtKind::stop_off_its_mark, name, Section::gnss, about,
                           fmt::format("it lies {} in plan and {:+.3f} m in height off what is published of {}",
                                       length_words(off.head<2>().norm()), off.z(), x.mark),
                           x.id);
      d.effect_m = off.norm(), d.value = up ? std::abs(off.z()) : off.head<2>().norm(),
      d.limit = up ? up_limit : plan_limit;
      d.unit = "m";
      if (up && !plan) other_height(d, x, off.z());
    } catch (const InputError &) {
      // A datum that cannot be used is a doubt of its own.
    }
  }

  DoubtList &list_;
  const JobSnapshot &s_;
};

} // namespace

void track_doubts(DoubtList &list, const JobSnapshot &s) { TrackDoubts(list, s).run(); }

} // namespace ampletie
