#include "network/screening.h"
#include "network/problem.h"
#include <Eigen/Dense>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// A block of the network with other observations.
class Corrected : public Block {
public:
  explicit Corrected(const Block &of) : of_(of) { static_cast<Block &>(*this) = of; }
  void evaluate(const VectorXd &p, VectorXd &computed, MatrixXd &jacobian) const override {
    of_.evaluate(p, computed, jacobian);
  }

private:
  const Block &of_;
};

/// Sizes are as good as unseen where less than this of their weight is left over against the network.
constexpr double unseen = 1e-7;

std::optional<Screening::Verdict> solved(const MatrixXd &g, const VectorXd &pull, const VectorXd &weight) {
  // In units in which every size has the weight one, were there no unknowns.
  const VectorXd scale = weight.cwiseSqrt().cwiseInverse();
  if (!scale.allFinite()) return {};
  const MatrixXd scaled = scale.asDiagonal() * g * scale.asDiagonal();
  const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(scaled);
  if (eigen.eigenvalues()[0] < unseen) return {};
  const MatrixXd inverse =
      eigen.eigenvectors() * eigen.eigenvalues().cwiseInverse().asDiagonal() * eigen.eigenvectors().transpose();
  Screening::Verdict v;
  v.covariance = scale.asDiagonal() * inverse * scale.asDiagonal();
  v.size = v.covariance * pull;
  v.statistic = pull.dot(v.size);
  return v;
}
} // namespace

struct Screening::Data {
  AdjustedBlocks of;
  struct Prepared {
    MatrixXd jacobian; ///< all parameters of the block
    VectorXd pull;     ///< −P v
    Eigen::LLT<MatrixXd> covariance;
  };
  std::vector<Prepared> prepared;
  std::map<int, std::vector<std::size_t>> touched; ///< blocks, by parameter
  std::vector<std::size_t> none;

  MatrixXd weighted(std::size_t block, const MatrixXd &b) const { return prepared[block].covariance.solve(b); }
};

Screening::Screening(AdjustedBlocks of) : data_(new Data{std::move(of), {}, {}, {}}) {
  for (std::size_t n = 0; n < data_->of.blocks.size(); ++n) {
    const Block &b = *data_->of.blocks[n];
    Data::Prepared p;
    VectorXd computed;
    evaluate_at(b, *data_->of.result, computed, p.jacobian);
    p.covariance.compute(b.covariance);
    p.pull = p.covariance.solve(b.observed - computed);
    data_->prepared.push_back(std::move(p));
    for (const int u : b.unknowns) data_->touched[u].push_back(n);
  }
}
Screening::~Screening() = default;

Pattern Screening::observations(std::size_t block, const std::vector<Index> &rows) const {
  MatrixXd b = MatrixXd::Zero(data_->prepared[block].pull.size(), static_cast<Index>(rows.size()));
  for (std::size_t k = 0; k < rows.size(); ++k) b(rows[k], static_cast<Index>(k)) = 1;
  return {{{block, std::move(b)}}};
}

Pattern Screening::beside(const Pattern &a, const Pattern &b) {
  const Index qa = a.blocks.front().second.cols(), qb = b.blocks.front().second.cols();
  std::map<std::size_t, MatrixXd> all;
  const auto put = [&](const Pattern &p, Index column) {
    for (const auto &[n, m] : p.blocks)
      all.try_emplace(n, MatrixXd::Zero(m.rows(), qa + qb)).first->second.middleCols(column, m.cols()) = m;
  };
  put(a, 0), put(b, qa);
  return {{all.begin(), all.end()}};
}

const std::vector<std::size_t> &Screening::blocks_of(int parameter) const {
  const auto it = data_->touched.find(parameter);
  return it == data_->touched.end() ? data_->none : it->second;
}

