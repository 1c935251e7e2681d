#include "base/text.h"
#include "fuzz/targets.h"
#include <catch2/catch.hpp>
#include <filesystem>
#include <random>

using namespace ampletie;

namespace {
std::vector<std::pair<std::string, std::string>> corpus() {
  std::vector<std::pair<std::string, std::string>> out;
  for (const auto &[format, target] : testing::fuzz_targets()) {
    std::vector<std::string> files;
    for (const auto &e : std::filesystem::directory_iterator(AMPLETIE_SOURCE_DIR "/tests/fuzz/corpus/" + format))
      files.push_back(e.path().string());
    std::sort(files.begin(), files.end());
    REQUIRE(!files.empty());
    for (const auto &f : files) out.emplace_back(format, read_file(f));
  }
  return out;
}
} // namespace

TEST_CASE("the corpus of the fuzzer is replayed, by every reader") {
  for (const auto &[format, bytes] : corpus())
    for (const auto &[name, target] : testing::fuzz_targets()) target(bytes);
}

TEST_CASE("damaged copies of good files: refused or read, never worse") {
  std::mt19937_64 random(1);
  for (const auto &[format, good] : corpus()) {
    const auto &target = testing::fuzz_targets().at(format);
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
      target(bad);
    }
  }
}
