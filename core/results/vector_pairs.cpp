#include "results/vector_pairs.h"
#include "results/job_results.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numeric>

namespace ampletie {
namespace {

constexpr std::size_t many = 15;          // receivers that logged with more others than this
constexpr std::size_t neighbours = 3;     // of each that are tied directly
constexpr std::size_t few_published = 12; // all vectors between so many published marks are checks worth having

bool comes_first(const JobSnapshot &s, const Occupation &a, const Occupation &b) {
  const bool rest_a = s.anchors().count(a.mark) == 0, rest_b = s.anchors().count(b.mark) == 0;
  return std::tie(rest_a, a.mark, a.id) < std::tie(rest_b, b.mark, b.id);
}

double overlap(const Occupation &a, const Occupation &b) {
  return std::min(a.stop, b.stop) - std::max(a.start, b.start);
}

/// A minute, or most of what there is of one: seconds of data make a vector too, but minutes that two long occupations
/// share by chance do not.
bool enough(const Occupation &a, const Occupation &b) {
  const double o = overlap(a, b);
  return o >= 60 || (o >= 2 && o >= 0.5 * std::min(a.stop - a.start, b.stop - b.start));
}

/// Squared distance by the files' heads, m²; infinite where one has no position.
double apart(const Occupation &a, const Occupation &b) {
  const Vec3 &x = a.file->approximate, &y = b.file->approximate;
  return x.norm() < 6e6 || y.norm() < 6e6 ? HUGE_VAL : (x - y).squaredNorm();
}

/// Which of the pairs of crowded occupations are kept. `all` is in canonical order.
class Thinning {
public:
  Thinning(const std::vector<const Occupation *> &occupations, const std::vector<std::pair<int, int>> &all,
           std::vector<bool> published)
      : o_(occupations), all_(all), published_(std::move(published)), partners_(o_.size()), keep_(all.size(), false) {
    for (std::size_t p = 0; p < all_.size(); ++p)
      for (int end : {all_[p].first, all_[p].second}) partners_[static_cast<std::size_t>(end)].push_back(p);
  }

  std::vector<bool> kept() {
    if (std::none_of(partners_.begin(), partners_.end(), [](const auto &p) { return p.size() > many; }))
      return std::vector<bool>(all_.size(), true);
    const auto published = static_cast<std::size_t>(std::count(published_.begin(), published_.end(), true));
    for (std::size_t p = 0; p < all_.size(); ++p) {
      const auto a = static_cast<std::size_t>(all_[p].first), b = static_cast<std::size_t>(all_[p].second);
      if (partners_[a].size() <= many || partners_[b].size() <= many ||
          (published <= few_published && published_[a] && published_[b]))
        keep_[p] = true;
    }
    stars();
    nearest();
    connect();
    return keep_;
  }

private:
  std::size_t other(std::size_t pair, std::size_t end) const {
    const auto a = static_cast<std::size_t>(all_[pair].first), b = static_cast<std::size_t>(all_[pair].second);
    return a == end ? b : a;
  }

  /// From the base that reaches most that none reaches yet; then between the bases.
  void stars() {
    std::vector<bool> reached(o_.size(), false);
    std::vector<std::size_t> bases;
    while (true) {
      std::size_t best = 0, most = 0;
      for (std::size_t i = 0; i < o_.size(); ++i) {
        std::size_t n = 0;
        for (std::size_t p : partners_[i])
          if (static_cast<std::size_t>(all_[p].first) == i && !reached[other(p, i)]) ++n;
        if (n > most) best = i, most = n;
      }
      if (most == 0) break;
      reached[best] = true;
      for (std::size_t p : partners_[best]) {
        const std::size_t there = other(p, best);
        if (static_cast<std::size_t>(all_[p].first) == best && !reached[there]) keep_[p] = reached[there] = true;
        if (std::find(bases.begin(), bases.end(), there) != bases.end()) keep_[p] = true;
      }
      bases.push_back(best);
    }
  }

  void nearest() {
    for (std::size_t i = 0; i < o_.size(); ++i) {
      std::vector<std::pair<double, std::size_t>> by_distance;
      for (std::size_t p : partners_[i])
        if (const double d = apart(*o_[i], *o_[other(p, i)]); std::isfinite(d)) by_distance.emplace_back(d, p);
      const auto n = std::min(neighbours, by_distance.size());
      std::partial_sort(by_distance.begin(), by_distance.begin() + static_cast<std::ptrdiff_t>(n), by_distance.end());
      for (std::size_t k = 0; k < n; ++k) keep_[by_distance[k].second] = true;
    }
  }

