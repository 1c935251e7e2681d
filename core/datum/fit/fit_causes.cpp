#include "datum/fit/fit_causes.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "base/size_words.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr double foot = 0.3048, us_foot = 1200.0 / 3937;

std::optional<FitResult> tried(const FitInput &in) {
  try {
    return fit_frame(in);
  } catch (const InputError &) {
    return {};
  }
}

class Trials {
public:
  Trials(const FitInput &in, const FitResult &fit) : in_(in), fit_(fit) {}

  std::vector<FitCause> all() {
    wrong_pairs();
    exchanged();
    // Another unit or axis misses by metres; nothing else does so everywhere.
    constexpr double gross = 0.5;
    if (fit_.misclosure.cwiseAbs().maxCoeff() > gross) {
      units();
      axes();
    }
    std::stable_sort(found_.begin(), found_.end(), [](const FitCause &a, const FitCause &b) {
      if (a.clears != b.clears) return a.clears;
      return a.probability > b.probability;
    });
    return std::move(found_);
  }

private:
  void keep(const FitInput &as_if, FitCause c) {
    const auto r = tried(as_if);
    if (!r) return;
    c.clears = agrees(*r);
    c.probability = r->redundancy > 0 ? 1 - chi_squared_cdf(r->chi_squared, r->redundancy) : 0;
    // What explains little is no cause.
    if (c.clears || (r->converged && r->chi_squared < 0.5 * fit_.chi_squared)) found_.push_back(std::move(c));
  }

  static double stands_out(const PairVerdict &v) {
    return std::max(v.plan ? v.plan->statistic / v.plan->limit : 0,
                    v.height ? v.height->statistic / v.height->limit : 0);
  }
  /// Those that stand out most; of many not all are tried.
  std::vector<std::size_t> suspects(std::size_t most) const {
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < in_.pairs.size(); ++i)
      if (in_.pairs[i].use != PairUse::check) out.push_back(i);
    std::stable_sort(out.begin(), out.end(), [&](std::size_t a, std::size_t b) {
      return stands_out(fit_.pairs[a]) > stands_out(fit_.pairs[b]);
    });
    if (out.size() > most) out.resize(most);
    return out;
  }

  void wrong_pairs() {
    for (const std::size_t i : suspects(6)) {
      const PairVerdict &v = fit_.pairs[i];
      const bool plan = v.plan && !v.plan->passes, height = v.height && !v.height->passes;
      // The whole may fail where no pair does: then each is tried altogether.
      FitInput as_if = in_;
      PairUse &use = as_if.pairs[i].use;
      if (plan && !height && use == PairUse::both)
        use = PairUse::height;
      else if (height && !plan && use == PairUse::both)
        use = PairUse::plan;
      else
        use = PairUse::check;
      FitCause c;
      c.marks = {in_.pairs[i].name}, c.instead = use;
      std::string far;
      const auto add = [&](const std::optional<PairVerdict::Predicted> &part, const char *what) {
        if (part)
          far += fmt::format("{}{} away in {}", far.empty() ? "" : " and ", length_words(part->difference.norm(), 0),
                             what);
      };
      if (use != PairUse::plan) add(v.plan, "plan");
      if (use != PairUse::height) add(v.height, "height");
      c.sentence = in_.pairs[i].name + " is wrong" +
                   (use == PairUse::height ? " in plan"
                    : use == PairUse::plan ? " in height"
                                           : "") +
                   (far.empty() ? std::string() : ": the others put it " + far);
      keep(as_if, std::move(c));
    }
  }

  /// χ² with the target's coordinates of two pairs exchanged, all weights as they are.
  double exchanged_at_first_glance(std::size_t a, std::size_t b) const {
    Eigen::VectorXd v = fit_.misclosure;
    const Vec3 d = in_.pairs[b].to - in_.pairs[a].to;
    for (Eigen::Index k = 0; k < 3; ++k) {
      v[3 * static_cast<Eigen::Index>(a) + k] += d[k];
      v[3 * static_cast<Eigen::Index>(b) + k] -= d[k];
    }
    return v.dot(fit_.tests * v);
  }

  void exchanged() {
    const auto some = suspects(40);
    for (std::size_t a = 0; a < some.size(); ++a)
      for (std::size_t b = a + 1; b < some.size(); ++b) {
        if (!(exchanged_at_first_glance(some[a], some[b]) < std::max(3 * fit_.upper, 0.5 * fit_.chi_squared))) continue;
        FitInput as_if = in_;
        FitPair &x = as_if.pairs[some[a]], &y = as_if.pairs[some[b]];
        std::swap(x.to, y.to), std::swap(x.to_cov, y.to_cov);
        FitCause c;
        c.kind = FitCause::Kind::exchanged, c.marks = {x.name, y.name};
        if (c.marks[1] < c.marks[0]) std::swap(c.marks[0], c.marks[1]);
        c.sentence = c.marks[0] + " and " + c.marks[1] + " are exchanged";
        keep(as_if, std::move(c));
      }
  }

  void with_all(const std::string &sentence, FitCause::Kind kind, const std::function<void(FitPair &)> &change) {
    FitInput as_if = in_;
    for (FitPair &p : as_if.pairs) change(p);
    FitCause c;
    c.kind = kind, c.sentence = sentence;
    keep(as_if, std::move(c));
  }

  void units() {
    for (const auto &[factor, name] : {std::pair{foot, "feet"},
                                       {1 / foot, "metres, taken as feet"},
                                       {us_foot / foot, "US survey feet, taken as feet"},
                                       {foot / us_foot, "feet, taken as US survey feet"}}) {
      const double f = factor;
      with_all(fmt::format("the target's east and north are in {}", name), FitCause::Kind::unit,
               [f](FitPair &p) { p.to.head<2>() *= f; });
      with_all(fmt::format("the target's heights are in {}", name), FitCause::Kind::unit,
               [f](FitPair &p) { p.to.z() *= f; });
      with_all(fmt::format("the target's coordinates are in {}", name), FitCause::Kind::unit,
               [f](FitPair &p) { p.to *= f; });
    }
  }

  void axes() {
    with_all("the target's east and north are exchanged", FitCause::Kind::axes,
             [](FitPair &p) { std::swap(p.to.x(), p.to.y()); });
    with_all("the target's first axis counts the other way (west)", FitCause::Kind::axes,
             [](FitPair &p) { p.to.x() = -p.to.x(); });
    with_all("the target's second axis counts the other way (south)", FitCause::Kind::axes,
             [](FitPair &p) { p.to.y() = -p.to.y(); });
  }

  const FitInput &in_;
  const FitResult &fit_;
  std::vector<FitCause> found_;
};
} // namespace

bool agrees(const FitResult &fit) {
  const auto fails = [](const std::optional<PairVerdict::Predicted> &p) { return p && p->counts && !p->passes; };
  return fit.converged && fit.passes && std::none_of(fit.pairs.begin(), fit.pairs.end(), [&](const PairVerdict &v) {
           return fails(v.plan) || fails(v.height);
         });
}

std::vector<FitCause> explain_fit(const FitInput &in, const FitResult &fit) {
  if (agrees(fit)) return {};
  return Trials(in, fit).all();
}

std::string scale_as_unit(double scale) {
  // A grid's scale and a height of some kilometres change a scale by less than this.
  constexpr double near = 2e-3;
  for (const auto &[factor, words] :
       {std::pair{foot, "the target is in metres, and was read as feet"}, {1 / foot, "the target is in feet"}})
    if (std::abs(scale / factor - 1) < near) return fmt::format("{:.6f}: {}", scale, words);
  return {};
}

} // namespace ampletie
