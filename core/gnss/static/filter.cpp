#include "gnss/static/filter.h"
#include "gnss/filter/gated_innovation.h"
#include <cmath>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
constexpr double clock_variance = 30.0 * 30.0;
// What two rovers of one base share: of the zenith delays' prior, m², and of the ionosphere by direction.
constexpr double common_zenith = 0.5 * 0.02 * 0.02, common_ionosphere = 0.7;
int id(SatId s) { return s.system * 256 + s.number; }
} // namespace

double common_of_arcs(const CarrierArc &a, const CarrierArc &b) {
  if (a.sat != b.sat || a.band != b.band) return 0;
  const double shared = std::min(a.last, b.last) - std::max(a.first, b.first);
  return shared <= 0 ? 0 : 0.5 * shared / std::sqrt((a.last - a.first) * (b.last - b.first));
}

double iono_factor(double hz) {
  const double q = 1575.42e6 / hz;
  return q * q;
}
double shell_obliquity(double el) {
  const double c = 0.9479 * std::cos(el);
  return 1 / std::sqrt(1 - c * c);
}

SessionFilter::SessionFilter(std::vector<FilterLeg> legs, const StaticOptions &o, FilterTape *tape)
    : legs_(std::move(legs)), o_(o), tape_(legs_.size() == 1 ? tape : nullptr) {
  breaks_.resize(legs_.size());
  Index most = 0;
  for (const FilterLeg &l : legs_) {
    StaticOptions own = o;
    if (l.noise) own.phase_multipath = l.noise->phase_multipath, own.diffuse_share = l.noise->diffuse_share;
    noise_.emplace_back(own, l.session->interval, l.like_receivers);
    most += static_cast<Index>(l.session->arcs.size()) + 16 + 4 * static_cast<Index>(l.session->hz.size());
  }
  state_.reserve(most);
  for (std::size_t k = 0; k < legs_.size(); ++k)
    for (int i = 0; i < 3; ++i) add({Kind::position, static_cast<int>(k), 0, i}, 0, 30.0 * 30.0);
  for (std::size_t k = 0; k < legs_.size(); ++k) {
    const int leg = static_cast<int>(k);
    const double sd = zenith_sd(k);
    std::vector<double> prior;
    // The base's own weather is in all of them.
    for (std::size_t l = 0; l < k; ++l) prior.push_back(o.relative_troposphere ? common_zenith : 0);
    prior.push_back(sd * sd);
    add_correlated({Kind::zenith, leg, 0, 0}, prior);
    const double length = legs_[k].start.norm();
    if (!o.relative_troposphere) continue;
    if (length > o.long_vector_m) add({Kind::base_zenith, leg, 0, 0}, 0, o.base_zenith_sd * o.base_zenith_sd);
    if (length > 3000) {
      const double sd_gradient = o.gradient_sd * std::min(1.0, length / 20e3);
      for (int i = 0; i < 2; ++i) add({Kind::gradient, leg, 0, i}, 0, sd_gradient * sd_gradient);
    }
  }
}

double SessionFilter::ionosphere_sd(std::size_t k) const {
  const double ppm = legs_[k].noise ? legs_[k].noise->ionosphere_ppm : o_.ionosphere_ppm;
  return ppm * 1e-6 * legs_[k].start.norm() + 0.001;
}

double SessionFilter::zenith_sd(std::size_t k) const {
  if (!o_.relative_troposphere) return 1e-6;
  return 0.02 + 0.0005 * legs_[k].start.norm() / 1000 + 0.03 * std::abs(legs_[k].height_difference) / 1000;
}

Index SessionFilter::add(const Key &k, double x, double variance) {
  const Index i = state_.add(x, variance);
  at_[k] = i;
  keys_.push_back(k);
  if (tape_) {
    // A drift's arc is known by then.
    const auto arc = drift_of_.find(k);
    tape_->steps.push_back(FilterTape::Added{i, process_of(k), common_part(k, variance),
                                             k.kind == Kind::drift && arc != drift_of_.end() ? arc->second : -1});
  }
  return i;
}