  /// What hangs together by all pairs does by those that are kept.
  void connect() {
    std::vector<std::size_t> root(o_.size());
    std::iota(root.begin(), root.end(), std::size_t{0});
    const auto find = [&](std::size_t i) {
      while (root[i] != i) i = root[i] = root[root[i]];
      return i;
    };
    for (bool kept : {true, false})
      for (std::size_t p = 0; p < all_.size(); ++p) {
        if (keep_[p] != kept) continue;
        const std::size_t a = find(static_cast<std::size_t>(all_[p].first)),
                          b = find(static_cast<std::size_t>(all_[p].second));
        if (a == b) continue;
        keep_[p] = true;
        root[a] = b;
      }
  }

  const std::vector<const Occupation *> &o_;
  const std::vector<std::pair<int, int>> &all_;
  std::vector<bool> published_;
  std::vector<std::vector<std::size_t>> partners_;
  std::vector<bool> keep_;
};

} // namespace

VectorPairs vector_pairs(const JobSnapshot &s) {
  std::vector<const Occupation *> used;
  for (const Occupation &o : s.occupations())
    if (o.used) used.push_back(&o);
  std::sort(used.begin(), used.end(), [&](const auto *a, const auto *b) { return comes_first(s, *a, *b); });
  std::vector<std::pair<int, int>> all;
  for (std::size_t i = 0; i < used.size(); ++i)
    for (std::size_t k = i + 1; k < used.size(); ++k)
      if (used[i]->mark != used[k]->mark && enough(*used[i], *used[k]))
        all.emplace_back(static_cast<int>(i), static_cast<int>(k));
  VectorPairs out;
  out.possible = all.size();
  std::vector<bool> keep(all.size(), true);
  if (!s.state().settings.all_pairs) {
    std::vector<bool> published;
    for (const Occupation *o : used) published.push_back(s.anchors().count(o->mark) > 0);
    keep = Thinning(used, all, std::move(published)).kept();
  }
  for (std::size_t p = 0; p < all.size(); ++p)
    if (keep[p])
      out.pairs.push_back(
          {used[static_cast<std::size_t>(all[p].first)], used[static_cast<std::size_t>(all[p].second)]});
  return out;
}

std::string why_no_pairs(const JobSnapshot &s) {
  std::vector<const Occupation *> used;
  for (const Occupation &o : s.occupations())
    if (o.used) used.push_back(&o);
  if (used.size() < 2)
    return used.empty() ? "no occupation is used" : "only " + occupation_name(*used.front()) + " is used";
  const Occupation *a = nullptr, *b = nullptr;
  double longest = -1e18;
  for (std::size_t i = 0; i < used.size(); ++i)
    for (std::size_t k = i + 1; k < used.size(); ++k)
      if (const double o = overlap(*used[i], *used[k]); used[i]->mark != used[k]->mark && o > longest)
        longest = o, a = used[i], b = used[k];
  if (!a) return "all occupations are on " + used.front()->mark;
  const std::string names = occupation_name(*a) + " and " + occupation_name(*b);
  return longest < 0
             ? fmt::format("no two occupations at different marks overlap in time; the nearest, {}, are {:.0f} s apart",
                           names, -longest)
             : fmt::format("the longest overlap is {:.0f} s, of {}: too short beside what they logged", longest, names);
}

const Result<VectorPairs> &pairs_result() {
  static const Result<VectorPairs> r{"pairs of occupations",
                                     Section::gnss,
                                     {&occupations_result(), &belonging_result()},
                                     {Slice::settings_sessions},
                                     vector_pairs};
  return r;
}

std::string thinned_pairs(const JobSnapshot &s) {
  const VectorPairs &p = s.get(pairs_result());
  if (p.pairs.size() == p.possible) return {};
  return fmt::format("{} of {} possible vectors: receivers that logged with more than {} others are tied to one base, "
                     "the published marks among each other, each to its {} nearest; the rest follows from these "
                     "(setting Pairs).",
                     p.pairs.size(), p.possible, many, neighbours);
}

} // namespace ampletie
