#include "network/mistakes.h"
#include "adjustment/statistics.h"
#include "network/problem.h"
#include <Eigen/Dense>
#include <algorithm>
#include <functional>
#include <set>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Where marks are in an adjusted network.
class Places {
public:
  Places(const NetworkInput &in, const NetworkResult &r) : r_(r) {
    for (const NetworkMark &m : in.marks) marks_[m.name] = &m;
  }
  Vec3 at(const std::string &mark, const AdjustmentResult &a) const {
    const auto value = [&](int i) { return a.values[static_cast<std::size_t>(i)]; };
    const Vec3 &origin = marks_.at(mark)->position.xyz;
    const int first = r_.parameter.at(mark);
    Vec3 enu(value(first), value(first + 1), value(first + 2));
    if (const auto lift = r_.lift.find(mark); lift != r_.lift.end())
      for (const auto &[node, weight] : lift->second) enu.z() += weight * value(node);
    return origin + local_axes(to_geodetic(origin)).transpose() * enu;
  }
  /// From one mark to another, in the axes of the first.
  Vec3 enu(const std::string &from, const std::string &to, const AdjustmentResult &a) const {
    const Vec3 x = at(from, a);
    return local_axes(to_geodetic(x)) * (at(to, a) - x);
  }
  const NetworkMark &mark(const std::string &name) const { return *marks_.at(name); }

private:
  const NetworkResult &r_;
  std::map<std::string, const NetworkMark *> marks_;
};

/// A mistake that may have been made.
struct Candidate {
  MistakeKind kind;
  std::string about, other;
  Pattern pattern;
  double prior = 0; ///< in units of χ²: what is made less often must explain more
  /// Of what has a known size: an antenna that stood over another mark. The pattern of that size as marks are found to
  /// lie; the size is one, or it is no such mistake.
  std::function<Pattern(const AdjustmentResult &)> known{};
};

// Common practice: heights and single readings go wrong most often, control seldom; a vector of fixed integers as good
// as never, unless what it stood on did.
double prior_of(MistakeKind k) {
  switch (k) {
  case MistakeKind::antenna_height:
  case MistakeKind::instrument_height:
  case MistakeKind::target_height:
  case MistakeKind::exchanged:
  case MistakeKind::on_another:
    return 0;
  case MistakeKind::line_reversed:
  case MistakeKind::level:
  case MistakeKind::direction:
  case MistakeKind::distance:
  case MistakeKind::prism_constant:
    return 1;
  case MistakeKind::line_in_feet:
  case MistakeKind::line_in_metres:
    return 2;
  case MistakeKind::distance_scale:
    return 3;
  case MistakeKind::held_height:
    return 4;
  case MistakeKind::held_plan:
    return 5;
  case MistakeKind::phase_centre:
    return 7;
  case MistakeKind::vector:
    return 10;
  case MistakeKind::beside_mark:
    return 12;
  }
  return 0;
}

/// Everything worth weighing, in the neighbourhood of what does not fit.
class Catalogue {
public:
  Catalogue(const NetworkInput &in, const NetworkResult &r, const Places &places, const AdjustedBlocks &now,
            const Screening &screen)
      : in_(in), r_(r), places_(places), now_(now), screen_(screen) {
    for (const BlockTest &t : now.result->tests) {
      double &worst = strained_[{t.block, t.id, t.kind}];
      if (!t.passes) worst = 10;
      for (const ObservationTest &o : t.observations) worst = std::max(worst, std::abs(o.standardised));
    }
    for (const NetworkSetup &s : in.setups) antennas_[s.id] = &s;
    for (const NetworkStation &s : in.stations)
      for (const NetworkSight &t : s.sights) station_of_[t.id] = &s, target_of_[t.id] = t.to;
  }

