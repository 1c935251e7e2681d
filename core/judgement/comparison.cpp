#include "judgement/comparison.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/size_words.h"
#include "datum/fit/frame_fit.h"
#include "results/control_record.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
constexpr double alpha = 0.001;
/// So many marks tell what all have in common; of more, every second, third … is asked.
constexpr std::size_t enough = 60;

/// The job's datum, opened when a place is compared: jobs of heights alone have none.
class LazyDatum {
public:
  explicit LazyDatum(const JobSnapshot &snapshot) : s(snapshot) {}
  const JobDatum &get() {
    if (!datum_) datum_.emplace(job_datum(s));
    return *datum_;
  }

private:
  const JobSnapshot &s;
  std::optional<JobDatum> datum_;
};

/// Plan, and ellipsoidal height where the published one is such a height or the geoid between is known.
void compare_places(ComparedMark &out, const JobSnapshot &s, const NetworkRun &run, const JobDatum &datum,
                    const AdjustedMark &m, const PublishedMark &p, bool in_use) {
  const PlacedMark placed = published_at(p, datum, datum.epoch(), {s.state().settings.worst_transformation_m, false});
  const Vec3 d = local_axes(to_geodetic(m.position.xyz)) * (m.position.xyz - placed.point.xyz);
  if (!d.allFinite()) return;
  out.difference = d;
  out.cov = m.network_cov_enu, out.datum_cov = m.network_cov_enu - m.cov_enu;
  if (p.cov_enu)
    out.cov += *p.cov_enu;
  else if (p.sd_enu)
    out.cov += Mat3(p.sd_enu->cwiseAbs2().asDiagonal());
  // Of the coordinates that the job uses, the way is in what the list states already.
  if (!in_use || !out.stated) out.cov += placed.motion_sd * placed.motion_sd * Mat3::Identity();
  out.has_plan = true, out.has_up = !datum.local();
  if (p.grid && !p.xyz && !p.geodetic_deg && out.has_up) {
    // What came as a physical height went through the geoid.
    out.has_up = run.geoid_sd.has_value();
    out.cov(2, 2) += std::pow(run.geoid_sd.value_or(0), 2);
  }
  const Eigen::Vector2d plan = d.head<2>();
  out.plan_statistic = plan.dot(out.cov.block<2, 2>(0, 0).ldlt().solve(plan));
  out.plan_passes = out.plan_statistic <= plan_test_limit * plan_test_limit;
  if (!out.has_up) return;
  out.up_statistic = d.z() * d.z() / out.cov(2, 2);
  out.up_passes = out.up_statistic <= single_test_limit * single_test_limit;
}

std::optional<ComparedMark> compared(const JobSnapshot &s, const NetworkRun &run, LazyDatum &datum,
                                     const AdjustedMark &m, const PublishedMark &p, bool in_use, bool check) {
  ComparedMark out;
  out.name = m.name, out.where = p.where(), out.source_id = p.source_id, out.check = check;
  out.stated = p.sd_enu || p.cov_enu || p.sd_height;
  if (m.plan_known && p.has_position()) try {
      compare_places(out, s, run, datum.get(), m, p, in_use);
    } catch (const InputError &) {
      // what leads nowhere has a doubt of its own
    }
  const auto &height = run.positions.at(m.name).height;
  if (p.height && height) {
    out.height_difference = *height - *p.height;
    if (const auto sd = physical_height_sd(run, m)) {
      out.height_sd = std::hypot(*sd, p.sd_height.value_or(0));
      out.height_passes = std::abs(*out.height_difference) <= single_test_limit * *out.height_sd;
    }
  }
  if (!out.has_plan && !out.height_difference) return {};
  return out;
}

/// What is published of one mark and does not hold it.
void compare_into(std::vector<ComparedMark> &out, const JobSnapshot &s, const NetworkRun &run, LazyDatum &datum,
                  const AdjustedMark &m) {
  const PublishedMark *p = s.listed(m.name);
  if (!p) return;
  const bool check = m.hold == Hold::check;
  const auto add = [&](const PublishedMark &of, bool in_use) {
    if (of.source_id.empty() && !check) return;
    if (auto c = compared(s, run, datum, m, of, in_use, check && in_use)) out.push_back(std::move(*c));
  };
  // What holds a mark agrees with itself; other lists may not.
  if (m.hold == Hold::none || check) add(*p, true);
  for (const PublishedMark &other : p->elsewhere) add(other, false);
}

