// A log folded as it grows is the log folded as a whole.
#include "job/folding.h"
#include "job/settings.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <random>

using namespace ampletie;

namespace {
Decision random_decision(std::mt19937_64 &random, long seq) {
  Decision d{seq, "", "tester", "because", "set", "", nlohmann::json::object()};
  const auto name = [&] { return fmt::format("M{}", random() % 5); };
  const double x = static_cast<double>(random() % 100);
  switch (random() % 12) {
  case 0:
    d.target = "limit", d.value = {{"loop", x}, {"ratio", 1 + x / 2}};
    break;
  case 1:
    d.target = "o-1", d.value = {{"height", x / 10 - 2}}; // some cannot be
    break;
  case 2:
    d.target = "mark:" + name(), d.value = {{"same_as", name()}};
    break;
  case 3:
    d.verb = "hold", d.target = name(), d.value = {{"how", x < 50 ? "full" : "nonsense"}};
    break;
  case 4:
    d.verb = "release", d.target = name();
    break;
  case 5:
    d.verb = x < 50 ? "leave-out" : "use", d.target = fmt::format("o-{}", random() % 3);
    break;
  case 6:
    d.target = "asked:" + name(), d.value = {{"plan", x < 50 ? nlohmann::json() : nlohmann::json(x / 1000)}};
    break;
  case 7:
    d.target = "l-1", d.value = {{"split", {{name(), x < 50}}}};
    break;
  case 8:
    d.target = "t-1", d.value = {{"targets", {{name(), {{"height", x / 20}, {"kind", "control"}}}}}};
    break;
  case 9:
    d.target = "style:" + name(), d.value = {{"symbol", "cross"}, {"label", x < 50}};
    break;
  default:
    d.verb = "withdraw", d.target = "decision",
    d.value = {{"decision", 1 + static_cast<long>(random() % static_cast<std::uint64_t>(seq))}};
  }
  return d;
}

std::string picture(const JobState &s) {
  std::string out;
  for (const SettingInfo &i : setting_catalogue()) out += i.value.text(s.settings) + "|";
  for (const auto &[id, o] : s.occupations)
    out += fmt::format("{} {} {}|", id, o.measured.value.value_or(-9), o.measured.decision);
  for (const auto &[m, h] : s.holds) out += fmt::format("{} {} {}|", m, static_cast<int>(h.how), h.decision);
  for (const auto &[m, x] : s.same_marks) out += fmt::format("{} {} {}|", m, x.value, x.decision);
  for (const auto &[m, x] : s.left_out) out += fmt::format("{} {}|", m, x.decision);
  for (const auto &[m, x] : s.asked) out += fmt::format("{} {}|", m, x.plan.value_or(-1));
  for (const auto &[id, r] : s.runs)
    for (const auto &[m, seq] : r.split) out += fmt::format("{} {} {}|", id, m, seq);
  for (const auto &[id, u] : s.setups)
    for (const auto &[m, t] : u.targets) out += fmt::format("{} {} {}|", id, m, t.height.value.value_or(-9));
  for (const auto &[c, y] : s.styles) out += fmt::format("{} {} {}|", c, y.symbol, y.label);
  for (const auto &[seq, why] : s.unreadable) out += fmt::format("{} {}|", seq, why);
  for (const auto &[id, aim] : s.aims) out += fmt::format("{} {}|", id, fmt::join(aim.decisions, " "));
  return out;
}
} // namespace

TEST_CASE("a log folded as it grows is the log folded as a whole, whatever cannot be read or is withdrawn") {
  std::mt19937_64 random(5);
  std::vector<Decision> log;
  Folding grown;
  for (long seq = 1; seq <= 300; ++seq) {
    log.push_back(random_decision(random, seq));
    grown.follow(log);
    Folding whole;
    whole.follow(log);
    INFO(seq << " " << log.back().verb << " " << log.back().target << " " << log.back().value.dump());
    REQUIRE(picture(grown.state()) == picture(whole.state()));
    REQUIRE(grown.keys() == whole.keys());
    // One that was on trial and is taken off again leaves nothing.
    if (seq % 7 == 0) {
      log.push_back(random_decision(random, seq + 1));
      grown.follow(log);
      log.pop_back();
      grown.follow(log);
      REQUIRE(picture(grown.state()) == picture(whole.state()));
    }
  }
}

TEST_CASE("what a decision says is refused when it has not the form, a field or a value that it should have") {
  const auto refused = [](const char *target, nlohmann::json value) {
    const JobState s = fold({{1, "", "", "", "set", target, std::move(value)}});
    return s.unreadable.count(1) > 0;
  };
  CHECK(refused("o-1", {{"hieght", 1.5}}));
  CHECK(refused("o-1", {{"height", 31}}));
  CHECK(refused("o-1", {{"height", "1.5"}}));
  CHECK(refused("o-1", {{"slant", "yes"}}));
  CHECK(refused("t-1", {{"targets", {{"A", {{"constant", 0.6}}}}}}));
  CHECK(refused("t-1", {{"targets", {{"A", {{"kind", "any"}}}}}}));
  CHECK(refused("l-1", {{"split", "A"}}));
  CHECK(refused("staff:A", {{"scale", 5000}}));
  CHECK(refused("instrument:1", {{"until", 2026}}));
  CHECK(refused("mark:A", {{"gravity", 9.5}}));
  CHECK(refused("limit", {{"loop", -1}}));
  CHECK(refused("limit", {{"loup", 1}}));
  CHECK(refused("job", {{"mode", "fixed"}}));
  CHECK(refused("nothing", {{"mode", "fixed"}}));
  CHECK_FALSE(refused("o-1", {{"height", 1.5}, {"slant", true}, {"antenna", nullptr}}));
}

TEST_CASE("a mark may be called like the id of something else: what is said of it points at no source") {
  const JobState s = fold({{1, "", "", "", "hold", "p-12", {{"how", "full"}}},
                           {2, "", "", "", "set", "mark:r-1", {{"gravity", 9.81}}},
                           {3, "", "", "", "set", "asked:o-2", {{"plan", 0.01}}},
                           {4, "", "", "", "release", "t-3", nlohmann::json::object()},
                           {5, "", "", "", "set", "traverse:t-4", {{"name", "north"}}},
                           {6, "", "", "", "leave-out", "v-5:G07@2026-05-12T09:10:00/09:25:00", {}}});
  CHECK(s.unreadable.empty());
  REQUIRE(s.aims.size() == 2);
  CHECK(s.aims.at("t-4").thing == Thing{Thing::Kind::traverse, "t-4"});
  CHECK(s.aims.at("t-4").decisions == std::vector<long>{5});
  CHECK(s.aims.at("v-5").thing == Thing{Thing::Kind::vector, "v-5"});
  CHECK(s.aims.at("v-5").decisions == std::vector<long>{6});
}
