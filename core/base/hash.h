#pragma once
#include <memory>
#include <string>
#include <string_view>

struct evp_md_ctx_st;

namespace ampletie {

/// SHA-256 as 64 lower-case hexadecimal digits (FIPS 180-4).
std::string sha256_hex(std::string_view bytes);

/// The same of bytes that come piece by piece.
class Sha256 {
public:
  Sha256();
  void add(std::string_view bytes);
  /// Of everything that was added; once.
  std::string hex();

private:
  std::shared_ptr<evp_md_ctx_st> state_;
};

/// A short content id such as `o-3f9c2ab1d0`: a prefix and the first ten digits of the hash of `key`.
std::string content_id(std::string_view prefix, std::string_view key);

} // namespace ampletie
