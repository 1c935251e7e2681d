#include "judgement/network_doubts.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/size_words.h"
#include "judgement/accuracy_verdict.h"
#include "judgement/comparison.h"
#include "judgement/height_causes.h"
#include "judgement/left_over.h"
#include "judgement/traverse_doubts.h"
#include "results/weight_groups.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

constexpr double critical = single_test_limit;

void whole(DoubtList &list, const AdjustmentResult &a) {
  if (a.redundancy > 0 && !a.passes) {
    Doubt &d = list.add(DoubtKind::global_test_failed, "network", Section::network, {},
                        "observations and stated accuracies do not agree: the variance factor is too high", "network");
    d.value = a.variance_factor, d.limit = a.upper, d.unit = "variance factor";
  }
  if (a.low()) {
    Doubt &d = list.add(DoubtKind::better_than_stated, "network", Section::network, {},
                        "the observations agree better than stated: nothing contradicts them, and printed accuracies "
                        "are on the safe side",
                        "network");
    d.value = a.variance_factor, d.limit = a.lower, d.unit = "variance factor";
    d.causes = {
        "stated accuracies are too pessimistic",
        "observations that are not independent of each other (the same readings twice, reduced from one another)"};
  }
  if (a.redundancy == 0)
    list.add(DoubtKind::no_redundancy, "network", Section::network, {},
             "nothing checks this network: every coordinate rests on single observations", "network");
}

/// Single observations and blocks that the others contradict. A large error leans on what is correlated with it: as
/// long as it stands, tests of its kind that fail far less say little (Baarda's data snooping takes the largest first).
class FailedTests {
public:
  FailedTests(DoubtList &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors, const NetworkRun &run)
      : list_(list), s_(s), run_(run), sights_(sight_names(s.traverses())) {
    for (const VectorResult &v : vectors) vectors_[v.id] = v.from + " → " + v.to;
    for (const MeasuredVector &v : s.get(measured_result())) vectors_[v.id] = v.name_and_where();
    for (const Occupation &o : s.occupations()) by_setup_.emplace(o.setup, &o);
    for (const BlockTest &t : run.result.adjustment.tests) {
      if (t.kind == "vector") largest_vector_ = std::max(largest_vector_, t.statistic);
      if (t.kind == "level" && !t.passes && (!worst_level_ || t.statistic > worst_level_->statistic)) worst_level_ = &t;
      if (t.kind == "set-up")
        for (const ObservationTest &o : t.observations) largest_w_ = std::max(largest_w_, std::abs(o.standardised));
      if (sights_.count(t.id)) largest_sight_ = std::max(largest_sight_, t.statistic);
    }
  }

  void add() {
    for (const BlockTest &t : run_.result.adjustment.tests) {
      if (t.kind == "set-up")
        for (std::size_t i = 0; i < t.observations.size(); ++i) setup(t, i);
      if (t.passes) continue;
      if (t.kind == "level" && t.statistic > 0.25 * worst_level_->statistic) level(t);
      if (t.kind == "vector" && t.statistic > 0.25 * largest_vector_) vector(t);
      if (t.statistic > 0.25 * largest_sight_ && t.observations.size() == 1)
        if (const auto it = sights_.find(t.id); it != sights_.end()) sight(t, it->second);
    }
    for (const AdjustedMark &m : run_.result.marks)
      if (m.levels > 0 && m.geoid_correction_sd > 0 && run_.geoid_sd &&
          std::abs(m.geoid_correction) > critical * *run_.geoid_sd)
        geoid(m);
  }

private:
  void sight(const BlockTest &t, const SightName &name) {
    const ObservationTest &o = t.observations.front();
    const bool angle = is_angle(t.kind);
    Doubt &d = list_.add(DoubtKind::sight_suspicious, name.from + " → " + name.to + ", " + t.kind, Section::traverse,
                         {Thing::Kind::station, name.setup},
                         fmt::format("this {} does not fit the rest of the network: {:+.1f} {} off", t.kind,
                                     angle ? -o.residual / rad_per_arcsec : -1000 * o.residual, angle ? "″" : "mm"),
                         t.id + t.kind);
    d.value = std::abs(o.standardised), d.limit = critical, d.unit = "w";
    if (t.external_effect) d.effect_m = *t.external_effect;
  }

