// Which vectors of crowded sessions are solved.
#include "results/job_results.h"
#include "results/vector_pairs.h"
#include <algorithm>
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <set>

using namespace ampletie;

namespace {

constexpr double minute = 60;

/// `n` receivers on a ring of 5 km that log the same hour.
std::vector<Occupation> crowd(int n) {
  std::vector<Occupation> out;
  for (int i = 0; i < n; ++i) {
    Occupation o;
    o.mark = fmt::format("R{:03}", i), o.id = fmt::format("o{:03}", i);
    o.start = GpsTime{} + 3600.0, o.stop = o.start + 60 * minute;
    auto file = std::make_shared<ObservationSite>();
    const double a = 2 * 3.14159265358979 * i / n;
    file->approximate = {4.2e6, 1e6 + 5000 * std::cos(a), 4.7e6 + 5000 * std::sin(a)};
    o.file = file;
    out.push_back(o);
  }
  return out;
}

/// A job that has these occupations.
struct Crowd {
  explicit Crowd(std::vector<Occupation> all, std::set<std::string> published = {}, bool all_pairs = false) {
    Belonging b;
    for (const auto &mark : published) b.published[mark] = b.anchors[mark] = {};
    JobState state;
    state.settings.all_pairs = all_pairs;
    s.assume(occupations_result(), std::move(all));
    s.assume(belonging_result(), std::move(b));
    s.assume(std::move(state));
  }
  JobSnapshot s;
};

std::set<std::string> names(const VectorPairs &p) {
  std::set<std::string> out;
  for (const auto &[a, b] : p.pairs) out.insert(a->mark + "-" + b->mark);
  return out;
}

std::size_t parts(const JobSnapshot &s, const VectorPairs &p) {
  std::map<std::string, std::string> root;
  for (const Occupation &o : s.occupations()) root[o.id] = o.id;
  auto find = [&](std::string i) {
    while (root[i] != i) i = root[i];
    return i;
  };
  for (const auto &[a, b] : p.pairs) root[find(a->id)] = find(b->id);
  std::set<std::string> out;
  for (const Occupation &o : s.occupations()) out.insert(find(o.id));
  return out.size();
}

} // namespace

TEST_CASE("up to sixteen receivers of a session all vectors are solved") {
  const Crowd c(crowd(16));
  const JobSnapshot &s = c.s;
  CHECK(vector_pairs(s).pairs.size() == 120);
  CHECK(thinned_pairs(s).empty());
}

TEST_CASE("of a crowded session one base, the published marks and the nearest are tied") {
  const std::set<std::string> published{"R040", "R090", "R130"};
  const Crowd c(crowd(150), published);
  const JobSnapshot &s = c.s;
  const VectorPairs p = vector_pairs(s);
  CHECK(p.possible == 150 * 149 / 2);
  CHECK(p.pairs.size() < 150 * 4);
  const auto found = names(p);
  for (int i = 0; i < 150; ++i)
    if (i != 40) CHECK(found.count(fmt::format("R040-R{:03}", i)) == 1);
  for (const char *pair : {"R090-R130", "R000-R001", "R000-R149", "R077-R078"}) CHECK(found.count(pair) == 1);
  CHECK(found.count("R000-R075") == 0);
  CHECK(thinned_pairs(s).find(fmt::format("{} of 11175", p.pairs.size())) == 0);
  CHECK(vector_pairs(Crowd(crowd(150), published, true).s).pairs.size() == p.possible);
  auto turned = crowd(150);
  std::reverse(turned.begin(), turned.end());
  CHECK(names(vector_pairs(Crowd(turned, published).s)) == found);
}

TEST_CASE("a station that logs all week beside many short sessions loses no vector") {
  // 40 sessions of an hour with three receivers, and the station: it has 120 partners, they have three.
  auto all = crowd(121);
  for (std::size_t i = 1; i < 121; ++i) {
    Occupation &o = all[i];
    o.start = o.start + 120 * minute * static_cast<double>((i - 1) / 3), o.stop = o.start + 60 * minute;
  }
  all[0].stop = all[120].stop;
  const Crowd c(std::move(all));
  const JobSnapshot &s = c.s;
  const VectorPairs p = vector_pairs(s);
  CHECK(p.possible == 120 + 40 * 3);
  CHECK(p.pairs.size() == p.possible);
}

TEST_CASE("what hangs together by all vectors does by those that are solved") {
  // Two crowds that share one receiver's time only: no head tells where it stands.
  auto all = crowd(61);
  for (std::size_t i = 0; i < 61; ++i) {
    Occupation &o = all[i];
    if (i % 2) o.start = o.start + 90 * minute, o.stop = o.start + 60 * minute;
    if (i == 60) o.stop = o.stop + 90 * minute;
    auto file = std::make_shared<ObservationSite>(*o.file);
    file->approximate = Vec3::Zero();
    o.file = file;
  }
  const Crowd c(std::move(all));
  const JobSnapshot &s = c.s;
  const VectorPairs p = vector_pairs(s);
  CHECK(p.pairs.size() < p.possible / 5);
  CHECK(parts(s, p) == 1);
}
