#include "base/hash.h"
#include <array>
#include <openssl/evp.h>
#include <openssl/sha.h>

namespace ampletie {
namespace {
using Digest = std::array<unsigned char, SHA256_DIGEST_LENGTH>;

std::string hex_of(const Digest &digest) {
  static const char *digits = "0123456789abcdef";
  std::string out;
  out.reserve(64);
  for (unsigned char b : digest) {
    out += digits[b >> 4];
    out += digits[b & 15];
  }
  return out;
}
} // namespace

std::string sha256_hex(std::string_view bytes) {
  Digest digest{};
  SHA256(reinterpret_cast<const unsigned char *>(bytes.data()), bytes.size(), digest.data());
  return hex_of(digest);
}

Sha256::Sha256() : state_(EVP_MD_CTX_new(), EVP_MD_CTX_free) { EVP_DigestInit_ex(state_.get(), EVP_sha256(), nullptr); }
void Sha256::add(std::string_view bytes) { EVP_DigestUpdate(state_.get(), bytes.data(), bytes.size()); }
std::string Sha256::hex() {
  Digest digest{};
  EVP_DigestFinal_ex(state_.get(), digest.data(), nullptr);
  return hex_of(digest);
}

std::string content_id(std::string_view prefix, std::string_view key) {
  return std::string(prefix) + "-" + sha256_hex(key).substr(0, 10);
}

} // namespace ampletie