Pattern Screening::along(const std::vector<int> &parameters, double sign) const {
  std::map<std::size_t, MatrixXd> all;
  for (std::size_t k = 0; k < parameters.size(); ++k)
    for (const std::size_t n : blocks_of(parameters[k])) {
      const std::vector<int> &own = data_->of.blocks[n]->unknowns;
      const MatrixXd &j = data_->prepared[n].jacobian;
      MatrixXd &b = all.try_emplace(n, MatrixXd::Zero(j.rows(), static_cast<Index>(parameters.size()))).first->second;
      for (std::size_t i = 0; i < own.size(); ++i)
        if (own[i] == parameters[k]) b.col(static_cast<Index>(k)) += sign * j.col(static_cast<Index>(i));
    }
  return {{all.begin(), all.end()}};
}

Screening::Weighed Screening::weigh(Pattern p) const {
  const AdjustmentResult &a = *data_->of.result;
  const Index q = p.blocks.empty() ? 0 : p.blocks.front().second.cols();
  Weighed w{std::move(p), VectorXd::Zero(q), MatrixXd::Zero(q, q), MatrixXd(a.unknowns, q),
            MatrixXd::Zero(a.unknowns, q)};
  for (const auto &[n, b] : w.pattern.blocks) {
    const Data::Prepared &own = data_->prepared[n];
    const MatrixXd weighted = data_->weighted(n, b);
    w.pull += b.transpose() * own.pull;
    w.own += b.transpose() * weighted;
    const std::vector<int> &unknowns = data_->of.blocks[n]->unknowns;
    for (std::size_t i = 0; i < unknowns.size(); ++i)
      if (const int u = a.index[static_cast<std::size_t>(unknowns[i])]; u >= 0)
        w.shares.row(u) += own.jacobian.col(static_cast<Index>(i)).transpose() * weighted;
  }
  for (Index k = 0; k < q; ++k) w.follows.col(k) = a.normals->solve(w.shares.col(k));
  w.own -= w.shares.transpose() * w.follows;
  return w;
}

std::optional<Screening::Verdict> Screening::verdict(const Weighed &w) const {
  if (!w.pull.size()) return {};
  return solved(w.own, w.pull, (w.own + w.shares.transpose() * w.follows).diagonal());
}

std::optional<Screening::Verdict> Screening::verdict(const Weighed &a, const Weighed &b) const {
  const Index qa = a.pull.size(), qb = b.pull.size();
  if (!qa || !qb) return {};
  MatrixXd across = -a.shares.transpose() * b.follows;
  for (const auto &[n, pa] : a.pattern.blocks)
    for (const auto &[m, pb] : b.pattern.blocks)
      if (n == m) across += pa.transpose() * data_->weighted(n, pb);
  MatrixXd g(qa + qb, qa + qb);
  g << a.own, across, across.transpose(), b.own;
  VectorXd pull(qa + qb), weight(qa + qb);
  pull << a.pull, b.pull;
  weight << (a.own + a.shares.transpose() * a.follows).diagonal(),
      (b.own + b.shares.transpose() * b.follows).diagonal();
  return solved(g, pull, weight);
}

AdjustedBlocks CorrectedNetwork::view() const {
  AdjustedBlocks out{{}, &result};
  for (const auto &b : blocks) out.blocks.push_back(b.get());
  return out;
}

CorrectedNetwork adjust_without(const AdjustedBlocks &of, const Pattern &p, const VectorXd &size,
                                const AdjustmentOptions &o) {
  Problem problem;
  const AdjustmentResult &a = *of.result;
  for (std::size_t i = 0; i < a.values.size(); ++i) problem.parameters.push_back({"", a.values[i], a.index[i] < 0});
  for (const Block *b : of.blocks) problem.blocks.push_back(std::make_unique<Corrected>(*b));
  for (const auto &[n, b] : p.blocks) problem.blocks[n]->observed -= b * size;
  CorrectedNetwork out{{}, adjust(problem, o, {})};
  out.blocks = std::move(problem.blocks);
  return out;
}

} // namespace ampletie