/// A state whose siblings at other legs may be there already: conditioned on them. `prior` holds the covariances with
/// the legs before it (in leg order, of those that exist) and its own variance last.
Index SessionFilter::add_correlated(const Key &k, const std::vector<double> &prior) {
  std::vector<Index> siblings;
  for (int l = 0; l < static_cast<int>(legs_.size()); ++l)
    if (const Index i = index({k.kind, l, k.a, k.b}); l != k.leg && i >= 0) siblings.push_back(i);
  const Index m = static_cast<Index>(siblings.size());
  if (m == 0 || static_cast<Index>(prior.size()) != m + 1) return add(k, 0, prior.back());
  // One sibling stands for all: the one with the largest covariance (keeps the update sparse and positive definite).
  Index best = 0;
  for (Index i = 1; i < m; ++i)
    if (prior[static_cast<std::size_t>(i)] > prior[static_cast<std::size_t>(best)]) best = i;
  const Key sibling = keys_[static_cast<std::size_t>(siblings[static_cast<std::size_t>(best)])];
  const auto v = variance_.find(sibling);
  const double theirs = v != variance_.end() ? v->second : prior.back();
  const double c = std::min(prior[static_cast<std::size_t>(best)], 0.95 * std::sqrt(theirs * prior.back()));
  const double w = c / theirs;
  const Index s = siblings[static_cast<std::size_t>(best)];
  const double x = w * state_.x[s], rest = prior.back() - w * c;
  VectorXd row = VectorXd::Zero(state_.size);
  state_.add_column(s, w, row);
  const double own = w * w * state_.p(s, s) + rest;
  const Index i = add(k, x, own);
  state_.p.row(i).head(i) = row.head(i).transpose();
  return i;
}

/// Covariance of a process at two rovers, given their variances against the base: common part of base and distance.
double SessionFilter::cross(std::size_t k, std::size_t l, double vk, double vl) const {
  const double dk = legs_[k].start.norm(), dl = legs_[l].start.norm(), dkl = (legs_[k].start - legs_[l].start).norm();
  if (dk < 1 || dl < 1) return 0;
  const double cosine = (dk * dk + dl * dl - dkl * dkl) / (2 * dk * dl);
  return common_ionosphere * cosine * std::sqrt(vk * vl);
}

CommonProcess SessionFilter::process_of(const Key &k) const {
  using P = CommonProcess::Kind;
  const P kind = k.kind == Kind::multipath     ? P::reflection
                 : k.kind == Kind::ionosphere  ? P::ionosphere
                 : k.kind == Kind::zenith      ? P::zenith
                 : k.kind == Kind::base_zenith ? P::base_zenith
                                               : P::none;
  if (kind != P::reflection && kind != P::ionosphere) return {kind, {}, 0};
  return {kind,
          {static_cast<char>(k.a / 256), static_cast<std::uint8_t>(k.a % 256)},
          static_cast<std::uint8_t>(kind == P::reflection ? k.b : 0)};
}

double SessionFilter::common_part(const Key &k, double variance) const {
  switch (k.kind) {
  case Kind::zenith:
    return o_.relative_troposphere ? std::min(variance, common_zenith) : 0;
  case Kind::base_zenith:
    return variance;
  case Kind::ionosphere:
    return common_ionosphere * variance;
  case Kind::multipath:
  case Kind::drift:
    return 0.5 * variance;
  default:
    return 0;
  }
}

void SessionFilter::renew(Index i, double variance, int arc) {
  if (tape_)
    tape_->steps.push_back(FilterTape::Renewed{i, common_part(keys_[static_cast<std::size_t>(i)], variance), arc});
  state_.renew(i, variance);
}

