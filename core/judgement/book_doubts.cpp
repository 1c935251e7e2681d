#include "judgement/doubt_list.h"
#include "results/same_book.h"
#include <fmt/format.h>

namespace ampletie {

/// A recipe that was said by hand and gets less out of a file than the one that the file had by itself.
void understood_less(DoubtList &list, const RecipeSource &src, Section section) {
  if (!src.understands_less()) return;
  Doubt &d = list.add(DoubtKind::less_understood_than_before, src.name, section, {Thing::Kind::source, src.source_id},
                      fmt::format("read with \"{}\" {} records have something in them; with \"{}\" there were {}",
                                  src.recipe, src.telling, src.otherwise_recipe, src.otherwise));
  d.value = static_cast<double>(src.telling), d.limit = static_cast<double>(src.otherwise), d.unit = "records";
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

} // namespace ampletie
