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
    suspected += !f.findings(r).causes.empty();
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

namespace {

/// Decides what a cause would put right, as the doubt offers it.
void decide(FieldWork &f, const TraverseCause &c, std::vector<Decision> &log) {
  for (const auto &[target, value] : c.decisions) {
    Decision d;
    d.seq = static_cast<long>(log.size()) + 1;
    d.verb = c.verb, d.target = target, d.value = value;
    log.push_back(d);
  }
  const JobState said = fold(log);
  f.state.setups = said.setups, f.state.pointings = said.pointings, f.state.left_out = said.left_out;
}
/// Largest shift of a provisional mark between two reports, m.
double shift(const TraverseReport &a, const TraverseReport &b) {
  double out = 0;
  for (const auto &[name, m] : a.marks)
    if (const auto n = b.marks.find(name); n != b.marks.end()) {
      out = std::max(out, distance(m.place, n->second.place));
      if (m.height && n->second.height) out = std::max(out, std::abs(*m.height - *n->second.height));
    }
  return out;
}

} // namespace

TEST_CASE("two mistakes at once are found one after the other, and their effects are what comes") {
  const int count = std::getenv("AMPLETIE_LONG") ? 200 : 16;
  int both = 0, one_first = 0, effects = 0, right = 0;
  for (int k = 0; k < count; ++k) {
    FieldWork f(40000 + static_cast<std::uint64_t>(k));
    // Two kinds that do not hide in one another: at different set-ups.
    const auto kinds = std::size(field_mistakes);
    const std::size_t a = f.index(kinds), b = (a + 1 + f.index(kinds - 1)) % kinds;
    f.mistake(field_mistakes[a]);
    const auto first = f.expected;
    const auto marks = [](const std::vector<std::string> &all) {
      return all.front().substr(all.front().find(" at ") + 1);
    };
    for (int tries = 0; tries < 20; ++tries) { // undone where it fell on the same set-up
      FieldWork g = f;
      g.mistake(field_mistakes[b]);
      if (marks(g.expected).substr(0, 5) == marks(first).substr(0, 5)) {
        f.random.discard(1);
        continue;
      }
      f = std::move(g);
      break;
    }
    const auto second = f.expected;
    if (second == first) continue;
    const auto is = [](const std::vector<std::string> &expected, const TraverseCause &c) {
      return std::any_of(expected.begin(), expected.end(), [&](const auto &e) { return c.sentence.rfind(e, 0) == 0; });
    };
    std::vector<Decision> log;
    bool found_first = false, found_second = false;
    TraverseReport r = f.report();
    auto causes = f.findings(r).causes;
    for (int round = 0; round < 2 && !causes.empty(); ++round) {
      const TraverseCause c = causes.front();
      const bool hit = is(first, c) || is(second, c);
      if (round == 0) one_first += hit;
      found_first = found_first || is(first, c), found_second = found_second || is(second, c);
      decide(f, c, log);
      TraverseReport after = f.report();
      // What only the network feels moves no provisional mark.
      if (const double came = shift(r, after); hit && came > 1e-4) {
        const bool near = std::abs(came - c.effect) <= 0.2 * came + 2e-4;
        ++effects, right += near;
        if (!near && std::getenv("AMPLETIE_TALK"))
          WARN("seed " << k << " effect " << c.effect << " came " << came << ": " << c.sentence);
      }
      r = std::move(after);
      causes = f.findings(r).causes;
    }
    both += found_first && found_second;
    if (!(found_first && found_second) && std::getenv("AMPLETIE_TALK"))
      WARN("seed " << k << ": expected " << first.front() << " and " << second.front() << ", left "
                   << (causes.empty() ? std::string("nothing") : causes[0].sentence));
  }
  INFO(one_first << " with one of both first, " << both << " with both after one decision, of " << count
                 << "; effects right " << right << " of " << effects);
  if (std::getenv("AMPLETIE_LONG"))
    WARN(one_first << " with one of both first, " << both << " with both after one decision, of " << count
                   << "; effects right " << right << " of " << effects);
  CHECK(one_first >= 0.9 * count);
  CHECK(both >= 0.8 * count);
  CHECK(right >= 0.95 * effects);
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
      const auto causes = f.findings().causes;
      int place = 99;
      for (std::size_t i = 0; i < causes.size() && place == 99; ++i)
        if (names(causes[i], f)) place = static_cast<int>(i);
      own_first += place == 0, own_third += place < 3;
      if (place > 0 && std::getenv("AMPLETIE_TALK"))
        WARN(static_cast<int>(m) << " seed " << k << ": expected " << f.expected.front() << "; found "
                                 << (causes.empty() ? std::string("nothing") : causes[0].sentence));
    }
    table += fmt::format("{}: {} first, {} among three, of {}; ", static_cast<int>(m), own_first, own_third, each);
    first += own_first, third += own_third, all += each;
  }
  INFO(table);
  if (std::getenv("AMPLETIE_LONG")) WARN(table);
  CHECK(first >= 0.80 * all);
  CHECK(third >= 0.95 * all);
}
