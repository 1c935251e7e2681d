// Errors of session solutions against their joint covariance. Usage: session_statistics STRATUM FIRST COUNT [ROVERS
// [one|legs]]: all legs in one filter, or leg by leg; else as the number of rovers asks.
#include "support/sessions.h"
#include <cstdio>
#include <cstdlib>
#include <string>

using namespace ampletie::testing;

int main(int argc, char **argv) {
  if (argc < 4) return 2;
  const int rovers = argc > 4 ? std::atoi(argv[4]) : 3;
  const std::string way = argc > 5 ? argv[5] : "";
  const auto solve = way == "one"    ? ampletie::solve_jointly
                     : way == "legs" ? ampletie::solve_by_legs
                                     : ampletie::solve_session;
  SessionTally t;
  for (int k = 0; k < std::atoi(argv[3]); ++k) {
    const auto seed = static_cast<std::uint64_t>(std::atoll(argv[2]) + k);
    try {
      const PreparedSession p = prepare_session(stratum(argv[1]), seed, rovers);
      t.add(p, solve(p.models[0], p.legs(p.vectors.size()), *p.orbits, {}, {}));
    } catch (const std::exception &e) {
      std::printf("  seed %llu: %s\n", static_cast<unsigned long long>(seed), e.what());
    }
  }
  std::printf("%-10s %d rovers %s: %s\n", argv[1], rovers, way.c_str(), t.line().c_str());
}
