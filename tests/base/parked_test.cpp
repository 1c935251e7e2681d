#include "base/error.h"
#include "base/parked.h"
#include <catch2/catch.hpp>
#include <cstdlib>
#include <random>
#include <thread>

using namespace ampletie;

TEST_CASE("what is parked is read back as it was written, wherever it lies") {
  for (const std::size_t held : {std::size_t{0}, std::size_t{1}, std::size_t{1000}, std::size_t{1} << 30}) {
    INFO(held);
    std::mt19937 random(7);
    Parked<double> parked(held);
    std::vector<double> all;
    for (int k = 0; k < 200; ++k) {
      std::vector<double> run(random() % 40);
      for (double &x : run) x = static_cast<double>(random());
      CHECK(parked.size() == all.size());
      parked.append(run);
      all.insert(all.end(), run.begin(), run.end());
      // Reading and writing in turn.
      std::vector<double> some;
      const std::size_t first = all.empty() ? 0 : random() % all.size(), count = (all.size() - first) / 2;
      parked.read(first, count, some);
      CHECK(std::equal(some.begin(), some.end(), all.begin() + static_cast<std::ptrdiff_t>(first)));
      CHECK(some.size() == count);
    }
    Parked<double> moved = std::move(parked);
    int wrong[4] = {};
    std::vector<std::thread> readers;
    for (int &w : wrong)
      readers.emplace_back([&] {
        std::vector<double> some;
        for (std::size_t i = 0; i + 10 <= all.size(); ++i) {
          moved.read(i, 10, some);
          w += !std::equal(some.begin(), some.end(), all.begin() + static_cast<std::ptrdiff_t>(i));
        }
      });
    for (auto &t : readers) t.join();
    for (int w : wrong) CHECK(w == 0);
  }
}

TEST_CASE("without a folder for temporary files what does not fit is refused with the folder's name") {
  const std::vector<int> ten(10, 1);
  ::setenv("TMPDIR", "/proc", 1); // where nobody can write
  Parked<int> refused(4);
  CHECK_THROWS_WITH(refused.append(ten), Catch::Contains("in /proc: "));
  ::setenv("TMPDIR", "/nowhere/at/all", 1);
  Parked<int> parked(4);
  parked.append(ten); // the usual folder
  ::unsetenv("TMPDIR");
  std::vector<int> back;
  parked.read(0, 10, back);
  CHECK(back == ten);
}
