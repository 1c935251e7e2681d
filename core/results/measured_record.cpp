#include "results/measured_record.h"
#include "base/error.h"
#include "results/job_results.h"
#include <cmath>

namespace ampletie {
namespace {
using nlohmann::ordered_json;

const AdjustedMark *mark_of(const NetworkRun &run, const std::string &name) {
  for (const AdjustedMark &m : run.result.marks)
    if (m.name == name && m.plan_known) return &m;
  return nullptr;
}

template <class T> ordered_json known(const std::optional<T> &v) {
  return v ? ordered_json(*v) : ordered_json(nullptr);
}
} // namespace

const char *measured_status(MeasuredVector::Status s) {
  static constexpr const char *names[] = {"fixed", "float", "code", ""};
  return names[static_cast<std::size_t>(s)];
}

std::optional<MeasuredDifference> difference_to(const MeasuredVector &v, const JobSnapshot &s, const NetworkRun *run) {
  if (!run || run->heights_alone || !v.problem.empty()) return {};
  const AdjustedMark *from = mark_of(*run, v.from), *to = mark_of(*run, v.to);
  if (!from || !to) return {};
  try {
    const Frame &frame = to->position.frame;
    const Mat3 r = frame_change(v.frame, frame, to->position.xyz, {s.state().settings.worst_transformation_m, false})
                       .linear_part(v.epoch, to->position.xyz);
    const Mat3 axes = local_axes(to_geodetic(to->position.xyz));
    MeasuredDifference out;
    out.enu = axes * (to->position.xyz - from->position.xyz - r * v.d);
    const JobSettings &set = s.state().settings;
    // Its own set-ups at both ends, as the network weighs them.
    const Mat3 setups =
        2 * Vec3(std::pow(set.centring_sd_m, 2), std::pow(set.centring_sd_m, 2), std::pow(set.height_sd_m, 2))
                .asDiagonal()
                .toDenseMatrix();
    out.cov = axes * r * v.cov * r.transpose() * axes.transpose() + from->cov_enu + to->cov_enu + setups;
    return out;
  } catch (const InputError &) {
    return {};
  }
}

ordered_json measured_rows(const JobSnapshot &s, const NetworkRun *run) {
  auto out = ordered_json::array();
  for (const MeasuredVector &v : s.get(measured_result())) {
    const auto d = difference_to(v, s, run);
    const auto enu = [&](int i) { return d ? ordered_json(d->enu[i]) : ordered_json(nullptr); };
    out.push_back({{"id", v.id},
                   {"kind", v.fix ? "fix" : "vector"},
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
