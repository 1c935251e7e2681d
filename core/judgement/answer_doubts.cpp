#include "base/size_words.h"
#include "geodesy/ellipsoid.h"
#include "judgement/doubt_list.h"
#include "results/job_results.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Half a millimetre: heights are read to one.
constexpr double rounded_height = 0.0005;
/// A receiver by itself knows its place to some metres; beyond this it did not stand there (common practice).
constexpr double beyond_a_receiver = 100;
/// Plan and height of an answer that is good for control (common practice for hours of data).
constexpr double good_plan = 0.02, good_up = 0.04;

/// The set-up that an answer was computed from; null: none of the job's.
const Occupation *occupation_of(const JobSnapshot &s, const std::string &mark, const PositionAnswer &a) {
  const Occupation *best = nullptr;
  for (const Occupation &o : s.occupations()) {
    if (o.mark != mark || !o.used) continue;
    if (!a.start || !a.stop) {
      if (!best) best = &o;
      continue;
    }
    const double common = std::min(*a.stop, o.stop) - std::max(*a.start, o.start);
    if (common > 0.5 * (o.stop - o.start) || common > 0.5 * (*a.stop - *a.start)) return &o;
  }
  return a.start && a.stop ? nullptr : best;
}

void against_occupation(DoubtList &list, const ListSource &l, const PublishedMark &p, const PositionAnswer &a,
                        const Occupation &o) {
  const Thing thing{Thing::Kind::source, l.source_id};
  if (!a.antenna.empty() && antenna_key(a.antenna) != antenna_key(o.antenna)) {
    Doubt &d = list.add(
        DoubtKind::answer_by_another_antenna, p.name, Section::datum, thing,
        fmt::format("{} was computed with the antenna {}, the job has {} on {}", l.name, a.antenna, o.antenna, p.name),
        l.source_id + p.name);
    d.effect_m = 0.05; // phase centres of types differ by centimetres (common practice)
    d.causes.push_back("the header of the file that was sent names another antenna: correct it and ask again");
    d.causes.push_back("the antenna of the occupation is wrong here");
  }
  if (a.antenna_height && o.antenna_height && std::abs(*a.antenna_height - *o.antenna_height) > rounded_height) {
    const double diff = *o.antenna_height - *a.antenna_height;
    Doubt &d = list.add(
        DoubtKind::answer_by_another_height, p.name, Section::datum, thing,
        fmt::format("{} was computed with an antenna height of {:.4f} m, the job has {:.4f} m: its mark lies {} too {}",
                    l.name, *a.antenna_height, *o.antenna_height, length_words(std::abs(diff), 1),
                    diff > 0 ? "high" : "low"),
        l.source_id + p.name);
    d.value = 1000 * diff, d.unit = "mm", d.effect_m = std::abs(diff);
    d.causes.push_back(
        *a.antenna_height == 0
            ? "the service took the height of the file that was sent, which is zero"
            : "the height was corrected here after the file was sent: ask again with the corrected file");
  }
  if (const Eigen::Vector2d off = a.eccentricity - Eigen::Vector2d(o.east, o.north);
      a.antenna_height && off.norm() > rounded_height) {
    Doubt &d = list.add(DoubtKind::answer_by_another_height, p.name, Section::datum, thing,
                        fmt::format("{} was computed with the antenna {:.4f} m east and {:.4f} m north of the mark, "
                                    "the job has {:.4f} and {:.4f} m",
                                    l.name, a.eccentricity.x(), a.eccentricity.y(), o.east, o.north),
                        l.source_id + p.name + "plan");
    d.effect_m = off.norm();
  }
}