  void setup(const BlockTest &t, std::size_t i) {
    const ObservationTest &o = t.observations[i];
    if (std::abs(o.standardised) <= critical || std::abs(o.standardised) < 0.5 * largest_w_) return;
    const auto found = by_setup_.find(t.id);
    const ReducedSetup *station = s_.traverses().field.find(t.id);
    const std::string who = found != by_setup_.end() ? occupation_name(*found->second)
                            : station                ? "set-up on " + station->setup.mark
                                                     : t.id;
    const double size = std::abs(o.error);
    Doubt &d = list_.add(i == 2 ? DoubtKind::height_suspicious : DoubtKind::centring_suspicious, who,
                         station ? Section::traverse : Section::intake,
                         {found == by_setup_.end() ? Thing::Kind::station : Thing::Kind::occupation,
                          found == by_setup_.end() ? t.id : found->second->id},
                         fmt::format("the network contradicts the {} of this set-up by about {}", t.components[i],
                                     length_words(size, 0)));
    d.value = std::abs(o.standardised), d.limit = critical, d.unit = "w";
    d.effect_m = size;
    // With two set-ups over a mark the network sees that they disagree, not which of them is wrong.
    if (found == by_setup_.end()) return;
    std::vector<std::string> others;
    for (const Occupation &x : s_.occupations())
      if (x.used && x.mark == found->second->mark && x.setup != t.id) others.push_back(occupation_name(x));
    if (i == 2)
      for (auto &why : height_causes(s_.contents(), *found->second, -o.error, size / std::abs(o.standardised)))
        d.causes.push_back(std::move(why));
    if (others.size() == 1) d.causes.push_back("this set-up or " + others.front() + ": two alone cannot tell which");
  }

  const LevelSection *section_of(const BlockTest &t) const {
    const auto &all = s_.levels().sections;
    const auto it = std::find_if(all.begin(), all.end(), [&](const LevelSection &x) { return x.id == t.id; });
    return it == all.end() ? nullptr : &*it;
  }
  std::string level_name(const BlockTest &t) const {
    const LevelSection *x = section_of(t);
    return x ? x->from + " – " + x->to : t.id;
  }
  /// A level is one observation: what explains its test is the size of the disagreement with everything else, m.
  static double level_size(const BlockTest &t) { return t.observations.front().error; }

  void level(const BlockTest &t) {
    const LevelSection *section = section_of(t);
    const double size = std::abs(level_size(t)), worst = std::abs(level_size(*worst_level_));
    const LevelLine *line = section ? s_.levels().line(section->line) : nullptr;
    Doubt &d = list_.add(
        DoubtKind::levels_and_vectors_disagree, level_name(t), Section::levels,
        {Thing::Kind::level_line, section ? section->line : t.id},
        fmt::format("the levels{} and what the vectors, held heights and the geoid say differ by {}",
                    line ? " (" + line->name + fmt::format(", {:.2f} km)", section->length / 1000) : std::string(),
                    length_words(level_size(t), 1, true)));
    d.value = t.statistic, d.limit = t.limit, d.unit = "χ²";
    d.effect_m = size;
    if (&t != worst_level_) {
      // One of them is wrong, most likely the one that fails most clearly: the others come after it.
      d.effect_m = std::min(size, worst) * t.statistic / worst_level_->statistic;
      d.causes.push_back(fmt::format("{} fails more clearly: if that one is wrong by {}, this one may be right",
                                     level_name(*worst_level_), length_words(worst, 1)));
    }
    if (section)
      for (auto &why :
           level_causes(section->difference, level_size(t), std::abs(level_size(t)) / std::sqrt(t.statistic)))
        d.causes.push_back(std::move(why));
    d.causes.push_back(run_.geoid_name.empty()
                           ? "a mistake in the levels, or in a height of the vectors"
                           : "a mistake in the levels or in a height of the vectors, or the grid of " +
                                 run_.geoid_name + " between the two marks");
  }

  void vector(const BlockTest &t) {
    const auto name = vectors_.find(t.id);
    Doubt &d = list_.add(DoubtKind::vector_suspicious, name != vectors_.end() ? name->second : t.id, Section::network,
                         thing_by_id(t.id), "this vector does not fit the others");
    d.value = t.statistic, d.limit = t.limit, d.unit = "χ²";
    if (t.external_effect) d.effect_m = *t.external_effect;
  }