void SessionFilter::remove_gone(GpsTime now) {
  std::vector<Index> keep;
  for (Index i = 0; i < state_.size; ++i) {
    const Key &k = keys_[static_cast<std::size_t>(i)];
    if (k.kind == Kind::ionosphere || k.kind == Kind::multipath || k.kind == Kind::drift) {
      const SatId sat{static_cast<char>(k.a / 256), static_cast<std::uint8_t>(k.a % 256)};
      if (now - last_seen_[{k.leg, sat}] > 3600) continue;
    }
    keep.push_back(i);
  }
  if (static_cast<Index>(keep.size()) > state_.size - 4) return;
  if (tape_) tape_->steps.push_back(FilterTape::Removed{keep, state_.size});
  std::vector<Key> keys;
  for (Index from : keep) keys.push_back(keys_[static_cast<std::size_t>(from)]);
  state_.keep(keep);
  keys_ = std::move(keys);
  at_.clear();
  for (Index i = 0; i < state_.size; ++i) at_[keys_[static_cast<std::size_t>(i)]] = i;
}

void SessionFilter::advance(GpsTime now, double dt) {
  const double hours = dt / 3600;
  const double phi_i = std::exp(-dt / o_.ionosphere_correlation_s), phi_m = std::exp(-dt / o_.correlation_s);
  FilterTape::Advanced moved{now, phi_i, phi_m, {}};
  auto told = [&](Index i, double phi, double common) {
    if (tape_) moved.states.push_back({i, process_of(keys_[static_cast<std::size_t>(i)]), phi, common});
  };
  for (Index i = 0; i < state_.size; ++i) {
    const Key &k = keys_[static_cast<std::size_t>(i)];
    switch (k.kind) {
    case Kind::clock:
      renew(i, clock_variance);
      break;
    case Kind::zenith:
      if (o_.relative_troposphere) {
        const double q = o_.troposphere_walk * o_.troposphere_walk * hours;
        state_.p(i, i) += q;
        for (int l = 0; l < k.leg; ++l) state_.p(i, index({Kind::zenith, l, 0, 0})) += q / 2;
        told(i, 1, q / 2);
      }
      break;
    case Kind::base_zenith:
      state_.p(i, i) += o_.base_walk * o_.base_walk * hours;
      told(i, 1, o_.base_walk * o_.base_walk * hours);
      break;
    case Kind::ionosphere:
    case Kind::multipath: {
      const double phi = k.kind == Kind::ionosphere ? phi_i : phi_m, v = variance_[k];
      state_.decay(i, phi);
      state_.p(i, i) += (1 - phi * phi) * v;
      told(i, phi, common_part(k, (1 - phi * phi) * v));
      break;
    }
    default:
      break;
    }
  }
  if (tape_) tape_->steps.push_back(std::move(moved));
  if (legs_.size() == 1) return;
  // What the rovers' processes share must be fed to their covariances as well.
  for (Index i = 0; i < state_.size; ++i) {
    const Key &k = keys_[static_cast<std::size_t>(i)];
    if (k.kind != Kind::ionosphere && k.kind != Kind::multipath) continue;
    const double phi = k.kind == Kind::ionosphere ? phi_i : phi_m;
    for (int l = 0; l < static_cast<int>(legs_.size()); ++l) {
      const Index j = index({k.kind, l, k.a, k.b});
      if (j < 0 || j >= i) continue;
      const double vk = variance_[k], vl = variance_[keys_[static_cast<std::size_t>(j)]];
      const double c = k.kind == Kind::ionosphere
                           ? cross(static_cast<std::size_t>(k.leg), static_cast<std::size_t>(l), vk, vl)
                           : 0.5 * std::min(vk, vl);
      state_.p(i, j) += (1 - phi * phi) * c;
    }
  }
}

/// Covariances of a new state of a satellite with the same state of the other legs, as `other` gives them from a leg
/// and its variance; its own variance comes last.
template <class Covariance>
std::vector<double> SessionFilter::prior_of(const Key &key, double variance, Covariance &&other) {
  std::vector<double> out;
  for (int l = 0; l < static_cast<int>(legs_.size()); ++l)
    if (const Index i = index({key.kind, l, key.a, key.b}); l != key.leg && i >= 0)
      out.push_back(other(static_cast<std::size_t>(l), variance_[keys_[static_cast<std::size_t>(i)]]));
  out.push_back(variance);
  return out;
}

