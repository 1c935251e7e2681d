#include "judgement/near_names.h"
#include "base/error.h"
#include "base/size_words.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <array>
#include <cctype>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

constexpr double one_place = 0.05;           ///< m; two monuments do not stand nearer to one another
constexpr std::size_t many_published = 3000; ///< of which not all are placed to be compared

bool digit(char c) { return c >= '0' && c <= '9'; }

/// Without the letter that marks another occupation; empty when there is none.
std::string without_suffix(const std::string &key) {
  const std::size_t n = key.size();
  if (n < 2 || !digit(key[n - 2]) || key[n - 1] < 'a' || key[n - 1] > 'e') return {};
  return key.substr(0, n - 1);
}

struct Known {
  int weight = 0; ///< how much speaks for the name
  bool beyond_levels = false;
  std::optional<Vec3> place;
  bool solved = false; ///< `place` is published or comes from solved vectors, not from a file's header
};

} // namespace

std::string name_key(const std::string &name) {
  std::string plain;
  for (std::size_t i = 0; i < name.size(); ++i) {
    const char c = name[i];
    // Between two digits a sign tells them apart: 1-2 is not 12.
    const bool between = i > 0 && i + 1 < name.size() && digit(name[i - 1]) && digit(name[i + 1]);
    if (std::isspace(static_cast<unsigned char>(c)) ||
        (std::string_view("_-./").find(c) != std::string_view::npos && !between))
      continue;
    plain += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  }
  std::string out;
  for (std::size_t i = 0; i < plain.size(); ++i) {
    const bool leading = plain[i] == '0' && (out.empty() || !digit(out.back()));
    if (leading && i + 1 < plain.size() && digit(plain[i + 1])) continue;
    out += plain[i];
  }
  return out;
}

namespace {
/// Pairs of names whose places are known to centimetres and lie nearer to one another than any two marks do.
std::set<std::pair<std::string, std::string>> at_one_place(const std::map<std::string, Known> &names) {
  using Cell = std::array<long, 3>;
  std::map<Cell, std::vector<const std::pair<const std::string, Known> *>> cells;
  const auto cell_of = [](const Vec3 &p) {
    return Cell{std::lround(p.x() / one_place), std::lround(p.y() / one_place), std::lround(p.z() / one_place)};
  };
  for (const auto &n : names)
    if (n.second.place && n.second.solved) cells[cell_of(*n.second.place)].push_back(&n);
  std::set<std::pair<std::string, std::string>> out;
  for (const auto &[c, here] : cells)
    for (long i = -1; i <= 1; ++i)
      for (long j = -1; j <= 1; ++j)
        for (long k = -1; k <= 1; ++k) {
          const auto there = cells.find({c[0] + i, c[1] + j, c[2] + k});
          if (there == cells.end()) continue;
          for (const auto *a : here)
            for (const auto *b : there->second)
              if (a->first < b->first && (*a->second.place - *b->second.place).norm() <= one_place)
                out.insert({a->first, b->first});
        }
  return out;
}
} // namespace

