#include "results/planned_session.h"
#include "base/error.h"
#include "gnss/static/session_solution.h"
#include <Eigen/Dense>
#include <algorithm>

namespace ampletie {

PlannedSolution planned_solution(const PlannedSky &sky, const std::vector<Vec3> &places, GpsTime start, double minutes,
                                 double mask_deg, const StaticOptions &options) {
  PlannedSolution out;
  try {
    StaticOptions o = options;
    o.learn_noise = false; // there is nothing to learn from
    std::vector<OccupationModel> models;
    const double interval = minutes < 30 ? 5 : std::min(30.0, options.interval_s);
    for (const Vec3 &p : places) models.push_back(planned_occupation(sky, p, start, minutes, interval, mask_deg));
    std::vector<StaticVector> vectors;
    for (std::size_t i = 1; i < models.size(); ++i) {
      vectors.push_back(solve_static(models[0], models[i], sky, o, {}, {}));
      const StaticVector &v = vectors.back();
      out.success = std::min(out.success, v.success_rate);
      out.fixed = out.fixed && v.solution == Solution::fixed;
      out.satellites = i == 1 ? v.satellites : std::min(out.satellites, v.satellites);
    }
    if (vectors.size() == 1) {
      out.cov = vectors[0].cov;
      return out;
    }
    std::vector<SessionLeg> legs;
    for (std::size_t i = 0; i < vectors.size(); ++i) legs.push_back({&models[i + 1], &vectors[i]});
    out.cov = solve_session(models[0], legs, sky, o, {}).cov;
  } catch (const InputError &e) {
    out.problem = e.reason();
  }
  return out;
}

} // namespace ampletie