/// What reflects at the base is half of it and in all legs.
Index SessionFilter::add_reflection(const Key &key, double variance) {
  return add_correlated(
      key, prior_of(key, variance, [variance](std::size_t, double other) { return 0.5 * std::min(variance, other); }));
}

Index SessionFilter::ionosphere_state(std::size_t leg, const Difference &d) {
  const Key key{Kind::ionosphere, static_cast<int>(leg), id(d.sat), 0};
  const Index known = index(key);
  if (!o_.ionosphere) return known;
  const double sd = ionosphere_sd(leg) * shell_obliquity(d.elevation);
  variance_[key] = sd * sd;
  if (known >= 0) return known;
  return add_correlated(
      key, prior_of(key, sd * sd, [&](std::size_t l, double other) { return cross(leg, l, sd * sd, other); }));
}

/// What all signals of a satellite share: position, atmosphere, clock.
SessionFilter::Design SessionFilter::geometry(std::size_t leg, const Difference &d, Index clock) const {
  const int k = static_cast<int>(leg);
  const Index base_zenith = index({Kind::base_zenith, k, 0, 0}), gradient = index({Kind::gradient, k, 0, 0});
  Design common;
  for (int i = 0; i < 3; ++i) common.emplace_back(index({Kind::position, k, 0, i}), -d.unit[i]);
  common.emplace_back(index({Kind::zenith, k, 0, 0}), d.wet_mapping);
  common.emplace_back(clock, 1.0);
  if (base_zenith >= 0) common.emplace_back(base_zenith, d.wet_step);
  if (gradient >= 0) {
    // Chen and Herring (1997).
    const double g = 1 / (std::sin(d.elevation) * std::tan(d.elevation) + 0.0032);
    common.emplace_back(gradient, g * std::cos(d.azimuth));
    common.emplace_back(index({Kind::gradient, k, 0, 1}), g * std::sin(d.azimuth));
  }
  return common;
}

SessionFilter::Row SessionFilter::code_row(std::size_t leg, const Difference &d, std::size_t b, Index iono,
                                           double factor, const Design &common) {
  const int k = static_cast<int>(leg), band = static_cast<int>(b);
  Row r{common, d.code[b], noise_[leg].code(d.sat, d.elevation, d.count), 0, -1 - band, leg, &d};
  r.shared = r.variance / 2;
  if (iono >= 0) r.h.emplace_back(iono, factor);
  if (b > 0) {
    const Key bias_key{Kind::code_bias, k, d.sat.system, band};
    Index bias = index(bias_key);
    if (bias < 0) bias = add(bias_key, 0, 10.0 * 10.0);
    r.h.emplace_back(bias, 1.0);
  }
  return r;
}

Index SessionFilter::arc_state(std::size_t leg, const Difference &d, std::size_t b, double lambda) {
  const Key key{Kind::arc, static_cast<int>(leg), 0, d.arc[b]};
  if (const Index known = index(key); known >= 0) return known;
  // A start near the truth keeps the numbers small; its variance makes it say nothing.
  double code = d.code[b];
  for (std::size_t c = 0; c < band_count && !std::isfinite(code); ++c) code = d.code[c];
  return add(key, std::round((d.phase[b] - (std::isfinite(code) ? code : 0)) / lambda),
             std::isfinite(code) ? 1e4 : 1e8);
}

