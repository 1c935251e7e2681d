#include "network/motion.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// The campaigns in the order of time, and only the marks that two times have.
struct Sorted {
  std::vector<const Campaign *> campaigns;
  std::vector<std::size_t> marks;           ///< of the input
  std::map<std::size_t, std::size_t> place; ///< of an input's mark among them
};

Sorted sorted(const MotionInput &in) {
  Sorted s;
  for (const Campaign &c : in.campaigns) s.campaigns.push_back(&c);
  std::stable_sort(s.campaigns.begin(), s.campaigns.end(), [](auto *a, auto *b) { return a->year < b->year; });
  std::map<std::size_t, std::vector<double>> years;
  for (const Campaign *c : s.campaigns)
    for (std::size_t m : c->marks) years[m].push_back(c->year);
  for (const auto &[m, when] : years)
    if (when.back() > when.front()) s.place[m] = s.marks.size(), s.marks.push_back(m);
  if (s.marks.empty()) throw InputError("no mark was determined at two different times");
  return s;
}

/// Least squares over all campaigns: parameters are place and velocity of each mark, then the shifts.
class MotionFit {
public:
  MotionFit(const MotionInput &in, const Sorted &s) : s_(s), marks_(static_cast<Index>(s.marks.size())) {
    double sum = 0;
    for (const Campaign *c : s.campaigns) sum += c->year;
    middle_ = sum / static_cast<double>(s.campaigns.size());
    // Between the first time and the last each has a shift, as long as it is none of theirs.
    const double first = s.campaigns.front()->year, last = s.campaigns.back()->year;
    Index shifts = 0;
    for (const Campaign *c : s.campaigns) {
      const bool free = in.against_standing && c != s.campaigns.front() && c != s.campaigns.back();
      shift_.push_back(free && first < last ? shifts++ : -1);
    }
    normal_ = MatrixXd::Zero(6 * marks_ + 3 * shifts, 6 * marks_ + 3 * shifts);
    right_ = VectorXd::Zero(normal_.rows());
    for (std::size_t k = 0; k < s.campaigns.size(); ++k) add(k);
    const VectorXd scale = normal_.diagonal().cwiseMax(1e-300).cwiseSqrt().cwiseInverse();
    const Eigen::LDLT<MatrixXd> solver(scale.asDiagonal() * normal_ * scale.asDiagonal());
    // What shifts and too few marks leave open.
    if (solver.info() != Eigen::Success || solver.vectorD().minCoeff() < 1e-10)
      throw InputError("the campaigns do not hang together: too few marks are common to them");
    inverse_ =
        scale.asDiagonal() * solver.solve(MatrixXd::Identity(normal_.rows(), normal_.rows())) * scale.asDiagonal();
    parameters_ = inverse_ * right_;
  }

  double middle() const { return middle_; }
  int degrees() const { return static_cast<int>(rows_ - normal_.rows()); }
  double statistic() const { return squares_ - parameters_.dot(right_); }
  MatrixXd velocity_cov() const { return inverse_(velocity_rows(), velocity_rows()); }
  Vec3 place(std::size_t mark) const { return parameters_.segment<3>(static_cast<Index>(6 * mark)); }
  Vec3 velocity(std::size_t mark) const { return parameters_.segment<3>(static_cast<Index>(6 * mark + 3)); }
  Vec3 shift(std::size_t campaign) const {
    return shift_[campaign] < 0 ? Vec3::Zero() : Vec3(parameters_.segment<3>(6 * marks_ + 3 * shift_[campaign]));
  }

private:
  std::vector<Index> velocity_rows() const {
    std::vector<Index> out;
    for (Index m = 0; m < marks_; ++m)
      for (Index k = 3; k < 6; ++k) out.push_back(6 * m + k);
    return out;
  }
  void add(std::size_t k);

  const Sorted &s_;
  const Index marks_;
  double middle_ = 0, squares_ = 0;
  Index rows_ = 0;
  std::vector<Index> shift_; ///< of each campaign; −1: none
  MatrixXd normal_, inverse_;
  VectorXd right_, parameters_;
};

void MotionFit::add(std::size_t k) {
  const Campaign &c = *s_.campaigns[k];
  std::vector<Index> rows; // of the marks that count
  std::vector<Index> at;   // their places
  for (std::size_t i = 0; i < c.marks.size(); ++i)
    if (const auto p = s_.place.find(c.marks[i]); p != s_.place.end()) {
      at.push_back(static_cast<Index>(p->second));
      for (Index j = 0; j < 3; ++j) rows.push_back(static_cast<Index>(3 * i) + j);
    }
  if (rows.empty()) return;
  const Eigen::LLT<MatrixXd> q(c.cov(rows, rows));
  if (q.info() != Eigen::Success) throw InputError("the covariance of " + c.name + " is none");
  const auto n = static_cast<Index>(rows.size());
  MatrixXd design = MatrixXd::Zero(n, normal_.rows());
  for (std::size_t i = 0; i < at.size(); ++i) {
    const auto row = static_cast<Index>(3 * i);
    design.block<3, 3>(row, 6 * at[i]).setIdentity();
    design.block<3, 3>(row, 6 * at[i] + 3) = (c.year - middle_) * Mat3::Identity();
    if (shift_[k] >= 0) design.block<3, 3>(row, 6 * marks_ + 3 * shift_[k]).setIdentity();
  }
  const VectorXd d = c.at(rows);
  const MatrixXd half = q.matrixL().solve(design);
  const VectorXd white = q.matrixL().solve(d);
  normal_ += half.transpose() * half;
  right_ += half.transpose() * white;
  squares_ += white.squaredNorm();
  rows_ += n;
}

