#include "gnss/kinematic/joint_track.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "base/median.h"
#include "gnss/kinematic/motion.h"
#include <Eigen/Dense>
#include <algorithm>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Of all places together: what each has of its own, what they share, and what the bases' places leave open.
MatrixXd together(const std::vector<Mat3> &covariances, const std::vector<double> &ties) {
  const auto m = static_cast<Index>(covariances.size());
  std::vector<Mat3> roots;
  for (const Mat3 &c : covariances) roots.push_back(Eigen::LLT<Mat3>(c).matrixL());
  MatrixXd q(3 * m, 3 * m);
  for (Index i = 0; i < m; ++i)
    for (Index k = 0; k < m; ++k) {
      const auto a = static_cast<std::size_t>(i), b = static_cast<std::size_t>(k);
      const double share = i == k ? 1 : shared_by_bases;
      q.block<3, 3>(3 * i, 3 * k) = share * roots[a] * roots[b].transpose();
      if (i == k) q.block<3, 3>(3 * i, 3 * k) += ties[a] * Mat3::Identity();
    }
  return q;
}

/// An epoch as one of the bases gives it.
struct Place {
  std::size_t of;
  const TrackEpoch *epoch;
  Vec3 position;
};

class Joining {
public:
  explicit Joining(const std::vector<TrackOfBase> &all) : all_(all), laid_(all.size(), Vec3::Zero()) {
    if (all.size() < 2) throw InputError("a joint track needs two bases");
    out_.comparisons.resize(all.size() - 1);
    for (std::size_t b = 1; b < all.size(); ++b) lay_on(b);
  }

  JointTrack run() {
    const KinematicTrack &first = *all_[0].track;
    KinematicTrack &t = out_.track;
    t.interval = first.interval, t.arcs = first.arcs, t.relations = first.relations;
    t.residuals = first.residuals, t.ways = first.ways;
    t.ratio = first.ratio;
    std::vector<std::size_t> at(all_.size(), 0);
    for (const TrackEpoch &e : first.epochs) t.epochs.push_back(epoch(e, at));
    for (const TrackOfBase &b : all_) {
      t.longest_m = std::max(t.longest_m, b.track->longest_m),
      t.noise_ratio = std::max(t.noise_ratio, b.track->noise_ratio);
      t.slips += b.track->slips, t.rejected += b.track->rejected, t.contradicted += b.track->contradicted;
      for (const std::string &n : b.track->notes) t.notes.push_back(b.base + ": " + n);
    }
    for (const TrackEpoch &e : t.epochs) t.lost += e.state == TrackState::none;
    finish_comparisons();
    find_velocities(t);
    bridge_gaps(t);
    t.standstills = find_standstills(t);
    return std::move(out_);
  }

private:
  /// A base without a place of its own: its track lies where the first one's does, in the median.
  void lay_on(std::size_t b) {
    BaseComparison &c = out_.comparisons[b - 1];
    c.base = all_[b].base;
    if (all_[b].tie) return;
    c.laid_on = true;
    std::vector<double> d[3];
    std::size_t at = 0;
    for (const TrackEpoch &e : all_[0].track->epochs)
      if (const TrackEpoch *o = same(b, e.time, at); o && e.state == TrackState::fixed && o->state == TrackState::fixed)
        for (int k = 0; k < 3; ++k) d[k].push_back(o->position[k] - e.position[k]);
    if (d[0].empty()) return;
    for (int k = 0; k < 3; ++k) laid_[b][k] = median(d[k]);
    c.mean = laid_[b];
  }

  const TrackEpoch *same(std::size_t b, GpsTime t, std::size_t &at) const {
    const auto &list = all_[b].track->epochs;
    while (at < list.size() && list[at].time - t < -1e-3) ++at;
    return at < list.size() && std::abs(list[at].time - t) < 1e-3 ? &list[at] : nullptr;
  }

  TrackEpoch epoch(const TrackEpoch &e, std::vector<std::size_t> &at) {
    std::vector<Place> places;
    TrackEpoch out;
    out.time = e.time, out.bracketed = false;
    TrackState best = TrackState::none;
    for (std::size_t b = 0; b < all_.size(); ++b) {
      const TrackEpoch *o = same(b, e.time, at[b]);
      if (!o) continue;
      out.bracketed = out.bracketed || o->bracketed;
      if (o->state == TrackState::none || o->bridged) continue;
      places.push_back({b, o, o->position - laid_[b]});
      best = std::max(best, o->state);
    }
    // Codes add nothing to carriers.
    if (best > TrackState::code)
      std::erase_if(places, [](const Place &p) { return p.epoch->state <= TrackState::code; });
    compare(places);
    if (!places.empty()) combine(places, best, out);
    return out;
  }

