#include "gnss/static/filter_tape.h"
#include <algorithm>
#include <map>

namespace ampletie {
namespace {

using Eigen::Index;
using Process = CommonProcess::Kind;

/// One walk from the end of a tape to its beginning.
class WayBack {
public:
  WayBack(Eigen::MatrixX3d weights, const Vec3 &direction) : weights_(std::move(weights)), direction_(direction) {}

  void operator()(const FilterTape::Updated &u) {
    const Eigen::MatrixX3d through = u.gain.transpose() * weights_;
    for (std::size_t r = 0; r < u.rows.size(); ++r) {
      const auto row = through.row(static_cast<Index>(r));
      note(u.time, u.rows[r].process, u.rows[r].common, row.transpose());
      for (auto [i, h] : u.rows[r].h) weights_.row(i) -= h * row;
    }
  }
  void operator()(const FilterTape::Advanced &a) {
    std::map<CommonProcess, bool> alive;
    for (const FilterTape::Moved &m : a.states) {
      Vec3 by = weights_.row(m.i).transpose();
      if (const auto w = waiting_.find(m.process); w != waiting_.end()) by += w->second.by, alive[m.process] = true;
      note(a.to, m.process, m.common, by);
      weights_.row(m.i) *= m.phi;
    }
    for (auto &[process, w] : waiting_) {
      const double phi = process.kind == Process::ionosphere ? a.ionosphere_phi : a.reflection_phi;
      if (!alive.count(process)) note(a.to, process, (1 - phi * phi) * w.common, w.by);
      w.by *= phi;
    }
  }
  void operator()(const FilterTape::Added &a) {
    const Vec3 by = weights_.row(a.i).transpose();
    weights_.conservativeResize(a.i, 3); // it was the last
    if (a.arc >= 0)
      drifts_.emplace_back(a.arc, std::sqrt(a.common) * by);
    else if (a.process.kind == Process::zenith || a.process.kind == Process::base_zenith)
      note({}, a.process, a.common, by);
    else if (a.common > 0) {
      // The process goes on before this leg saw it: other legs may have.
      auto &w = waiting_.try_emplace(a.process, Waiting{Vec3::Zero(), a.common}).first->second;
      w.by += by;
    }
  }
  void operator()(const FilterTape::Renewed &r) {
    if (r.arc >= 0) drifts_.emplace_back(r.arc, std::sqrt(r.common) * weights_.row(r.i).transpose());
    weights_.row(r.i).setZero();
  }
  void operator()(const FilterTape::Removed &r) {
    Eigen::MatrixX3d before = Eigen::MatrixX3d::Zero(r.before, 3);
    for (std::size_t n = 0; n < r.keep.size(); ++n) before.row(r.keep[n]) = weights_.row(static_cast<Index>(n));
    weights_ = std::move(before);
  }
  CommonShare share() && {
    for (const auto &[process, w] : waiting_) note({}, process, w.common, w.by);
    std::sort(values_.begin(), values_.end(), [](const auto &a, const auto &b) { return a.order() < b.order(); });
    return {std::move(values_), std::move(drifts_)};
  }

private:
  struct Waiting {
    Vec3 by;
    double common;
  };
  void note(GpsTime time, CommonProcess process, double common, const Vec3 &by) {
    if (!(common > 0)) return;
    const Vec3 v = std::sqrt(common) * by;
    if (process.kind != Process::ionosphere) {
      values_.push_back({time, process, v.cast<float>()});
      return;
    }
    for (std::uint8_t axis = 0; axis < 3; ++axis) {
      process.band = axis;
      values_.push_back({time, process, (direction_[axis] * v).cast<float>()});
    }
  }

  Eigen::MatrixX3d weights_;
  Vec3 direction_;
  std::map<CommonProcess, Waiting> waiting_;
  std::vector<CommonShare::Value> values_;
  std::vector<std::pair<int, Vec3>> drifts_;
};

} // namespace

CommonShare common_share(const FilterTape &tape, Eigen::MatrixX3d outputs, const Vec3 &direction) {
  WayBack way(std::move(outputs), direction);
  for (auto step = tape.steps.rbegin(); step != tape.steps.rend(); ++step) std::visit(way, *step);
  return std::move(way).share();
}

} // namespace ampletie
