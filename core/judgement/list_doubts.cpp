#include "base/error.h"
#include "formats/point_recipe.h"
#include "judgement/doubt_list.h"
#include "results/row_lists.h"
#include "results/vectors.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
/// Coordinates that two lists round to millimetres differ by less.
constexpr double same_place = 0.002, same_height = 0.001;

/// What one list gives otherwise than the others.
struct Apart {
  double most = 0; ///< m
  int marks = 0;
  std::string mark, sentence; ///< of the one that lies furthest apart

  void take(const PublishedMark &used, const PublishedMark &other, const char *what, double d, bool height) {
    ++marks;
    if (d <= most) return;
    most = d, mark = used.name;
    sentence = fmt::format("{} of {}: {} and {} give it {:.1f} mm apart; that of {} is used", what, used.name,
                           height ? used.where_height() : used.where(), other.where(), 1000 * d,
                           height && used.height_from ? used.height_from->source_name : used.source_name);
  }
};

const PublishedMark *mark_of(const std::map<std::string, PublishedMark> &all, const std::string &name) {
  const auto it = all.find(name);
  return it == all.end() ? nullptr : &it->second;
}

/// How far apart two lists place a mark in the job's frame at its epoch, m; nothing where one of them does not.
std::optional<double> apart(const PublishedMark &a, const PublishedMark &b, const JobDatum &datum,
                            const OperationPolicy &policy) {
  if (!a.has_position() || !b.has_position()) return {};
  try {
    return (published_in_job(a, datum, policy).xyz - published_in_job(b, datum, policy).xyz).norm();
  } catch (const InputError &) {
    return {}; // what cannot be brought into the job's frame cannot be compared
  }
}
} // namespace

namespace {
/// What a list is taken for while nothing of it is used.
struct Unused {
  const RecipeSource &list;
  Section section;
  std::string where, rows; ///< "Datum, Lists", "its marks"
  bool waits, unsaid;
  const std::string &problem;
};

/// A list of which nothing is used, because nobody has said what stands in it, or because it cannot stand there.
void unread_list(DoubtList &list, const Unused &u) {
  const RecipeSource &l = u.list;
  const Thing thing{Thing::Kind::source, l.source_id};
  if (u.waits) {
    const std::string columns = columns_in_words(*l.used);
    Doubt &d = list.add(DoubtKind::list_not_said, l.name, u.section, thing,
                        (!l.unit_conflict.empty() ? l.unit_conflict
                         : u.unsaid ? columns.empty() ? std::string("nobody has said what its columns mean")
                                                      : "its columns seem to be " + columns + "; nobody has said so"
                                    : fmt::format("{} pieces of it are unread, the first in line {}: {}", l.unread,
                                                  l.first_unread_line, l.first_unread_why)) +
                            ": none of " + u.rows + " is used");
    d.effect_m = 1000;
    if (!columns.empty() && u.problem.empty())
      d.corrections.push_back({"Its columns are so", l.source_id, "seen", "yes"});
    d.causes.push_back("point at a column and say what it is (" + u.where + ")");
  } else if (!u.problem.empty())
    list.add(DoubtKind::list_not_read, l.name, u.section, thing,
             u.problem + ", as the list is read now: none of " + u.rows + " is used")
        .effect_m = 1000;
}

void unread_lists(DoubtList &list, const JobSnapshot &s) {
  for (const ListSource &l : s.lists())
    if (!s.state().left_out.count(l.source_id) && !s.state().of_a_fit(l.source_id))
      unread_list(list, {l, Section::datum, "Datum, Lists", "its marks", l.waits(), l.proposed, l.problem});
  for (const RowSource &l : s.get(row_lists_result()))
    if (!s.state().left_out.count(l.source_id))
      unread_list(list, {l, Section::intake, "Intake, Lists", l.kind == "stops" ? "its stops" : "its vectors and fixes",
                         l.waits(), l.unsaid, l.problem});
}
} // namespace

void list_doubts(DoubtList &list, const JobSnapshot &s) {
  unread_lists(list, s);
  std::optional<JobDatum> datum;
  try {
    datum.emplace(job_datum(s));
  } catch (const InputError &) {
    // heights are compared all the same
  }
  const OperationPolicy policy = operation_policy(s.state().settings);
  for (const SourceContent &c : s.contents()) {
    if (!c.control || s.state().of_a_fit(c.source.id)) continue;
    std::size_t flat = 0;
    for (const ControlRow &r : c.control->rows) flat += r.plan && !r.height;
    if (flat)
      list.add(DoubtKind::list_without_heights, c.source.name, Section::datum, {Thing::Kind::source, c.source.id},
               fmt::format("{} of its marks have east and north without a height: that places nothing in space. They "
                           "serve a frame fit (Frame fits); as control they need heights",
                           flat),
               c.source.id);
    Apart found;
    for (const ControlRow &r : c.control->rows) {
      const PublishedMark other = published_mark(c, r, s.state());
      // A place that does not belong here at all is a doubt of its own.
      const auto astray = s.misplaced().find(other.name);
      if (astray != s.misplaced().end() && astray->second.published.source_id == c.source.id) continue;
      // What was typed with a decision is the surveyor's own choice between them.
      const PublishedMark *used = mark_of(s.published(), other.name);
      if (!used) used = mark_of(s.checks(), other.name);
      if (used && !used->source_id.empty() && used->source_id != c.source.id && datum)
        if (const auto d = apart(*used, other, *datum, policy); d && *d > same_place)
          found.take(*used, other, "the position", *d, false);
      used = s.listed(other.name);
      if (!used || !used->height || !other.height) continue;
      const std::string &height_of = used->height_from ? used->height_from->source_id : used->source_id;
      if (!height_of.empty() && height_of != c.source.id)
        if (const double d = std::abs(*used->height - *other.height); d > same_height + 1e-9)
          found.take(*used, other, "the height", d, true);
    }
    if (!found.marks) continue;
    Doubt &d =
        list.add(DoubtKind::lists_disagree, found.mark, Section::datum, {Thing::Kind::source, c.source.id},
                 found.sentence + (found.marks > 1 ? fmt::format("; {} of {} differ in all", found.marks, c.source.name)
                                                   : std::string()));
    d.value = 1000 * found.most, d.unit = "mm", d.effect_m = found.most;
    d.causes.push_back("leave out the list that no longer holds, or hold the mark with the coordinates that are right");
  }
}

} // namespace ampletie
