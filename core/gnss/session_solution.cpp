#include "gnss/session_solution.h"
#include "base/error.h"
#include "gnss/filter.h"
#include <Eigen/Dense>

namespace ampletie {

SessionSolution solve_session(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &options, const Progress &progress) {
  using Eigen::Index;
  if (legs.empty()) throw InputError("a session needs a base and at least one rover");
  SessionSolution out;
  const StaticOptions &o = options;
  std::vector<DifferencedSession> data;
  std::vector<FilterLeg> filter_legs;
  data.reserve(legs.size());
  std::size_t epochs = 0;
  for (const SessionLeg &l : legs) {
    data.push_back(
        difference(l.base ? *l.base : base, *l.rover, l.options ? *l.options : o, l.left_out, l.solved->breaks));
    epochs = std::max(epochs, data.back().epochs.size());
  }
  const auto n = legs.size();
  // The work grows with the cube of the number of receivers: longer windows keep it near that of three of them.
  if (n > 2 && epochs > 60) {
    const double interval = data.front().interval;
    out.window_s = std::min(n > 4 ? 180.0 : 120.0, interval * std::floor(static_cast<double>(epochs) / 20));
    if (out.window_s > interval)
      for (DifferencedSession &s : data) s = normal_points(s, out.window_s);
    else
      out.window_s = 0;
  }
  for (std::size_t k = 0; k < n; ++k)
    filter_legs.push_back({&data[k], legs[k].rover->marker - base.marker, legs[k].rover->height - base.height,
                           !base.receiver.empty() && base.receiver == legs[k].rover->receiver, legs[k].solved->noise});
  SessionFilter filter(filter_legs, o);
  filter.run(progress);
  auto e = filter.estimate();
  out.model_fit = filter.fit();
  // Hold what was accepted, leg by leg.
  for (std::size_t k = 0; k < n; ++k) {
    progress.check();
    const AcceptedIntegers &a = legs[k].solved->integers;
    const Index rows = a.values.size(), m = a.coefficients.cols();
    if (rows == 0) continue;
    if (m != static_cast<Index>(data[k].arcs.size()))
      throw InputError("the arcs of a session and of its vectors differ: solve the vectors again");
    const Eigen::MatrixXd g = a.coefficients.cast<double>();
    const Eigen::MatrixXd pg = e.p.middleCols(e.first_of_leg[k], m) * g.transpose();
    Eigen::MatrixXd s = g * pg.middleRows(e.first_of_leg[k], m);
    s.diagonal().array() += 1e-12;
    const Eigen::LDLT<Eigen::MatrixXd> ldlt(s);
    e.x -= pg * ldlt.solve(g * e.x.segment(e.first_of_leg[k], m) - a.values.cast<double>());
    e.p -= pg * ldlt.solve(pg.transpose());
  }
  const auto size = static_cast<Index>(3 * n);
  out.cov = e.p.topLeftCorner(size, size);
  out.cov = ((out.cov + out.cov.transpose()) / 2).eval();
  std::vector<Mat3> extra;
  for (std::size_t k = 0; k < n; ++k) {
    out.d.push_back(filter_legs[k].start + e.x.segment<3>(static_cast<Index>(3 * k)));
    extra.push_back(type_b(base, *legs[k].rover, orbits, o, legs[k].solved->satellites));
  }
  // Half of what a session cannot show belongs to the base.
  for (std::size_t k = 0; k < n; ++k)
    for (std::size_t l = 0; l < n; ++l)
      out.cov.block<3, 3>(static_cast<Index>(3 * k), static_cast<Index>(3 * l)) +=
          k == l ? extra[k] : Mat3(0.25 * (extra[k] + extra[l]));
  return out;
}

} // namespace ampletie