SessionFilter::Row SessionFilter::phase_row(std::size_t leg, GpsTime time, const Difference &d, std::size_t b,
                                            Index iono, double factor, Design common) {
  const int k = static_cast<int>(leg), band = static_cast<int>(b);
  const DifferencedSession &s = *legs_[leg].session;
  const double lambda = speed_of_light / s.hz.at(d.sat)[b];
  const Index arc = arc_state(leg, d, b, lambda);
  Row r{std::move(common), d.phase[b], noise_[leg].phase_white(d.elevation, d.count), 0, band, leg, &d};
  r.shared = r.variance / 2;
  if (iono >= 0) r.h.emplace_back(iono, -factor);
  if (d.sat.system == 'R') {
    // The carrier's own receiver delay: with wavelengths that differ it does not vanish into the integers
    // (Sleewaegen et al. 2012).
    const Key bias_key{Kind::carrier_bias, k, d.sat.system, band};
    Index bias = index(bias_key);
    if (bias < 0) bias = add(bias_key, 0, s.carrier_bias_sd * s.carrier_bias_sd);
    r.h.emplace_back(bias, 1.0);
  }
  if (o_.correlated_noise) {
    add_multipath(r, b);
    add_drift(r, time, b);
  }
  r.h.emplace_back(arc, lambda);
  return r;
}

/// Reflections that follow their elevation and go with time.
void SessionFilter::add_multipath(Row &r, std::size_t b) {
  const Difference &d = *r.d;
  const std::size_t leg = r.leg;
  const int k = static_cast<int>(leg), band = static_cast<int>(b), sat = id(d.sat);
  auto &[sum, count] = arc_multipath_[{k, d.arc[b]}];
  sum += noise_[leg].total(d.elevation), ++count;
  const double v = noise_[leg].multipath(d.elevation);
  const Key key{Kind::multipath, k, sat, band};
  variance_[key] = v;
  Index mp = index(key);
  if (mp < 0) mp = add_reflection(key, v);
  r.h.emplace_back(mp, 1.0);
}

/// What a short arc is too short to average: a drift along it.
void SessionFilter::add_drift(Row &r, GpsTime time, std::size_t b) {
  const Difference &d = *r.d;
  const std::size_t leg = r.leg;
  const int k = static_cast<int>(leg), band = static_cast<int>(b), sat = id(d.sat);
  const CarrierArc &span = legs_[leg].session->arcs[static_cast<std::size_t>(d.arc[b])];
  const double length = span.last - span.first, vd = noise_[leg].drift(length) * noise_[leg].total(d.elevation);
  if (vd > 0) {
    const Key drift_key{Kind::drift, k, sat, band};
    int &of = drift_of_.try_emplace(drift_key, -1).first->second;
    Index drift = index(drift_key);
    if (drift < 0 || of != d.arc[b]) {
      variance_[drift_key] = vd;
      of = d.arc[b];
      if (drift < 0)
        drift = add_reflection(drift_key, vd);
      else
        renew(drift, vd, d.arc[b]);
    }
    r.h.emplace_back(drift, std::sqrt(3.0) * (2 * (time - span.first) / length - 1));
  }
}

void SessionFilter::rows_of(std::size_t leg, GpsTime time, const Difference &d, std::vector<Row> &rows) {
  const auto &hz = legs_[leg].session->hz.at(d.sat);
  const Index iono = ionosphere_state(leg, d);
  const Key clock_key{Kind::clock, static_cast<int>(leg), d.sat.system, 0};
  Index clock = index(clock_key);
  if (clock < 0) clock = add(clock_key, 0, clock_variance);
  for (std::size_t b = 0; b < band_count; ++b) {
    Design common = geometry(leg, d, clock);
    const double factor = hz[b] > 0 ? iono_factor(hz[b]) : 0;
    if (std::isfinite(d.code[b])) rows.push_back(code_row(leg, d, b, iono, factor, common));
    if (d.arc[b] >= 0 && std::isfinite(d.phase[b]))
      rows.push_back(phase_row(leg, time, d, b, iono, factor, std::move(common)));
  }
}