namespace {
/// Every name of the job with what speaks for it and where it lies.
std::map<std::string, Known> known_names(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  bool started = false; // a job without published places is placed by one header
  std::map<std::string, Known> names;
  for (const Occupation &o : s.occupations()) {
    Known &k = names[o.mark];
    k.weight += 1, k.beyond_levels = true;
    if (o.file->approximate.norm() > 6e6) k.place = o.file->approximate;
  }
  std::optional<JobDatum> datum;
  if (!s.published().empty() && s.published().size() <= many_published) try {
      datum.emplace(job_datum(s));
    } catch (const InputError &) {
      // a datum that cannot be used is a doubt of its own
    }
  for (const auto &[name, p] : s.published()) {
    names[name].weight += 100, names[name].beyond_levels = true;
    if (p.xyz) names[name].place = *p.xyz, names[name].solved = true;
    if (datum) try {
        names[name].place = published_in_job(p, *datum, operation_policy(s.state().settings)).xyz;
        names[name].solved = true;
      } catch (const InputError &) {
        // it has a doubt of its own
      }
  }
  // What vectors say is better than what headers say: walked from the first mark of each group that they join.
  for (bool moved = true; moved;) {
    moved = false;
    for (const VectorResult &v : vectors) {
      if (!v.error.empty() || !v.used || !names.count(v.from) || !names.count(v.to)) continue;
      Known &a = names[v.from], &b = names[v.to];
      if (!a.solved && !b.solved && a.place && !started) a.solved = started = true;
      if (a.solved == b.solved) continue;
      if (a.solved)
        b.place = Vec3(*a.place + v.solved->d), b.solved = moved = true;
      else
        a.place = Vec3(*b.place - v.solved->d), a.solved = moved = true;
    }
  }
  for (const auto *all : {&s.benchmarks(), &s.checks()})
    for (const auto &[name, p] : *all) names[name].weight += 100, names[name].beyond_levels = true;
  for (const auto &[name, h] : s.state().holds) names[name].weight += 1000;
  for (const LevelSection &l : s.levels().sections)
    for (const auto *m : {&l.from, &l.to}) names[*m].weight += 1;
  for (const auto &r : s.traverses().field.setups) {
    std::set<std::string> here{r->setup.mark};
    for (const Pointing &p : r->setup.pointings)
      if (p.kind != PointingKind::detail) here.insert(p.target);
    for (const auto &m : here)
      if (!m.empty()) names[m].weight += 1, names[m].beyond_levels = true;
  }
  for (auto &[name, k] : names)
    if (const auto p = s.traverses().places.find(name); !k.solved && p != s.traverses().places.end())
      k.place = p->second, k.solved = true;
  return names;
}
} // namespace

std::vector<NearNames> near_names(const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  const std::map<std::string, Known> names = known_names(s, vectors);
  auto near = at_one_place(names);
  std::map<std::string, std::vector<std::string>> by_key;
  for (const auto &[name, k] : names) by_key[name_key(name)].push_back(name);
  std::vector<NearNames> out;
  auto pair = [&](const std::string &a, const std::string &b, const char *alike, bool must_agree) {
    NearNames n;
    const bool first = names.at(a).weight > names.at(b).weight || (names.at(a).weight == names.at(b).weight && a < b);
    n.keep = first ? a : b, n.other = first ? b : a;
    n.levels_only = !names.at(a).beyond_levels || !names.at(b).beyond_levels;
    n.why = alike;
    bool agrees = false;
    if (s.levels().network) {
      const LevelNetworkMark *p = s.levels().network->find(n.keep), *q = s.levels().network->find(n.other);
      if (p && q && !p->relative && !q->relative) {
        n.height_difference = q->height - p->height;
        n.height_sd = std::hypot(p->sd, q->sd);
        const double allowed = std::max(0.002, 5 * *n.height_sd);
        agrees = std::abs(*n.height_difference) <= allowed;
        n.why += fmt::format("; their levelled heights {} {}", agrees ? "agree within" : "differ by",
                             length_words(std::abs(*n.height_difference)));
      }
    }
    if (names.at(a).place && names.at(b).place) {
      const double away = (*names.at(a).place - *names.at(b).place).norm();
      agrees = agrees || away < 30;
      n.why += fmt::format("; they lie {} apart{}", length_words(away, 0),
                           names.at(a).solved && names.at(b).solved ? "" : " by what the files' headers say");
    }
    near.erase({std::min(a, b), std::max(a, b)});
    if (agrees || !must_agree) out.push_back(std::move(n));
  };
  for (const auto &[key, list] : by_key) {
    for (std::size_t i = 0; i < list.size(); ++i)
      for (std::size_t k = i + 1; k < list.size(); ++k)
        pair(list[i], list[k], "the names differ in case, blanks, signs or zeros only", false);
    const auto base = by_key.find(without_suffix(key));
    if (base == by_key.end()) continue;
    for (const auto &a : base->second)
      for (const auto &b : list)
        pair(a, b, "the names differ by a letter as crews add it for another occupation", true);
  }
  for (const auto &[a, b] : std::set(near)) pair(a, b, "two names at one place", false);
  return out;
}

} // namespace ampletie
