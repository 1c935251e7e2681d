#include "base/size_words.h"
#include "judgement/doubt_list.h"
#include "results/job_results.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
/// A transformation carries on beyond its marks as far as a tenth of their reach (common practice); farther its
/// rotation and tilt are guesses.
constexpr double beyond_share = 0.1, beyond_least = 20;
/// So near a mark without a partner may be the one that the list names otherwise.
constexpr double same_place = 0.10;

/// Its list; nothing where a mark and a bearing define it.
Thing list_of(const JobFit &f) { return f.source_id.empty() ? Thing{} : Thing{Thing::Kind::source, f.source_id}; }

void disagreement(DoubtList &list, const JobFit &f) {
  if (agrees(f.result)) return;
  double most = 0;
  std::string which;
  for (std::size_t i = 0; i < f.input.pairs.size(); ++i) {
    const PairVerdict &v = f.result.pairs[i];
    const bool fails =
        (v.plan && v.plan->counts && !v.plan->passes) || (v.height && v.height->counts && !v.height->passes);
    if (fails) which += (which.empty() ? "" : ", ") + f.input.pairs[i].name, most = std::max(most, v.moves);
  }
  Doubt &d = list.add(DoubtKind::fit_disagrees, f.name, Section::datum, list_of(f),
                      f.result.passes ? "the others place " + which + " elsewhere"
                                      : "the marks of both systems do not agree within their accuracies" +
                                            (which.empty() ? std::string() : "; " + which + " stand out"),
                      f.name);
  d.value = f.result.chi_squared, d.limit = f.result.upper, d.unit = "χ²", d.effect_m = most;
  for (std::size_t i = 0; i < f.causes.size() && i < 3; ++i)
    d.causes.push_back(f.causes[i].sentence +
                       (f.causes[i].clears ? ": then everything agrees" : ": then less disagrees"));
}

void checks(DoubtList &list, const JobFit &f) {
  for (std::size_t i = 0; i < f.input.pairs.size(); ++i) {
    const PairVerdict &v = f.result.pairs[i];
    for (const auto &[part, what] : {std::pair{&v.plan, "in plan"}, {&v.height, "in height"}}) {
      if (!*part || (*part)->counts || (*part)->passes) continue;
      const double off = (*part)->difference.norm();
      Doubt &d = list.add(DoubtKind::fit_check_fails, f.input.pairs[i].name, Section::datum,
                          {Thing::Kind::mark, f.input.pairs[i].name},
                          fmt::format("{}: the fit puts it {} from where {} has it {}", f.name, length_words(off, 0),
                                      f.source_name, what),
                          f.name + "|" + f.input.pairs[i].name + what);
      d.value = (*part)->statistic, d.limit = (*part)->limit, d.unit = "χ²", d.effect_m = off;
    }
  }
}

void reach(DoubtList &list, const JobFit &f) {
  const double most = std::max(beyond_least, beyond_share * f.reach_m);
  int beyond = 0;
  const FittedMark *farthest = nullptr;
  for (const FittedMark &m : f.marks)
    if (m.outside_m > most && !m.control) {
      ++beyond;
      if (!farthest || m.outside_m > farthest->outside_m) farthest = &m;
    }
  if (!farthest) return;
  Doubt &d = list.add(DoubtKind::outside_the_fit, f.name, Section::datum, {Thing::Kind::mark, farthest->name},
                      fmt::format("{} of the job's marks lie{} outside of the marks that determine the fit, {} by {}",
                                  beyond, beyond == 1 ? "s" : "", farthest->name, length_words(farthest->outside_m, 0)),
                      f.name);
  d.value = farthest->outside_m, d.limit = most, d.unit = "m";
  d.effect_m = std::sqrt(farthest->cov(0, 0) + farthest->cov(1, 1));
}

void unchecked(DoubtList &list, const JobFit &f) {
  constexpr double little = 0.1;
  std::string which;
  for (std::size_t i = 0; i < f.input.pairs.size(); ++i) {
    const PairUse use = f.input.pairs[i].use;
    const PairVerdict &v = f.result.pairs[i];
    const bool plan = f.input.model->has_plan() && f.input.pairs[i].has_plan &&
                      (use == PairUse::both || use == PairUse::plan) && v.checked_plan < little;
    const bool height = f.input.model->has_height() && f.input.pairs[i].has_height &&
                        (use == PairUse::both || use == PairUse::height) && v.checked_height < little;
    if (plan || height)
      which += (which.empty() ? "" : ", ") + f.input.pairs[i].name +
               (plan && height ? ""
                : plan         ? " (plan)"
                               : " (height)");
  }
  if (f.result.redundancy > 0 && which.empty()) return;
  list.add(DoubtKind::fit_unchecked, f.name, Section::datum, list_of(f),
           f.result.redundancy == 0 ? "the pairs just determine the fit: a wrong mark would not be noticed"
                                    : "a mistake in these would not be noticed: " + which,
           f.name);
}

void unpaired(DoubtList &list, const JobFit &f) {
  for (const UnpairedMark &u : f.unpaired)
    if (u.nearest && u.distance_m < same_place)
      list.add(DoubtKind::fit_unpaired, u.name, Section::datum, {Thing::Kind::mark, *u.nearest},
               fmt::format("{} line {}: {} has no partner, but the fit puts {} {:.0f} mm from it: the same mark? (pair "
                           "{} with={})",
                           f.source_name, u.line, u.name, *u.nearest, 1000 * u.distance_m, *u.nearest, u.name),
               f.name + "|" + u.name);
}
} // namespace

void fit_doubts(DoubtList &list, const JobSnapshot &s) {
  for (const JobFit &f : s.get(fits_result())) {
    if (!f.problem.empty()) {
      list.add(DoubtKind::fit_not_computed, f.name, Section::datum, list_of(f), f.problem, f.name);
      continue;
    }
    if (f.given.empty()) disagreement(list, f), unchecked(list, f);
    if (f.by_position) {
      std::string pairs;
      for (std::size_t i = 0; i < f.input.pairs.size() && i < 5; ++i)
        pairs += (i ? ", " : "") + f.lines[i].in_list + " is " + f.input.pairs[i].name;
      list.add(DoubtKind::fit_unpaired, f.name, Section::datum, list_of(f),
               "no name of " + f.source_name + " is one of the job's; by how they lie " + pairs +
                   (f.input.pairs.size() > 5 ? " …" : "") + ": the same marks?",
               f.name + "|by position");
    }
    checks(list, f);
    reach(list, f);
    unpaired(list, f);
    if (f.scale && f.given.empty())
      if (const std::string unit = scale_as_unit(*f.scale); !unit.empty())
        list.add(DoubtKind::fit_disagrees, f.name, Section::datum, list_of(f), "its scale is " + unit, f.name + "unit")
            .effect_m = 1000;
  }
}

void also_doubts(DoubtList &list, const JobSnapshot &s) {
  // Before the first adjustment there is nothing to issue at all.
  if (!s.get(network_result())) return;
  for (const AlsoSystem &a : s.get(also_result()))
    if (!a.problem.empty())
      list.add(DoubtKind::not_computed, a.name, Section::datum, {},
               "nothing is issued in the further system " + a.name + " (" + a.crs + "): " + a.problem,
               "also " + a.name);
}

} // namespace ampletie
