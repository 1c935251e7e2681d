#include "judgement/comparison.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "datum/fit/frame_fit.h"
#include "results/control_record.h"
#include <Eigen/Dense>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr double alpha = 0.001;
/// So many marks tell what all have in common; of more, every second, third … is asked.
constexpr std::size_t enough = 60;

std::optional<ComparedMark> compared(const JobSnapshot &s, const NetworkRun &run, const JobDatum &datum,
                                     const AdjustedMark &m, const PublishedMark &p, bool in_use) {
  ComparedMark out;
  out.name = m.name, out.where = p.where(), out.source_id = p.source_id;
  out.stated = p.sd_enu || p.cov_enu;
  try {
    const PlacedMark placed = published_at(p, datum, datum.epoch(), {s.state().settings.worst_transformation_m, false});
    out.difference = local_axes(to_geodetic(m.position.xyz)) * (m.position.xyz - placed.point.xyz);
    out.cov = m.network_cov_enu, out.datum_cov = m.network_cov_enu - m.cov_enu;
    if (p.cov_enu)
      out.cov += *p.cov_enu;
    else if (p.sd_enu)
      out.cov += Mat3(p.sd_enu->cwiseAbs2().asDiagonal());
    // Of the coordinates that the job uses, the way is in what the list states already.
    if (!in_use || !out.stated) out.cov += placed.motion_sd * placed.motion_sd * Mat3::Identity();
  } catch (const InputError &) {
    return {};
  }
  const Eigen::Vector2d d = out.difference.head<2>();
  out.plan_statistic = d.dot(out.cov.block<2, 2>(0, 0).ldlt().solve(d));
  out.up_statistic = out.difference.z() * out.difference.z() / out.cov(2, 2);
  out.plan_passes = out.plan_statistic <= plan_test_limit * plan_test_limit;
  out.up_passes = out.up_statistic <= single_test_limit * single_test_limit;
  const auto &height = run.positions.at(m.name).height;
  if (const auto sd = physical_height_sd(run, m); p.height && height && sd) {
    out.height_difference = *height - *p.height;
    out.height_sd = std::hypot(*sd, p.sd_height.value_or(0));
    out.height_passes = std::abs(*out.height_difference) <= single_test_limit * *out.height_sd;
  }
  return out;
}

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
    add(words + reason(d), d.norm());
  }

  /// What makes such a shift here.
  std::string reason(const Vec3 &d) const {
    const FullPosition &at = run_.positions.at(pairs_.front().name);
    const auto alike = [&](const Vec3 &e) { return (d - e).norm() < 0.1 * e.norm() + 0.01; };
    if (at.undulation)
      for (double sign : {1.0, -1.0})
        if (alike({0, 0, sign * *at.undulation}))
          return sign > 0 ? ": as much as the geoid, as if physical heights stood for ellipsoidal ones"
                          : ": as much as the geoid, as if it had been applied twice";
    for (const char *name : {"ITRF2020", "ITRF2014", "ETRF2000", "ETRF2014"}) {
      const auto frame = frame_by_name(name);
      if (!frame || *frame == at.ecef.frame) continue;
      try {
        const FrameChange &change =
            frame_change(at.ecef.frame, *frame, at.ecef.xyz, {s_.state().settings.worst_transformation_m, false});
        const Vec3 there = local_axes(at.geodetic) * (at.ecef.xyz - change(at.ecef).xyz);
        // A change of millimetres is none that could be told from errors.
        if (there.norm() > 0.05 && alike(there))
          return fmt::format(": as much as between {} and {}, as if what is published were in {} without saying so",
                             name, frame_name(at.ecef.frame), name);
      } catch (const InputError &) {
        // no way leads there
      }
    }
    return {};
  }

  const JobSnapshot &s_;
  const NetworkRun &run_;
  std::vector<FitPair> pairs_;
  Vec3 middle_ = Vec3::Zero();
  Mat3 common_ = Mat3::Zero();
  std::vector<SystematicPart> out_;
};
} // namespace

Comparison compare_with_published(const JobSnapshot &s, const NetworkRun &run) {
  Comparison out;
  const JobDatum datum = job_datum(s);
  const auto add = [&](const AdjustedMark &m, const PublishedMark &p, bool in_use) {
    if (!p.has_position() || p.source_id.empty()) return;
    if (auto c = compared(s, run, datum, m, p, in_use)) out.marks.push_back(std::move(*c));
  };
  for (const AdjustedMark &m : run.result.marks) {
    const auto p = s.published().find(m.name);
    if (!m.plan_known || p == s.published().end()) continue;
    // What holds a mark agrees with itself; other lists may not.
    if (m.hold == Hold::none || m.hold == Hold::check) add(m, p->second, true);
    for (const PublishedMark &other : p->second.elsewhere) add(m, other, false);
  }
  std::map<std::string, std::vector<const ComparedMark *>> lists;
  for (const ComparedMark &c : out.marks) lists[c.source_id].push_back(&c);
  for (const auto &[source, marks] : lists) try {
      for (SystematicPart &p : Common(s, run, marks).parts()) {
        p.sentence = marks.front()->where.substr(0, marks.front()->where.find(" line ")) + ": " + p.sentence;
        out.systematic.push_back(std::move(p));
      }
    } catch (const InputError &) {
      // marks on one place or line say nothing of a turn
    }
  const auto worst = [](const ComparedMark &c) { return std::max(c.plan_statistic / 2, c.up_statistic); };
  std::stable_sort(out.marks.begin(), out.marks.end(),
                   [&](const ComparedMark &a, const ComparedMark &b) { return worst(a) > worst(b); });
  return out;
}

} // namespace ampletie
