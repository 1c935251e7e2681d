#include "judgement/systematic.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "datum/fit/frame_fit.h"
#include "judgement/shift_reason.h"
#include <Eigen/Dense>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr double alpha = 0.001;
/// So many marks tell what all have in common; of more, every second, third … is asked.
constexpr std::size_t enough = 60;

/// Names what the differences of one list have in common, by fits of the published places to the adjusted ones.
class Common {
public:
  Common(const JobSnapshot &s, const NetworkRun &run, const std::vector<const ComparedMark *> &marks)
      : s_(s), run_(run) {
    const std::size_t step = (marks.size() + enough - 1) / enough;
    for (std::size_t i = 0; i < marks.size(); i += step) {
      const ComparedMark *m = marks[i];
      const FullPosition &at = run.positions.at(m->name);
      FitPair p;
      p.name = m->name;
      // Directions are those of the meridian at every mark: near enough over a site.
      p.to = {at.grid.east, at.grid.north, at.geodetic.h};
      p.from = p.to - m->difference;
      p.to_cov = m->cov - m->datum_cov;
      common_ += m->datum_cov;
      middle_ += p.from;
      pairs_.push_back(p);
    }
    middle_ /= static_cast<double>(pairs_.size()), common_ /= static_cast<double>(pairs_.size());
  }

  std::vector<SystematicPart> parts() {
    drop_what_stands_out();
    if (pairs_.size() < 2) return {};
    const Fit nothing = with(PlanFit::none, HeightFit::none), shifted = with(PlanFit::shift, HeightFit::shift);
    if (significant(nothing, shifted, 3)) shift(shifted);
    if (pairs_.size() < 3) return std::move(out_);
    const Fit turned = with(PlanFit::rigid, HeightFit::shift), scaled = with(PlanFit::similarity, HeightFit::shift),
              tilted = with(PlanFit::shift, HeightFit::plane);
    if (significant(shifted, turned, 1))
      add(fmt::format("they are turned by {:+.2f}″ about their middle", turned.parameters[2] / rad_per_arcsec),
          std::abs(turned.parameters[2]) * reach());
    if (significant(turned, scaled, 1)) {
      const double ppm = 1e6 * (std::hypot(scaled.parameters[2], scaled.parameters[3]) - 1);
      add(fmt::format("their distances differ by {:+.2f} ppm", ppm), std::abs(ppm) * 1e-6 * reach());
    }
    if (significant(shifted, tilted, 2)) {
      const double slope = std::hypot(tilted.parameters[3], tilted.parameters[4]);
      add(fmt::format("their heights are tilted by {:.1f} mm/km", 1e6 * slope), slope * reach());
    }
    return std::move(out_);
  }

private:
  /// One mark that moved is not what all have in common: by the model that takes up everything systematic, the worst
  /// is left out as long as it fails.
  void drop_what_stands_out() {
    constexpr std::size_t least = 4;
    while (pairs_.size() > least) {
      const FitResult r = fit(PlanFit::similarity, HeightFit::plane);
      std::size_t worst = pairs_.size();
      double most = 1;
      for (std::size_t i = 0; i < pairs_.size(); ++i)
        for (const auto *v : {&r.pairs[i].plan, &r.pairs[i].height})
          if (*v && (*v)->statistic / (*v)->limit > most) most = (*v)->statistic / (*v)->limit, worst = i;
      if (worst == pairs_.size()) return;
      pairs_.erase(pairs_.begin() + static_cast<std::ptrdiff_t>(worst));
    }
  }

  FitResult fit(PlanFit plan, HeightFit height) const {
    SiteModel m;
    m.plan = plan, m.height = height, m.from = m.to = middle_;
    FitInput in;
    in.model = site_model(m);
    in.pairs = pairs_;
    in.from_cov = shared();
    return fit_frame(in);
  }

  struct Fit {
    double chi_squared = 0;
    Eigen::VectorXd parameters;
  };
  Fit with(PlanFit plan, HeightFit height) const {
    if (plan == PlanFit::none) {
      Eigen::MatrixXd q = shared();
      Eigen::VectorXd d(q.rows());
      for (std::size_t i = 0; i < pairs_.size(); ++i) {
        const auto at = static_cast<Eigen::Index>(3 * i);
        q.block<3, 3>(at, at) += pairs_[i].to_cov;
        d.segment<3>(at) = pairs_[i].to - pairs_[i].from;
      }
      return {d.dot(q.ldlt().solve(d)), {}};
    }
    const FitResult r = fit(plan, height);
    return {r.chi_squared, r.parameters};
  }
  /// What the datum's uncertainty gives to all marks alike.
  Eigen::MatrixXd shared() const {
    const auto n = static_cast<Eigen::Index>(pairs_.size());
    return common_.replicate(n, n);
  }
  static bool significant(const Fit &without, const Fit &one, int more) {
    return without.chi_squared - one.chi_squared > chi_squared_quantile(1 - alpha, more);
  }
  double reach() const {
    double far = 0;
    for (const FitPair &p : pairs_) far = std::max(far, (p.from - middle_).head<2>().norm());
    return far;
  }
  void add(std::string sentence, double size) { out_.push_back({std::move(sentence), size}); }

  void shift(const Fit &f) {
    const Vec3 d = f.parameters.head<3>();
    std::string words = fmt::format("all lie {:+.0f} mm east, {:+.0f} mm north and {:+.0f} mm up of what is published",
                                    1000 * d.x(), 1000 * d.y(), 1000 * d.z());
    std::set<std::string> marks;
    for (const FitPair &p : pairs_) marks.insert(p.name);
    add(words + shift_reason(s_, run_.positions.at(pairs_.front().name), marks, d), d.norm());
  }

  const JobSnapshot &s_;
  const NetworkRun &run_;
  std::vector<FitPair> pairs_;
  Vec3 middle_ = Vec3::Zero();
  Mat3 common_ = Mat3::Zero();
  std::vector<SystematicPart> out_;
};
} // namespace

std::vector<SystematicPart> systematic_parts(const JobSnapshot &s, const NetworkRun &run,
                                             const std::vector<const ComparedMark *> &marks) {
  return Common(s, run, marks).parts();
}

} // namespace ampletie
