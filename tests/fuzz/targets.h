#pragma once
#include <cstdint>
#include <string_view>

namespace ampletie::testing {

/// Feeds bytes to every parser that they could reach, as a dropped file would. Any outcome but `InputError` or success
/// is a fault. Used by the fuzzer and by the replay of the corpus.
void fuzz_one(std::string_view bytes);

} // namespace ampletie::testing
