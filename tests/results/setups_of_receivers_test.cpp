#include "results/occupation.h"
#include <catch2/catch.hpp>

using namespace ampletie;

namespace {
struct File {
  double from_min, to_min; ///< minutes after the first
  const char *mark = "REFA", *receiver = "FELLMARK R8", *serial = "R8-1", *antenna = "TESSEL T4       NONE";
  double height = 1.5;
};

Contents contents_of(const std::vector<File> &files) {
  Contents out;
  const GpsTime begin = gps_time(Calendar{2026, 5, 12, 8, 0, 0});
  for (std::size_t i = 0; i < files.size(); ++i) {
    const File &f = files[i];
    ObservationFile site;
    site.marker = f.mark, site.receiver = f.receiver, site.receiver_serial = f.serial, site.antenna = f.antenna;
    site.delta_hen = {f.height, 0, 0};
    site.interval = 30;
    site.epochs = {{begin + 60 * f.from_min, 0, 0, 0, 1}, {begin + 60 * f.to_min, 0, 0, 0, 2}};
    SourceContent c;
    c.source.id = "source" + std::to_string(i), c.source.kind = "observation";
    c.sites = sites_in_memory({site});
    out.push_back(c);
  }
  return out;
}

/// Set-ups of the files in order, numbered as they come.
std::vector<int> setups_of(const std::vector<File> &files, const JobState &state = {}) {
  std::map<std::string, int> number;
  std::vector<int> out;
  for (const Occupation &o : occupations(contents_of(files), state))
    out.push_back(number.emplace(o.setup, static_cast<int>(number.size()) + 1).first->second);
  return out;
}
using Setups = std::vector<int>;
} // namespace

TEST_CASE("contiguous files of one receiver with the same antenna and height are one set-up") {
  CHECK(setups_of({{0, 60}, {60.5, 120}, {120.5, 180}}) == Setups{1, 1, 1});
  CHECK(setups_of({{0, 60}, {85, 120}}) == Setups{1, 1});
  CHECK(setups_of({{0, 60}, {95, 120}}) == Setups{1, 2});         // long enough to have gone home
  CHECK(setups_of({{0, 60}, {61, 120, "REFB"}}) == Setups{1, 2}); // another mark
  CHECK(setups_of({{0, 60}, {61, 120, "REFA", "FELLMARK R8", "R8-2"}}) == Setups{1, 2}); // another receiver
  File measured{61, 120};
  measured.height = 1.503;
  CHECK(setups_of({{0, 60}, measured}) == Setups{1, 2}); // its height was measured again
  File dome{61, 120};
  dome.antenna = "TESSEL T4       DOME";
  CHECK(setups_of({{0, 60}, dome}) == Setups{1, 2});
  // A second receiver between two files of the first does not part them.
  CHECK(setups_of({{0, 60}, {5, 90, "R07", "FELLMARK R8", "R8-2"}, {61, 120}}) == Setups{1, 2, 1});
}

TEST_CASE("the pause is known for the doubt, and a decision about the set-up stands") {
  const Contents c = contents_of({{0, 60}, {72, 120}});
  auto all = occupations(c, {});
  REQUIRE(all.size() == 2);
  CHECK_FALSE(all[0].gap_before);
  REQUIRE(all[1].gap_before);
  CHECK(*all[1].gap_before == Approx(12 * 60));
  JobState state;
  state.occupations[all[1].id].setup.value = "s-of-its-own";
  state.occupations[all[1].id].setup.decision = 7;
  all = occupations(c, state);
  CHECK(all[1].setup == "s-of-its-own");
  CHECK(all[0].setup != all[1].setup);
  CHECK_FALSE(all[1].gap_before);
}
