#include "results/fits.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "datum/fit/match.h"
#include "results/fit_marks.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

std::optional<Vec3> in_list(const ControlRow &r) {
  if (r.grid) return *r.grid;
  if (r.plan) return Vec3(r.plan->x(), r.plan->y(), r.height.value_or(NAN));
  if (r.height) return Vec3(NAN, NAN, *r.height);
  return {};
}

/// A name without what people write otherwise: case, blanks, hyphens.
std::string plain_name(const std::string &name) {
  std::string out;
  for (char c : lower(name))
    if (c != ' ' && c != '-' && c != '_' && c != '.') out += c;
  return out;
}

/// Names of the list and the marks that they mean: equal ones, else the only one that is written alike.
std::map<std::string, std::string> partners(const std::map<std::string, const ControlRow *> &rows,
                                            const JobState &state, const FitMarks &marks) {
  std::map<std::string, std::string> out;
  std::map<std::string, std::vector<std::string>> alike, rows_alike;
  for (const std::string &m : marks.names()) alike[plain_name(m)].push_back(m);
  for (const auto &[name, row] : rows) rows_alike[plain_name(name)].push_back(name);
  for (const auto &[name, row] : rows) {
    const std::string mark = state.mark_name(name), plain = plain_name(name);
    const auto near = alike.find(plain);
    out[name] = !marks.find(mark) && near != alike.end() && near->second.size() == 1 && rows_alike[plain].size() == 1
                    ? near->second.front()
                    : mark;
  }
  return out;
}

/// Partners by how the marks lie to one another, where no name agrees and nobody has said a pair; whether there are
/// any.
bool pair_by_position(const std::map<std::string, const ControlRow *> &rows,
                      std::map<std::string, std::string> &partner, const FitEdits &e, const FitMarks &marks) {
  if (std::any_of(partner.begin(), partner.end(), [&](const auto &p) { return marks.find(p.second) != nullptr; }))
    return false;
  if (std::any_of(e.pairs.begin(), e.pairs.end(), [](const auto &p) { return p.second.with.value.has_value(); }))
    return false;
  std::vector<std::string> names, own = marks.names();
  std::vector<Eigen::Vector2d> from, to;
  for (const std::string &m : own) from.push_back(marks.at(m, false).head<2>());
  for (const auto &[name, row] : rows) names.push_back(name), to.push_back(in_list(*row)->head<2>());
  const auto match = match_by_position(from, to);
  if (!match) return false;
  for (const auto &[i, k] : match->pairs) partner[names[k]] = own[i];
  return true;
}

/// The pairs of a fit: by what was said of them, else by equal names, else by position.
void find_pairs(JobFit &f, const FitEdits &e, const ControlList &list, const JobState &state, const FitMarks &marks) {
  std::map<std::string, const ControlRow *> rows;
  for (const ControlRow &r : list.rows)
    if (in_list(r)) rows[r.mark] = &r;
  auto partner = partners(rows, state, marks);
  for (const auto &[mark, p] : e.pairs)
    if (p.with.value) {
      std::erase_if(partner, [&, m = mark](const auto &x) { return x.second == m; });
      if (rows.count(*p.with.value)) partner[*p.with.value] = mark;
    }
  f.by_position = pair_by_position(rows, partner, e, marks);
  const double sd = e.sd.value.value_or(default_fit_sd), sd_height = e.sd_height.value.value_or(default_fit_sd);
  for (const auto &[name, row] : rows) {
    const auto mark = partner.find(name);
    const auto said = mark == partner.end() ? e.pairs.end() : e.pairs.find(mark->second);
    const std::string use = said == e.pairs.end() ? "" : said->second.use.value.value_or("");
    if (mark == partner.end() || !marks.find(mark->second) || use == "none") {
      if (use != "none") f.unpaired.push_back({name, row->line, {}, 0});
      continue;
    }
    FitPair p;
    p.name = mark->second;
    p.to = *in_list(*row);
    p.has_plan = std::isfinite(p.to.x()), p.has_height = std::isfinite(p.to.z());
    if (f.physical) p.has_height = p.has_height && marks.position(p.name).height.has_value();
    p.use = use.empty() ? PairUse::both : name_at<PairUse>(pair_uses(), use);
    p.from = marks.at(p.name, f.physical);
    const bool stated = row->sd_enu || row->cov_enu;
    p.to_cov =
        row->cov_enu
            ? *row->cov_enu
            : Mat3(row->sd_enu.value_or(Vec3(sd, sd, row->sd_height.value_or(sd_height))).cwiseAbs2().asDiagonal());
    if (!p.has_plan) p.to.head<2>() = p.from.head<2>();
    if (!p.has_height) p.to.z() = p.from.z();
    f.input.pairs.push_back(p);
    f.lines.push_back({name, row->line, stated});
  }
}

