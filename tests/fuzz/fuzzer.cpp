// The coverage-guided fuzzer (clang's): tests/fuzz/run builds and starts it.
#include "fuzz/targets.h"
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t *data, std::size_t size) {
  ampletie::testing::fuzz_one({reinterpret_cast<const char *>(data), size});
  return 0;
}