  std::vector<Candidate> all() {
    for (std::size_t n = 0; n < now_.blocks.size(); ++n) {
      const Block &b = *now_.blocks[n];
      if (b.kind == "set-up") setup_[b.id] = n;
      for (const Block::Part &p : parts_of(b)) part(n, b, p);
    }
    for (const auto &[id, n] : setup_)
      if (strained(n, id, "set-up")) antennas_.count(id) ? antenna(n, id) : instrument(n, id);
    for (const auto &s : in_.stations) distances(s);
    lines();
    exchanges();
    held();
    return std::move(out_);
  }

private:
  bool strained(std::size_t n, const std::string &id, const std::string &kind) const {
    constexpr double worth = 2; // standard deviations: less is no neighbourhood of a mistake
    const auto it = strained_.find({n, id, kind});
    return it != strained_.end() && it->second > worth;
  }
  void add(MistakeKind kind, std::string about, std::string other, Pattern p) {
    out_.push_back({kind, std::move(about), std::move(other), std::move(p), prior_of(kind)});
  }
  void add_known(MistakeKind kind, std::string about, std::string other,
                 std::function<Pattern(const AdjustmentResult &)> known) {
    add(kind, std::move(about), std::move(other), known(*now_.result));
    out_.back().known = std::move(known);
  }

  void part(std::size_t n, const Block &b, const Block::Part &p) {
    if (!strained(n, p.id, p.kind)) return;
    std::vector<Index> rows;
    for (Index i = 0; i < p.count; ++i) rows.push_back(p.first + i);
    const auto station = station_of_.find(p.id);
    const std::string from = station == station_of_.end() ? std::string() : station->second->id;
    if (p.kind == "vector") add(MistakeKind::vector, p.id, {}, screen_.observations(n, rows));
    if (p.kind == "level") add(MistakeKind::level, p.id, {}, screen_.observations(n, rows));
    if (p.kind == "antenna calibration")
      add(MistakeKind::phase_centre, p.id, {}, screen_.observations(n, {p.first + 2}));
    if (p.kind == "direction" || p.kind == "azimuth")
      add(MistakeKind::direction, p.id, from, screen_.observations(n, rows));
    if (p.kind == "distance" || p.kind == "horizontal distance")
      add(MistakeKind::distance, p.id, from, screen_.observations(n, rows));
    if (p.kind == "weighted coordinates") {
      add(MistakeKind::held_plan, p.id, p.id, screen_.observations(n, {p.first, p.first + 1}));
      add(MistakeKind::held_height, p.id, p.id, screen_.observations(n, {p.first + 2}));
    }
    // What is seen higher because the target was: as if its mark were higher.
    if ((p.kind == "zenith angle" || p.kind == "height difference") && b.kind == "sight" &&
        station != station_of_.end()) {
      const Pattern up = screen_.along({r_.parameter.at(target_of_.at(p.id)) + 2}, -1);
      for (const auto &[block, column] : up.blocks)
        if (block == n) add(MistakeKind::target_height, p.id, from, {{{block, column}}});
    }
  }

  void antenna(std::size_t n, const std::string &id) {
    add(MistakeKind::antenna_height, id, {}, screen_.observations(n, {2}));
    add(MistakeKind::beside_mark, id, {}, screen_.observations(n, {0, 1, 2}));
    const std::string &own = antennas_.at(id)->mark;
    for (const NetworkMark &m : in_.marks)
      if (m.plan_known && near(own, m.name))
        add_known(MistakeKind::on_another, id, m.name, [n, own, to = m.name, &places = places_](const auto &a) {
          return Pattern{{{n, MatrixXd(Vec3(-places.enu(own, to, a)))}}};
        });
  }
  void instrument(std::size_t n, const std::string &id) {
    add(MistakeKind::instrument_height, id, {}, screen_.observations(n, {2}));
  }

  /// Marks farther apart would have been told apart before.
  bool near(const std::string &from, const std::string &to) const {
    constexpr double far = 300;
    return from != to && (places_.mark(to).position.xyz - places_.mark(from).position.xyz).norm() < far;
  }

  void exchanges() {
    std::map<std::string, std::set<std::string>> sessions;
    for (const NetworkVector &v : in_.vectors) sessions[v.session].insert({v.from_setup, v.to_setup});
    for (const auto &[session, setups] : sessions)
      for (auto a = setups.begin(); a != setups.end(); ++a)
        for (auto b = std::next(a); b != setups.end(); ++b) {
          const auto na = setup_.find(*a), nb = setup_.find(*b);
          if (na == setup_.end() || nb == setup_.end()) continue;
          if (!strained(na->second, *a, "set-up") && !strained(nb->second, *b, "set-up")) continue;
          const std::string &ma = antennas_.at(*a)->mark, &mb = antennas_.at(*b)->mark;
          if (!near(ma, mb)) continue;
          add_known(MistakeKind::exchanged, *a, *b,
                    [ba = na->second, bb = nb->second, ma, mb, &places = places_](const auto &x) {
                      return Pattern{
                          {{ba, MatrixXd(Vec3(-places.enu(ma, mb, x)))}, {bb, MatrixXd(Vec3(-places.enu(mb, ma, x)))}}};
                    });
        }
  }