void set_middle(JobFit &f) {
  Vec3 a = Vec3::Zero(), b = Vec3::Zero();
  double n = 0;
  for (const FitPair &p : f.input.pairs)
    if (p.has_plan) a += p.from, b += p.to, ++n;
  if (n == 0) return;
  // Whole metres, so that what is printed can be typed.
  f.model.from = (a / n).array().round(), f.model.to = (b / n).array().round();
  if (!in_space(f.model.plan)) f.model.from.z() = f.model.to.z() = 0;
  f.input.model = site_model(f.model);
}

/// What nobody said follows from what the list has.
void choose_models(JobFit &f, const FitEdits &e) {
  const auto any = [&](int axis) {
    return std::any_of(f.list_rows.begin(), f.list_rows.end(),
                       [&](const auto &r) { return std::isfinite(r.second[axis]); });
  };
  if (in_space(f.model.plan) && (!any(0) || !any(2)))
    throw InputError(f.plan + " needs marks with plan and height, and " + f.source_name + " has only one of them");
  if (!e.plan.value && !any(0)) f.plan = "none", f.model.plan = PlanFit::none;
  if (!e.height.value && !any(2)) f.height = "none", f.model.height = HeightFit::none;
  f.input.model = site_model(f.model);
}

/// What lengths in the grid become on the ground in the middle of the pairs.
double ground_over_grid(const JobFit &f, const FitMarks &marks) {
  double sum = 0, n = 0;
  for (const FitPair &x : f.input.pairs)
    if (x.has_plan) sum += 1 / marks.position(x.name).combined_factor, ++n;
  return n > 0 ? sum / n : 1;
}

void compute(JobFit &f, const FitEdits &e, const JobSnapshot &s, const NetworkRun *run) {
  const ControlList *list = nullptr;
  const FitFile *file = nullptr;
  for (const SourceContent &c : s.contents())
    if (c.source.id == f.source_id) f.source_name = c.source.name, list = c.control.get(), file = c.fit.get();
  if (!list && !file && !e.mark.value)
    throw InputError(
        "the list with its coordinates is not in the job, is left out, or waits for its columns to be said");
  if (!run) throw InputError("the network is not adjusted, or out of date");
  if (run->heights_alone) throw InputError("the job is one of heights alone");
  f.physical = std::any_of(run->positions.begin(), run->positions.end(),
                           [](const auto &p) { return p.second.height.has_value(); });
  if (file) return fit_by_file(f, *file, e, s, *run);
  if (!list) return fit_by_mark(f, e, s, *run);
  FitMarks marks(*run, s.state().settings.datum.geoid_correlation);
  for (const ControlRow &r : list->rows)
    if (const auto at = in_list(r)) f.list_rows.emplace_back(r.mark, *at);
  if (f.list_rows.empty()) throw InputError(f.source_name + " holds no east and north, and no heights");
  choose_models(f, e);
  find_pairs(f, e, *list, s.state(), marks);
  set_middle(f);
  std::vector<std::string> names;
  for (const FitPair &p : f.input.pairs) names.push_back(p.name);
  if (names.empty())
    throw InputError("no mark of " + f.source_name + " has the name of an adjusted mark: say which are the same");
  marks.set_pairs(names);
  const MatrixXd columns = marks.columns(names);
  f.input.from_cov = marks.together(names, columns, f.physical);
  f.result = fit_frame(f.input);
  f.causes = explain_fit(f.input, f.result);
  describe_plan(f);
  f.ground_over_grid = ground_over_grid(f, marks);
  std::vector<Eigen::Vector2d> corners;
  for (const FitPair &p : f.input.pairs)
    if (p.has_plan && (p.use == PairUse::both || p.use == PairUse::plan)) corners.push_back(p.from.head<2>());
  lead_marks(f, *run, marks, columns, names, corners);
}
} // namespace

std::vector<JobFit> job_fits(const JobSnapshot &s, const NetworkRun *run) {
  std::vector<JobFit> out;
  for (const auto &[name, e] : s.state().fits) {
    if (!e.there()) continue;
    JobFit f;
    f.name = name, f.source_id = e.list.value.value_or("");
    f.plan = e.plan.value.value_or("similarity"), f.height = e.height.value.value_or("shift");
    f.model.plan = name_at<PlanFit>(plan_fits(), f.plan), f.model.height = name_at<HeightFit>(height_fits(), f.height);
    f.model.scale = e.scale.value.value_or(1), f.model.rotation = radians(e.rotation_deg.value.value_or(0));
    const bool space = in_space(f.model.plan);
    if (space && !e.height.value) f.height = "with the plan", f.model.height = HeightFit::with_plan;
    try {
      if (space != (f.model.height == HeightFit::with_plan))
        throw InputError(space ? "a fit in space leads heights with the plan: say nothing of its height"
                               : "heights go with the plan only where that is led in space");
      if (e.rotation_deg.value && f.model.plan != PlanFit::shift && f.model.plan != PlanFit::scaled)
        throw InputError("a rotation was said, and a plan by " + f.plan +
                         " finds its own or has none: say a plan by shift or scaled, or no rotation");
      f.input.model = site_model(f.model);
      compute(f, e, s, run);
    } catch (const InputError &x) {
      f.problem = x.reason();
    }
    out.push_back(std::move(f));
  }
  return out;
}

} // namespace ampletie
