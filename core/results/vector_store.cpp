#include "base/angle.h"
#include "results/residual_store.h"
#include "results/vectors.h"
#include <algorithm>

namespace ampletie {
namespace {

nlohmann::json vec_json(const Vec3 &v) { return {v.x(), v.y(), v.z()}; }
Vec3 json_vec(const nlohmann::json &j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

} // namespace

StoredResult to_stored(const VectorResult &v) {
  nlohmann::json j{{"from_occupation", v.from_occupation},
                   {"to_occupation", v.to_occupation},
                   {"from", v.from},
                   {"to", v.to},
                   {"from_set_up", v.from_setup},
                   {"to_set_up", v.to_setup},
                   {"session", v.session},
                   {"orbits", v.orbits},
                   {"frame", v.frame.code},
                   {"epoch", v.epoch},
                   {"error", v.error}};
  const StaticVector &q = *v.solved;
  j["d"] = vec_json(q.d), j["d_float"] = vec_json(q.d_float);
  j["cov"] = {q.cov(0, 0), q.cov(0, 1), q.cov(0, 2), q.cov(1, 1), q.cov(1, 2), q.cov(2, 2)};
  j["solution"] = static_cast<int>(q.solution);
  j["numbers"] = {q.ratio, q.success_rate, q.rms_m, q.model_fit, q.zenith_difference_m};
  j["counts"] = {q.epochs, q.satellites, q.rejected, q.slips};
  j["span"] = {q.first.ns, q.last.ns};
  j["notes"] = q.notes;
  j["form"] = 3;
  j["interval"] = q.interval_s;
  j["noise"] = {q.noise_ratio,         q.slow_share,           q.noise.phase_multipath,
                q.noise.diffuse_share, q.noise.ionosphere_ppm, q.ionosphere_ratio};
  for (Eigen::Index r = 0; r < q.integers.values.size(); ++r) {
    nlohmann::json row{q.integers.values[r]};
    for (Eigen::Index c = 0; c < q.integers.coefficients.cols(); ++c) row.push_back(q.integers.coefficients(r, c));
    j["integers"].push_back(std::move(row));
  }
  for (const ForcedBreak &b : q.breaks) j["breaks"].push_back({b.sat.name(), b.band, b.time.ns});
  if (const JointShare &t = v.joint; t.count > 0) {
    nlohmann::json cov;
    for (Eigen::Index r = 0; r < 3; ++r)
      for (Eigen::Index c = 0; c < t.cov.cols(); ++c) cov.push_back(t.cov(r, c));
    j["joint"] = {{"id", t.id},         {"key", t.key},          {"index", t.index},     {"count", t.count},
                  {"d", vec_json(t.d)}, {"cov", std::move(cov)}, {"window", t.window_s}, {"fit", t.model_fit}};
  }
  if (!v.joint.failed.empty()) j["joint_failed"] = {{"key", v.joint.key}, {"why", v.joint.failed}};
  for (const CarrierArc &a : q.arcs)
    j["arcs"].push_back({a.sat.name(), a.band, a.signal, a.first.ns, a.last.ns, a.epochs, a.reference});
  for (const FixingStep &f : q.story) j["story"].push_back({f.tried, f.accepted, f.ratio, f.success, f.sd_mm});
  j["samples"] = nlohmann::json::binary(packed_residuals(q.residuals, q.first));
  auto bytes = nlohmann::json::to_cbor(j);
  return {"vector", v.id, v.fingerprint, std::move(j), std::move(bytes)};
}

namespace {
StaticVector solution_of(const nlohmann::json &j) {
  StaticVector q;
  q.d = json_vec(j.at("d")), q.d_float = json_vec(j.at("d_float"));
  const auto &c = j.at("cov");
  q.cov << c[0].get<double>(), c[1].get<double>(), c[2].get<double>(), c[1].get<double>(), c[3].get<double>(),
      c[4].get<double>(), c[2].get<double>(), c[4].get<double>(), c[5].get<double>();
  q.solution = static_cast<Solution>(j.at("solution").get<int>());
  const auto &n = j.at("numbers");
  q.ratio = n[0], q.success_rate = n[1], q.rms_m = n[2], q.model_fit = n[3], q.zenith_difference_m = n[4];
  const auto &k = j.at("counts");
  q.epochs = k[0], q.satellites = k[1], q.rejected = k[2], q.slips = k[3];
  q.first.ns = j.at("span")[0], q.last.ns = j.at("span")[1];
  q.notes = j.at("notes").get<std::vector<std::string>>();
  // Results of an older form keep their numbers; their fingerprint makes them stale anyway.
  if (j.value("form", 1) < 2) return q;
  q.interval_s = j.at("interval");
  if (const auto x = j.find("noise"); x != j.end()) {
    q.noise_ratio = (*x)[0], q.slow_share = (*x)[1], q.noise.phase_multipath = (*x)[2], q.noise.diffuse_share = (*x)[3];
    if (x->size() > 5) q.noise.ionosphere_ppm = (*x)[4], q.ionosphere_ratio = (*x)[5];
  }
  if (const auto x = j.find("integers"); x != j.end()) {
    const auto rows = static_cast<Eigen::Index>(x->size()), columns = static_cast<Eigen::Index>((*x)[0].size()) - 1;
    q.integers.values.resize(rows);
    q.integers.coefficients.resize(rows, columns);
    for (Eigen::Index i = 0; i < rows; ++i) {
      const auto &row = (*x)[static_cast<std::size_t>(i)];
      q.integers.values[i] = row.at(0);
      for (Eigen::Index m = 0; m < columns; ++m)
        q.integers.coefficients(i, m) = row.at(static_cast<std::size_t>(m + 1)).get<std::int64_t>();
    }
  }
  for (const auto &b : j.value("breaks", nlohmann::json::array())) {
    ForcedBreak f{*parse_sat(b[0].get<std::string>()), b[1].get<int>(), {}};
    f.time.ns = b[2].get<std::int64_t>();
    q.breaks.push_back(f);
  }
  for (const auto &a : j.value("arcs", nlohmann::json::array())) {
    CarrierArc arc;
    arc.sat = *parse_sat(a[0].get<std::string>());
    arc.band = a[1].get<int>();
    arc.signal = a[2].get<std::string>();
    arc.first.ns = a[3].get<std::int64_t>(), arc.last.ns = a[4].get<std::int64_t>();
    arc.epochs = a[5].get<int>();
    arc.reference = a[6].get<bool>();
    q.arcs.push_back(std::move(arc));
  }
  for (const auto &f : j.value("story", nlohmann::json::array()))
    q.story.push_back({f[0].get<int>(), f[1].get<int>(), f[2].get<double>(), f[3].get<double>(), f[4].get<double>()});
  if (const auto x = j.find("samples"); x != j.end()) q.residuals = unpacked_residuals(x->get_binary(), q.first);
  if (const auto list = j.find("residuals"); list != j.end()) // of form 2
    for (const auto &s : *list) {
      ResidualSample sample;
      sample.time.ns = q.first.ns + s[0].get<std::int64_t>() * 1000000;
      sample.sat = *parse_sat(s[1].get<std::string>());
      sample.elevation = static_cast<float>(radians(s[2].get<double>() / 10));
      sample.azimuth = static_cast<float>(radians(s[3].get<double>() / 10));
      for (std::size_t b = 0; b < band_count; ++b)
        if (!s[4 + b].is_null()) sample.residual[b] = s[4 + b].get<float>() * 1e-4F;
      q.residuals.push_back(sample);
    }
  return q;
}

JointShare joint_of(const nlohmann::json &x) {
  JointShare t;
  t.id = x.at("id"), t.key = x.at("key"), t.index = x.at("index"), t.count = x.at("count");
  t.d = json_vec(x.at("d")), t.window_s = x.at("window"), t.model_fit = x.at("fit");
  t.cov.resize(3, 3 * t.count);
  std::size_t at = 0;
  for (Eigen::Index i = 0; i < 3; ++i)
    for (Eigen::Index m = 0; m < t.cov.cols(); ++m) t.cov(i, m) = x.at("cov").at(at++);
  return t;
}
} // namespace

VectorResult from_stored(const StoredResult &r) {
  const auto &j = r.data;
  VectorResult v;
  v.id = r.id, v.fingerprint = r.fingerprint;
  v.from_occupation = j.at("from_occupation"), v.to_occupation = j.at("to_occupation"), v.from = j.at("from"),
  v.to = j.at("to");
  v.from_setup = j.at("from_set_up"), v.to_setup = j.at("to_set_up"), v.session = j.at("session"),
  v.orbits = j.at("orbits");
  v.frame.code = j.at("frame"), v.epoch = j.at("epoch"), v.error = j.at("error");
  v.solved = solution_of(j);
  if (const auto x = j.find("joint_failed"); x != j.end()) {
    v.joint.key = x->at("key").get<std::string>();
    v.joint.failed = x->at("why").get<std::string>();
  }
  if (const auto x = j.find("joint"); x != j.end() && j.value("form", 1) >= 2) v.joint = joint_of(*x);
  return v;
}

} // namespace ampletie
