#include "gnss/kinematic/slow_filter.h"
#include "gnss/ambiguity/fixing.h"
#include "gnss/filter/gated_innovation.h"
#include "gnss/static/filter.h"
#include <Eigen/Dense>
#include <cmath>
#include <functional>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Kind = SlowKey::Kind;

constexpr double place_variance = 100.0 * 100.0, clock_variance = 100.0 * 100.0;
/// The relative atmosphere changes with height by more than the standard's: m of zenith delay in 1000 m.
constexpr double lapse_sd = 0.03;
constexpr double gradients_from_m = 3000;

int id(SatId s) { return s.system * 256 + s.number; }

} // namespace

double moving_ionosphere_sd(const MovingEpoch &e, const MovingSetting &setting, const StaticOptions &o) {
  return o.ionosphere_ppm * 1e-6 * (e.start - setting.base).norm() + 0.001;
}

double prior_variance(const SlowKey &k, const MovingSession &s, const MovingSetting &setting, const StaticOptions &o,
                      double ionosphere_sd) {
  switch (k.kind) {
  case Kind::zenith:
    return o.relative_troposphere ? std::pow(0.02 + 0.0005 * setting.longest / 1000, 2) : 1e-12;
  case Kind::lapse:
    return o.relative_troposphere ? lapse_sd * lapse_sd : 1e-12;
  case Kind::gradient:
    return std::pow(o.gradient_sd * std::min(1.0, setting.longest / 20e3), 2);
  case Kind::code_bias:
    return 10.0 * 10.0;
  case Kind::carrier_bias:
    return s.carrier_bias_sd * s.carrier_bias_sd;
  case Kind::ionosphere:
    return ionosphere_sd * ionosphere_sd;
  default:
    return 0;
  }
}

void advance_slow(SlowState &s, double dt, const StaticOptions &o) {
  for (Index i = 0; i < static_cast<Index>(s.keys.size()); ++i) {
    const SlowKey &k = s.keys[static_cast<std::size_t>(i)];
    if (k.kind == Kind::zenith && o.relative_troposphere)
      s.p(i, i) += o.troposphere_walk * o.troposphere_walk * dt / 3600;
    if (k.kind != Kind::ionosphere) continue;
    const double phi = std::exp(-dt / o.ionosphere_correlation_s);
    s.p.row(i).head(i + 1) *= phi;
    s.p.col(i).tail(s.p.rows() - i) *= phi;
    s.x[i] *= phi;
    s.p(i, i) += (1 - phi * phi) * s.prior[i];
  }
}

int component_count(const Relations &relations) {
  int out = 0;
  for (const ArcRelation &r : relations) out = std::max(out, r.component + 1);
  return out;
}

std::vector<std::pair<int, std::int64_t>> units_of(const Relations &relations) {
  const int components = component_count(relations);
  std::vector<std::pair<int, std::int64_t>> out;
  for (std::size_t a = 0; a < relations.size(); ++a)
    out.emplace_back(relations[a].component >= 0 ? relations[a].component : components + static_cast<int>(a),
                     relations[a].component >= 0 ? relations[a].cycles : 0);
  return out;
}

