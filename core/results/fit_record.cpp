#include "results/fit_record.h"
#include "base/angle.h"
#include "base/error.h"
#include "datum/fit/fit_export.h"
#include "results/control_record.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::ordered_json;

ordered_json three(const Vec3 &v) {
  auto out = ordered_json::array();
  for (double x : v) out.push_back(std::isfinite(x) ? ordered_json(x) : ordered_json(nullptr));
  return out;
}
template <class T> ordered_json known(const std::optional<T> &v) {
  return v ? ordered_json(*v) : ordered_json(nullptr);
}

ordered_json verdict(const std::optional<PairVerdict::Predicted> &p, double checked) {
  if (!p) return nullptr;
  auto difference = ordered_json::array(), sd = ordered_json::array();
  for (Eigen::Index i = 0; i < p->difference.size(); ++i) {
    difference.push_back(p->difference[i]);
    sd.push_back(std::sqrt(p->cov(i, i)));
  }
  return {{"counts", p->counts}, {"difference_m", difference}, {"sd_m", sd},        {"statistic", p->statistic},
          {"limit", p->limit},   {"passes", p->passes},        {"checked", checked}};
}

ordered_json pair_of(const JobFit &f, std::size_t i) {
  const FitPair &p = f.input.pairs[i];
  const PairVerdict &v = f.result.pairs[i];
  return {{"mark", p.name},
          {"in_list", f.lines[i].in_list},
          {"line", f.lines[i].line},
          {"use", pair_uses()[static_cast<std::size_t>(p.use)]},
          {"from", three(p.from)},
          {"to", three(p.has_height ? (p.has_plan ? p.to : Vec3(NAN, NAN, p.to.z())) : Vec3(p.to.x(), p.to.y(), NAN))},
          {"sd_stated", f.lines[i].stated_sd},
          {"to_cov", six_of(p.to_cov)},
          {"residual_m", three(v.residual)},
          {"plan", verdict(v.plan, v.checked_plan)},
          {"height", verdict(v.height, v.checked_height)},
          {"moves_m", v.moves}};
}

ordered_json coefficients_of(const JobFit &f) {
  const FitCoefficients c = coefficients(f.model, f.result.parameters);
  return {{"E0", c.e0},   {"EE", c.ee},   {"EN", c.en}, {"N0", c.n0}, {"NE", c.ne},
          {"NN", c.nn},   {"H0", c.h0},   {"HE", c.he}, {"HN", c.hn}, {"HEE", c.hee},
          {"HEN", c.hen}, {"HNN", c.hnn}, {"EH", c.eh}, {"NH", c.nh}, {"HH", c.hh}};
}

/// The plan as an open operation; empty where it stays as it is, or depends on heights.
std::string wkt_of(const JobFit &f, const DatumSettings &datum) {
  if (f.model.plan == PlanFit::none || in_space(f.model.plan) || datum.crs.empty()) return {};
  const Mat3 in_middle =
      fitted(*site_model(f.model), f.result, f.model.from, Mat3::Zero(), Eigen::MatrixXd::Zero(3, f.result.cov.cols()))
          .cov;
  return fit_as_wkt(
      f.model, f.result.parameters,
      {f.name, system_wkt(datum.crs), Projection(datum.crs), std::sqrt(in_middle.topLeftCorner<2, 2>().trace() / 2)});
}
} // namespace

