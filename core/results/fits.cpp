#include "results/fits.h"
#include "base/error.h"
#include "base/text.h"
#include "datum/fit/hull.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

template <class T> T name_at(const std::vector<std::string> &all, const std::string &name) {
  return static_cast<T>(std::find(all.begin(), all.end(), name) - all.begin());
}

/// True east and north as the grid's at a place: turned by the convergence, stretched by the scale.
Mat3 to_grid(const GridPoint &g) {
  const double c = std::cos(g.convergence_rad), s = std::sin(g.convergence_rad);
  Mat3 m = Mat3::Identity();
  m.block<2, 2>(0, 0) << g.scale * c, -g.scale * s, g.scale * s, g.scale * c;
  return m;
}

/// Adjusted marks in the job's grid with what their errors share.
class Marks {
public:
  Marks(const NetworkRun &run, double correlation) : run_(run), correlation_(correlation) {
    for (const AdjustedMark &m : run.result.marks) by_name_[m.name] = &m;
  }
  const AdjustedMark *find(const std::string &name) const {
    const auto it = by_name_.find(name);
    return it == by_name_.end() || !it->second->plan_known ? nullptr : it->second;
  }
  std::vector<std::string> names() const {
    std::vector<std::string> out;
    for (const auto &[name, m] : by_name_)
      if (m->plan_known) out.push_back(name);
    return out;
  }
  const FullPosition &position(const std::string &name) const { return run_.positions.at(name); }
  Vec3 at(const std::string &name, bool physical) const {
    const FullPosition &p = position(name);
    return {p.grid.east, p.grid.north, physical ? p.height.value_or(0) : p.geodetic.h};
  }
  void set_pairs(const std::vector<std::string> &names) {
    pairs_ = names;
    among_pairs_ = 0;
    for (const std::string &n : names) among_pairs_ += apart(n) / static_cast<double>(names.size());
  }
  /// Columns of the inverse of the normal equations for the marks of a fit: what everything shares with them.
  MatrixXd columns(const std::vector<std::string> &names) const {
    const AdjustmentResult &a = run_.result.adjustment;
    MatrixXd out = MatrixXd::Zero(a.unknowns, static_cast<Index>(3 * names.size()));
    for (std::size_t i = 0; i < names.size(); ++i)
      for (int k = 0; k < 3; ++k)
        if (const int u = unknown(names[i], k); u >= 0)
          out.col(static_cast<Index>(3 * i) + k) = a.normals->solve(VectorXd::Unit(a.unknowns, u));
    return out;
  }
  /// Covariance of two marks in the grid; `columns` those of `b` alone.
  Mat3 shared(const std::string &a, const std::string &b, const Eigen::Ref<const MatrixXd> &columns,
              bool physical) const {
    Mat3 q = Mat3::Zero();
    for (int k = 0; k < 3; ++k)
      if (const int u = unknown(a, k); u >= 0) q.row(k) = columns.row(u);
    q = to_grid(position(a).grid) * q * to_grid(position(b).grid).transpose();
    if (a == b) {
      // What holds the network has the uncertainty that it was published with.
      const AdjustedMark &m = *by_name_.at(a);
      if (m.hold == Hold::full || m.hold == Hold::plan || m.hold == Hold::height)
        q += to_grid(position(a).grid) * (m.network_cov_enu - m.cov_enu) * to_grid(position(a).grid).transpose();
    }
    if (physical && a == b) q(2, 2) += geoid(a);
    return q;
  }

private:
  int unknown(const std::string &name, int k) const {
    const AdjustmentResult &a = run_.result.adjustment;
    return a.index[static_cast<std::size_t>(run_.result.parameter.at(name) + k)];
  }
  /// What of the geoid's error is a mark's own against the others of the fit, m²: so that two marks of it differ by
  /// 2σ²(1 − ρ) in the mean, ρ = exp(−(d/L)²). What it has in common goes into the shift; were the rest taken with its
  /// correlation, a smooth field would be taken for certain, and the formula that is handed on cannot follow a field.
  double geoid(const std::string &name) const {
    // A mark whose height is a physical one by itself has no part in it.
    if (const auto lift = run_.result.lift.find(name); lift != run_.result.lift.end() && !lift->second.empty())
      return 0;
    const double own = by_name_.at(name)->geoid_correction_sd, sd = own > 0 ? own : run_.geoid_sd.value_or(0);
    if (std::find(pairs_.begin(), pairs_.end(), name) != pairs_.end()) return sd * sd * among_pairs_;
    return sd * sd * std::max(among_pairs_, 2 * apart(name) - among_pairs_);
  }
  /// Mean of 1 − ρ from a mark to the pairs.
  double apart(const std::string &name) const {
    double sum = 0;
    int n = 0;
    for (const std::string &other : pairs_)
      if (other != name) {
        const double d = (position(name).ecef.xyz - position(other).ecef.xyz).norm() / correlation_;
        sum += 1 - std::exp(-d * d), ++n;
      }
    return n ? sum / n : 0;
  }
  const NetworkRun &run_;
  double correlation_;
  std::vector<std::string> pairs_;
  double among_pairs_ = 0; ///< mean of 1 − ρ between them
  std::map<std::string, const AdjustedMark *> by_name_;
};

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
                                            const JobState &state, const Marks &marks) {
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

/// The pairs of a fit: by what was said of them, else by equal names.
void find_pairs(JobFit &f, const FitEdits &e, const ControlList &list, const JobState &state, const Marks &marks) {
  std::map<std::string, const ControlRow *> rows;
  for (const ControlRow &r : list.rows)
    if (in_list(r)) rows[r.mark] = &r;
  auto partner = partners(rows, state, marks);
  for (const auto &[mark, p] : e.pairs)
    if (p.with.value) {
      std::erase_if(partner, [&, m = mark](const auto &x) { return x.second == m; });
      if (rows.count(*p.with.value)) partner[*p.with.value] = mark;
    }
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
  f.model.from.z() = f.model.to.z() = 0;
  f.input.model = site_model(f.model);
}

/// What nobody said follows from what the list has.
void choose_models(JobFit &f, const FitEdits &e) {
  const auto any = [&](int axis) {
    return std::any_of(f.list_rows.begin(), f.list_rows.end(),
                       [&](const auto &r) { return std::isfinite(r.second[axis]); });
  };
  if (!e.plan.value && !any(0)) f.plan = "none", f.model.plan = PlanFit::none;
  if (!e.height.value && !any(2)) f.height = "none", f.model.height = HeightFit::none;
  f.input.model = site_model(f.model);
}

/// Scale and rotation of plans that have them, with their deviations.
void describe(JobFit &f, const Marks &marks) {
  const VectorXd &p = f.result.parameters;
  if (f.model.plan == PlanFit::rigid)
    f.rotation_rad = p[2], f.rotation_sd = std::sqrt(f.result.cov(2, 2)), f.scale = f.model.scale;
  if (f.model.plan == PlanFit::similarity) {
    const double s = std::hypot(p[2], p[3]);
    const Eigen::Vector2d ds(p[2] / s, p[3] / s), dr(-p[3] / (s * s), p[2] / (s * s));
    const Eigen::Matrix2d q = f.result.cov.block<2, 2>(2, 2);
    f.scale = s, f.scale_sd = std::sqrt(ds.dot(q * ds));
    f.rotation_rad = std::atan2(p[3], p[2]), f.rotation_sd = std::sqrt(dr.dot(q * dr));
  }
  double sum = 0, n = 0;
  for (const FitPair &x : f.input.pairs)
    if (x.has_plan) sum += 1 / marks.position(x.name).combined_factor, ++n;
  f.ground_over_grid = n > 0 ? sum / n : 1;
}

void lead_marks(JobFit &f, const NetworkRun &run, const Marks &marks, const MatrixXd &columns,
                const std::vector<std::string> &names) {
  std::vector<Eigen::Vector2d> corners;
  for (const FitPair &p : f.input.pairs)
    if (p.has_plan && (p.use == PairUse::both || p.use == PairUse::plan)) corners.push_back(p.from.head<2>());
  const auto hull = convex_hull(corners);
  for (const Eigen::Vector2d &c : corners) f.reach_m = std::max(f.reach_m, (c - f.model.from.head<2>()).norm());
  // cov(x, θ) of any mark: what it shares with the points of the fit, −Σ Bᵀ P A Qθ.
  const MatrixXd &lead = f.result.lead;
  for (const AdjustedMark &m : run.result.marks) {
    if (!m.plan_known) continue;
    FittedMark out;
    out.name = m.name;
    out.has_height = !f.physical || marks.position(m.name).height.has_value();
    MatrixXd shared(3, static_cast<Index>(3 * names.size()));
    for (std::size_t i = 0; i < names.size(); ++i)
      shared.middleCols(static_cast<Index>(3 * i), 3) =
          marks.shared(m.name, names[i], columns.middleCols(static_cast<Index>(3 * i), 3), f.physical);
    const MatrixXd own_columns = marks.columns({m.name});
    const FittedPoint p = fitted(*f.input.model, f.result, marks.at(m.name, f.physical),
                                 marks.shared(m.name, m.name, own_columns, f.physical), shared * lead);
    out.to = p.to, out.cov = p.cov;
    out.outside_m = f.input.model->has_plan() ? distance_outside(hull, marks.at(m.name, f.physical).head<2>()) : 0;
    out.control = m.hold == Hold::full;
    f.marks.push_back(std::move(out));
  }
  // Names of the list without a mark: what lies there?
  for (UnpairedMark &u : f.unpaired) {
    const auto row =
        std::find_if(f.list_rows.begin(), f.list_rows.end(), [&](const auto &r) { return r.first == u.name; });
    if (row == f.list_rows.end() || !std::isfinite(row->second.x())) continue;
    for (const FittedMark &m : f.marks) {
      const double d = (m.to - row->second).head<2>().norm();
      if (!u.nearest || d < u.distance_m) u.nearest = m.name, u.distance_m = d;
    }
  }
}

void compute(JobFit &f, const FitEdits &e, const JobSnapshot &s, const NetworkRun *run) {
  const ControlList *list = nullptr;
  for (const SourceContent &c : s.contents())
    if (c.source.id == f.source_id) f.source_name = c.source.name, list = c.control.get();
  if (!list) throw InputError("the list with its coordinates is not in the job, or is left out");
  if (!run) throw InputError("the network is not adjusted, or out of date");
  if (run->heights_alone) throw InputError("the job is one of heights alone");
  Marks marks(*run, s.state().settings.datum.geoid_correlation);
  f.physical = std::any_of(run->positions.begin(), run->positions.end(),
                           [](const auto &p) { return p.second.height.has_value(); });
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
  const Index n = static_cast<Index>(3 * names.size());
  f.input.from_cov.resize(n, n);
  for (std::size_t i = 0; i < names.size(); ++i)
    for (std::size_t k = 0; k < names.size(); ++k)
      f.input.from_cov.block<3, 3>(static_cast<Index>(3 * i), static_cast<Index>(3 * k)) =
          marks.shared(names[i], names[k], columns.middleCols(static_cast<Index>(3 * k), 3), f.physical);
  f.input.from_cov = (f.input.from_cov + f.input.from_cov.transpose().eval()) / 2;
  f.result = fit_frame(f.input);
  f.causes = explain_fit(f.input, f.result);
  describe(f, marks);
  lead_marks(f, *run, marks, columns, names);
}
} // namespace

std::vector<JobFit> job_fits(const JobSnapshot &s, const NetworkRun *run) {
  std::vector<JobFit> out;
  for (const auto &[name, e] : s.state().fits) {
    if (!e.list.value) continue;
    JobFit f;
    f.name = name, f.source_id = *e.list.value;
    f.plan = e.plan.value.value_or("similarity"), f.height = e.height.value.value_or("shift");
    f.model.plan = name_at<PlanFit>(plan_fits(), f.plan), f.model.height = name_at<HeightFit>(height_fits(), f.height);
    f.model.scale = e.scale.value.value_or(1);
    f.input.model = site_model(f.model);
    try {
      compute(f, e, s, run);
    } catch (const InputError &x) {
      f.problem = x.reason();
    }
    out.push_back(std::move(f));
  }
  return out;
}

} // namespace ampletie