void judge(DoubtList &list, const JobSnapshot &s, const ListSource &l, const PublishedMark &p,
           const PositionAnswer &a) {
  const Thing thing{Thing::Kind::source, l.source_id};
  const bool here = std::any_of(s.occupations().begin(), s.occupations().end(),
                                [&](const Occupation &o) { return o.mark == p.name && o.used; });
  if (!here) return; // a published station, as any list gives it
  const Occupation *o = occupation_of(s, p.name, a);
  if (!o) {
    Doubt &d = list.add(DoubtKind::answer_of_other_data, p.name, Section::datum, thing,
                        fmt::format("{} was computed from {} to {}, when nothing of the job stood on {}", l.name,
                                    iso(*a.start), iso(*a.stop), p.name),
                        l.source_id + p.name);
    d.causes.push_back("it belongs to another day, or to another mark of this name");
    return;
  }
  against_occupation(list, l, p, a, *o);
  if (a.solution == "float" || a.solution == "code" ||
      (p.sd_enu && (p.sd_enu->head<2>().maxCoeff() > good_plan || p.sd_enu->z() > good_up))) {
    const Vec3 sd = p.sd_enu.value_or(Vec3::Zero());
    Doubt &d = list.add(DoubtKind::answer_weak, p.name, Section::datum, thing,
                        fmt::format("{} says {}± {} in plan and ± {} in height: no tie for control", l.name,
                                    a.solution.empty() ? "" : "\"" + a.solution + "\", ",
                                    length_words(sd.head<2>().maxCoeff(), 0), length_words(sd.z(), 0)),
                        l.source_id + p.name);
    d.value = 1000 * sd.head<2>().maxCoeff(), d.limit = 1000 * good_plan, d.unit = "mm";
    d.effect_m = sd.norm();
    d.causes.push_back("too short, or without precise orbits yet: ask again when they are there, or observe longer");
  }
  if (p.xyz && o->file->approximate.norm() > 6e6)
    if (const double d = (*p.xyz - o->file->approximate).norm(); d > beyond_a_receiver && d < 1e3)
      list.add(DoubtKind::answer_of_other_data, p.name, Section::datum, thing,
               fmt::format("{} places {} {:.0f} m from where its receiver was by its file", l.name, p.name, d),
               l.source_id + p.name + "place")
          .effect_m = d;
}

} // namespace

void answer_doubts(DoubtList &list, const JobSnapshot &s) {
  const bool held = std::any_of(s.state().holds.begin(), s.state().holds.end(), [](const auto &h) {
    return h.second.how != Hold::none && h.second.how != Hold::check;
  });
  for (const ListSource &l : s.lists()) {
    if (!l.list || s.state().left_out.count(l.source_id) || s.state().of_a_fit(l.source_id)) continue;
    const SourceContent *c = nullptr;
    for (const SourceContent &x : s.contents())
      if (x.source.id == l.source_id) c = &x;
    if (!c || !c->control) continue;
    for (const ControlRow &r : c->control->rows) {
      if (!r.answer) continue;
      const PublishedMark p = published_mark(*c, r, s.state());
      const std::size_t before = list.all.size();
      judge(list, s, l, p, *r.answer);
      // Nothing else ties the job to a frame: its bases stand where their receivers thought they were. An answer that
      // is doubted itself is none to begin with.
      const bool stands = std::any_of(s.occupations().begin(), s.occupations().end(),
                                      [&](const Occupation &o) { return o.mark == p.name && o.used; });
      const auto used = s.published().find(p.name);
      if (held || !stands || list.all.size() > before || used == s.published().end() ||
          used->second.source_id != l.source_id)
        continue;
      Doubt &d =
          list.add(DoubtKind::base_not_tied, p.name, Section::datum, {Thing::Kind::mark, p.name},
                   fmt::format("no mark is held, and {} gives {} in {} at {}", l.name, p.name, p.frame, p.epoch));
      d.corrections.push_back({"Hold " + p.name + " as observed, by this answer", "", "", "weighted", p.name});
      d.corrections.push_back({"Hold " + p.name + " fully, by this answer", "", "", "full", p.name});
      d.causes.push_back("everything that hangs on it moves along; release takes it back");
    }
  }
}

} // namespace ampletie
