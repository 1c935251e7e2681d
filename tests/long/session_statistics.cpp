// Errors of session solutions of three rovers against their joint covariance. Usage: session_statistics STRATUM FIRST
// COUNT
#include "support/sessions.h"
#include <cstdio>
#include <cstdlib>

using namespace ampletie::testing;

int main(int argc, char **argv) {
  if (argc < 4) return 2;
  SessionTally t;
  for (int k = 0; k < std::atoi(argv[3]); ++k) {
    const auto seed = static_cast<std::uint64_t>(std::atoll(argv[2]) + k);
    try {
      const PreparedSession p = prepare_session(stratum(argv[1]), seed);
      t.add(p, p.solve(3));
    } catch (const std::exception &e) {
      std::printf("  seed %llu: %s\n", static_cast<unsigned long long>(seed), e.what());
    }
  }
  std::printf("%-10s %s\n", argv[1], t.line().c_str());
}
