#include "results/stop_fixes.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "results/job_results.h"
#include <Eigen/Dense>
#include <cmath>

namespace ampletie {
namespace {
/// Vectors of both kinds, brought to the job's frame and epoch.
class Comparing {
public:
  Comparing(const JobSnapshot &s, const JobDatum &datum)
      : s_(s), datum_(datum), near_(s.centre().value_or(Vec3::Zero())) {}

  std::optional<StopAgainstFix> of(const MeasuredVector &stop, const MeasuredVector &fix) const {
    StopAgainstFix out{stop.id, fix.id, {}, {}, stop.from == fix.from, 0, true};
    Vec3 d = turned(fix, fix.d) - turned(stop, stop.d);
    if (!out.same_base) {
      const auto a = place(fix.from), b = place(stop.from);
      if (!a || !b) return {};
      d += *a - *b;
    }
    const auto at = place(stop.from);
    const Vec3 here = at ? *at : near_;
    if (here.norm() < 6e6) return {};
    const Mat3 axes = local_axes(to_geodetic(here));
    out.enu = axes * d;
    out.cov = axes * (turned(fix, fix.cov) + turned(stop, stop.cov)) * axes.transpose();
    const Eigen::LLT<Mat3> root(out.cov);
    if (root.info() != Eigen::Success) return {};
    out.statistic = out.enu.dot(root.solve(out.enu));
    out.passes = out.statistic <= chi_squared_quantile(0.999, 3);
    return out;
  }

private:
  Mat3 turn(const MeasuredVector &v) const {
    return frame_change(v.frame, datum_.frame(), near_, policy()).linear_part(v.epoch, near_);
  }
  Vec3 turned(const MeasuredVector &v, const Vec3 &d) const { return turn(v) * d; }
  Mat3 turned(const MeasuredVector &v, const Mat3 &cov) const {
    const Mat3 r = turn(v);
    return r * cov * r.transpose();
  }
  OperationPolicy policy() const { return operation_policy(s_.state().settings); }
  std::optional<Vec3> place(const std::string &mark) const {
    const PublishedMark *p = s_.listed(mark);
    if (!p || !p->has_position()) return {};
    return published_in_job(*p, datum_, policy()).xyz;
  }
  const JobSnapshot &s_;
  const JobDatum &datum_;
  Vec3 near_;
};

double apart(const MeasuredVector &a, const MeasuredVector &b) {
  const auto x = parse_iso(a.time), y = parse_iso(b.time);
  return x && y ? std::abs(*x - *y) : 1e12;
}
} // namespace

std::vector<StopAgainstFix> stops_against_fixes(const JobSnapshot &s) {
  std::vector<StopAgainstFix> out;
  const auto &all = s.get(measured_result());
  if (std::none_of(all.begin(), all.end(), [](const auto &v) { return v.stop; }) ||
      std::none_of(all.begin(), all.end(), [](const auto &v) { return v.fix; }))
    return out;
  try {
    const JobDatum datum = job_datum(s);
    const Comparing compare(s, datum);
    for (const MeasuredVector &stop : all) {
      if (!stop.stop || !stop.problem.empty()) continue;
      const MeasuredVector *best = nullptr;
      for (const MeasuredVector &fix : all)
        if (fix.fix && fix.problem.empty() && fix.to == stop.to && (!best || apart(stop, fix) < apart(stop, *best)))
          best = &fix;
      if (best)
        if (auto c = compare.of(stop, *best)) out.push_back(std::move(*c));
    }
  } catch (const InputError &) {
    // a datum that cannot be used is a doubt of its own
  }
  return out;
}

} // namespace ampletie