/// Why a check was not compared.
std::string why_not(const JobSnapshot &s, const NetworkRun &run, const std::string &mark) {
  const bool measured = std::any_of(run.result.marks.begin(), run.result.marks.end(),
                                    [&](const AdjustedMark &m) { return m.name == mark; });
  if (const auto m = s.misplaced().find(mark); m != s.misplaced().end() && !m->second.accepted)
    return "its coordinates do not belong to the job";
  if (!s.listed(mark)) return "nothing gives its coordinates";
  if (!measured) return "nothing that takes part in the network was measured to it";
  return "what is published of it is nothing that the network determines";
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

double ComparedMark::worst() const {
  double out = 0;
  if (has_plan) out = std::max(out, plan_statistic / (plan_test_limit * plan_test_limit));
  if (has_up) out = std::max(out, up_statistic / (single_test_limit * single_test_limit));
  if (height_sd) out = std::max(out, std::pow(*height_difference / (single_test_limit * *height_sd), 2));
  return out;
}

double ComparedMark::largest_m() const {
  double out = has_plan ? difference.head<2>().norm() : 0;
  if (height_difference)
    out = std::max(out, std::abs(*height_difference));
  else if (has_up)
    out = std::max(out, std::abs(difference.z()));
  return out;
}

std::string check_verdict(const ComparedMark &c) {
  if (!c.passes()) return "disagrees";
  if (!c.height_unjudged()) return "agrees";
  const std::string why = "not judged: nobody states how good the geoid's grid is";
  return c.judged() ? "agrees in plan; its height is " + why : why;
}

std::string difference_words(const ComparedMark &c) {
  std::string out;
  if (c.has_plan) out = length_words(c.difference.head<2>().norm(), 1) + " in plan";
  const std::string and_so = out.empty() ? "" : " and ";
  if (c.height_difference)
    out += and_so + length_words(*c.height_difference, 1, true) + " in height" +
           (c.height_sd ? "" : " (which is not judged: nobody states how good the geoid's grid is)");
  else if (c.has_up)
    out += and_so + length_words(c.difference.z(), 1, true) + " in height";
  return out + " from its published place";
}

std::vector<ComparedMark> compare_mark(const JobSnapshot &s, const NetworkRun &run, const AdjustedMark &m) {
  std::vector<ComparedMark> out;
  LazyDatum datum(s);
  compare_into(out, s, run, datum, m);
  return out;
}

std::pair<std::vector<ComparedMark>, std::vector<UncomparedCheck>> compare_checks(const JobSnapshot &s,
                                                                                  const NetworkRun &run) {
  std::vector<ComparedMark> marks;
  std::vector<UncomparedCheck> left;
  LazyDatum datum(s);
  std::set<std::string> done;
  for (const AdjustedMark &m : run.result.marks) {
    if (m.hold != Hold::check) continue;
    std::vector<ComparedMark> all;
    compare_into(all, s, run, datum, m);
    for (ComparedMark &c : all)
      if (c.check) done.insert(m.name), marks.push_back(std::move(c));
  }
  for (const auto &[mark, h] : s.state().holds)
    if (h.how == Hold::check && !done.count(mark)) left.push_back({mark, why_not(s, run, mark)});
  return {std::move(marks), std::move(left)};
}

Comparison compare_with_published(const JobSnapshot &s, const NetworkRun &run) {
  Comparison out;
  LazyDatum datum(s);
  for (const AdjustedMark &m : run.result.marks) compare_into(out.marks, s, run, datum, m);
  out.uncompared = compare_checks(s, run).second;
  std::map<std::string, std::vector<const ComparedMark *>> lists;
  for (const ComparedMark &c : out.marks)
    if (c.has_plan && c.has_up && !c.source_id.empty()) lists[c.source_id].push_back(&c);
  for (const auto &[source, marks] : lists) try {
      for (SystematicPart &p : Common(s, run, marks).parts()) {
        p.sentence = marks.front()->where.substr(0, marks.front()->where.find(" line ")) + ": " + p.sentence;
        out.systematic.push_back(std::move(p));
      }
    } catch (const InputError &) {
      // marks on one place or line say nothing of a turn
    }
  std::stable_sort(out.marks.begin(), out.marks.end(), [](const ComparedMark &a, const ComparedMark &b) {
    return std::pair(a.check, a.worst()) > std::pair(b.check, b.worst());
  });
  return out;
}

} // namespace ampletie
