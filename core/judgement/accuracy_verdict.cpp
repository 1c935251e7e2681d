#include "judgement/accuracy_verdict.h"
#include "adjustment/statistics.h"
#include "results/control_record.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
std::string mm(double metres) { return fmt::format("{:.1f} mm", metres * 1000); }

void explain(AccuracyVerdict &v, const JobSettings &set, const AdjustedMark &m) {
  const double centring = factor95(2) * set.centring_sd_m, height = factor95(1) * set.height_sd_m;
  if (v.plan_fails && !v.asked.local && m.local_plan95 <= v.asked.plan)
    v.causes.push_back("between neighbouring marks it is " + mm(m.local_plan95) +
                       ": the rest is the published uncertainty of what is held");
  if (v.height_fails && v.physical && m.network_up95 <= v.asked.height)
    v.causes.push_back("the ellipsoidal height is good to " + mm(m.network_up95) +
                       ": the rest is the geoid's; levels from a benchmark would settle it");
  else if (v.height_fails && !v.asked.local && m.local_up95 <= v.asked.height)
    v.causes.push_back("between neighbouring marks it is " + mm(m.local_up95) +
                       ": the rest is the published uncertainty of what is held");
  if (m.setups == 1 && v.plan_fails && centring > 0.7 * v.plan95)
    v.causes.push_back("one set-up, whose centring alone is " + mm(centring) + ": a second one would help");
  if (m.setups == 1 && v.height_fails && height > 0.7 * v.height95)
    v.causes.push_back("one set-up, whose antenna height alone is " + mm(height) + ": a second one would help");
}
} // namespace

AccuracyVerdict accuracy_verdict(const JobState &state, const NetworkRun &run, const AdjustedMark &m) {
  AccuracyVerdict v;
  const FullPosition &p = run.positions.at(m.name);
  const AskedAccuracy asked = state.asked_of(m.name);
  v.asked.local = asked.local;
  v.plan95 = asked.local ? m.local_plan95 : m.network_plan95;
  v.physical = !asked.local && p.height.has_value();
  v.height95 = asked.local ? m.local_up95 : m.network_up95;
  if (v.physical) {
    const auto sd = physical_height_sd(run, m);
    v.height95 = sd ? factor95(1, run.result.scale_degrees) * *sd : NAN;
  }
  if (m.hold == Hold::full) return v;
  if (m.plan_known && m.hold != Hold::plan) v.asked.plan = asked.plan;
  if (m.hold != Hold::height) v.asked.height = asked.height;
  v.plan_fails = v.asked.plan > 0 && v.plan95 > v.asked.plan;
  v.height_fails = v.asked.height > 0 && v.height95 > v.asked.height;
  v.height_undetermined = v.asked.height > 0 && std::isnan(v.height95);
  explain(v, state.settings, m);
  return v;
}

std::string shortfall(const AccuracyVerdict &v) {
  std::string out;
  if (v.plan_fails) out = fmt::format("plan {}, {:g} mm asked", mm(v.plan95), v.asked.plan * 1000);
  if (v.height_fails)
    out += fmt::format("{}{} {}, {:g} mm asked", out.empty() ? "" : "; ", v.physical ? "height" : "ellipsoidal height",
                       mm(v.height95), v.asked.height * 1000);
  if (v.height_undetermined)
    out += fmt::format("{}height undetermined, {:g} mm asked: nobody states how good the geoid's grid is",
                       out.empty() ? "" : "; ", v.asked.height * 1000);
  return out;
}

} // namespace ampletie