void SessionFilter::apply(std::vector<Row> &rows, GpsTime time) {
  const auto same_signal = [](const Row &a, const Row &b) { // the same at the base
    return a.band == b.band ? std::min(a.shared, b.shared) : 0.0;
  };
  const auto [g, innovation, s] = gated_innovation(state_, rows, same_signal, [&](const Row &row) {
    if (row.band < 0) return;
    ++rejected_;
    auto &[count, since] = misses_[{row.leg, row.d->sat, row.band}];
    if (count++ == 0) since = time;
    if (count == 3) breaks_[row.leg].push_back({row.d->sat, row.band, since});
  });
  if (rows.empty()) return;
  for (const Row &row : rows)
    if (row.band >= 0) misses_[{row.leg, row.d->sat, row.band}].first = 0;
  const Eigen::LLT<MatrixXd> llt(s);
  const VectorXd weighted = llt.solve(innovation);
  note_fit(rows, innovation, s);
  if (tape_) {
    FilterTape::Updated u{time, {}, llt.solve(g.transpose()).transpose()};
    for (const Row &row : rows) {
      const bool code = row.band < 0;
      u.rows.push_back({row.h,
                        {code ? CommonProcess::Kind::code : CommonProcess::Kind::phase, row.d->sat,
                         static_cast<std::uint8_t>(code ? -1 - row.band : row.band)},
                        row.shared});
    }
    tape_->steps.push_back(std::move(u));
  }
  state_.update(g, llt, weighted);
}

/// How well the carriers fit their prediction: the codes' variances are stretched for their correlation and would hide
/// it.
void SessionFilter::note_fit(const std::vector<Row> &rows, const VectorXd &innovation, const MatrixXd &s) {
  std::vector<Index> carriers;
  for (std::size_t r = 0; r < rows.size(); ++r)
    if (rows[r].band >= 0) carriers.push_back(static_cast<Index>(r));
  if (carriers.empty()) return;
  const Eigen::LLT<MatrixXd> llt(MatrixXd(s(carriers, carriers)));
  const VectorXd v = innovation(carriers);
  normalised_ += v.dot(llt.solve(v));
  used_ += static_cast<int>(carriers.size());
}

void SessionFilter::satellite(SatId sat, GpsTime time, const std::vector<const Difference *> &by_leg) {
  std::vector<Row> rows;
  for (std::size_t k = 0; k < by_leg.size(); ++k) {
    if (!by_leg[k]) continue;
    last_seen_[{static_cast<int>(k), sat}] = time;
    rows_of(k, time, *by_leg[k], rows);
  }
  apply(rows, time);
}

void SessionFilter::run(const Progress &progress, const std::vector<GpsTime> &times) {
  std::map<GpsTime, std::vector<const DifferenceEpoch *>> epochs;
  for (GpsTime t : times) epochs[t].resize(legs_.size(), nullptr);
  for (std::size_t k = 0; k < legs_.size(); ++k)
    for (const DifferenceEpoch &e : legs_[k].session->epochs) {
      auto &list = epochs[e.time];
      list.resize(legs_.size(), nullptr);
      list[k] = &e;
    }
  GpsTime before{};
  bool first = true;
  int since_cleaning = 0;
  for (const auto &[time, list] : epochs) {
    progress.check();
    if (!first) advance(time, time - before);
    first = false;
    before = time;
    if (++since_cleaning == 20) {
      remove_gone(time);
      since_cleaning = 0;
    }
    std::map<SatId, std::vector<const Difference *>> sats;
    for (std::size_t k = 0; k < list.size(); ++k) {
      if (!list[k]) continue;
      for (const Difference &d : list[k]->sats) {
        auto &by_leg = sats[d.sat];
        by_leg.resize(legs_.size(), nullptr);
        by_leg[k] = &d;
      }
    }
    for (const auto &[sat, by_leg] : sats) {
      progress.check();
      satellite(sat, time, by_leg);
    }
  }
}

