#pragma once
#include <functional>
#include <map>
#include <string>
#include <string_view>

namespace ampletie::testing {

/// One function per format, by the name of its folder in the corpus. Each reads the bytes and, where there is a writer,
/// writes what it read; nothing but `InputError` may leave a reader.
const std::map<std::string, std::function<void(std::string_view)>> &fuzz_targets();

} // namespace ampletie::testing