/// Which marks stand, and how the others move against them.
void against_standing(const MotionInput &in, const Sorted &s, const MotionFit &fit, Motions &out, Vec3 &common) {
  CongruenceInput c;
  c.alpha = in.alpha;
  const Index measured = static_cast<Index>(3 * s.marks.size()),
              all = measured + static_cast<Index>(3 * in.held.size());
  // What is held is exact; a hundredth of a millimetre a year keeps the covariance one.
  c.cov = 1e-10 * MatrixXd::Identity(all, all);
  c.cov.topLeftCorner(measured, measured) = fit.velocity_cov();
  for (std::size_t i = 0; i < s.marks.size(); ++i)
    c.marks.push_back({in.marks[s.marks[i]], Vec3::Zero(), fit.velocity(i), true, true});
  for (const std::string &name : in.held) c.marks.push_back({name, Vec3::Zero(), Vec3::Zero(), true, true});
  const Congruence found = compare_times(c);
  out.problem = found.problem;
  for (const std::string &name : in.held) {
    MarkMotion m;
    m.name = name;
    out.marks.push_back(std::move(m));
  }
  for (std::size_t i = 0; i < out.marks.size(); ++i) {
    const Displacement &d = found.marks[i];
    MarkMotion &m = out.marks[i];
    m.stands = d.stable, m.velocity = d.moved, m.cov = d.cov, m.statistic = d.statistic;
    m.seen_plan = d.seen_plan, m.seen_height = d.seen_height;
  }
  common = found.shift;
}

void in_the_frame(const MotionInput &in, const Sorted &s, const MotionFit &fit, Motions &out) {
  const MatrixXd cov = fit.velocity_cov();
  const double lambda = noncentrality(in.alpha, 0.80, 3), limit = chi_squared_quantile(1 - in.alpha, 3);
  for (std::size_t i = 0; i < s.marks.size(); ++i) {
    MarkMotion &m = out.marks[i];
    m.velocity = fit.velocity(i);
    m.cov = cov.block<3, 3>(static_cast<Index>(3 * i), static_cast<Index>(3 * i));
    const Mat3 information = m.cov.inverse();
    m.statistic = m.velocity.dot(information * m.velocity);
    m.stands = m.statistic <= limit;
    m.seen_plan = std::sqrt(
        lambda / Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(information.topLeftCorner<2, 2>()).eigenvalues()[0]);
    m.seen_height = std::sqrt(lambda / information(2, 2));
  }
}

} // namespace

Motions estimate_motions(const MotionInput &in) {
  if (in.campaigns.size() < 2) throw InputError("one time alone tells of no movement");
  const Sorted s = sorted(in);
  if (in.against_standing && s.marks.size() + in.held.size() < 2)
    throw InputError("fewer than two marks were determined at two times: nothing tells what stood still");
  const MotionFit fit(in, s);
  Motions out;
  out.statistic = fit.statistic(), out.degrees = fit.degrees();
  if (out.degrees > 0) out.limit = chi_squared_quantile(1 - in.alpha, out.degrees);
  out.even = out.degrees <= 0 || out.statistic <= out.limit;
  out.marks.resize(s.marks.size());
  for (std::size_t i = 0; i < s.marks.size(); ++i) out.marks[i].name = in.marks[s.marks[i]];
  Vec3 common = Vec3::Zero(); // velocity of what stands, with the datum of the fit
  if (in.against_standing)
    against_standing(in, s, fit, out, common);
  else
    in_the_frame(in, s, fit, out);
  for (std::size_t k = 0; k < s.campaigns.size(); ++k) {
    const Campaign &c = *s.campaigns[k];
    for (std::size_t i = 0; i < c.marks.size(); ++i) {
      const auto p = s.place.find(c.marks[i]);
      if (p == s.place.end()) continue;
      const auto row = static_cast<Index>(3 * i);
      const double t = c.year - fit.middle();
      const Vec3 at = Vec3(c.at.segment<3>(row)) - fit.shift(k);
      out.marks[p->second].series.push_back({c.year, at - common * t - fit.place(p->second),
                                             at - fit.place(p->second) - fit.velocity(p->second) * t,
                                             c.cov.block<3, 3>(row, row)});
    }
  }
  for (MarkMotion &m : out.marks) m.times = static_cast<int>(m.series.size());
  return out;
}

} // namespace ampletie