void rows_of(const MovingEpoch &e, const MovingDifference &d, const MovingSession &s, const MovingSetting &setting,
             const StaticOptions &o, const std::vector<std::pair<int, std::int64_t>> &unit_of,
             std::vector<MovingRow> &rows) {
  const auto &hz = s.hz.at(d.sat);
  MovingRow common;
  common.system = d.sat.system;
  // The standard delay was taken at the place linearised at; it changes with height.
  common.place = -d.unit + e.zenith_rate * d.wet_mapping * e.start.normalized();
  common.slow.emplace_back(SlowKey{Kind::zenith}, d.wet_mapping);
  if (o.relative_troposphere) {
    common.slow.emplace_back(SlowKey{Kind::lapse}, d.wet_mapping * (e.height - setting.base_height) / 1000);
    if (setting.longest > gradients_from_m) {
      const double g = 1 / (std::sin(d.elevation) * std::tan(d.elevation) + 0.0032); // Chen and Herring (1997)
      common.slow.emplace_back(SlowKey{Kind::gradient, 0, 0}, g * std::cos(d.azimuth));
      common.slow.emplace_back(SlowKey{Kind::gradient, 0, 1}, g * std::sin(d.azimuth));
    }
  }
  for (std::size_t b = 0; b < band_count; ++b) {
    const int band = static_cast<int>(b);
    const double factor = hz[b] > 0 ? iono_factor(hz[b]) : 0;
    if (std::isfinite(d.code[b])) {
      MovingRow r = common;
      r.y = d.code[b], r.band = band;
      if (o.ionosphere) r.slow.emplace_back(SlowKey{Kind::ionosphere, id(d.sat)}, factor);
      if (b > 0) r.slow.emplace_back(SlowKey{Kind::code_bias, d.sat.system, band}, 1.0);
      rows.push_back(std::move(r));
    }
    const int arc = d.arc[b];
    if (arc < 0 || !std::isfinite(d.phase[b])) continue;
    const auto [unit, cycles] = unit_of[static_cast<std::size_t>(arc)];
    if (unit < 0) continue;
    const double wavelength = speed_of_light / hz[b];
    MovingRow r = common;
    r.y = d.phase[b] - wavelength * static_cast<double>(cycles), r.band = band, r.arc = arc;
    if (o.ionosphere) r.slow.emplace_back(SlowKey{Kind::ionosphere, id(d.sat)}, -factor);
    if (d.sat.system == 'R') r.slow.emplace_back(SlowKey{Kind::carrier_bias, d.sat.system, band}, 1.0);
    r.slow.emplace_back(SlowKey{Kind::unit, unit}, wavelength);
    rows.push_back(std::move(r));
  }
}

class SlowFilter::Work {
public:
  Work(const MovingSession &s, const MovingSetting &setting, const StaticOptions &o,
       const std::vector<std::size_t> &thin, bool backward, const Relations *known)
      : s_(s), setting_(setting), o_(o), thin_(thin), seek_(!known && o.integers) {
    if (backward) std::reverse(thin_.begin(), thin_.end());
    StaticOptions single = o;
    single.correlated_noise = false;
    single_ = std::make_unique<NoiseModel>(single, 1, setting.like_receivers);
    const Relations relations = known ? *known : Relations(s.arcs.size());
    unit_of_ = units_of(relations);
    units_.resize(static_cast<std::size_t>(component_count(relations)) + s.arcs.size());
    for (std::size_t a = 0; a < s.arcs.size(); ++a)
      units_[static_cast<std::size_t>(unit_of_[a].first)].push_back(static_cast<int>(a));
    seen_.assign(s.arcs.size(), false);
    weak_.assign(s.arcs.size(), false);
    last_.assign(s.arcs.size(), 0);
    for (std::size_t n = 0; n < thin_.size(); ++n)
      for (const MovingDifference &d : s.load(thin_[n]).sats)
        for (int a : d.arc)
          if (a >= 0) last_[static_cast<std::size_t>(a)] = n;
    const double span = thin.empty() ? 0 : s.epochs[thin.back()].time - s.epochs[thin.front()].time;
    hours_ = span / 3600;
    attempt_every_ = std::clamp(span / 40, 0.0, 10.0), confirm_ = std::clamp(span / 8, 0.0, 30.0);
    state_.reserve(256);
    for (int i = 0; i < 3; ++i) state_.add(0, place_variance), keys_.push_back({});
  }

  void run(const Progress &progress, double checkpoint_s) {
    for (std::size_t n = 0; n < thin_.size(); ++n) {
      progress.check();
      const MovingEpoch e = s_.load(thin_[n]);
      if (n > 0) advance(std::abs(e.time - before_));
      dt_ = n > 0 ? std::abs(e.time - before_) : thin_.size() > 1 ? std::abs(s_.epochs[thin_[1]].time - e.time) : 1;
      correlated_ = std::make_unique<NoiseModel>(o_, dt_, setting_.like_receivers);
      before_ = e.time;
      iono_sd_ = moving_ionosphere_sd(e, setting_, o_);
      for (const MovingDifference &d : e.sats) satellite(e, d);
      if (seek_) seek(n, e.time);
      if (checkpoint_s > 0 && (n == 0 || n + 1 == thin_.size() || std::abs(e.time - kept_) >= checkpoint_s - 1e-3)) {
        kept_ = e.time;
        checkpoints.push_back(snapshot(e.time));
      }
      remove_gone(n, e);
    }
  }

