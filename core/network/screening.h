#pragma once
#include "network/network.h"

namespace ampletie {

/// What a mistake adds to observations, per unit of each of its sizes: rows of the block, a column for each size.
struct Pattern {
  std::vector<std::pair<std::size_t, Eigen::MatrixXd>> blocks; ///< index of the block; each block once
};

/// An adjusted network: its blocks with the result, and where its marks stand among the parameters.
struct AdjustedBlocks {
  std::vector<const Block *> blocks;
  const AdjustmentResult *result = nullptr;
};

/// The same blocks with observations that mistakes were taken off, adjusted anew.
struct CorrectedNetwork {
  std::vector<std::unique_ptr<Block>> blocks;
  AdjustmentResult result;
  AdjustedBlocks view() const;
};
/// A real adjustment, begun at what `of` found. `of` must outlive what comes back.
CorrectedNetwork adjust_without(const AdjustedBlocks &of, const Pattern &p, const Eigen::VectorXd &size,
                                const AdjustmentOptions &o);

/// Mistakes weighed against an adjusted network without adjusting again. With B the pattern, P the weights and v the
/// residuals (adjusted − observed), g = −Bᵀ P v has the expectation G s and the covariance G = Bᵀ P Q_vv P B for a
/// mistake of size s: the size that explains most is G⁻¹ g, and gᵀ G⁻¹ g is what it takes away from vᵀ P v, χ² with as
/// many degrees as sizes where there is no mistake (Baarda 1968; Teunissen, Testing theory 2000, chapter 4).
class Screening {
public:
  explicit Screening(AdjustedBlocks of);
  ~Screening();

  /// The pattern of some observations of a block, counted within it, each with a size of its own.
  Pattern observations(std::size_t block, const std::vector<Eigen::Index> &rows) const;
  /// The patterns of two mistakes side by side.
  static Pattern beside(const Pattern &a, const Pattern &b);
  /// How the computed observations follow some parameters (east, north, up of a mark), with a sign. Of held ones this
  /// is what wrong coordinates do: the observations differ by −A s from what they would be computed as.
  Pattern along(const std::vector<int> &parameters, double sign) const;
  const std::vector<std::size_t> &blocks_of(int parameter) const;

  struct Weighed {
    Pattern pattern;
    Eigen::VectorXd pull;    ///< g
    Eigen::MatrixXd own;     ///< G
    Eigen::MatrixXd follows; ///< N⁻¹ Aᵀ P B: what else it needs for being weighed with another
    Eigen::MatrixXd shares;  ///< Aᵀ P B
  };
  Weighed weigh(Pattern p) const;

  struct Verdict {
    Eigen::VectorXd size;
    Eigen::MatrixXd covariance; ///< of the sizes
    double statistic = 0;
  };
  /// Nothing where the network cannot see such a mistake.
  std::optional<Verdict> verdict(const Weighed &w) const;
  /// Of two at once: the sizes of the first, then of the second.
  std::optional<Verdict> verdict(const Weighed &a, const Weighed &b) const;

private:
  struct Data;
  std::unique_ptr<Data> data_;
};

} // namespace ampletie