  void distances(const NetworkStation &s) {
    Pattern constant, scale;
    int count = 0;
    for (std::size_t n = 0; n < now_.blocks.size(); ++n) {
      const Block &b = *now_.blocks[n];
      if (b.kind != "sight") continue;
      for (const Block::Part &p : b.parts) {
        const auto own = station_of_.find(p.id);
        if (own == station_of_.end() || own->second != &s || p.kind != "distance") continue;
        MatrixXd one = MatrixXd::Zero(b.observed.size(), 1);
        one(p.first, 0) = 1;
        constant.blocks.emplace_back(n, one);
        scale.blocks.emplace_back(n, one * b.observed[p.first]);
        ++count;
      }
    }
    if (count < 2) return; // of one distance alone nobody can tell which
    add(MistakeKind::prism_constant, s.id, {}, std::move(constant));
    add(MistakeKind::distance_scale, s.id, {}, std::move(scale));
  }

  /// All differences of a line: what is observed less what would be, as a part of what is observed.
  void lines() {
    std::map<std::string, std::string> line_of; // section → line
    for (const NetworkLevel &l : in_.levels)
      if (!l.line.empty()) line_of[l.id] = l.line;
    std::map<std::string, Pattern> observed;
    std::set<std::string> strained_lines;
    for (std::size_t n = 0; n < now_.blocks.size(); ++n) {
      const Block &b = *now_.blocks[n];
      const auto line = line_of.find(b.id);
      if (b.kind != "level" || line == line_of.end()) continue;
      observed[line->second].blocks.emplace_back(n, MatrixXd(b.observed));
      if (strained(n, b.id, b.kind)) strained_lines.insert(line->second);
    }
    constexpr double foot = 0.3048;
    for (const std::string &line : strained_lines)
      for (const auto &[kind, part] : {std::pair{MistakeKind::line_reversed, 2.0},
                                       {MistakeKind::line_in_feet, 1 - foot},
                                       {MistakeKind::line_in_metres, 1 - 1 / foot}}) {
        Pattern p = observed.at(line);
        for (auto &[n, column] : p.blocks) column *= part;
        add_known(kind, line, {}, [p](const AdjustmentResult &) { return p; });
      }
  }

  void held() {
    for (const NetworkMark &m : in_.marks) {
      const int first = r_.parameter.at(m.name);
      const auto fixed = [&](int k) { return now_.result->index[static_cast<std::size_t>(first + k)] < 0; };
      if (m.plan_known && fixed(0) && fixed(1))
        add(MistakeKind::held_plan, m.name, m.name, screen_.along({first, first + 1}, -1));
      if (fixed(2)) add(MistakeKind::held_height, m.name, m.name, screen_.along({first + 2}, -1));
    }
    std::erase_if(out_, [](const Candidate &c) { return c.pattern.blocks.empty(); });
  }

  const NetworkInput &in_;
  const NetworkResult &r_;
  const Places &places_;
  const AdjustedBlocks &now_;
  const Screening &screen_;
  std::map<std::tuple<std::size_t, std::string, std::string>, double> strained_; ///< largest |w|
  std::map<std::string, const NetworkSetup *> antennas_;
  std::map<std::string, const NetworkStation *> station_of_;
  std::map<std::string, std::string> target_of_;
  std::map<std::string, std::size_t> setup_;
  std::vector<Candidate> out_;
};

struct Weighed {
  Candidate what;
  Screening::Weighed weighed;
  Screening::Verdict verdict;
  double score;
};

/// A mistake of known size is none when what was found is quite another one. The network still lies where the mistake
/// has drawn it: two marks that were exchanged once have come nearer to each other, so that more than the whole of
/// their distance is missing.
bool size_fits(const Candidate &c, double size, double sd) {
  return !c.known || (size > 0.3 - 4 * sd && size < 4 + 4 * sd);
}

/// What no antenna, prism or weather is capable of is no mistake with them: common practice.
bool size_possible(MistakeKind k, double size) {
  switch (k) {
  case MistakeKind::phase_centre:
    return std::abs(size) < 0.15;
  case MistakeKind::prism_constant:
    return std::abs(size) < 0.2;
  case MistakeKind::distance_scale:
    return std::abs(size) < 4e-4;
  default:
    return true;
  }
}