  Relations relations() const {
    Relations out(s_.arcs.size());
    for (std::size_t u = 0; u < units_.size(); ++u) {
      if (units_[u].size() < 2) continue;
      for (int a : units_[u]) {
        const auto i = static_cast<std::size_t>(a);
        out[i] = {static_cast<int>(u), unit_of_[i].second, weak_[i]};
      }
    }
    return out;
  }

  std::vector<SlowState> checkpoints;
  std::vector<ForcedBreak> breaks;
  int rejected = 0;
  double ratio = 0;

private:
  struct Row {
    std::vector<std::pair<Index, double>> h;
    double y, variance;
    int band; ///< −1 − band for codes
    int arc;
  };

  Index slow_state(const SlowKey &k, const MovingDifference &d, double start) {
    const auto it = at_.find(k);
    if (k.kind == Kind::ionosphere) variance_[k] = std::pow(iono_sd_ * shell_obliquity(d.elevation), 2);
    if (it != at_.end()) return it->second;
    const double v =
        k.kind == Kind::unit ? 1e4 : prior_variance(k, s_, setting_, o_, iono_sd_ * shell_obliquity(d.elevation));
    return add(k, start, v);
  }
  Index add(const SlowKey &k, double x, double variance) {
    const Index i = state_.add(x, variance);
    at_[k] = i;
    keys_.push_back({false, k});
    return i;
  }
  Index clock(char system) {
    auto [it, fresh] = clocks_.try_emplace(system, -1);
    if (fresh) {
      it->second = state_.add(0, clock_variance);
      keys_.push_back({true, {}});
    }
    return it->second;
  }

  void advance(double dt) {
    const double hours = dt / 3600, phi = std::exp(-dt / o_.ionosphere_correlation_s);
    for (Index i = 0; i < 3; ++i) state_.renew(i, place_variance);
    for (auto [system, i] : clocks_) state_.renew(i, clock_variance);
    for (const auto &[k, i] : at_) {
      if (k.kind == Kind::zenith && o_.relative_troposphere)
        state_.p(i, i) += o_.troposphere_walk * o_.troposphere_walk * hours;
      if (k.kind == Kind::ionosphere) {
        state_.decay(i, phi);
        state_.p(i, i) += (1 - phi * phi) * variance_[k];
      }
    }
  }

  void satellite(const MovingEpoch &e, const MovingDifference &d) {
    std::vector<MovingRow> list;
    rows_of(e, d, s_, setting_, o_, unit_of_, list);
    double code = 0;
    for (std::size_t b = band_count; b-- > 0;)
      if (std::isfinite(d.code[b])) code = d.code[b];
    std::vector<Row> rows;
    for (const MovingRow &r : list) {
      Row row{{}, r.y, 0, r.arc < 0 ? -1 - r.band : r.band, r.arc};
      for (Index i = 0; i < 3; ++i) row.h.emplace_back(i, r.place[i]);
      row.h.emplace_back(clock(r.system), 1.0);
      for (const auto &[k, h] : r.slow)
        row.h.emplace_back(slow_state(k, d, k.kind == Kind::unit ? std::round((r.y - code) / h) : 0), h);
      row.variance = variance(d, r);
      rows.push_back(std::move(row));
    }
    apply(rows, d, e.time);
    for (int a : d.arc)
      if (a >= 0) seen_[static_cast<std::size_t>(a)] = true;
  }

  /// The first value of an arc says what an epoch says; later ones what they add to the mean of correlated noise.
  double variance(const MovingDifference &d, const MovingRow &r) const {
    const bool first = r.arc >= 0 ? !seen_[static_cast<std::size_t>(r.arc)]
                                  : std::none_of(d.arc.begin(), d.arc.end(),
                                                 [&](int a) { return a >= 0 && seen_[static_cast<std::size_t>(a)]; });
    if (r.arc < 0) return (first ? *single_ : *correlated_).code(d.sat, d.elevation);
    if (first || !o_.correlated_noise) return single_->phase_white(d.elevation) + d.interpolated;
    const double lasting = correlated_->multipath(d.elevation) * std::max(1.0, 2 * o_.correlation_s / dt_);
    return correlated_->phase_white(d.elevation) + lasting + d.interpolated * std::max(1.0, 30 / dt_);
  }