SessionFilter::Estimate SessionFilter::estimate() const {
  std::vector<Index> order;
  for (std::size_t k = 0; k < legs_.size(); ++k)
    for (int i = 0; i < 3; ++i) order.push_back(index({Kind::position, static_cast<int>(k), 0, i}));
  for (std::size_t k = 0; k < legs_.size(); ++k) order.push_back(index({Kind::zenith, static_cast<int>(k), 0, 0}));
  Estimate e;
  for (std::size_t k = 0; k < legs_.size(); ++k)
    for (int b = 0; b < band_count; ++b)
      if (const Index i = index({Kind::carrier_bias, static_cast<int>(k), 'R', b}); i >= 0) {
        e.bias[{k, b}] = static_cast<Index>(order.size());
        order.push_back(i);
      }
  e.first_arc = static_cast<Index>(order.size());
  for (std::size_t k = 0; k < legs_.size(); ++k) {
    e.first_of_leg.push_back(static_cast<Index>(order.size()));
    for (std::size_t a = 0; a < legs_[k].session->arcs.size(); ++a)
      order.push_back(index({Kind::arc, static_cast<int>(k), 0, static_cast<int>(a)}));
  }
  const Index n = static_cast<Index>(order.size());
  e.x.resize(n);
  e.p.resize(n, n);
  e.stands = order;
  for (Index i = 0; i < n; ++i) {
    const Index from = order[static_cast<std::size_t>(i)];
    e.x[i] = from < 0 ? 0 : state_.x[from];
    for (Index j = 0; j <= i; ++j) {
      const Index to = order[static_cast<std::size_t>(j)];
      const double v = from < 0 || to < 0 ? (i == j ? 1e8 : 0) : state_.p(std::max(from, to), std::min(from, to));
      e.p(i, j) = e.p(j, i) = v;
    }
  }
  // Half of the arcs' constants is the base's and common to all legs while they share the arc.
  const std::vector<ArcConstant> all = arc_constants();
  auto arc_of = [&](const ArcConstant &c) -> const CarrierArc & {
    return legs_[c.leg].session->arcs[static_cast<std::size_t>(c.arc)];
  };
  for (std::size_t i = 0; i < all.size(); ++i) {
    const CarrierArc &a = arc_of(all[i]);
    const Index at = e.first_of_leg[all[i].leg] + all[i].arc;
    e.p(at, at) += all[i].sd * all[i].sd;
    for (std::size_t k = 0; k < i; ++k) {
      if (all[i].leg == all[k].leg) continue;
      const double c = common_of_arcs(a, arc_of(all[k])) * all[i].sd * all[k].sd;
      if (c == 0) continue;
      const Index other = e.first_of_leg[all[k].leg] + all[k].arc;
      e.p(at, other) += c;
      e.p(other, at) = e.p(at, other);
    }
  }
  return e;
}

std::vector<SessionFilter::ArcConstant> SessionFilter::arc_constants() const {
  std::vector<ArcConstant> out;
  for (const auto &[key, noise] : arc_multipath_) {
    const auto leg = static_cast<std::size_t>(key.first);
    const DifferencedSession &s = *legs_[leg].session;
    const CarrierArc &arc = s.arcs[static_cast<std::size_t>(key.second)];
    const double lambda = speed_of_light / s.hz.at(arc.sat)[static_cast<std::size_t>(arc.band)];
    const double v = noise_[leg].beyond(arc.last - arc.first) * noise.first / noise.second;
    if (v > 0) out.push_back({leg, key.second, std::sqrt(v) / lambda});
  }
  return out;
}

VectorXd SessionFilter::Estimate::with_biases(const VectorXd &state, std::size_t leg,
                                              const DifferencedSession &s) const {
  VectorXd out = state.segment(first_of_leg[leg], static_cast<Index>(s.arcs.size()));
  for (std::size_t a = 0; a < s.arcs.size(); ++a)
    if (const auto i = bias.find({leg, s.arcs[a].band}); s.arcs[a].sat.system == 'R' && i != bias.end())
      out[static_cast<Index>(a)] +=
          state[i->second] * s.hz.at(s.arcs[a].sat)[static_cast<std::size_t>(s.arcs[a].band)] / speed_of_light;
  return out;
}

} // namespace ampletie