/// Twice what chance would explain: several sizes are not better than one because they take up more noise.
double score_of(double statistic, Index degrees, double prior) {
  return statistic - 2 * static_cast<double>(degrees) - prior;
}

template <class T> void best_first(std::vector<T> &all, std::size_t keep) {
  std::stable_sort(all.begin(), all.end(), [](const T &x, const T &y) { return x.score > y.score; });
  if (all.size() > keep) all.erase(all.begin() + static_cast<std::ptrdiff_t>(keep), all.end());
}

bool any_fails(const AdjustmentResult &a) {
  return !a.passes || std::any_of(a.tests.begin(), a.tests.end(), [](const auto &t) { return !t.passes; });
}

constexpr std::size_t kept = 40;   ///< single mistakes that pairs are made of
constexpr double by_chance = 0.01; ///< in how many networks chance may explain as much as what is named
/// A second mistake beside a first one must explain this much more: two on one day are rare.
constexpr double second = 6;

/// The search: what one network is asked, and what has been tried of it.
class Search {
public:
  Search(const NetworkInput &in, const NetworkResult &r, const Progress &progress)
      : in_(in), r_(r), progress_(progress), places_(in, r), start_{{}, &r.adjustment} {
    for (const auto &b : r.blocks) start_.blocks.push_back(b.get());
    // An adjustment of a large network takes seconds.
    if (r.adjustment.unknowns > 3000) tries_ = 2;
  }

  std::vector<Explanation> run() {
    std::vector<Weighed> singles = weighed(start_);
    std::vector<Tried> first;
    for (const Weighed &w : singles) {
      if (first.size() == tries_) break;
      if (w.verdict.statistic > limit(w.verdict.size.size())) keep(first, attempt({w.what}, w.verdict.size));
    }
    const auto clears = [](const Tried &t) { return t.said.clears(); };
    if (std::none_of(first.begin(), first.end(), clears)) {
      best_first(singles, kept);
      std::vector<Tried> pairs = together(singles);
      for (auto &t : after(first)) pairs.push_back(std::move(t));
      // Not what takes up chance beside a mistake that was found already.
      std::erase_if(pairs, [&](const Tried &pair) {
        return std::any_of(first.begin(), first.end(), [&](const Tried &single) {
          return part_of(single.said, pair.said) && pair.said.statistic - single.said.statistic < limit(1);
        });
      });
      for (auto &t : pairs) first.push_back(std::move(t));
    }
    std::vector<Explanation> out;
    for (Tried &t : first) out.push_back(std::move(t.said));
    std::stable_sort(out.begin(), out.end(), [](const auto &x, const auto &y) {
      return x.clears() != y.clears() ? x.clears() : x.score > y.score;
    });
    // The same pair found in two ways.
    for (auto e = out.begin(); e != out.end(); ++e)
      out.erase(std::remove_if(std::next(e), out.end(), [&](const Explanation &o) { return same(*e, o); }), out.end());
    return out;
  }

private:
  struct Tried {
    std::vector<Candidate> what;
    VectorXd size;
    CorrectedNetwork after;
    Explanation said;
    double score = 0;
  };

  double limit(Index degrees) const {
    return chi_squared_quantile(1 - by_chance / std::max(1.0, weighed_), static_cast<double>(degrees));
  }

  /// Single mistakes against a network as it is, best first.
  std::vector<Weighed> weighed(const AdjustedBlocks &now) {
    const Screening screen(now);
    std::vector<Candidate> all = Catalogue(in_, r_, places_, now, screen).all();
    weighed_ = std::max(weighed_, static_cast<double>(all.size()));
    std::vector<Weighed> out;
    for (Candidate &c : all) {
      progress_.check();
      Screening::Weighed w = screen.weigh(c.pattern);
      const auto v = screen.verdict(w);
      if (!v || !size_possible(c.kind, v->size[0]) || !size_fits(c, v->size[0], std::sqrt(v->covariance(0, 0))))
        continue;
      const double score = score_of(v->statistic, v->size.size(), c.prior);
      out.push_back({std::move(c), std::move(w), *v, score});
      if (out.size() >= 8 * kept) best_first(out, 4 * kept);
    }
    best_first(out, 4 * kept);
    return out;
  }

