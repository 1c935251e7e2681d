#include "judgement/doubts.h"
#include "base/angle.h"
#include "base/size_words.h"
#include "base/text.h"
#include "judgement/doubt_list.h"
#include <fmt/format.h>

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

std::string measured(double value, const std::string &unit) {
  if (unit == "mm") return length_words(value / 1000, 2);
  if (unit == "m") return length_words(value, 2);
  if (unit == "″") return angle_words(value * rad_per_arcsec, 2);
  return fmt::format("{} {}", fixed(value, 2), unit);
}

} // namespace ampletie
