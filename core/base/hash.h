#pragma once
#include <string>
#include <string_view>

namespace ampletie {

/// SHA-256 as 64 lower-case hexadecimal digits (FIPS 180-4).
std::string sha256_hex(std::string_view bytes);

/// A short content id such as `o-3f9c2ab1d0`: a prefix and the first ten digits of the hash of `key`.
std::string content_id(std::string_view prefix, std::string_view key);

} // namespace ampletie