  void geoid(const AdjustedMark &m) {
    Doubt &d = list_.add(DoubtKind::geoid_off, m.name, Section::network, {Thing::Kind::mark, m.name},
                         fmt::format("levels and vectors put the geoid {:+.3f} m from its grid", m.geoid_correction));
    d.value = std::abs(m.geoid_correction), d.limit = critical * *run_.geoid_sd, d.unit = "m";
    d.effect_m = std::abs(m.geoid_correction);
    if (!worst_level_) return;
    const double worst = std::abs(level_size(*worst_level_));
    d.effect_m = std::min(*d.effect_m, worst / 2);
    d.causes.push_back(
        fmt::format("the levels {}, which do not fit by {}", level_name(*worst_level_), length_words(worst, 1)));
  }

  DoubtList &list_;
  const JobSnapshot &s_;
  const NetworkRun &run_;
  std::map<std::string, SightName> sights_;
  std::map<std::string, std::string> vectors_;
  std::map<std::string, const Occupation *> by_setup_;
  double largest_w_ = 0, largest_vector_ = 0, largest_sight_ = 0;
  const BlockTest *worst_level_ = nullptr;
};

/// Marks that are compared and never used, against where the network finds them.
void checks(DoubtList &list, const JobSnapshot &s, const NetworkRun &run) {
  const auto [compared, left] = compare_checks(s, run);
  for (const ComparedMark &c : compared) {
    if (c.passes() && c.height_unjudged()) {
      Doubt &d =
          list.add(DoubtKind::check_not_compared, c.name, Section::network, {Thing::Kind::mark, c.name},
                   "this mark was to be a check, and it " + (c.judged() ? check_verdict(c) : "is " + check_verdict(c)));
      d.effect_m = std::abs(*c.height_difference);
      d.causes.push_back("state the standard deviation of the geoid's grid (settings geoid_sd and geoid_correlation)");
    }
    if (c.passes()) continue;
    Doubt &d = list.add(DoubtKind::check_mark_differs, c.name, Section::network, {Thing::Kind::mark, c.name},
                        "found " + difference_words(c));
    // Of the parts the one that fails most clearly.
    const double plan = plan_test_limit * plan_test_limit, one = single_test_limit * single_test_limit;
    d.value = plan * c.worst(), d.limit = plan;
    if (c.plan_passes) d.value = one * c.worst(), d.limit = one;
    d.unit = "χ²", d.effect_m = c.largest_m();
    if (!c.stated) d.causes.push_back("no accuracy is published for it: it was compared as if it were errorless");
  }
  // What has no coordinates at all is a doubt of its own, and so is what does not belong here.
  for (const UncomparedCheck &u : left)
    if (s.listed(u.name) && !s.misplaced().count(u.name))
      list.add(DoubtKind::check_not_compared, u.name, Section::network, {Thing::Kind::mark, u.name},
               "this mark was to be a check, and nothing was compared: " + u.because);
}

/// Factors of groups that nothing in the network belongs to any more: they have no effect.
void idle_factors(DoubtList &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors,
                  const NetworkResult &r) {
  const auto &decided = s.state().groups;
  if (std::none_of(decided.begin(), decided.end(), [](const auto &g) { return g.second.factor.value.has_value(); }))
    return;
  const WeightGroups groups(s, vectors, network_input(s, vectors));
  std::set<std::string> present;
  for (const BlockTest &t : r.adjustment.tests)
    for (const std::string &g : groupings()) present.insert(groups.group(g, t.id, t.kind));
  for (const auto &[name, e] : decided)
    if (e.factor.value && !present.count(name))
      list.add(DoubtKind::decision_without_target, "group " + name, Section::network, {},
               fmt::format("decision {} weighs the group {}, and nothing in the network belongs to it",
                           e.factor.decision, name),
               "group " + name);
}

void marks(DoubtList &list, const NetworkResult &r) {
  for (const AdjustedMark &m : r.marks) {
    if (m.hold == Hold::full) continue;
    if (m.independent_checks == 0 && (m.plan_known || m.hold != Hold::height))
      list.add(DoubtKind::no_independent_check, m.name, Section::network, {Thing::Kind::mark, m.name},
               m.plan_known ? "only one set-up determines this mark: a mistake in it would not show"
                            : "only one levelled difference leads to this mark: a mistake in it would not show");
  }
}

