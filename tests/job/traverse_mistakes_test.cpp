// Mistakes of a traverse crew, drawn by seed: is the right cause named first? (docs/verification.md, mistakes)
#include "support/field_work.h"
#include <catch2/catch.hpp>
#include <cstdlib>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;

namespace {

bool names(const TraverseCause &c, const FieldWork &f) {
  return std::any_of(f.expected.begin(), f.expected.end(),
                     [&](const std::string &e) { return c.sentence.rfind(e, 0) == 0; });
}

} // namespace

TEST_CASE("a clean traverse closes, and nothing is suspected") {
  const int count = std::getenv("AMPLETIE_LONG") ? 300 : 40;
  int suspected = 0;
  double angular = 0, linear = 0, height = 0;
  for (int k = 0; k < count; ++k) {
    FieldWork f(5000 + static_cast<std::uint64_t>(k));
    const TraverseReport r = f.report();
    REQUIRE(r.lines.size() == 1);
    const TraverseLine &l = r.lines[0];
    REQUIRE(l.problem.empty());
    CHECK(l.marks.size() == 7);
    CHECK(l.result.kind == TraverseKind::link);
    suspected += !r.causes.empty();
    const TraverseClosure &c = l.result.closure;
    REQUIRE((c.has_angular && c.has_linear && c.has_height));
    angular += std::pow(c.angular / c.angular_sd, 2) / count;
    linear += c.statistic / c.degrees / count;
    height += std::pow(c.height / c.height_sd, 2) / count;
  }
  CHECK(suspected <= 0.05 * count);
  INFO("normalised squares of closures: angles " << angular << ", all in plan " << linear << ", heights " << height);
  CHECK(angular < 1.6);
  CHECK(linear < 1.4);
  CHECK(linear > 0.5);
  CHECK(height < 1.6);
}

TEST_CASE("the mistake that was made is named, most often first") {
  const int each = std::getenv("AMPLETIE_LONG") ? 60 : 8;
  int first = 0, third = 0, all = 0;
  std::string table;
  for (FieldMistake m : field_mistakes) {
    int own_first = 0, own_third = 0;
    for (int k = 0; k < each; ++k) {
      FieldWork f(9000 + static_cast<std::uint64_t>(k) + 1000 * static_cast<std::uint64_t>(m));
      f.mistake(m);
      const TraverseReport r = f.report();
      int place = 99;
      for (std::size_t i = 0; i < r.causes.size() && place == 99; ++i)
        if (names(r.causes[i], f)) place = static_cast<int>(i);
      own_first += place == 0, own_third += place < 3;
      if (place > 0 && std::getenv("AMPLETIE_TALK"))
        WARN(static_cast<int>(m) << " seed " << k << ": expected " << f.expected.front() << "; found "
                                 << (r.causes.empty() ? std::string("nothing") : r.causes[0].sentence));
    }
    table += fmt::format("{}: {} first, {} among three, of {}; ", static_cast<int>(m), own_first, own_third, each);
    first += own_first, third += own_third, all += each;
  }
  INFO(table);
  if (std::getenv("AMPLETIE_LONG")) WARN(table);
  CHECK(first >= 0.80 * all);
  CHECK(third >= 0.95 * all);
}
