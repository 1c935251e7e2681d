// The same networks as a general least-squares library solves them: Ceres, sparse normal equations by SuiteSparse, one
// thread, from the same start. It finds the solution alone; the adjustment finds all covariances, tests and
// reliability.
#include "network_shapes.h"
#include <Eigen/Dense>
#include <benchmark/benchmark.h>
#include <ceres/ceres.h>
#include <map>

using namespace ampletie;
using namespace ampletie::bench;

namespace {
/// Ceres keeps derivatives row by row.
Eigen::Map<Eigen::Matrix<double, 3, 3, Eigen::RowMajor>> rows(double *at) {
  return Eigen::Map<Eigen::Matrix<double, 3, 3, Eigen::RowMajor>>(at);
}
/// Vector between two marks over two set-ups.
class Between : public ceres::SizedCostFunction<3, 3, 3, 3, 3> {
public:
  Between(const Vec3 &d, const Mat3 &root) : d_(d), root_(root) {}
  bool Evaluate(double const *const *p, double *residuals, double **jacobians) const override {
    using V = Eigen::Map<const Vec3>;
    Eigen::Map<Vec3> out(residuals);
    out = root_ * (V(p[2]) + V(p[3]) - V(p[0]) - V(p[1]) - d_);
    for (int k = 0; jacobians && k < 4; ++k)
      if (jacobians[k]) rows(jacobians[k]) = k < 2 ? Mat3(-root_) : root_;
    return true;
  }

private:
  Vec3 d_;
  Mat3 root_;
};
/// Of a set-up, whose errors are known to be small.
class Prior : public ceres::SizedCostFunction<3, 3> {
public:
  explicit Prior(const Vec3 &sd) : sd_(sd) {}
  bool Evaluate(double const *const *p, double *residuals, double **jacobians) const override {
    for (int i = 0; i < 3; ++i) residuals[i] = p[0][i] / sd_[i];
    if (jacobians && jacobians[0]) rows(jacobians[0]) = Mat3(sd_.cwiseInverse().asDiagonal());
    return true;
  }

private:
  Vec3 sd_;
};

void solve_generally(benchmark::State &state) {
  const NetworkInput in = network(static_cast<int>(state.range(0)), static_cast<Shape>(state.range(1)));
  for (auto _ : state) {
    std::map<std::string, Vec3> marks, setups;
    for (const auto &m : in.marks) marks[m.name] = m.position.xyz - in.marks.front().position.xyz;
    for (const auto &s : in.setups) setups[s.id] = Vec3::Zero();
    ceres::Problem problem;
    for (const auto &v : in.vectors) {
      const Mat3 root = v.cov.llt().matrixL().solve(Mat3::Identity());
      problem.AddResidualBlock(new Between(v.d, root), nullptr, marks[v.from].data(), setups[v.from_setup].data(),
                               marks[v.to].data(), setups[v.to_setup].data());
    }
    for (const auto &s : in.setups) problem.AddResidualBlock(new Prior(s.sd_enu), nullptr, setups[s.id].data());
    problem.SetParameterBlockConstant(marks[in.marks.front().name].data());
    ceres::Solver::Options o;
    o.linear_solver_type = ceres::SPARSE_NORMAL_CHOLESKY;
    o.num_threads = 1;
    o.logging_type = ceres::SILENT;
    ceres::Solver::Summary summary;
    ceres::Solve(o, &problem, &summary);
    benchmark::DoNotOptimize(summary.final_cost);
  }
}
} // namespace

BENCHMARK(solve_generally)->ArgsProduct({{100, 1000, 10000}, {mesh, star, sessions}})->Unit(benchmark::kMillisecond);
