#include "results/network_run.h"
#include "base/error.h"
#include "base/hash.h"
#include "results/measured.h"
#include "results/network_assembly.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {

std::string network_fingerprint(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  std::string key = "network-3" + register_version();
  if (const DatumSettings &d = s.state().settings.datum; d.geoid_sd > 0)
    key += fmt::format("geoid {:g} {:g}", d.geoid_sd, d.geoid_correlation);
  if (const GeoidChoice &g = s.geoid_choice(); !g.source.empty())
    key += fmt::format("grid {} {} {}", g.source, interpolation_name(g.interpolation), g.problem);
  if (const GeoidChoice &g = s.geoid_choice(); !g.accuracy_source.empty()) key += "accuracy " + g.accuracy_source;
  if (const ShiftChoice &g = s.shift_choice(); !g.source.empty())
    key += fmt::format("shifts {} {}", g.source, g.problem);
  if (const double worst = s.state().settings.datum.worst_older_datum_m; worst != DatumSettings{}.worst_older_datum_m)
    key += fmt::format("older {:g}", worst);
  if (const GroundMotion &m = s.state().settings.datum.motion; !m.plate.empty() || m.sd_m_yr != GroundMotion{}.sd_m_yr)
    key += fmt::format("plate {} {:g}", m.plate, m.sd_m_yr);
  const JobSettings &x = s.state().settings;
  key += x.datum.crs + x.datum.vertical + x.datum.realisation + datum_mode_name(x.mode) +
         fmt::format("{:.6f} {:g} {:g} {:g}", x.datum.epoch, x.centring_sd_m, x.height_sd_m, x.worst_transformation_m);
  std::set<std::string> antennas;
  for (const Occupation &o : s.occupations())
    if (o.used) antennas.insert(calibration_name(o));
  if (antennas.size() > 1 && x.calibration_sd_m > 0) {
    key += fmt::format("calibrations {:g}", x.calibration_sd_m);
    for (const Occupation &o : s.occupations())
      if (o.used) key += o.setup + calibration_name(o);
  }
  for (const auto &[group, e] : s.state().groups)
    for (const auto &[name, field] :
         {std::pair{"factor", &e.factor}, {"rotation", &e.rotation_ppm}, {"scale", &e.scale_ppm}})
      if (field->value) key += fmt::format("group {} {} {:g}", group, name, *field->value);
  for (const auto &[mark, h] : s.state().holds) key += mark + hold_name(h.how) + std::to_string(h.decision);
  for (const auto &[mark, p] : s.published())
    key += mark + p.source_id + std::to_string(p.line) + std::to_string(p.decision) + p.said;
  for (const auto &v : vectors)
    if (v.error.empty() && v.used && v.independent)
      key += v.id + v.fingerprint + v.from + v.to + v.from_setup + v.to_setup + (v.together ? v.joint.key : "");
  if (!s.get(measured_result()).empty()) key += s.key_of(measured_result());
  for (const LevelSection &l : s.levels().sections) key += l.id + fmt::format("{:.6f} {:.6f}", l.difference, l.sd);
  for (const auto &[mark, b] : s.benchmarks())
    key += mark + fmt::format("{:.5f} {:.5f}", *b.height, b.sd_height.value_or(0));
  const TraverseSettings &t = x.traverse;
  if (!s.traverses().key.empty())
    key += s.traverses().key + fmt::format("{:g} {:g} {:g}", t.deflection_sd_s, t.edm_scale_sd_ppm, t.edm_constant_sd);
  return sha256_hex(key);
}

namespace {
bool any_measured(const JobSnapshot &s) {
  const auto &all = s.get(measured_result());
  return std::any_of(all.begin(), all.end(), [](const MeasuredVector &v) { return v.in_network(); });
}

/// Whether the network has to do with levels alone.
bool heights_alone(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  return s.levels().any() && !any_measured(s) &&
         std::none_of(vectors.begin(), vectors.end(),
                      [](const VectorResult &v) { return v.error.empty() && v.used && v.independent; }) &&
         std::none_of(s.traverses().field.setups.begin(), s.traverses().field.setups.end(),
                      [&](const auto &x) { return s.traverses().in_network(*x); });
}

NetworkRun run_heights(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const Progress &progress) {
  NetworkRun run;
  run.fingerprint = network_fingerprint(s, vectors);
  const NetworkParts parts = height_parts(s);
  if (parts.input.levels.empty())
    throw InputError("there is nothing to adjust: no line is used, or none can be reduced");
  run.levels = parts.levels;
  run.heights_alone = true;
  run.result = adjust_network(parts.input, progress);
  for (AdjustedMark &m : run.result.marks) {
    m.height_sd = std::sqrt(m.network_cov_enu(2, 2));
    run.positions[m.name].height = to_geodetic(m.position.xyz).h;
  }
  run.epoch_text = fmt::format("{:.2f}", s.state().settings.datum.epoch);
  run.geoid_name = s.state().settings.datum.vertical.empty() ? "" : system_name(s.state().settings.datum.vertical);
  return run;
}
} // namespace

