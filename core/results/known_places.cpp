#include "results/known_places.h"
#include "base/error.h"
#include "results/network_run.h"
#include "traverse/plane.h"
#include <cmath>

namespace ampletie {

KnownPlaces known_places(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  KnownPlaces out;
  std::optional<JobDatum> datum;
  try {
    datum.emplace(job_datum(s));
  } catch (const InputError &) {
    return out;
  }
  const OperationPolicy policy = operation_policy(s.state().settings);
  const auto put = [&](const std::string &mark, const TaggedPoint &p, const Mat3 &cov, double height_sd, bool held) {
    KnownPlace k;
    k.position = datum->describe(p);
    k.cov_enu = cov, k.height_sd = height_sd, k.held = held;
    const auto h = s.state().holds.find(mark);
    k.check = h != s.state().holds.end() && h->second.how == Hold::check;
    out[mark] = k;
  };
  // Between marks of one site a geoid's error is alike; this is on the safe side.
  const double geoid_sd = datum->geoid() ? datum->geoid()->sd_m().value_or(0) : 0;
  for (const auto &[mark, h] : s.state().holds) {
    const auto p = s.published().find(mark);
    if (p == s.published().end() || (h.how != Hold::full && h.how != Hold::plan && h.how != Hold::weighted)) continue;
    try {
      const Vec3 sd = p->second.sd_enu.value_or(Vec3::Zero());
      put(mark, published_in_job(p->second, *datum, policy), sd.cwiseAbs2().asDiagonal(),
          p->second.grid ? p->second.sd_height.value_or(sd.z()) : std::hypot(sd.z(), geoid_sd), true);
    } catch (const InputError &) {
      // A coordinate that cannot be brought into the job's frame is a doubt of its own.
    }
  }
  try {
    const NetworkParts parts = network_parts(s, vectors, *datum, NetworkScope::levels);
    if (parts.input.vectors.empty()) return out;
    const NetworkResult r = adjust_network(parts.input, {});
    for (const AdjustedMark &m : r.marks)
      if (m.plan_known) {
        const auto k = out.find(m.name);
        if (k != out.end() && k->second.held) continue;
        put(m.name, m.position, m.network_cov_enu,
            m.height_sd > 0 ? m.height_sd : std::hypot(std::sqrt(m.network_cov_enu(2, 2)), geoid_sd), false);
        if (auto &p = out[m.name].position; p.height) *p.height -= m.geoid_correction;
      }
  } catch (const std::logic_error &) {
    throw; // a mistake in the program
  } catch (const std::exception &) {
    // Without a datum there are the held marks alone.
  }
  return out;
}

std::map<std::string, StartBearing> start_bearings(const JobSnapshot &s, const KnownPlaces &known,
                                                   const JobSetups &field) {
  std::map<std::string, StartBearing> out;
  for (const auto &[setup, e] : s.state().routes) {
    if (!e.start_toward.value) continue;
    const ReducedSetup *r = field.find(setup);
    const auto there = s.published().find(*e.start_toward.value); // of a check nothing is used, not even its bearing
    if (!r || there == s.published().end()) continue;
    const auto here = known.find(r->setup.mark);
    if (here == known.end()) continue;
    try {
      const JobDatum datum = job_datum(s);
      const FullPosition to =
          datum.describe(published_in_job(there->second, datum, operation_policy(s.state().settings)));
      const GridPoint &a = here->second.position.grid, &b = to.grid;
      const double d = std::hypot(b.east - a.east, b.north - a.north);
      if (d < 1) continue;
      const Vec3 sd = there->second.sd_enu.value_or(Vec3::Zero());
      const double variance = (sd.head<2>().squaredNorm() + here->second.cov_enu.topLeftCorner<2, 2>().trace()) / 2;
      out[setup] = {there->first, bearing({a.east, a.north}, {b.east, b.north}), std::sqrt(variance) / d};
    } catch (const InputError &) {
      // what leads nowhere has a doubt of its own
    }
  }
  return out;
}

} // namespace ampletie
