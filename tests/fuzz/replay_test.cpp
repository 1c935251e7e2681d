#include "base/text.h"
#include "formats/rinex_observation.h"
#include "fuzz/targets.h"
#include <catch2/catch.hpp>
#include <filesystem>
#include <random>

using namespace ampletie;

TEST_CASE("the corpus of the fuzzer is replayed") {
  int n = 0;
  for (const auto &e : std::filesystem::directory_iterator(AMPLETIE_SOURCE_DIR "/tests/fuzz/corpus")) {
    testing::fuzz_one(read_file(e.path().string()));
    ++n;
  }
  CHECK(n >= 6);
}

TEST_CASE("damaged copies of good files: refused or read, never worse") {
  std::mt19937_64 random(1);
  for (const auto &e : std::filesystem::directory_iterator(AMPLETIE_SOURCE_DIR "/tests/fuzz/corpus")) {
    const std::string good = read_file(e.path().string());
    for (int i = 0; i < 2000; ++i) {
      std::string bad = good;
      const int changes = 1 + static_cast<int>(random() % 8);
      for (int c = 0; c < changes && !bad.empty(); ++c) {
        const std::size_t at = random() % bad.size();
        switch (random() % 5) {
        case 0:
          bad[at] = static_cast<char>(random());
          break;
        case 1:
          bad.erase(at, random() % 90);
          break;
        case 2:
          bad.insert(at, bad.substr(random() % bad.size(), random() % 90));
          break;
        case 3:
          bad.resize(at);
          break;
        default:
          bad.insert(at, std::string(1 + random() % 3, "0 9-.\n>G*"[random() % 9]));
        }
      }
      testing::fuzz_one(bad);
    }
  }
}