  void apply(std::vector<Row> &rows, const MovingDifference &d, GpsTime time) {
    const auto nothing = [](const Row &, const Row &) { return 0.0; };
    const auto [g, innovation, s] = gated_innovation(state_, rows, nothing, [&](const Row &row) {
      if (row.arc < 0) return;
      ++rejected;
      auto &[count, since] = misses_[row.arc];
      if (count++ == 0) since = time;
      if (count == 3) breaks.push_back({d.sat, row.band, since});
    });
    if (rows.empty()) return;
    for (const Row &row : rows)
      if (row.arc >= 0) misses_[row.arc].first = 0;
    const Eigen::LLT<MatrixXd> llt(s);
    state_.update(g, llt, llt.solve(innovation));
  }

  CarrierArc describe(std::size_t unit) const {
    CarrierArc out = s_.arcs[static_cast<std::size_t>(units_[unit].front())];
    out.epochs = 0;
    for (int a : units_[unit]) out.epochs += s_.arcs[static_cast<std::size_t>(a)].epochs;
    if (units_[unit].size() > 1) out.epochs += 100'000'000; // what is joined already is counted from first
    return out;
  }

  /// Units in the state, and what is said about their integers now.
  void seek(std::size_t n, GpsTime time) {
    std::vector<std::size_t> units;
    bool ends = n + 1 == thin_.size();
    for (const auto &[k, i] : at_) {
      if (k.kind != Kind::unit) continue;
      const auto u = static_cast<std::size_t>(k.a);
      units.push_back(u);
      if (units_[u].size() == 1 && last_[static_cast<std::size_t>(units_[u][0])] == n) ends = true;
    }
    const bool open = std::any_of(units.begin(), units.end(), [&](std::size_t u) { return units_[u].size() == 1; });
    if (!open || units.size() < 2 || (!ends && std::abs(time - attempted_) < attempt_every_ - 1e-3)) return;
    attempted_ = time;
    std::vector<Index> order{0, 1, 2};
    std::vector<CarrierArc> arcs;
    int standing = 0;
    for (std::size_t u : units) {
      order.push_back(at_.at({Kind::unit, static_cast<int>(u)}));
      arcs.push_back(describe(u));
      if (units_[u].size() > 1) standing += static_cast<int>(units_[u].size()) - 1;
    }
    const Index count = static_cast<Index>(order.size());
    VectorXd x(count);
    MatrixXd p(count, count);
    for (Index i = 0; i < count; ++i) {
      x[i] = state_.x[order[static_cast<std::size_t>(i)]];
      for (Index k = 0; k <= i; ++k) {
        const Index a = order[static_cast<std::size_t>(i)], b = order[static_cast<std::size_t>(k)];
        p(i, k) = p(k, i) = state_.p(std::max(a, b), std::min(a, b));
      }
    }
    // Reflections that turn too slowly for an arc to average them: a constant of it.
    for (std::size_t i = 0; i < units.size(); ++i)
      if (units_[units[i]].size() == 1) {
        const auto a = static_cast<std::size_t>(units_[units[i]][0]);
        const auto f = age_.find(static_cast<int>(a));
        const double lasted = f == age_.end() ? 0 : std::abs(time - f->second);
        const double wavelength = speed_of_light / s_.hz.at(s_.arcs[a].sat)[static_cast<std::size_t>(s_.arcs[a].band)];
        p(3 + static_cast<Index>(i), 3 + static_cast<Index>(i)) +=
            correlated_->beyond(lasted) * correlated_->total(0.6) / (wavelength * wavelength);
      }
    const Fixed f = fix_integers(x, p, 3, arcs, s_.integer_systems, o_, standing >= 8);
    if (f.solution != Solution::fixed && f.solution != Solution::partly_fixed) return;
    ratio = ratio > 0 ? std::min(ratio, f.ratio) : f.ratio;
    note(units, arcs, f, n, time);
  }

