#include "base/hash.h"
#include <array>
#include <openssl/sha.h>

namespace ampletie {

std::string sha256_hex(std::string_view bytes) {
  std::array<unsigned char, SHA256_DIGEST_LENGTH> digest{};
  SHA256(reinterpret_cast<const unsigned char *>(bytes.data()), bytes.size(), digest.data());
  static const char *digits = "0123456789abcdef";
  std::string out;
  out.reserve(64);
  for (unsigned char b : digest) {
    out += digits[b >> 4];
    out += digits[b & 15];
  }
  return out;
}

std::string content_id(std::string_view prefix, std::string_view key) {
  return std::string(prefix) + "-" + sha256_hex(key).substr(0, 10);
}

} // namespace ampletie
