#pragma once
#include <Eigen/Core>
#include <memory>
#include <string>
#include <vector>

namespace ampletie {

/// A group of observations that are correlated with each other and with nothing else. It knows its equations and
/// nothing about the rest of the network.
class Block {
public:
  virtual ~Block() = default;
  std::string id;                      ///< of what was observed
  std::string kind;                    ///< "vector", "set-up", "weighted coordinates"
  std::string group;                   ///< for weights and for the question which group hurts
  std::vector<int> unknowns;           ///< indices of the parameters it touches
  std::vector<std::string> components; ///< one name per observation
  /// What a block of several things was made of: each is tested by itself too. Empty: the block is one thing.
  struct Part {
    std::string id, kind;
    Eigen::Index first = 0, count = 0;
  };
  std::vector<Part> parts;
  Eigen::VectorXd observed;   ///< m
  Eigen::MatrixXd covariance; ///< m²

  /// Computed observations and their derivatives for the parameter values given (in the order of `unknowns`).
  virtual void evaluate(const Eigen::VectorXd &parameters, Eigen::VectorXd &computed,
                        Eigen::MatrixXd &jacobian) const = 0;
};

/// A parameter of the adjustment. A fixed one is eliminated, not weighted.
struct Parameter {
  std::string name;
  double value = 0;
  bool fixed = false;
};

struct Problem {
  std::vector<Parameter> parameters;
  std::vector<std::unique_ptr<Block>> blocks;
};

/// Observations that are linear in the parameters: computed = offset + A · parameters.
class LinearBlock : public Block {
public:
  Eigen::MatrixXd a;
  Eigen::VectorXd offset;
  void evaluate(const Eigen::VectorXd &p, Eigen::VectorXd &computed, Eigen::MatrixXd &jacobian) const override {
    computed = a * p;
    if (offset.size()) computed += offset;
    jacobian = a;
  }
};

} // namespace ampletie
