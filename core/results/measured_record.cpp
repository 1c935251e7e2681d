#include "results/measured_record.h"
#include "base/error.h"
#include "results/between.h"
#include "results/job_results.h"
#include <Eigen/Dense>
#include <cmath>

namespace ampletie {
namespace {
using nlohmann::ordered_json;

template <class T> ordered_json known(const std::optional<T> &v) {
  return v ? ordered_json(*v) : ordered_json(nullptr);
}
} // namespace

const char *measured_status(MeasuredVector::Status s) {
  static constexpr const char *names[] = {"fixed", "float", "code", ""};
  return names[static_cast<std::size_t>(s)];
}

MeasuredDifferences::MeasuredDifferences(const JobSnapshot &s, const NetworkRun *run)
    : s_(s), run_(run && !run->heights_alone ? run : nullptr) {
  if (!run_) return;
  for (const AdjustedMark &m : run_->result.marks)
    if (m.plan_known) marks_[m.name] = &m;
}

const Eigen::MatrixXd &MeasuredDifferences::columns_of(const AdjustedMark &m) {
  const auto [it, fresh] = columns_.try_emplace(m.name);
  if (!fresh) return it->second;
  it->second = SharedPlace(*run_, m.name).columns(run_->result.adjustment);
  return it->second;
}

std::optional<MeasuredDifference> MeasuredDifferences::to(const MeasuredVector &v) {
  const auto from = marks_.find(v.from), to = marks_.find(v.to);
  if (!v.problem.empty() || from == marks_.end() || to == marks_.end()) return {};
  const AdjustedMark &base = *from->second, &mark = *to->second;
  try {
    const Vec3 &x = mark.position.xyz;
    const Mat3 r =
        frame_change(v.frame, mark.position.frame, x, operation_policy(s_.state().settings)).linear_part(v.epoch, x);
    const Mat3 axes = local_axes(to_geodetic(x));
    MeasuredDifference out;
    out.enu = axes * (x - base.position.xyz - r * v.d);
    const JobSettings &set = s_.state().settings;
    const double centring = std::pow(set.centring_sd_m, 2), height = std::pow(set.height_sd_m, 2);
    const Mat3 setups = Vec3(2 * centring, 2 * centring, 2 * height).asDiagonal();
    const Mat3 to_mark = axes * local_axes(to_geodetic(base.position.xyz)).transpose();
    out.cov = axes * r * v.cov * r.transpose() * axes.transpose() + setups +
              to_mark * difference_covariance(base, mark, SharedPlace(*run_, mark.name), columns_of(base)) *
                  to_mark.transpose();
    return out;
  } catch (const InputError &) {
    return {};
  }
}

ordered_json measured_rows(const JobSnapshot &s, const NetworkRun *run) {
  auto out = ordered_json::array();
  MeasuredDifferences differences(s, run);
  for (const MeasuredVector &v : s.get(measured_result())) {
    const auto d = differences.to(v);
    const auto enu = [&](int i) { return d ? ordered_json(d->enu[i]) : ordered_json(nullptr); };
    out.push_back({{"id", v.id},
                   {"kind", v.kind()},
                   {"from", v.from},
                   {"to", v.to},
                   {"source", v.source_name},
                   {"line", v.line},
                   {"time", v.time},
                   {"dx", v.d.x()},
                   {"dy", v.d.y()},
                   {"dz", v.d.z()},
                   {"length_m", v.length()},
                   {"frame", v.frame.known() ? frame_name(v.frame) : ""},
                   {"epoch", v.epoch},
                   {"status", measured_status(v.status)},
                   {"epochs", known(v.epochs)},
                   {"satellites", known(v.satellites)},
                   {"duration_s", known(v.duration_s)},
                   {"weight", v.weight_words},
                   {"by_default", v.by_default},
                   {"base", v.base_words},
                   {"check", v.check},
                   {"used", v.in_network()},
                   {"because", !v.problem.empty() ? v.problem : v.left_out_because},
                   {"de_m", enu(0)},
                   {"dn_m", enu(1)},
                   {"du_m", enu(2)},
                   {"sd_e_m", d ? ordered_json(std::sqrt(d->cov(0, 0))) : ordered_json(nullptr)},
                   {"sd_n_m", d ? ordered_json(std::sqrt(d->cov(1, 1))) : ordered_json(nullptr)},
                   {"sd_u_m", d ? ordered_json(std::sqrt(d->cov(2, 2))) : ordered_json(nullptr)}});
  }
  return out;
}

} // namespace ampletie
