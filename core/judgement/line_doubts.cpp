#include "adjustment/statistics.h"
#include "base/size_words.h"
#include "judgement/doubt_list.h"
#include "judgement/level_doubts.h"
#include <fmt/format.h>

namespace ampletie {

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
      list.add(DoubtKind::setup_questionable, fmt::format("{}, line {}", l.name, l.run.sights[t.sight].line),
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
                               length_words(m.within_limit() ? single_test_limit * m.sd : m.limit, 2)));
      d.value = 1000 * std::abs(m.value), d.limit = 1000 * (m.within_limit() ? single_test_limit * m.sd : m.limit),
      d.unit = "mm";
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

} // namespace ampletie
