#include "judgement/doubts.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/size_words.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "job/settings.h"
#include "judgement/doubt_list.h"
#include "judgement/level_doubts.h"
#include "judgement/near_names.h"
#include "judgement/network_doubts.h"
#include "judgement/record_compare.h"
#include "judgement/traverse_doubts.h"
#include "judgement/unit_doubts.h"
#include "judgement/vector_doubts.h"
#include "results/same_book.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>

namespace ampletie {

/// What can be told without computing anything.
void plain_doubts(DoubtList &list, const JobSnapshot &s, const std::vector<Trouble> &troubles) {
  for (const SourceContent &c : *s.inputs().contents)
    if (!c.source.damage.empty())
      list.add(DoubtKind::source_damaged, c.source.name, Section::intake, {Thing::Kind::source, c.source.id},
               c.source.damage + "; nothing of it is used: take the original again")
          .effect_m = 1000;
  for (const auto &[seq, why] : s.state().unreadable)
    list.add(DoubtKind::decision_does_not_count, fmt::format("decision {}", seq), Section::intake,
             {Thing::Kind::decision, std::to_string(seq)}, why + "; make it again if it is still meant",
             fmt::format("decision {}", seq))
        .effect_m = 1000;
  for (const Trouble &t : troubles)
    list.add(DoubtKind::not_computed, section_code(t.section), t.section, {},
             t.sentence + "; undo what led here, or leave the source out", section_code(t.section) + t.sentence)
        .effect_m = 1000;
}

namespace {
/// Whether the sources, as they are read now, still hold what a decision is about.
bool is_here(const JobSnapshot &s, const Thing &t) {
  using K = Thing::Kind;
  const auto any = [&](const auto &all, auto &&same) { return std::any_of(all.begin(), all.end(), same); };
  switch (t.kind) {
  case K::source:
    return any(s.contents(), [&](const SourceContent &c) { return c.source.id == t.id; });
  case K::occupation:
    return any(s.occupations(), [&](const Occupation &o) { return o.id == t.id; });
  case K::vector:
    if (any(s.vectors(), [&](const VectorResult &v) { return v.id == t.id; })) return true;
    // One that is not solved, or of an occupation that is left out.
    for (const Occupation &a : s.occupations())
      for (const Occupation &b : s.occupations())
        if (&a != &b && content_id("v", a.id + "|" + b.id) == t.id) return true;
    return false;
  case K::level_line:
    if (any(s.levels().lines, [&](const LevelLine &l) {
          return l.id == t.id || std::find(l.parts.begin(), l.parts.end(), t.id) != l.parts.end();
        }))
      return true;
    return any(s.levels().sources, [&](const LevelSource &src) {
      return any(src.runs(), [&](const LevelRun &r) { return r.id == t.id; });
    });
  case K::sight:
    return any(s.levels().sources, [&](const LevelSource &src) {
      return any(src.runs(),
                 [&](const LevelRun &r) { return any(r.sights, [&](const StaffSight &x) { return x.id == t.id; }); });
    });
  case K::station:
  case K::traverse:
  case K::pointing:
    return any(s.traverses().field.sources, [&](const auto &src) {
      return any(src.file->setups, [&](const StationSetup &u) {
        return t.kind == K::pointing ? any(u.pointings, [&](const Pointing &p) { return p.id == t.id; }) : u.id == t.id;
      });
    });
  default:
    return true;
  }
}
} // namespace

/// Decisions whose target the sources do not hold any more: a recipe reads a book otherwise, a file is damaged.
void targetless_doubts(DoubtList &list, const JobSnapshot &s) {
  std::map<std::string, std::pair<Thing, std::vector<long>>> by_thing;
  for (const auto &[seq, t] : s.state().aims) {
    auto &[thing, all] = by_thing[t.id];
    thing = t, all.push_back(seq);
  }
  for (const auto &[id, x] : by_thing) {
    if (is_here(s, x.first)) continue;
    std::string numbers;
    for (long seq : x.second) numbers += (numbers.empty() ? "" : ", ") + std::to_string(seq);
    list.add(DoubtKind::decision_without_target, (x.second.size() == 1 ? "decision " : "decisions ") + numbers,
             Section::intake, {Thing::Kind::decision, std::to_string(x.second.back())},
             fmt::format("the {} that it was about is not in the sources as they are read now: it does nothing",
                         words(x.first.kind)),
             id);
  }
}

/// One doubt for each file, or mark that was typed.
void misplaced_doubts(DoubtList &list, const JobSnapshot &s) {
  std::map<std::string, std::vector<const MisplacedMark *>> by_item;
  for (const auto &[mark, m] : s.misplaced()) by_item[misplaced_item(m.published)].push_back(&m);
  for (const auto &[item, all] : by_item) {
    const MisplacedMark &first = *all.front();
    std::string about = first.published.name;
    for (std::size_t i = 1; i < all.size() && i < 4; ++i) about += ", " + all[i]->published.name;
    if (all.size() > 4) about += fmt::format(" and {} more", all.size() - 4);
    Doubt &d = list.add(DoubtKind::does_not_belong_here, about, Section::datum,
                        {first.published.source_id.empty() ? Thing::Kind::mark : Thing::Kind::source, item},
                        fmt::format("{}: {}; {} {}", first.published.name, first.sentence,
                                    all.size() == 1 ? "it is" : fmt::format("these {} marks are", all.size()),
                                    first.accepted ? "used all the same" : "not used"));
    d.causes = first.causes;
    d.effect_m = 1000;
  }
}

/// What the first glance at a file tells.
void file_doubts(DoubtList &list, const JobSnapshot &s) {
  for (const SourceContent &c : s.contents()) {
    if (c.cut_off.empty() || s.state().left_out.count(c.source.id)) continue;
    Doubt &d = list.add(DoubtKind::file_cut_off, c.source.name, Section::intake, {Thing::Kind::source, c.source.id},
                        "it ends inside a line: " + c.cut_off + "; what stands there is used as it is");
    d.causes.push_back("a copy that was broken off: leave this file out, copy it again and take it");
    d.causes.push_back("it is whole: accept this with the reason");
  }
  for (const Occupation &o : s.occupations()) {
    if (!o.file->cut_off.empty()) {
      Doubt &d =
          list.add(DoubtKind::file_cut_off, o.source_name, Section::intake, {Thing::Kind::occupation, o.id},
                   fmt::format("it ends before its last epoch is whole ({}); the {} whole epochs up to {} are used",
                               o.file->cut_off, o.epochs, iso(o.stop)));
      d.causes.push_back("a copy that was broken off: copy the file again and take it");
    }
    if (!o.mark.empty()) continue;
    Doubt &d = list.add(DoubtKind::mark_without_a_name, o.source_name, Section::intake, {Thing::Kind::occupation, o.id},
                        "the file names no mark: it is not used until its mark was said");
    const std::string stem = o.source_name.substr(0, o.source_name.find_first_of("._-"));
    if (!stem.empty()) d.causes.push_back("by the name of the file it may be " + stem);
  }
  for (const SourceContent &c : s.contents()) {
    if (!c.control || s.state().left_out.count(c.source.id)) continue;
    std::string other;
    for (const ControlRow &r : c.control->rows)
      if (r.height && !r.vertical.empty() && r.vertical != s.state().settings.datum.vertical && other.empty())
        other = r.vertical;
    if (!other.empty())
      list.add(DoubtKind::heights_of_another_system, c.source.name, Section::datum, {Thing::Kind::source, c.source.id},
               "its heights are in " + other + ", the job's are in " +
                   (s.state().settings.datum.vertical.empty() ? "none" : s.state().settings.datum.vertical) +
                   ": its heights are not used");
  }
}

void occupation_doubts(DoubtList &list, const JobSnapshot &s) {
  std::map<std::string, std::vector<const Occupation *>> by_mark;
  for (const Occupation &o : s.occupations()) {
    if (!o.used) continue;
    by_mark[o.mark].push_back(&o);
    if (!o.calibration) {
      Doubt &d = list.add(
          DoubtKind::antenna_unknown, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
          fmt::format("no calibration for the antenna \"{}\": phase centre taken at the reference point", o.antenna));
      // Mean phase centres of survey antennas lie some 5 to 12 cm above the reference point (common practice).
      d.effect_m = 0.08;
      for (const auto &name : similar_antennas(s.contents(), o.antenna)) d.causes.push_back("perhaps it is " + name);
    }
    const double h = o.antenna_height.value_or(0);
    if (!o.antenna_height)
      list.add(DoubtKind::height_suspicious, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
               "the antenna height cannot be reduced: " + o.height_problem)
          .effect_m = std::abs(o.measured);
    else if (h < 0 || h > 4 || (h == 0 && !s.published().count(o.mark)) || (h > 0 && h < 0.02)) {
      Doubt &d =
          list.add(DoubtKind::height_suspicious, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
                   h == 0 ? "the antenna height is zero" : fmt::format("an antenna height of {:.4f} m is unusual", h));
      d.value = h, d.unit = "m", d.effect_m = h == 0 ? 1.5 : std::abs(h);
    }
    // What was recorded in another country hardly belongs here.
    double nearest = 1e9;
    for (const auto &[mark, p] : s.published())
      if (p.xyz && o.file->approximate.norm() > 6e6) nearest = std::min(nearest, (*p.xyz - o.file->approximate).norm());
    if (nearest > 1000e3 && nearest < 1e9)
      list.add(
          DoubtKind::far_from_the_job, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
          fmt::format("recorded {:.0f} km from the nearest published mark: is it meant for this job?", nearest / 1000));
    // Excentric set-ups are rare in control work; a typing error looks the same.
    if (std::hypot(o.east, o.north) > 0 && !o.decided.count("east") && !o.decided.count("north"))
      list.add(DoubtKind::excentric_antenna, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
               fmt::format("the file puts the antenna {:.4f} m east and {:.4f} m north of the mark", o.east, o.north))
          .effect_m = std::hypot(o.east, o.north);
  }
  // Two receivers over one mark at once: one of the names is wrong, or one antenna stands beside it.
  for (const auto &[mark, list_of] : by_mark)
    for (std::size_t i = 0; i < list_of.size(); ++i)
      for (std::size_t k = i + 1; k < list_of.size(); ++k)
        if (std::min(list_of[i]->stop, list_of[k]->stop) - std::max(list_of[i]->start, list_of[k]->start) > 60)
          list.add(DoubtKind::two_receivers_on_one_mark, mark, Section::intake,
                   {Thing::Kind::occupation, list_of[k]->id},
                   fmt::format("{} and {} logged on this mark at the same time", list_of[i]->source_name,
                               list_of[k]->source_name))
              .effect_m = 1;
  for (const Occupation &o : s.occupations()) {
    if (!o.used || !o.weather || o.file->approximate.norm() < 6e6) continue;
    const double h = to_geodetic(o.file->approximate).h, usual = standard_atmosphere(h).pressure;
    // Weather moves the pressure by some 40 hPa; a reading reduced to sea level is off by 12 hPa per 100 m.
    if (std::abs(o.weather->pressure - usual) < 45) continue;
    Doubt &d = list.add(
        DoubtKind::pressure_unlikely, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
        fmt::format("{:.0f} hPa at a height of {:.0f} m, where {:.0f} hPa are usual", o.weather->pressure, h, usual));
    d.value = o.weather->pressure - usual, d.limit = 45, d.unit = "hPa";
    d.effect_m = 0.0023 * std::abs(o.weather->pressure - usual); // zenith delay per hPa (Saastamoinen)
    if (std::abs(o.weather->pressure - standard_atmosphere(0).pressure) < 45)
      d.causes.push_back("reduced to sea level: the pressure at the mark itself is needed");
  }
  // The same reading to the tenth of a millimetre at two erections was more likely copied than measured.
  for (const auto &[mark, list_of] : by_mark)
    for (std::size_t i = 1; i < list_of.size(); ++i)
      if (list_of[i]->set_up != list_of[i - 1]->set_up && list_of[i]->measured > 0.3 &&
          std::abs(list_of[i]->measured - list_of[i - 1]->measured) < 5e-5 &&
          list_of[i]->slant == list_of[i - 1]->slant)
        list.add(DoubtKind::height_suspicious, occupation_name(*list_of[i]), Section::intake,
                 {Thing::Kind::occupation, list_of[i]->id},
                 fmt::format("the antenna height {:.4f} m is exactly that of the set-up before: copied?",
                             list_of[i]->measured));
}

/// A recipe that was said by hand and gets less out of a file than the one that the file had by itself.
void understood_less(DoubtList &list, const RecipeSource &src, Section section) {
  if (!src.understands_less()) return;
  Doubt &d = list.add(DoubtKind::less_understood_than_before, src.name, section, {Thing::Kind::source, src.source_id},
                      fmt::format("read with \"{}\" {} records have something in them; with \"{}\" there were {}",
                                  src.recipe, src.telling, src.otherwise_recipe, src.otherwise));
  d.value = static_cast<double>(src.telling), d.limit = static_cast<double>(src.otherwise), d.unit = "records";
}

void level_line_doubts(DoubtList &list, const JobSnapshot &s) {
  const LevelReport &r = s.levels();
  for (const LevelSource &src : r.sources) {
    if (src.blocked()) {
      Doubt &d = list.add(
          DoubtKind::level_file_not_understood, src.name, Section::levels, {Thing::Kind::source, src.source_id},
          src.unread ? fmt::format("{} pieces of text are unread, the first in line {}: {}; nothing of the "
                                   "file is used until that was looked at",
                                   src.unread, src.first_unread_line, src.first_unread_why)
                     : src.unit_conflict + "; nothing of the file is used until that was looked at");
      d.value = static_cast<double>(src.unread), d.unit = "pieces";
      d.causes.push_back(fmt::format("the recipe \"{}\" does not suit it ({:.0f} %)", src.recipe, 100 * src.score));
    }
    for (const HeightClaim &c : src.claims) {
      const auto b = s.benchmarks().find(s.state().mark_name(c.mark));
      if (b == s.benchmarks().end()) continue;
      const double off = c.height - *b->second.height, limit = std::max(0.002, 3 * b->second.sd_height.value_or(0));
      if (std::abs(off) <= limit) continue;
      Doubt &d = list.add(DoubtKind::height_claimed_otherwise, c.mark + " in " + src.name, Section::levels,
                          {Thing::Kind::source, src.source_id},
                          fmt::format("line {} writes {:.4f} m, the job has {:.4f} m: the job's is used", c.line,
                                      c.height, *b->second.height),
                          src.source_id + c.mark);
      d.value = 1000 * std::abs(off), d.limit = 1000 * limit, d.unit = "mm", d.effect_m = std::abs(off);
    }
  }
  for (const LevelSource &src : r.sources) understood_less(list, src, Section::levels);
  for (const LevelLine &l : r.lines) {
    if (!l.used) continue;
    if (!l.problem.empty()) {
      list.add(DoubtKind::run_cannot_be_used, l.name, Section::levels, {Thing::Kind::level_line, l.id}, l.problem);
      continue;
    }
    for (const auto &t : l.setups.troubles) {
      // An aborted set-up is nothing to worry about: it is named in the book.
      if (t.aborted) continue;
      list.add(DoubtKind::set_up_questionable, fmt::format("{}, line {}", l.name, l.run.sights[t.sight].line),
               Section::levels, {Thing::Kind::sight, l.run.sights[t.sight].id}, t.what);
    }
    for (const Misclosure &m : l.misclosures) {
      if (m.within_limit() && m.within_propagated()) continue;
      const bool loop = m.kind == Misclosure::Kind::loop;
      const DoubtKind misses = loop ? DoubtKind::level_loop_misses : DoubtKind::level_line_misses,
                      beyond = loop ? DoubtKind::level_loop_beyond_accuracy : DoubtKind::level_line_beyond_accuracy;
      Doubt &d =
          list.add(m.within_limit() ? beyond : misses, fmt::format("{}: {} – {}", l.name, m.from, m.to),
                   Section::levels, {Thing::Kind::level_line, l.id},
                   fmt::format("it misses by {} over {:.2f} km and {} set-ups; {} {}", length_words(m.value, 2, true),
                               m.length / 1000, m.setups,
                               m.within_limit() ? "within the limit, but the stated accuracy allows" : "the limit is",
                               length_words(m.within_limit() ? 3.29 * m.sd : m.limit, 2)));
      d.value = 1000 * std::abs(m.value), d.limit = 1000 * (m.within_limit() ? 3.29 * m.sd : m.limit), d.unit = "mm";
      d.effect_m = std::abs(m.value);
      d.causes = level_causes(l, m, s.state().settings.levels.limits());
    }
  }
  for (const auto &[serial, card] : s.state().instruments) {
    if (!card.until.value) continue;
    std::string late;
    for (const LevelLine &l : r.lines)
      if (l.used && l.run.instrument == serial && l.day > *card.until.value)
        late += (late.empty() ? "" : ", ") + l.name;
    if (!late.empty())
      list.add(DoubtKind::certificate_run_out, "level " + serial, Section::levels, {Thing::Kind::instrument, serial},
               "its certificate ended on " + *card.until.value + "; used after that: " + late);
  }
  for (const LinePair &p : r.pairs)
    for (const DoubleSection &x : p.result.sections) {
      if (x.within_limit()) continue;
      Doubt &d =
          list.add(x.same_way ? DoubtKind::two_runs_differ : DoubtKind::fore_and_back_differ,
                   fmt::format("{} – {}", x.from, x.to), Section::levels, {Thing::Kind::level_line, p.first},
                   fmt::format("{} they differ by {} over {:.2f} km; the limit is {}",
                               x.same_way ? "walked twice in the same direction" : "walked both ways",
                               length_words(x.difference(), 2, true), x.length / 1000, length_words(x.limit, 2)));
      d.value = 1000 * std::abs(x.difference()), d.limit = 1000 * x.limit, d.unit = "mm";
      d.effect_m = std::abs(x.difference()) / 2;
    }
}

std::string measured(double value, const std::string &unit) {
  if (unit == "mm") return length_words(value / 1000, 2);
  if (unit == "m") return length_words(value, 2);
  if (unit == "″") return angle_words(value * rad_per_arcsec, 2);
  return fmt::format("{} {}", fixed(value, 2), unit);
}

void same_book_doubts(DoubtList &list, const JobSnapshot &s) {
  for (const SameBook &b : same_books(s)) {
    Doubt &d = list.add(
        DoubtKind::same_book_twice, b.first_name + " / " + b.second_name, b.section, {Thing::Kind::source, b.first},
        fmt::format("{} readings are the same to the last digit, {} stand in the first alone and {} in the "
                    "second: both count as measured",
                    b.same, b.only_first, b.only_second),
        b.first + "|" + b.second);
    d.causes.push_back("downloaded again or corrected: leave the whole file " + b.first_name + " out");
    d.causes.push_back("measured again: accept this with the reason");
  }
}

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
    std::set<std::string> seen;
    for (const VectorResult &v : s.vectors()) {
      if (!v.error.empty() || !seen.insert(v.frame.code).second) continue;
      try {
        FrameChange(v.frame, datum.frame(), job_place(s, datum), {s.state().settings.worst_transformation_m, false});
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
    if (!s.published().count(mark) && !s.benchmarks().count(mark) && !s.misplaced().count(mark))
      list.add(DoubtKind::held_without_coordinates, mark, Section::datum, {Thing::Kind::mark, mark},
               "this mark is held, but nothing gives its coordinates");
  for (const auto &[mark, p] : s.published()) {
    const bool held = s.state().holds.count(mark) && s.state().holds.at(mark).how != Hold::check;
    if (held && !p.velocity && !p.epoch.empty() && p.decision == 0)
      list.add(DoubtKind::velocity_missing, mark, Section::datum, {Thing::Kind::mark, mark},
               "published at " + p.epoch + " without a velocity: it is taken as unmoved since");
  }
}

} // namespace ampletie