  /// What was accepted now, by unit against the one it is counted from.
  void note(const std::vector<std::size_t> &units, const std::vector<CarrierArc> &arcs, const Fixed &f, std::size_t n,
            GpsTime time) {
    std::map<std::pair<char, int>, std::size_t> reference;
    for (std::size_t i = 0; i < units.size(); ++i) {
      const auto it = reference.try_emplace({arcs[i].sat.system, arcs[i].band}, i).first;
      if (arcs[i].epochs > arcs[it->second].epochs) it->second = i;
    }
    for (std::size_t i = 0; i < units.size(); ++i) {
      const std::size_t r = reference.at({arcs[i].sat.system, arcs[i].band});
      if (r == i) continue;
      const Index a = 3 + static_cast<Index>(i), b = 3 + static_cast<Index>(r);
      const double v = f.p(a, a) + f.p(b, b) - 2 * f.p(a, b), difference = f.x[a] - f.x[b];
      if (v > 1e-5 || std::abs(difference - std::round(difference)) > 0.01) continue;
      const auto whole = static_cast<std::int64_t>(std::llround(difference));
      const bool dying = units_[units[i]].size() == 1 &&
                         (last_[static_cast<std::size_t>(units_[units[i]][0])] == n || n + 1 == thin_.size());
      Candidate &c = candidates_[units[i]];
      const std::size_t from = units[r];
      if (c.count == 0 || c.from != from || c.cycles != whole) c = {from, whole, 0, time};
      ++c.count;
      if (std::abs(time - c.since) >= confirm_ - 1e-3 && c.count >= 2)
        join(units[i], from, whole, false);
      else if (dying)
        join(units[i], from, whole, c.count < 2);
    }
    for (std::size_t u : joined_) candidates_.erase(u);
    joined_.clear();
  }

  /// `unit` is `from` and so many cycles.
  void join(std::size_t unit, std::size_t from, std::int64_t cycles, bool weak) {
    const Index a = at_.at({Kind::unit, static_cast<int>(unit)}), b = at_.at({Kind::unit, static_cast<int>(from)});
    VectorXd g = VectorXd::Zero(state_.size);
    state_.add_column(a, 1, g);
    state_.add_column(b, -1, g);
    MatrixXd s(1, 1);
    s(0, 0) = std::max(g[a] - g[b], 0.0) + 1e-8;
    if (!weak) {
      VectorXd weighted(1);
      weighted[0] = (static_cast<double>(cycles) - (state_.x[a] - state_.x[b])) / s(0, 0);
      state_.update(g, Eigen::LLT<MatrixXd>(s), weighted);
    }
    for (int arc : units_[unit]) {
      const auto i = static_cast<std::size_t>(arc);
      unit_of_[i] = {static_cast<int>(from), unit_of_[i].second + cycles};
      units_[from].push_back(arc);
      weak_[i] = weak_[i] || weak;
    }
    units_[unit].clear();
    joined_.push_back(unit);
  }

  void remove_gone(std::size_t n, const MovingEpoch &e) {
    std::vector<Index> keep;
    for (const MovingDifference &d : e.sats)
      for (int a : d.arc)
        if (a >= 0) age_.try_emplace(a, e.time);
    std::set<int> seen;
    for (const MovingDifference &d : e.sats) seen.insert(id(d.sat)), last_seen_[id(d.sat)] = e.time;
    for (Index i = 0; i < state_.size; ++i) {
      if (i >= 3 && !keys_[static_cast<std::size_t>(i)].first) {
        const SlowKey &k = keys_[static_cast<std::size_t>(i)].second;
        if (k.kind == Kind::unit) {
          const auto &list = units_[static_cast<std::size_t>(k.a)];
          if (std::none_of(list.begin(), list.end(), [&](int a) { return last_[static_cast<std::size_t>(a)] > n; }))
            continue;
        }
        if (k.kind == Kind::ionosphere && !seen.count(k.a) && std::abs(e.time - last_seen_[k.a]) > 600) continue;
      }
      keep.push_back(i);
    }
    if (static_cast<Index>(keep.size()) == state_.size) return;
    std::vector<std::pair<bool, SlowKey>> keys;
    std::map<Index, char> systems;
    for (auto [system, i] : clocks_) systems[i] = system;
    for (Index from : keep) {
      const auto s = systems.find(from);
      if (s != systems.end()) clocks_[s->second] = static_cast<Index>(keys.size());
      keys.push_back(keys_[static_cast<std::size_t>(from)]);
    }
    state_.keep(keep);
    keys_ = std::move(keys);
    at_.clear();
    for (Index i = 3; i < state_.size; ++i)
      if (!keys_[static_cast<std::size_t>(i)].first) at_[keys_[static_cast<std::size_t>(i)].second] = i;
  }

