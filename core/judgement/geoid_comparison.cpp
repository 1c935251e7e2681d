#include "judgement/geoid_comparison.h"
#include "base/error.h"
#include "base/size_words.h"
#include <Eigen/Dense>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// The mean, a plane where there are marks enough, and what is left of it.
void describe(GeoidComparison &c) {
  std::vector<GeoidsAt *> both;
  for (GeoidsAt &m : c.marks)
    if (m.used && m.other) both.push_back(&m);
  if (both.empty()) {
    c.problem = "no mark lies in both";
    return;
  }
  double e = 0, n = 0;
  for (const GeoidsAt *m : both)
    e += m->east / static_cast<double>(both.size()), n += m->north / static_cast<double>(both.size());
  const bool plane = both.size() >= 4;
  Eigen::MatrixXd a(static_cast<Eigen::Index>(both.size()), plane ? 3 : 1);
  Eigen::VectorXd d(a.rows());
  for (Eigen::Index i = 0; i < a.rows(); ++i) {
    const GeoidsAt &m = *both[static_cast<std::size_t>(i)];
    d[i] = *m.other - *m.used;
    a(i, 0) = 1;
    if (plane) a(i, 1) = m.east - e, a(i, 2) = m.north - n;
  }
  // Marks on a line show no tilt across it: the smallest one is taken.
  const Eigen::VectorXd x = a.completeOrthogonalDecomposition().solve(d), left = d - a * x;
  c.mean = x[0];
  if (plane) c.tilt_east = x[1], c.tilt_north = x[2];
  const auto degrees_left = static_cast<double>(a.rows() - a.cols());
  c.spread = degrees_left > 0 ? std::sqrt(left.squaredNorm() / degrees_left) : 0;
  for (std::size_t i = 0; i < both.size(); ++i) both[i]->left = left[static_cast<Eigen::Index>(i)];
}

} // namespace

std::string GeoidComparison::words() const {
  if (!problem.empty()) return problem;
  std::string out = fmt::format("{} {} in the middle", length_words(std::abs(mean), 0), mean < 0 ? "lower" : "higher");
  if (const double t = std::hypot(tilt_east, tilt_north); t > 1e-8)
    out += fmt::format(", rising by {:.1f} mm/km to the {}", 1e6 * t, side_words(tilt_east, tilt_north));
  if (spread > 0) out += fmt::format(", ± {} from that", length_words(spread, 0));
  return out;
}

std::vector<GeoidComparison> compare_geoids(const JobSnapshot &s, const NetworkRun &run) {
  std::vector<GeoidComparison> out;
  const DatumSettings &set = s.state().settings.datum;
  const JobDatum datum = job_datum(s);
  const GeoidModel *used = datum.geoid();
  const auto compare = [&](const std::string &name, const std::string &source,
                           const std::function<GeoidModel()> &open) {
    GeoidComparison c;
    c.used = used ? used->choice().grid ? used->choice().file : used->name() : "", c.other = name, c.source = source;
    if (!used)
      c.problem = "the job's heights go through no geoid";
    else
      try {
        const GeoidModel other = open();
        const auto at = [](const GeoidModel &g, const Geodetic &place) -> std::optional<double> {
          try {
            return g.undulation(place);
          } catch (const InputError &) {
            return {};
          }
        };
        for (const AdjustedMark &m : run.result.marks) {
          if (!m.plan_known) continue;
          const FullPosition &p = run.positions.at(m.name);
          c.marks.push_back({m.name, p.grid.east, p.grid.north, at(*used, p.geodetic), at(other, p.geodetic), 0});
        }
        describe(c);
      } catch (const InputError &e) {
        c.problem = e.reason();
      }
    out.push_back(std::move(c));
  };
  if (used && used->choice().grid)
    compare("the register's", "", [&] { return GeoidModel(set.vertical, to_geodetic(job_place(s, datum))); });
  for (const SourceContent &c : s.contents()) {
    if (!c.geoid || c.source.id == s.geoid_choice().accuracy_source || (used && used->choice().source == c.source.id))
      continue;
    const auto how = s.state().interpolations.find(c.source.id);
    GeoidChoice choice;
    choice.grid = c.geoid, choice.source = c.source.id, choice.file = c.source.name;
    if (how != s.state().interpolations.end()) choice.interpolation = how->second.value;
    compare(c.source.name, c.source.id, [&] { return GeoidModel(set.vertical, choice); });
  }
  return out;
}

} // namespace ampletie