ordered_json to_json(const JobFit &f, const DatumSettings &datum, const std::set<std::string> *only) {
  ordered_json out{{"name", f.name}, {"list", f.source_name}, {"list_sha256", f.source_id},
                   {"plan", f.plan}, {"height", f.height},    {"problem", f.problem}};
  if (!f.problem.empty()) return out;
  out["crs"] = datum.crs, out["vertical"] = f.physical ? datum.vertical : "", out["epoch"] = datum.epoch;
  out["chi_squared"] = f.result.chi_squared, out["lower"] = f.result.lower, out["upper"] = f.result.upper;
  out["given"] = f.given, out["by_position"] = f.by_position;
  out["redundancy"] = f.result.redundancy, out["passes"] = agrees(f.result);
  out["scale"] = known(f.scale), out["scale_sd"] = known(f.scale_sd);
  out["rotation_rad"] = known(f.rotation_rad), out["rotation_sd_rad"] = known(f.rotation_sd);
  out["ground_over_grid"] = f.ground_over_grid;
  auto parameters = ordered_json::array(), cov = ordered_json::array();
  for (Eigen::Index i = 0; i < f.result.parameters.size(); ++i) {
    parameters.push_back({{"name", f.result.names[static_cast<std::size_t>(i)]},
                          {"value", f.result.parameters[i]},
                          {"sd", std::sqrt(f.result.cov(i, i))}});
    auto row = ordered_json::array();
    for (Eigen::Index k = 0; k <= i; ++k) row.push_back(f.result.cov(i, k));
    cov.push_back(row);
  }
  out["fixed_rotation_rad"] = f.model.rotation;
  out["from_middle"] = three(f.model.from), out["to_middle"] = three(f.model.to);
  out["parameters"] = parameters, out["covariance"] = cov;
  out["coefficients"] = coefficients_of(f);
  out["proj"] = known(fit_as_proj(f.model, f.result.parameters));
  out["wkt"] = wkt_of(f, datum);
  out["pairs"] = out["causes"] = out["unpaired"] = out["marks"] = ordered_json::array();
  for (std::size_t i = 0; i < f.input.pairs.size(); ++i) out["pairs"].push_back(pair_of(f, i));
  for (const FitCause &c : f.causes) out["causes"].push_back({{"sentence", c.sentence}, {"clears", c.clears}});
  for (const UnpairedMark &u : f.unpaired)
    out["unpaired"].push_back(
        {{"name", u.name}, {"line", u.line}, {"nearest", known(u.nearest)}, {"distance_m", u.distance_m}});
  for (const FittedMark &m : f.marks)
    if (!only || only->count(m.name))
      out["marks"].push_back({{"name", m.name},
                              {"east_m", m.to.x()},
                              {"north_m", m.to.y()},
                              {"height_m", m.has_height ? ordered_json(m.to.z()) : ordered_json(nullptr)},
                              {"cov_m2", six_of(m.cov)},
                              {"outside_m", m.outside_m}});
  return out;
}

ordered_json pair_rows(const JobFit &f) {
  auto out = ordered_json::array();
  for (std::size_t i = 0; i < f.input.pairs.size() && f.problem.empty(); ++i) {
    const FitPair &p = f.input.pairs[i];
    const PairVerdict &v = f.result.pairs[i];
    ordered_json row{{"fit", f.name},
                     {"mark", p.name},
                     {"in_list", f.lines[i].in_list},
                     {"use", pair_uses()[static_cast<std::size_t>(p.use)]}};
    const auto add = [&](const char *name, const std::optional<PairVerdict::Predicted> &x, Eigen::Index k) {
      row[name] = x ? ordered_json(x->difference[k]) : ordered_json(nullptr);
    };
    add("de_m", v.plan, 0), add("dn_m", v.plan, 1), add("dh_m", v.height, 0);
    row["plan_statistic"] = v.plan ? ordered_json(v.plan->statistic) : ordered_json(nullptr);
    row["height_statistic"] = v.height ? ordered_json(v.height->statistic) : ordered_json(nullptr);
    row["passes"] = (!v.plan || v.plan->passes) && (!v.height || v.height->passes);
    row["checked_plan"] = v.checked_plan, row["checked_height"] = v.checked_height;
    out.push_back(std::move(row));
  }
  return out;
}

std::string fit_words(const JobFit &f) {
  if (!f.problem.empty()) return f.problem;
  const bool space = in_space(f.model.plan);
  std::string out =
      (space ? "plan and height " : "plan ") + (f.plan == "none" ? std::string("as it is") : "by " + f.plan);
  if (f.scale) {
    out += fmt::format(", scale {:.7f}", *f.scale);
    if (f.scale_sd) out += fmt::format(" ± {:.7f}", *f.scale_sd);
  }
  if (f.rotation_rad)
    out += fmt::format(", turned by {}{}", format_dms(degrees(*f.rotation_rad), 1),
                       f.rotation_sd ? fmt::format(" ± {:.1f}″", *f.rotation_sd / rad_per_arcsec) : " as said");
  if (!space) out += "; height " + (f.height == "none" ? std::string("as it is") : "by " + f.height);
  if (!f.given.empty()) return out + "; " + f.given;
  out += f.result.redundancy == 0 ? "; nothing checks it"
                                  : fmt::format("; χ² {:.1f}, limit {:.1f}, {} checks", f.result.chi_squared,
                                                f.result.upper, f.result.redundancy);
  if (f.by_position) out += "; pairs by position, for no name agrees";
  return out;
}

} // namespace ampletie
