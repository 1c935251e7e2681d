#include "base/base64.h"
#include "base/error.h"
#include <openssl/evp.h>

namespace ampletie {

std::string to_base64(std::string_view b) {
  std::string out((b.size() + 2) / 3 * 4 + 1, '\0'); // and a nought at its end
  const int n = EVP_EncodeBlock(reinterpret_cast<unsigned char *>(out.data()),
                                reinterpret_cast<const unsigned char *>(b.data()), static_cast<int>(b.size()));
  out.resize(static_cast<std::size_t>(n));
  return out;
}

std::string from_base64(std::string_view t) {
  std::string out(t.size() / 4 * 3, '\0');
  const int n = t.size() % 4
                    ? -1
                    : EVP_DecodeBlock(reinterpret_cast<unsigned char *>(out.data()),
                                      reinterpret_cast<const unsigned char *>(t.data()), static_cast<int>(t.size()));
  if (n < 0) throw InputError("what should be base64 is none");
  // The filling counts as noughts.
  std::size_t filled = 0;
  while (filled < 2 && filled < t.size() && t[t.size() - 1 - filled] == '=') ++filled;
  out.resize(static_cast<std::size_t>(n) - filled);
  return out;
}

} // namespace ampletie