  SlowState snapshot(GpsTime time) const {
    SlowState out;
    out.time = time;
    std::vector<Index> order;
    for (const auto &[k, i] : at_) out.keys.push_back(k), order.push_back(i);
    const Index n = static_cast<Index>(order.size());
    out.x.resize(n);
    out.p.resize(n, n);
    out.prior.resize(n);
    for (Index i = 0; i < n; ++i) {
      const Index a = order[static_cast<std::size_t>(i)];
      const SlowKey &key = out.keys[static_cast<std::size_t>(i)];
      const auto v = variance_.find(key);
      const double known = v != variance_.end() ? v->second : prior_variance(key, s_, setting_, o_, iono_sd_);
      // What was known of the zenith delay at the start is worth less after its walk.
      const double walked = key.kind == Kind::zenith ? o_.troposphere_walk * o_.troposphere_walk * hours_ : 0;
      out.prior[i] = known > 0 ? known + walked : std::numeric_limits<double>::infinity();
      out.x[i] = state_.x[a];
      for (Index k = 0; k <= i; ++k) {
        const Index b = order[static_cast<std::size_t>(k)];
        out.p(i, k) = out.p(k, i) = state_.p(std::max(a, b), std::min(a, b));
      }
    }
    return out;
  }

  struct Candidate {
    std::size_t from = 0;
    std::int64_t cycles = 0;
    int count = 0;
    GpsTime since{};
  };

  const MovingSession &s_;
  const MovingSetting &setting_;
  const StaticOptions &o_;
  std::vector<std::size_t> thin_;
  bool seek_;
  std::unique_ptr<NoiseModel> single_, correlated_;
  GaussianState state_;
  std::vector<std::pair<bool, SlowKey>> keys_; ///< whether it is a clock (or the place); else what it is
  std::map<SlowKey, Index> at_;
  std::map<char, Index> clocks_;
  std::map<SlowKey, double> variance_;
  std::vector<std::vector<int>> units_; ///< arcs of each
  std::vector<std::pair<int, std::int64_t>> unit_of_;
  std::vector<bool> seen_, weak_;
  std::vector<std::size_t> last_; ///< last place in `thin_` of each arc
  std::map<int, GpsTime> age_, last_seen_;
  std::map<int, std::pair<int, GpsTime>> misses_;
  std::map<std::size_t, Candidate> candidates_;
  std::vector<std::size_t> joined_;
  double dt_ = 1, hours_ = 0, iono_sd_ = 0.001, attempt_every_ = 10, confirm_ = 30;
  GpsTime before_{}, attempted_{}, kept_{};
};

SlowFilter::SlowFilter(const MovingSession &s, const MovingSetting &setting, const StaticOptions &o,
                       const std::vector<std::size_t> &thin, bool backward, const Relations *known)
    : work_(std::make_unique<Work>(s, setting, o, thin, backward, known)) {
  backward_ = backward;
}
SlowFilter::~SlowFilter() = default;
void SlowFilter::run(const Progress &progress, double checkpoint_s) { work_->run(progress, checkpoint_s); }
Relations SlowFilter::relations() const { return work_->relations(); }
std::vector<SlowState> SlowFilter::take_checkpoints() {
  if (backward_) std::reverse(work_->checkpoints.begin(), work_->checkpoints.end());
  return std::move(work_->checkpoints);
}
const std::vector<ForcedBreak> &SlowFilter::breaks() const { return work_->breaks; }
int SlowFilter::rejected() const { return work_->rejected; }
double SlowFilter::ratio() const { return work_->ratio; }

} // namespace ampletie
