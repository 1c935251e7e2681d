#include "base/parallel.h"
#include <atomic>
#include <catch2/catch.hpp>
#include <numeric>

using namespace ampletie;

TEST_CASE("everything that is fetched is worked once, in order of fetching, whatever the number of workers") {
  for (unsigned workers : {1U, 2U, 3U, 8U})
    for (std::size_t n : {std::size_t{0}, std::size_t{1}, std::size_t{7}, std::size_t{500}}) {
      std::vector<std::size_t> fetched;
      std::vector<int> worked(n, 0);
      std::atomic<int> at_once{0}, most{0};
      const auto mine = std::this_thread::get_id();
      fetch_and_work(
          n,
          [&](std::size_t i) {
            CHECK(std::this_thread::get_id() == mine);
            fetched.push_back(i);
            return std::make_unique<std::size_t>(3 * i);
          },
          [&](std::size_t i, std::unique_ptr<std::size_t> v) {
            const int now = ++at_once;
            for (int seen = most; now > seen && !most.compare_exchange_weak(seen, now);) {
            }
            worked[i] += *v == 3 * i ? 1 : 100;
            --at_once;
          },
          workers);
      REQUIRE(fetched.size() == n);
      CHECK(std::is_sorted(fetched.begin(), fetched.end()));
      CHECK(std::accumulate(worked.begin(), worked.end(), 0) == static_cast<int>(n));
      CHECK(most <= static_cast<int>(workers));
    }
}