namespace {
/// A physical height cannot hold anything in space where nobody states how good the surface is that it counts from: the
/// height that was walked along the vectors would be held in its place.
void refuse_heights_without_geoid(const JobSnapshot &s, const JobDatum &datum, const NetworkInput &in) {
  if (in.geoid || datum.local()) return;
  for (const NetworkMark &m : in.marks) {
    if (m.hold != Hold::height || !s.benchmarks().count(m.name)) continue;
    const GeoidModel *geoid = datum.geoid();
    throw InputError(fmt::format(
        "{} is held in its physical height, and {}", m.name,
        geoid
            ? fmt::format("nobody states how good the grid of {} is: say its standard deviation (settings geoid_sd and "
                          "geoid_correlation), or release the mark",
                          geoid->name())
        : s.state().settings.datum.vertical.empty()
            ? std::string("the job has no vertical system: say one (setting vertical), or release the mark")
            : "the grid of its vertical system cannot be used: " + datum.geoid_refusal()));
  }
}
} // namespace

NetworkInput network_input(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  if (heights_alone(s, vectors)) return height_parts(s).input;
  return network_parts(s, vectors, job_datum(s)).input;
}

LoopReport job_loops(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  const NetworkParts parts = network_parts(s, vectors, job_datum(s), NetworkScope::vectors);
  const LoopLimits limits{s.state().settings.loop_mm, s.state().settings.loop_ppm, parts.input.options.alpha_single};
  LoopReport out;
  out.loops = find_loops(parts.input, parts.dependent, limits);
  out.causes = explain_loops(parts.input, out.loops, limits);
  return out;
}

void describe_run(NetworkRun &run, const JobSnapshot &s, const JobDatum &datum) {
  for (AdjustedMark &m : run.result.marks) {
    FullPosition &p = run.positions[m.name] = datum.describe(m.position);
    if (datum.local()) m.height_sd = std::sqrt(m.network_cov_enu(2, 2));
    // The geoid's undulation with what levels and vectors say about its error here.
    if (p.height) {
      *p.height -= m.geoid_correction;
      *p.undulation += m.geoid_correction;
    }
  }
  run.frame = frame_name(datum.frame());
  run.epoch_text = fmt::format("{:.2f}", datum.epoch());
  if (datum.geoid()) {
    run.geoid_name = datum.geoid()->name();
    run.geoid_grid = datum.geoid()->grid_words();
    run.geoid_source = datum.geoid()->source_of_accuracy();
    run.geoid_sd = datum.geoid()->sd_m();
  }
  run.geoid_refusal = datum.geoid_refusal();
  if (const DatumStep *step = datum.projection().step()) {
    run.older_datum = datum.projection().datum(), run.older_datum_way = step->words();
    for (const auto &[mark, p] : run.positions) {
      run.older_datum_accuracy = step->accuracy_m(p.geodetic);
      break;
    }
  }
  if (datum.local()) {
    const std::string &vertical = s.state().settings.datum.vertical;
    run.geoid_name = vertical.empty() ? "the site's own heights" : system_name(vertical);
  }
}

NetworkRun run_network(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const Progress &progress) {
  if (heights_alone(s, vectors)) return run_heights(s, vectors, progress);
  if (!any_measured(s) &&
      std::none_of(vectors.begin(), vectors.end(),
                   [](const VectorResult &v) { return v.error.empty() && v.used && v.independent; }) &&
      std::none_of(s.traverses().field.setups.begin(), s.traverses().field.setups.end(),
                   [&](const auto &x) { return s.traverses().in_network(*x); })) {
    const Contents &all = s.contents();
    const auto &others = s.get(measured_result());
    if (std::any_of(all.begin(), all.end(), [](const SourceContent &c) { return c.measured != nullptr; }) ||
        std::any_of(others.begin(), others.end(), [](const MeasuredVector &v) { return !v.stop; })) {
      job_datum(s); // where the datum is what hinders, it says why
      throw InputError(
          "there is nothing to adjust: none of the vectors and fixes of others can be used, or they are left "
          "out or checks; the doubts say why");
    }
    throw InputError(s.occupations().empty()
                         ? "there is nothing to adjust: take observations, level books or field books"
                         : "there is nothing to adjust: solve vectors first");
  }
  progress.step(0.05, "opening the datum");
  NetworkRun run;
  run.fingerprint = network_fingerprint(s, vectors);
  const JobSettings &set = s.state().settings;
  const JobDatum datum = job_datum(s);
  for (const auto &[name, p] : s.published())
    run.published[name] = datum.describe(published_in_job(p, datum, operation_policy(set)));
  const NetworkParts parts = network_parts(s, vectors, datum);
  const NetworkInput &in = parts.input;
  refuse_heights_without_geoid(s, datum, in);
  run.vectors = parts.vectors;
  run.operation = parts.operation;
  run.levels = parts.levels;
  run.stations = parts.stations;
  run.measured = parts.measured;
  for (const NetworkVector &v : in.vectors)
    for (const auto *m : {&v.from, &v.to})
      if (std::find(run.positioned.begin(), run.positioned.end(), *m) == run.positioned.end())
        run.positioned.push_back(*m);
  progress.step(
      0.2,
      fmt::format("adjusting {} vectors, {} levelled differences and {} set-ups of total stations between {} marks",
                  in.vectors.size(), in.levels.size(), in.stations.size(), in.marks.size()));
  run.result = adjust_network(in, progress);
  describe_run(run, s, datum);
  progress.step(1, "network adjusted");
  return run;
}

} // namespace ampletie
