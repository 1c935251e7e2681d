#include "gnss/model/steps.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {

/// The way (three) and up to six clocks.
using Normal = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, 9, 9>;
using Unknowns = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, 9, 1>;

class Fit {
public:
  explicit Fit(const std::vector<CarrierStep> &steps) : steps_(steps), weight_(steps.size(), 1) {
    int systems = 0;
    for (const CarrierStep &s : steps) systems = std::max(systems, s.system + 1);
    n_ = 3 + systems;
    out.jumped.assign(steps.size(), false);
  }
  StepFit out;

  void run() {
    // Several at once hide each other from least squares.
    for (int pass = 0; pass < 6; ++pass) {
      solve();
      double change = 0;
      for (std::size_t i = 0; i < steps_.size(); ++i) {
        const double v = off(i), w = v < 0.3 ? 1 : 0.3 / v * (pass > 2 ? 0.3 / v : 1);
        change = std::max(change, std::abs(w - weight_[i]));
        weight_[i] = w;
      }
      if (change < 1e-2) break;
    }
    for (out.used = steps_.size();; --out.used) {
      if (static_cast<Eigen::Index>(out.used) < n_ + 2) return;
      std::size_t worst = steps_.size();
      double largest = 1;
      for (std::size_t i = 0; i < steps_.size(); ++i)
        if (const double v = off(i); !out.jumped[i] && v > largest) worst = i, largest = v;
      if (worst == steps_.size()) break;
      out.jumped[worst] = true;
      plain();
    }
    plain();
    out.told = true;
    out.way = x_.head<3>();
    double sum = 0;
    for (std::size_t i = 0; i < steps_.size(); ++i) {
      if (out.jumped[i]) continue;
      sum += std::pow(off(i) * steps_[i].limit, 2);
      // What nothing else controls may have jumped unseen.
      const Unknowns a = row(steps_[i]);
      if (1 - a.dot(inverse_ * a) < 0.15) out.jumped[i] = true;
    }
    out.rms = std::sqrt(sum / static_cast<double>(std::max<std::size_t>(1, out.used)));
  }

private:
  Unknowns row(const CarrierStep &s) const {
    Unknowns a = Unknowns::Zero(n_);
    a.head<3>() = -s.unit;
    a[3 + s.system] = 1;
    return a;
  }
  double off(std::size_t i) const { return std::abs(steps_[i].y - row(steps_[i]).dot(x_)) / steps_[i].limit; }
  void plain() {
    for (std::size_t i = 0; i < steps_.size(); ++i) weight_[i] = 1;
    solve();
  }
  void solve() {
    // A little is always known, so that a system with one satellite does no harm.
    Normal m = 1e-9 * Normal::Identity(n_, n_);
    Unknowns v = Unknowns::Zero(n_);
    for (std::size_t i = 0; i < steps_.size(); ++i) {
      if (out.jumped[i]) continue;
      const Unknowns a = row(steps_[i]);
      m += weight_[i] * a * a.transpose(), v += weight_[i] * steps_[i].y * a;
    }
    inverse_ = m.inverse();
    x_ = inverse_ * v;
  }
  const std::vector<CarrierStep> &steps_;
  std::vector<double> weight_;
  Eigen::Index n_ = 3;
  Unknowns x_;
  Normal inverse_;
};

} // namespace

StepFit fit_steps(const std::vector<CarrierStep> &steps) {
  Fit f(steps);
  if (!steps.empty()) f.run();
  return std::move(f.out);
}

} // namespace ampletie
