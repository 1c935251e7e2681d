// Statistics of static vectors over many seeds of a scenario: fix rate, wrong integers, error against printed accuracy.
// Usage: vector_statistics SCENARIO.json FIRST_SEED COUNT [no-troposphere|no-antenna|white|no-ionosphere] [precise]
#include "base/text.h"
#include "support/sky_truth.h"
#include <Eigen/Dense>
#include <cstdio>
#include <cstring>

using namespace ampletie;

int main(int argc, char **argv) {
  if (argc < 4) return 2;
  sky::Scenario scenario = sky::read_scenario(read_file(argv[1]));
  testing::Experiment e;
  for (int i = 4; i < argc; ++i) {
    if (!std::strcmp(argv[i], "no-troposphere")) e.solve.relative_troposphere = false;
    if (!std::strcmp(argv[i], "no-antenna")) e.antenna_calibration = false;
    if (!std::strcmp(argv[i], "white")) e.solve.correlated_noise = false;
    if (!std::strcmp(argv[i], "no-ionosphere")) e.solve.ionosphere = false;
    if (!std::strcmp(argv[i], "no-tides")) e.model.tides = false;
    if (!std::strcmp(argv[i], "precise")) e.precise = true;
  }
  int vectors = 0, fixed = 0, partly = 0, wrong = 0, within = 0, judged = 0;
  double nse = 0, nse_up = 0, fit = 0, up2 = 0, plan2 = 0, worst_up = 0, worst_plan = 0, sd_up = 0, rms = 0,
         min_ratio = 1e9;
  int in50 = 0, in95 = 0, in99 = 0;
  const auto first = static_cast<std::uint64_t>(std::atoll(argv[2]));
  for (int k = 0; k < std::atoi(argv[3]); ++k) {
    scenario.seed = first + static_cast<std::uint64_t>(k);
    const auto j = testing::judge(scenario);
    for (const auto &o : testing::solve_all(j, scenario, e)) {
      ++vectors;
      fixed += o.vector.solution == Solution::fixed;
      partly += o.vector.solution == Solution::partly_fixed;
      wrong += o.wrong > 0;
      if (o.wrong)
        std::printf("WRONG seed %llu %s %s-%s wrong %d ratio %.1f\n", static_cast<unsigned long long>(scenario.seed),
                    o.session.c_str(), o.base.c_str(), o.rover.c_str(), o.wrong, o.vector.ratio);
      const double q = o.error_enu.dot(o.cov_enu.inverse() * o.error_enu);
      nse += q / 3;
      nse_up += o.error_enu.z() * o.error_enu.z() / o.cov_enu(2, 2);
      in50 += q < 2.366, in95 += q < 7.815, in99 += q < 11.345;
      fit += o.vector.model_fit;
      rms += o.vector.rms_m;
      min_ratio = std::min(min_ratio, o.vector.ratio);
      if (o.length < 12500) {
        ++judged;
        const double plan = o.error_enu.head<2>().norm(), up = std::abs(o.error_enu.z());
        within += plan < 0.006 && up < 0.012;
        plan2 += plan * plan, up2 += up * up, sd_up += std::sqrt(o.cov_enu(2, 2));
        worst_up = std::max(worst_up, up), worst_plan = std::max(worst_plan, plan);
      }
    }
  }
  const double n = vectors, m = judged;
  std::printf("vectors %d fixed %.2f%% partly %.2f%% wrong %d minratio %.1f fit %.3f rms %.2f mm\n", vectors,
              100 * fixed / n, 100 * partly / n, wrong, min_ratio, fit / n, 1000 * rms / n);
  std::printf("nse %.3f (up %.3f) coverage 50: %.1f 95: %.1f 99: %.1f\n", nse / n, nse_up / n, 100 * in50 / n,
              100 * in95 / n, 100 * in99 / n);
  std::printf("up to 12.5 km: %d, inside 6/12 mm %.1f%%, rms plan %.1f up %.1f mm, printed up %.1f, worst %.1f %.1f\n",
              judged, 100 * within / m, 1000 * std::sqrt(plan2 / m), 1000 * std::sqrt(up2 / m), 1000 * sd_up / m,
              1000 * worst_plan, 1000 * worst_up);
}
