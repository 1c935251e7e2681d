#include "job/network_run.h"
#include "base/error.h"
#include "base/hash.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {

std::string network_fingerprint(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  std::string key = "network-1" + register_version();
  const JobSettings &x = s.state.settings;
  key += x.datum.crs + x.datum.vertical + x.datum.realisation + datum_mode_name(x.mode) +
         fmt::format("{:.6f} {:g} {:g} {:g}", x.datum.epoch, x.centring_sd_m, x.height_sd_m, x.worst_transformation_m);
  for (const auto &[mark, h] : s.state.holds) key += mark + hold_name(h.how) + std::to_string(h.decision);
  for (const auto &[mark, p] : s.published)
    key += mark + p.source_id + std::to_string(p.line) + std::to_string(p.decision);
  for (const auto &v : vectors)
    if (v.error.empty() && v.used && v.independent)
      key += v.id + v.fingerprint + v.from + v.to + v.from_set_up + v.to_set_up;
  return sha256_hex(key);
}

NetworkRun run_network(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const Progress &progress) {
  std::vector<const VectorResult *> used;
  for (const VectorResult &v : vectors)
    if (v.error.empty() && v.used && v.independent) used.push_back(&v);
  if (used.empty()) throw InputError("there is nothing to adjust: solve vectors first");
  progress.step(0.05, "opening the datum");
  NetworkRun run;
  run.fingerprint = network_fingerprint(s, vectors);
  const JobSettings &set = s.state.settings;
  const JobDatum datum = job_datum(s);
  const OperationPolicy policy{set.worst_transformation_m, false};
  NetworkInput in;
  in.mode = set.mode;

  std::map<std::string, TaggedPoint> position;
  for (const auto &[name, p] : s.published) {
    // A published mark that nothing was measured to is no part of the network, but it is shown.
    TaggedPoint t = published_in_job(p, datum, policy);
    position[name] = t;
    run.published[name] = datum.describe(t);
  }

  std::map<std::string, FrameChange> changes;
  const Vec3 near = to_cartesian([&] {
    for (const auto &[n, t] : position) return to_geodetic(t.xyz);
    return to_geodetic(s.occupations.front().file->approximate);
  }());
  for (const VectorResult *v : used) {
    const auto change = changes.try_emplace(v->frame.code, v->frame, datum.frame(), near, policy).first;
    const Mat3 r = change->second.linear_part(v->epoch);
    NetworkVector n;
    n.id = v->id, n.from = v->from, n.to = v->to, n.from_set_up = v->from_set_up, n.to_set_up = v->to_set_up,
    n.session = v->session;
    n.d = r * v->solved.d;
    n.cov = r * v->solved.cov * r.transpose();
    n.frame = datum.frame();
    n.epoch = v->epoch;
    in.vectors.push_back(n);
    run.vectors.push_back(v->id);
    run.operation = change->second.info();
  }
  // Places of the other marks by walking along the vectors.
  for (bool moved = true; moved;) {
    moved = false;
    for (const NetworkVector &n : in.vectors) {
      const auto a = position.find(n.from), b = position.find(n.to);
      if (a != position.end() && b == position.end())
        position[n.to] = {a->second.xyz + n.d, datum.frame(), datum.epoch()}, moved = true;
      else if (b != position.end() && a == position.end())
        position[n.from] = {b->second.xyz - n.d, datum.frame(), datum.epoch()}, moved = true;
    }
    if (!moved)
      for (const NetworkVector &n : in.vectors)
        if (!position.count(n.from)) {
          // An island without published marks starts at the receiver's own position; it will be named as without datum.
          for (const Occupation &o : s.occupations)
            if (o.mark == n.from) position[n.from] = {o.file->approximate, datum.frame(), datum.epoch()};
          moved = true;
          break;
        }
  }
  std::set<std::string> touched;
  for (const NetworkVector &n : in.vectors) touched.insert({n.from, n.to});
  for (const std::string &name : touched) {
    NetworkMark m;
    m.name = name;
    m.position = position.at(name);
    const auto h = s.state.holds.find(name);
    if (h != s.state.holds.end()) m.hold = h->second.how;
    const auto p = s.published.find(name);
    if (p != s.published.end() && p->second.sd_enu) m.published_sd = *p->second.sd_enu;
    in.marks.push_back(m);
  }
  for (const Occupation &o : s.occupations) {
    const bool listed =
        std::any_of(in.set_ups.begin(), in.set_ups.end(), [&](const auto &x) { return x.id == o.set_up; });
    if (!listed) in.set_ups.push_back({o.set_up, o.mark, Vec3(set.centring_sd_m, set.centring_sd_m, set.height_sd_m)});
  }
  progress.step(0.2, fmt::format("adjusting {} vectors between {} marks", in.vectors.size(), in.marks.size()));
  run.result = adjust_network(in, progress);
  for (const AdjustedMark &m : run.result.marks) run.positions[m.name] = datum.describe(m.position);
  run.frame = frame_name(datum.frame());
  run.epoch_text = fmt::format("{:.2f}", datum.epoch());
  if (datum.geoid()) {
    run.geoid_name = datum.geoid()->name();
    run.geoid_source = datum.geoid()->source_of_accuracy();
    run.geoid_sd = datum.geoid()->sd_m();
  }
  run.geoid_refusal = datum.geoid_refusal();
  progress.step(1, "network adjusted");
  return run;
}

} // namespace ampletie