  /// Adjusts with mistakes taken off, finds their sizes again from there (what was metres off has drawn everything
  /// with it), and looks what is left.
  /// Nothing where what is left does not adjust: it is no explanation.
  std::optional<Tried> attempt(std::vector<Candidate> what, const VectorXd &size) try {
    progress_.check();
    Tried t{std::move(what), size, {}, {}, 0};
    AdjustmentOptions quick = in_.options;
    quick.tests = false;
    MatrixXd covariance;
    constexpr int rounds = 12;
    constexpr double settled = 1e-6; // m, radians
    for (int round = 0; round < rounds; ++round) {
      const CorrectedNetwork there = adjust_without(start_, pattern(t), t.size, quick);
      const std::vector<VectorXd> before = taken_off(t);
      for (Candidate &c : t.what)
        if (c.known) c.pattern = c.known(there.result);
      const Screening screen(there.view());
      std::optional<Screening::Verdict> v;
      if (t.what.size() == 1)
        v = screen.verdict(screen.weigh(t.what[0].pattern));
      else
        v = screen.verdict(screen.weigh(t.what[0].pattern), screen.weigh(t.what[1].pattern));
      if (!v) break;
      covariance = v->covariance;
      Index at = 0;
      for (const Candidate &c : t.what) {
        const Index q = c.pattern.blocks.front().second.cols();
        // With the pattern made anew its size is what it is called: one.
        if (c.known)
          t.size.segment(at, q).setOnes();
        else
          t.size.segment(at, q) += v->size.segment(at, q);
        at += q;
      }
      const std::vector<VectorXd> now = taken_off(t);
      double change = 0;
      for (std::size_t i = 0; i < now.size(); ++i) change = std::max(change, (now[i] - before[i]).norm());
      if (change < settled) break;
    }
    t.after = adjust_without(start_, pattern(t), t.size, in_.options);
    say(t, covariance);
    return t;
  } catch (const ConvergenceError &) {
    return {};
  }
  static void keep(std::vector<Tried> &all, std::optional<Tried> t) {
    if (t) all.push_back(std::move(*t));
  }
  /// What is taken off the observations, block by block.
  static std::vector<VectorXd> taken_off(const Tried &t) {
    std::vector<VectorXd> out;
    for (const auto &[n, b] : pattern(t).blocks) out.push_back(b * t.size);
    return out;
  }
  static Pattern pattern(const Tried &t) {
    return t.what.size() == 1 ? t.what[0].pattern : Screening::beside(t.what[0].pattern, t.what[1].pattern);
  }

  void say(Tried &t, const MatrixXd &covariance) const {
    const AdjustmentResult &a = t.after.result;
    Explanation &e = t.said;
    double prior = t.what.size() > 1 ? second : 0;
    Index at = 0;
    for (const Candidate &c : t.what) {
      const Index q = c.pattern.blocks.front().second.cols();
      VectorXd sd = VectorXd::Zero(q);
      if (covariance.rows() >= at + q) sd = covariance.diagonal().segment(at, q).cwiseSqrt();
      e.mistakes.push_back({c.kind, c.about, c.other, t.size.segment(at, q), sd});
      prior += c.prior, at += q;
    }
    e.degrees = static_cast<int>(at);
    e.statistic = r_.adjustment.vtpv - a.vtpv;
    e.score = t.score = score_of(e.statistic, at, prior);
    const int redundancy = a.redundancy - e.degrees;
    e.variance_factor = redundancy > 0 ? a.vtpv / redundancy : 1;
    e.upper = redundancy > 0 ? chi_squared_quantile(1 - in_.options.alpha_global, redundancy) / redundancy : 1;
    e.failing =
        static_cast<int>(std::count_if(a.tests.begin(), a.tests.end(), [](const auto &x) { return !x.passes; }));
    // Where only levels lead the guessed plan is fixed: what moves is the height.
    for (const NetworkMark &m : in_.marks) {
      const double by = (places_.at(m.name, a) - places_.at(m.name, r_.adjustment)).norm();
      if (by > e.moves) e.moves = by, e.moved = m.name;
    }
  }