  /// The others against the first, where both are fixed.
  void compare(const std::vector<Place> &places) {
    const auto first = std::find_if(places.begin(), places.end(), [](const Place &p) { return p.of == 0; });
    if (first == places.end() || first->epoch->state != TrackState::fixed) return;
    for (const Place &p : places) {
      if (p.of == 0 || p.epoch->state != TrackState::fixed) continue;
      BaseComparison &c = out_.comparisons[p.of - 1];
      const Vec3 d = p.position - first->position;
      ++c.epochs;
      if (!c.laid_on) c.mean += d;
      squares_[p.of] += d.squaredNorm();
      c.apart += !agree({*first, p});
    }
  }

  double tie(std::size_t b) const { return b == 0 ? 0 : all_[b].tie.value_or(0); }

  JointWeights weigh(const std::vector<Place> &places, double &statistic) const {
    std::vector<Mat3> cov;
    std::vector<double> ties;
    for (const Place &p : places) cov.push_back(p.epoch->cov), ties.push_back(tie(p.of));
    JointWeights w = joint_weights(cov, ties);
    Vec3 mean = Vec3::Zero();
    for (std::size_t i = 0; i < places.size(); ++i) mean += w.weights[i] * (places[i].position - places[0].position);
    VectorXd v(static_cast<Index>(3 * places.size()));
    for (std::size_t i = 0; i < places.size(); ++i)
      v.segment<3>(static_cast<Index>(3 * i)) = places[i].position - places[0].position - mean;
    statistic = v.dot(Eigen::LLT<MatrixXd>(together(cov, ties)).solve(v));
    return w;
  }

  bool agree(const std::vector<Place> &places) const {
    double statistic = 0;
    weigh(places, statistic);
    return statistic <= limit(places.size());
  }
  static double limit(std::size_t places) {
    static const double three = chi_squared_quantile(0.9999, 3), six = chi_squared_quantile(0.9999, 6),
                        nine = chi_squared_quantile(0.9999, 9);
    return places <= 2 ? three : places == 3 ? six : nine;
  }

  void combine(std::vector<Place> places, TrackState best, TrackEpoch &out) const {
    double statistic = 0;
    JointWeights w = weigh(places, statistic);
    bool contradict = places.size() > 1 && statistic > limit(places.size());
    // Of three or more, one that stands alone is left out.
    if (contradict && places.size() > 2)
      for (std::size_t i = 0; i < places.size() && contradict; ++i) {
        std::vector<Place> rest = places;
        rest.erase(rest.begin() + static_cast<std::ptrdiff_t>(i));
        double without = 0;
        const JointWeights other = weigh(rest, without);
        if (without > limit(rest.size())) continue;
        places = rest, w = other, contradict = false;
        best = TrackState::none;
        for (const Place &p : places) best = std::max(best, p.epoch->state);
      }
    out.state = contradict ? std::min(best, TrackState::floating) : best;
    Vec3 shift = Vec3::Zero();
    for (std::size_t i = 0; i < places.size(); ++i) {
      shift += w.weights[i] * (places[i].position - places[0].position);
      out.satellites = std::max(out.satellites, places[i].epoch->satellites);
    }
    out.position = places[0].position + shift;
    out.cov = w.cov;
    if (contradict)
      for (const Place &p : places) {
        const Vec3 d = p.position - out.position;
        out.cov += d * d.transpose();
      }
  }

  void finish_comparisons() {
    for (std::size_t b = 1; b < all_.size(); ++b) {
      BaseComparison &c = out_.comparisons[b - 1];
      if (c.epochs == 0) continue;
      const auto n = static_cast<double>(c.epochs);
      if (!c.laid_on) c.mean /= n;
      const Vec3 about = c.laid_on ? Vec3(Vec3::Zero()) : c.mean;
      c.rms = std::sqrt(std::max(0.0, squares_[b] / n - about.squaredNorm()));
    }
  }

  const std::vector<TrackOfBase> &all_;
  std::vector<Vec3> laid_; ///< what is taken off the places of each
  std::map<std::size_t, double> squares_;
  JointTrack out_;
};
} // namespace

JointWeights joint_weights(const std::vector<Mat3> &covariances, const std::vector<double> &ties) {
  JointWeights out;
  if (covariances.size() == 1) {
    out.weights = {Mat3::Identity()}, out.cov = covariances[0] + ties[0] * Mat3::Identity();
    return out;
  }
  const auto m = static_cast<Index>(covariances.size());
  MatrixXd a(3 * m, 3);
  for (Index i = 0; i < m; ++i) a.block<3, 3>(3 * i, 0).setIdentity();
  const MatrixXd weighted = Eigen::LLT<MatrixXd>(together(covariances, ties)).solve(a); // Q⁻¹A
  out.cov = Mat3(a.transpose() * weighted).inverse();
  out.cov = (out.cov + out.cov.transpose()).eval() / 2;
  for (Index i = 0; i < m; ++i) out.weights.push_back(out.cov * weighted.block<3, 3>(3 * i, 0).transpose());
  return out;
}

JointTrack join_tracks(const std::vector<TrackOfBase> &all) { return Joining(all).run(); }

} // namespace ampletie
