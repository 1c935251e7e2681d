// Level files that are wrong in the ways that files are wrong: what is said, and that the job stays as it was.
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {

struct LevelField {
  TemporaryFolder folder;
  Job job;
  LevelField() : job(Job::create(folder / "j.tie", demo_settings())) {}
  Intake take(const std::string &text, const std::string &name = "book.txt", const std::string &as = {}) {
    return job.take_bytes({{name, text}}, as).front();
  }
  const LevelReport &levels() const { return job.snapshot()->levels(); }
  const Doubt *doubt(const std::string &kind) const {
    for (const Doubt &d : job.doubts())
      if (d.kind == kind) return &d;
    return nullptr;
  }
};

const std::string sound = "unit;m\nrun;R1;DL7;A\nh;BM1;H;100.0000\ns;BM1;B;1.50000;30.00;08:00:00;1;\n"
                          "s;;F;1.20000;30.00;08:01:00;1;\ns;;B;1.40000;30.00;08:02:00;1;\n"
                          "s;P9;F;1.00000;30.00;08:03:00;1;\nend\n";

std::string changed(std::string text, const std::string &from, const std::string &to) {
  const auto at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}

} // namespace

TEST_CASE("a sound book is used at once") {
  LevelField f;
  CHECK(f.take(sound).outcome == Intake::Outcome::taken);
  REQUIRE(f.levels().lines.size() == 1);
  CHECK(f.levels().lines[0].reduced.difference == Approx(0.7).margin(1e-9));
  CHECK(f.job.doubts().empty());
  CHECK(f.take(sound).outcome == Intake::Outcome::already_here);
}

TEST_CASE("letters in a number: named with its line, nothing used until it was seen, then without that reading") {
  LevelField f;
  f.take(changed(sound, "1.20000", "1.2O000"));
  CHECK(f.levels().lines.empty());
  const Doubt *d = f.doubt("level file not understood");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("line 5") && Contains("letters where a number should be"));
  f.job.decide("set", "source:" + f.levels().sources[0].source_id, {{"seen", true}}, "looked at");
  REQUIRE(!f.levels().lines.empty());
  CHECK(f.doubt("level file not understood") == nullptr);
  // The reading is missing: whatever the chain says of it, no set-up with a made-up reading exists.
  for (const LevelLine &l : f.levels().lines)
    for (const StaffSight &s : l.run.sights) CHECK(std::isfinite(s.reading));
}

TEST_CASE("a unit that the recipe does not know, and one that contradicts it") {
  LevelField f;
  f.take(changed(sound, "unit;m", "unit;rods"));
  const Doubt *d = f.doubt("level file not understood");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("rods") || Contains("unit"));
  CHECK(f.levels().lines.empty());
  LevelField feet;
  feet.take(changed(sound, "unit;m", "unit;ft"));
  REQUIRE(feet.levels().lines.size() == 1);
  CHECK(feet.levels().lines[0].reduced.difference == Approx(0.7 * 0.3048).margin(1e-9));
}

TEST_CASE("back and fore sights exchanged all along: no set-up is made of them") {
  LevelField f;
  std::string swapped = sound;
  for (char &c : swapped)
    if (c == 'B' || c == 'F') c = c == 'B' ? 'F' : 'B';
  swapped = changed(swapped, "FM1;H", "BM1;H");
  f.take(swapped);
  bool sound_line = false;
  for (const LevelLine &l : f.levels().lines)
    sound_line = sound_line || (l.problem.empty() && l.setups.troubles.empty());
  CHECK(!sound_line);
  CHECK(!f.job.doubts().empty());
}

TEST_CASE("a missing fore sight is named with the line it should follow") {
  LevelField f;
  f.take(changed(sound, "s;;F;1.20000;30.00;08:01:00;1;\n", ""));
  const Doubt *d = f.doubt("set-up questionable");
  if (d)
    CHECK_THAT(d->about, Contains("line"));
  else
    // Two back sights in a row: the first set-up was given up, which its book says.
    CHECK(!f.levels().lines.at(0).setups.troubles.empty());
}

TEST_CASE("a start that stands twice") {
  LevelField f;
  f.take(changed(sound, "run;R1;DL7;A\n", "run;R1;DL7;A\nrun;R1;DL7;A\n"));
  REQUIRE(f.levels().lines.size() == 1);
  CHECK(f.levels().lines[0].reduced.setups == 2);
}

TEST_CASE("a book that ends in the middle of a line") {
  LevelField f;
  for (std::size_t n : {sound.size() - 5, sound.size() - 20, sound.size() / 2}) {
    LevelField g;
    const Intake i = g.take(sound.substr(0, n));
    CHECK(i.outcome == Intake::Outcome::taken);
    for (const LevelLine &l : g.levels().lines) CHECK(l.reduced.setups <= 2);
  }
}

TEST_CASE("a heap of rubbish is refused or set aside, quickly, and the job stays") {
  LevelField f;
  f.take(sound);
  const auto before = f.job.decisions().size();
  std::string rubbish(100'000'000, '\0');
  std::uint32_t x = 12345;
  for (char &c : rubbish) c = static_cast<char>((x = x * 1664525 + 1013904223) >> 24);
  const Intake i = f.take(rubbish, "rubbish.bin");
  CHECK(i.outcome == Intake::Outcome::refused);
  CHECK(!i.sentence.empty());
  CHECK(f.job.snapshot()->contents().size() == 1);
  CHECK(f.job.decisions().size() == before);
  CHECK(f.levels().lines.size() == 1);
}

TEST_CASE("a long file without a line end is no book") {
  LevelField f;
  const Intake i = f.take(std::string(5'000'000, 's'), "long.txt");
  CHECK(i.outcome == Intake::Outcome::refused);
}

TEST_CASE("heights in a book are claims: compared with the job's, never used") {
  LevelField f;
  f.take("mark,height,sd_u\nBM1,100.0500,0.001\n", "bench.csv");
  f.take(sound);
  f.job.decide("hold", "BM1", {{"how", "height"}}, "published");
  const Doubt *d = f.doubt("height claimed otherwise");
  REQUIRE(d);
  CHECK(*d->value == Approx(50).margin(1e-6));
  CHECK_THAT(d->sentence, Contains("line 3"));
  CHECK(f.levels().lines[0].heights.back().height == Approx(100.75).margin(1e-9));
}

TEST_CASE("the same book under two names is one source; a corrected one beside it is another") {
  LevelField f;
  f.take(sound);
  CHECK(f.take(sound, "copy.txt").outcome == Intake::Outcome::already_here);
  const Intake other = f.take(changed(sound, "1.20000", "1.20010"));
  CHECK(other.outcome == Intake::Outcome::same_name_other_content);
  CHECK(f.levels().lines.size() == 2);
}
