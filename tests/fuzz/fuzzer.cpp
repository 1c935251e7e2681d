// The coverage-guided fuzzer (clang's): tests/fuzz/run builds and starts it for every format.
#include "fuzz/targets.h"
#include <cstdlib>
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t *data, std::size_t size) {
  static const auto &target = ampletie::testing::fuzz_targets().at(std::getenv("AMPLETIE_FUZZ"));
  target({reinterpret_cast<const char *>(data), size});
  return 0;
}