  /// Two that hide each other: by what they explain together.
  std::vector<Tried> together(const std::vector<Weighed> &singles) {
    struct Pair {
      const Weighed *a, *b;
      VectorXd size;
      double score;
    };
    const Screening screen(start_);
    std::vector<Pair> pairs;
    for (std::size_t i = 0; i < singles.size(); ++i) {
      progress_.check();
      for (std::size_t k = i + 1; k < singles.size(); ++k) {
        const Weighed &a = singles[i], &b = singles[k];
        const auto v = screen.verdict(a.weighed, b.weighed);
        if (!v) continue;
        const Index qa = a.verdict.size.size();
        if (!size_possible(a.what.kind, v->size[0]) || !size_possible(b.what.kind, v->size[qa])) continue;
        if (!size_fits(a.what, v->size[0], std::sqrt(v->covariance(0, 0))) ||
            !size_fits(b.what, v->size[qa], std::sqrt(v->covariance(qa, qa))))
          continue;
        // Each must be needed beside the other.
        if (v->statistic - std::max(a.verdict.statistic, b.verdict.statistic) < limit(1) + second) continue;
        pairs.push_back(
            {&a, &b, v->size, score_of(v->statistic, v->size.size(), a.what.prior + b.what.prior + second)});
      }
    }
    best_first(pairs, tries_);
    std::vector<Tried> out;
    for (const Pair &p : pairs) keep(out, attempt({p.a->what, p.b->what}, p.size));
    return out;
  }

  /// One after the other: what explains best what a first one leaves.
  std::vector<Tried> after(std::vector<Tried> &first) {
    std::vector<Tried> out;
    best_first(first, tries_);
    for (std::size_t i = 0; i < std::min<std::size_t>(first.size(), 3); ++i) {
      std::vector<Weighed> next = weighed(first[i].after.view());
      best_first(next, 3);
      for (const Weighed &w : next) {
        if (w.verdict.statistic < limit(w.verdict.size.size())) continue;
        if (w.what.kind == first[i].what[0].kind && w.what.about == first[i].what[0].about) continue;
        VectorXd size(first[i].size.size() + w.verdict.size.size());
        size << first[i].size, w.verdict.size;
        keep(out, attempt({first[i].what[0], w.what}, size));
      }
    }
    return out;
  }

  using Key = std::set<std::tuple<MistakeKind, std::string, std::string>>;
  static Key key(const Explanation &e) {
    Key k;
    for (const Mistake &m : e.mistakes) k.insert({m.kind, m.about, m.other});
    return k;
  }
  static bool same(const Explanation &a, const Explanation &b) { return key(a) == key(b); }
  static bool part_of(const Explanation &a, const Explanation &b) {
    const Key ka = key(a), kb = key(b);
    return std::includes(kb.begin(), kb.end(), ka.begin(), ka.end());
  }

  const NetworkInput &in_;
  const NetworkResult &r_;
  const Progress &progress_;
  Places places_;
  AdjustedBlocks start_;
  double weighed_ = 1; ///< mistakes that were weighed
  std::size_t tries_ = 6;
};

} // namespace

std::string mistake_name(MistakeKind k) {
  switch (k) {
  case MistakeKind::antenna_height:
    return "antenna height";
  case MistakeKind::instrument_height:
    return "instrument height";
  case MistakeKind::beside_mark:
    return "beside its mark";
  case MistakeKind::on_another:
    return "on another mark";
  case MistakeKind::exchanged:
    return "marks exchanged";
  case MistakeKind::vector:
    return "vector";
  case MistakeKind::level:
    return "levels";
  case MistakeKind::line_reversed:
    return "line reversed";
  case MistakeKind::line_in_feet:
    return "line in feet";
  case MistakeKind::line_in_metres:
    return "line in metres";
  case MistakeKind::direction:
    return "direction";
  case MistakeKind::distance:
    return "distance";
  case MistakeKind::target_height:
    return "target height";
  case MistakeKind::prism_constant:
    return "prism constant";
  case MistakeKind::distance_scale:
    return "scale of distances";
  case MistakeKind::held_plan:
    return "held in plan";
  case MistakeKind::held_height:
    return "held height";
  case MistakeKind::phase_centre:
    return "phase centre";
  }
  return {};
}

std::vector<Explanation> explain_network(const NetworkInput &in, const NetworkResult &r, const Progress &progress) {
  if (r.adjustment.redundancy <= 0 || !any_fails(r.adjustment)) return {};
  return Search(in, r, progress).run();
}

} // namespace ampletie
