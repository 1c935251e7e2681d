#include "results/occupation.h"
#include <catch2/catch.hpp>

using namespace ampletie;

namespace {
SourceContent antex(const std::string &id, std::vector<Antenna> all) {
  SourceContent c;
  c.source.id = id, c.source.name = id + ".atx", c.source.kind = "antex";
  auto f = std::make_shared<AntexFile>();
  f->receivers = std::move(all);
  c.antex = f;
  return c;
}
Antenna antenna(const char *release, const char *serial = "") {
  Antenna a;
  a.type = "TESSEL T4       NONE", a.serial = serial, a.release = release;
  return a;
}
} // namespace

TEST_CASE(
    "an antenna's own calibration comes before its type's, the newer release before the older, in any order of files") {
  std::vector<SourceContent> files{antex("a", {antenna("IGS14_2196")}), antex("b", {antenna("IGS20_2247")}),
                                   antex("c", {antenna("IGS14_2100", "4711"), antenna("IGS20_2300", "4712")})};
  std::sort(files.begin(), files.end(), [](const auto &x, const auto &y) { return x.source.id < y.source.id; });
  do {
    const Contents all = files;
    const auto of = [&](const char *serial) {
      const auto known = calibrations_of(all, "TESSEL T4", serial);
      return known.empty() ? std::string() : known.front().antenna->release;
    };
    CHECK(of("") == "IGS20_2247");
    CHECK(of("4711") == "IGS14_2100");
    CHECK(of(" 4711 ") == "IGS14_2100");
    CHECK(of("9999") == "IGS20_2247");
    CHECK(calibrations_of(all, "TESSEL T4", "4711").size() == 3);
    CHECK(calibrations_of(all, "OTHER", "4711").empty());
  } while (std::next_permutation(files.begin(), files.end(),
                                 [](const auto &x, const auto &y) { return x.source.id < y.source.id; }));
}
