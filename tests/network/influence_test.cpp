// What single observations do to single marks, against adjustments in which they were changed.
#include "network/influence.h"
#include "network/textbook_network.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
Vec3 moved_enu(const NetworkResult &from, const NetworkResult &to, const std::string &mark) {
  const Vec3 x = at(from, mark);
  return local_axes(to_geodetic(x)) * (at(to, mark) - x);
}
int component(const std::string &name) { return name == "dX" ? 0 : name == "dY" ? 1 : 2; }
} // namespace

TEST_CASE("the smallest detectable error of an observation moves a mark by what its reliability says") {
  NetworkInput in = textbook();
  const NetworkResult r = adjust_network(in, {});
  for (const char *mark : {"C", "F"}) {
    const ExternalReliability e = external_reliability(r, mark);
    CHECK(e.unbounded.empty());
    REQUIRE(e.errors.size() > 20);
    double last = 1e9;
    for (std::size_t n = 0; n < e.errors.size(); n += 7) {
      const UndetectedError &u = e.errors[n];
      INFO(mark << " " << u.id << " " << u.component);
      CHECK(u.effect_enu.norm() <= last);
      last = u.effect_enu.norm();
      NetworkInput wrong = in;
      for (NetworkVector &v : wrong.vectors)
        if (v.id == u.id) v.d[component(u.component)] += u.detectable;
      const NetworkResult w = adjust_network(wrong, {});
      CHECK((moved_enu(r, w, mark) - u.effect_enu).norm() < 1e-6);
      // The error is one that the test finds with the stated power: w is shifted by the non-centrality.
      const auto test_of = [&](const NetworkResult &x) {
        for (const BlockTest &t : x.adjustment.tests)
          if (t.id == u.id) return t.observations[static_cast<std::size_t>(component(u.component))].standardised;
        return 0.0;
      };
      CHECK(std::abs(test_of(w) - test_of(r)) == Approx(4.132).margin(0.01)); // Baarda's δ₀ for 0.001 and 0.80
    }
  }
  const auto all = largest_undetected(r);
  CHECK(all.size() == 4); // held ones have none
  CHECK((all.at("C").place->effect_enu - external_reliability(r, "C").errors.front().effect_enu).norm() < 1e-12);
  CHECK_FALSE(all.at("C").has_height); // no levels
}

TEST_CASE("the worst of every mark is the same whether marks are followed together or one by one") {
  NetworkInput in = textbook(); // its net again, tied on to itself six times over: 24 free marks
  const NetworkInput once = in;
  for (int copy = 1; copy < 6; ++copy) {
    const auto named = [&](const std::string &name) {
      return name == "A" || name == "B" ? name : name + std::to_string(copy);
    };
    for (NetworkMark m : once.marks)
      if (named(m.name) != m.name) m.name = named(m.name), in.marks.push_back(m);
    for (NetworkVector v : once.vectors) {
      v.id += std::to_string(copy), v.from = named(v.from), v.to = named(v.to);
      v.from_setup += std::to_string(copy), v.to_setup += std::to_string(copy);
      v.d += 0.001 * copy * Vec3(1, -2, 1);
      in.vectors.push_back(v);
    }
  }
  const NetworkResult r = adjust_network(in, {});
  const auto all = largest_undetected(r);
  REQUIRE(all.size() == 24);
  std::set<std::string> by;
  for (const AdjustedMark &m : r.marks) {
    if (m.hold == Hold::full) continue;
    INFO(m.name);
    const LargestUndetected alone = largest_undetected(r, m);
    const UndetectedError listed = external_reliability(r, m.name).errors.front();
    REQUIRE(all.at(m.name).place);
    const UndetectedError &together = *all.at(m.name).place;
    CHECK((together.effect_enu - alone.place->effect_enu).norm() < 1e-12);
    CHECK((together.effect_enu - listed.effect_enu).norm() < 1e-12);
    CHECK((together.id == listed.id && together.component == listed.component));
    by.insert(together.id);
  }
  CHECK(by.size() > 5); // each mark by something of its own
}

TEST_CASE("a mark that one vector alone leads to has no bound, and says by what") {
  NetworkInput in = textbook();
  std::erase_if(in.vectors, [](const NetworkVector &v) {
    return (v.from == "C" || v.to == "C") && !(v.from == "A" && v.to == "C");
  });
  const NetworkResult r = adjust_network(in, {});
  const ExternalReliability e = external_reliability(r, "C");
  REQUIRE(e.unbounded.size() == 3);
  for (const UndetectedError &u : e.unbounded) {
    CHECK(u.id == "a");
    CHECK(u.effect_enu.norm() == Approx(1).margin(1e-9)); // the whole of a mistake
  }
  CHECK(largest_undetected(r).at("C").has_place);
  CHECK_FALSE(largest_undetected(r).at("C").place);
  CHECK(largest_undetected(r).at("F").place);
}

TEST_CASE("influences are those that changed observations and held marks have") {
  NetworkInput in = textbook();
  const NetworkResult r = adjust_network(in, {});
  const auto on = influences_on(r, "E");
  NetworkInput moved = in;
  moved.marks[0].position.xyz += Vec3(0.01, 0, 0);
  const double by_mark = moved_enu(r, adjust_network(moved, {}), "E").norm() / 0.01;
  CHECK(on.at("held A") <= 1.001);
  CHECK(by_mark <= std::sqrt(3.0) * on.at("held A") + 1e-3);
  CHECK(influences_on(r, "nobody").empty());
}
