#include "base/error.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "judgement/doubt_list.h"
#include "results/network_run.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {

namespace {
/// Held marks of a list that were moved to the job's epoch by a velocity which is not their own.
void velocity_doubts(DoubtList &list, const JobSnapshot &s, const JobDatum &datum) {
  const OperationPolicy policy = operation_policy(s.state().settings);
  for (const auto &[mark, h] : s.state().holds) {
    const auto p = s.published().find(mark);
    if (h.how == Hold::check || p == s.published().end() || p->second.velocity || p->second.decision != 0) continue;
    try {
      const PlacedMark m = published_at(p->second, datum, datum.epoch(), policy);
      if (!m.moved_by.empty())
        list.add(DoubtKind::velocity_missing, mark, Section::datum, {Thing::Kind::mark, mark},
                 fmt::format("published at {} without a velocity: {}, by which it is moved to {:.2f}, ± {:.1f} mm",
                             p->second.epoch, m.moved_by, datum.epoch(), 1000 * m.motion_sd));
    } catch (const InputError &) {
      // It does not belong here, and was accepted.
    }
  }
}

/// Whether a grid of shifts that names its target as it does can lead to a frame: of those that people name there.
bool may_lead_to(const std::string &target, const std::string &frame) {
  std::string t = lower(target);
  std::erase_if(t, [](char c) { return c == ' ' || c == '-' || c == '_'; });
  const std::pair<const char *, const char *> known[] = {
      {"etrs89", "ETRF"},     {"etrf", "ETRF"},   {"epsg:4258", "ETRF"}, {"gda94", "GDA94"},
      {"gda2020", "GDA2020"}, {"nad83", "NAD83"}, {"nzgd2000", "NZGD"},  {"itrf", "ITRF"}};
  for (const auto &[word, begins] : known)
    if (t.find(word) != std::string::npos) return frame.rfind(begins, 0) == 0;
  return true; // WGS 84 and local names say nothing of a realisation
}

/// The grid's older datum, and the way to it.
void older_datum_doubts(DoubtList &list, const JobSnapshot &s, const JobDatum &datum) {
  const ShiftChoice &chosen = s.shift_choice();
  const DatumStep *step = datum.projection().step();
  if (!chosen.source.empty() && !step)
    list.add(DoubtKind::shifts_unused, chosen.file, Section::datum, {Thing::Kind::source, chosen.source},
             datum.projection().name() + " rests on a frame that satellites know: nothing goes through these shifts",
             chosen.source);
  if (!step) return;
  if (chosen.grid && !may_lead_to(chosen.grid->to, frame_name(datum.frame())))
    list.add(
        DoubtKind::way_to_older_datum, chosen.file, Section::datum, {Thing::Kind::source, chosen.source},
        fmt::format("these shifts lead to \"{}\" by their own words, and the job is computed in {}: between them lie "
                    "decimetres to metres; say the realisation that they lead to (setting realisation)",
                    chosen.grid->to, frame_name(datum.frame())),
        chosen.source + "frame");
  bool by_grid = false;
  for (const auto &[mark, h] : s.state().holds)
    if (const auto p = s.published().find(mark); p != s.published().end() && h.how != Hold::check)
      by_grid = by_grid || (p->second.grid && !p->second.xyz && !p->second.geodetic_deg);
  const auto accuracy = step->accuracy_m(to_geodetic(job_place(s, datum)));
  if (by_grid || (accuracy && *accuracy == 0)) return;
  Doubt &d = list.add(
      DoubtKind::way_to_older_datum, datum.projection().name(), Section::datum, {},
      fmt::format("no mark is held by its coordinates in this grid: what is issued in it carries the way from {} "
                  "({}), {}, which no standard deviation counts",
                  frame_name(datum.frame()), step->words(),
                  accuracy ? fmt::format("stated to {:.3f} m", *accuracy)
                           : std::string("of which nobody states how "
                                         "good it is")),
      "older");
  d.effect_m = accuracy.value_or(0);
}
} // namespace

void datum_doubts(DoubtList &list, const JobSnapshot &s) {
  const bool any_hold = std::any_of(s.state().holds.begin(), s.state().holds.end(), [](const auto &h) {
    return h.second.how != Hold::check && h.second.how != Hold::none;
  });
  if (!any_hold && s.state().settings.mode == DatumMode::held && !s.occupations().empty())
    list.add(DoubtKind::no_datum, "network", Section::datum, {},
             "no mark is held: hold at least one published mark, or choose the free datum", "datum");
  try {
    const JobDatum datum = job_datum(s);
    if (const std::string area = datum.projection().outside(to_geodetic(job_place(s, datum))); !area.empty())
      list.add(DoubtKind::outside_the_grid_area, s.state().settings.datum.crs, Section::datum, {},
               fmt::format(
                   "the job lies outside the area that the register gives for {}: {}. Its scale factor here is {:.6f}",
                   datum.projection().name(), area, datum.projection().project(to_geodetic(job_place(s, datum))).scale),
               "area")
          .effect_m = 1;
    for (const VectorResult &v : s.vectors())
      if (const std::string why = v.error.empty() && v.used ? epoch_problem(v, datum) : std::string(); !why.empty()) {
        list.add(DoubtKind::datum_not_usable, "epoch", Section::datum, {}, why, "epoch");
        break;
      }
    velocity_doubts(list, s, datum);
    older_datum_doubts(list, s, datum);
    std::set<std::string> seen;
    for (const VectorResult &v : s.vectors()) {
      if (!v.error.empty() || !seen.insert(v.frame.code).second) continue;
      try {
        frame_change(v.frame, datum.frame(), job_place(s, datum), operation_policy(s.state().settings));
      } catch (const InputError &e) {
        list.add(DoubtKind::transformation_not_accurate_enough, frame_name(v.frame), Section::datum, {}, e.reason(),
                 v.frame.code)
            .effect_m = s.state().settings.worst_transformation_m;
      }
    }
  } catch (const InputError &e) {
    if (!s.occupations().empty() || !s.published().empty())
      list.add(DoubtKind::datum_not_usable, "datum", Section::datum, {}, e.reason(), "datum");
  }
  for (const auto &[mark, h] : s.state().holds)
    if (!s.listed(mark) && !s.misplaced().count(mark))
      list.add(DoubtKind::held_without_coordinates, mark, Section::datum, {Thing::Kind::mark, mark},
               "this mark is held, but nothing gives its coordinates");
}

} // namespace ampletie