void accuracies(DoubtList &list, const JobState &state, const NetworkRun &run) {
  for (const AdjustedMark &m : run.result.marks) {
    const AccuracyVerdict v = accuracy_verdict(state, run, m);
    if (v.reached()) continue;
    Doubt &d = list.add(DoubtKind::accuracy_not_reached, m.name, Section::issue, {Thing::Kind::mark, m.name},
                        fmt::format("{} (95 %, {})", shortfall(v), v.asked.local ? "local" : "network"));
    const bool plan = v.plan_fails && (!v.height_fails || v.plan95 - v.asked.plan > v.height95 - v.asked.height);
    d.value = 1000 * (plan ? v.plan95 : v.height95), d.limit = 1000 * (plan ? v.asked.plan : v.asked.height);
    d.unit = "mm", d.effect_m = (*d.value - *d.limit) / 1000;
    if (!v.fails()) d.value.reset(), d.limit.reset(), d.effect_m.reset();
    d.causes = v.causes;
    if (v.height_undetermined)
      d.causes.push_back(
          "state the standard deviation of the geoid's grid (settings geoid_sd and geoid_correlation), or "
          "ask for the accuracy of ellipsoidal heights");
  }
}

void datum(DoubtList &list, const JobSnapshot &s, const NetworkRun &run) {
  for (const ControlCheck &c : run.result.control)
    if (!c.passes) {
      Doubt &d = list.add(DoubtKind::control_disagrees, c.mark, Section::network, {Thing::Kind::mark, c.mark},
                          fmt::format("the other held marks place it {} away in plan and {} in height",
                                      length_words(c.difference_enu.head<2>().norm(), 0),
                                      length_words(c.difference_enu.z(), 0, true)));
      d.value = c.statistic, d.limit = c.limit, d.unit = "χ²", d.effect_m = c.difference_enu.norm();
    }
  for (const auto &name : run.result.zero_sd_held)
    list.add(DoubtKind::held_without_accuracy, name, Section::datum, {Thing::Kind::mark, name},
             "held as if errorless: no standard deviation was published for it");
  if (s.state().settings.datum.vertical.empty() && s.levels().any() && run.levels.empty())
    if (const std::string why = why_heights_stay_apart(s, run); !why.empty()) {
      int lines = 0, held = 0;
      for (const LeftOver &x : left_over(s, {}, &run)) lines += x.kind == "level line", held += x.kind == "held mark";
      Doubt &d = list.add(DoubtKind::levels_take_no_part, "heights", Section::network, {},
                          fmt::format("{} level line{} and {} held mark{} take no part: {}", lines,
                                      lines == 1 ? "" : "s", held, held == 1 ? "" : "s", why),
                          "levels");
      d.causes.push_back("say the job's vertical system, or leave the level books out with a reason");
    }
  if (run.geoid_refusal.empty() && !run.geoid_name.empty() && !run.geoid_sd && !run.heights_alone &&
      !is_local(s.state().settings.datum.crs))
    list.add(DoubtKind::geoid_without_accuracy, "heights", Section::datum, {},
             "nobody states how good the grid of " + run.geoid_name + " is: physical heights carry no accuracy" +
                 (s.levels().any() ? ", and levels do not join the vectors" : ""),
             "vertical");
}

/// What would make everything agree stands with what says that it does not, before what single tests suggest.
void add_causes(std::vector<Doubt> &all, const std::vector<NetworkCause> &causes) {
  Doubt *most = nullptr;
  const auto excess = [](const Doubt &d) { return d.value && d.limit && *d.limit > 0 ? *d.value / *d.limit : 0; };
  for (Doubt &d : all) {
    if (d.kind == DoubtKind::global_test_failed) most = &d;
    if (most && most->kind == DoubtKind::global_test_failed) break;
    if (excess(d) > (most ? excess(*most) : 1)) most = &d;
  }
  if (!most || causes.empty()) return;
  std::vector<std::string> words;
  for (const NetworkCause &c : causes) {
    if (words.size() == 3) break;
    words.push_back(c.sentence());
    for (const Correction &k : c.corrections)
      if (c.explanation.clears()) most->corrections.push_back(k);
  }
  most->causes.insert(most->causes.begin(), words.begin(), words.end());
}

} // namespace

void network_doubts(DoubtList &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors,
                    const NetworkRun &run, const std::vector<NetworkCause> &causes) {
  whole(list, run.result.adjustment);
  FailedTests(list, s, vectors, run).add();
  add_causes(list.all, causes);
  marks(list, run.result);
  checks(list, s, run);
  idle_factors(list, s, vectors, run.result);
  accuracies(list, s.state(), run);
  datum(list, s, run);
}

} // namespace ampletie
