#include "base/utf8.h"
#include "base/error.h"
#include <algorithm>
#include <cerrno>
#include <iconv.h>

namespace ampletie {
namespace {

/// Length of the well-formed sequence at the start of `t`, 0 when there is none; `code` receives the character.
std::size_t sequence(std::string_view t, char32_t &code) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(t[i]); };
  const unsigned c = byte(0);
  if (c < 0x80) return code = c, 1;
  const std::size_t n = c >= 0xC2 && c < 0xE0 ? 2 : c >= 0xE0 && c < 0xF0 ? 3 : c >= 0xF0 && c < 0xF5 ? 4 : 0;
  if (n == 0 || n > t.size()) return 0;
  code = c & (0xFFU >> (n + 1));
  for (std::size_t i = 1; i < n; ++i) {
    if ((byte(i) & 0xC0) != 0x80) return 0;
    code = code << 6 | (byte(i) & 0x3F);
  }
  const bool overlong = (n == 3 && code < 0x800) || (n == 4 && code < 0x10000);
  return overlong || (code >= 0xD800 && code < 0xE000) || code > 0x10FFFF ? 0 : n;
}

bool unseen(char32_t c) {
  return c < 0x20 || (c >= 0x7F && c < 0xA0) || (c >= 0x200B && c <= 0x200F) || (c >= 0x2028 && c <= 0x202E) ||
         (c >= 0x2060 && c <= 0x2069) || c == 0xFEFF;
}

std::string convert(std::string_view bytes, const char *from) {
  const iconv_t cd = iconv_open("UTF-8", from);
  std::string out;
  char *in = const_cast<char *>(bytes.data());
  std::size_t left = bytes.size();
  const std::size_t unit = std::string_view(from).substr(0, 6) == "UTF-16" ? 2 : 1;
  char buffer[4096];
  while (left > 0) {
    char *to = buffer;
    std::size_t room = sizeof buffer;
    const std::size_t code = iconv(cd, &in, &left, &to, &room);
    const int why = errno;
    out.append(buffer, sizeof buffer - room);
    if (code != static_cast<std::size_t>(-1) || why == E2BIG) continue;
    out += "\xEF\xBF\xBD";
    if (left <= unit) break;
    in += unit, left -= unit;
  }
  iconv_close(cd);
  return out;
}

/// UTF-16 without a mark: most of the first characters are Latin, so every second byte is zero.
const char *unmarked_utf16(std::string_view b) {
  const std::size_t n = std::min(b.size() / 2, std::size_t{200});
  if (n < 4 || b.size() % 2) return nullptr;
  std::size_t zeros[2] = {0, 0};
  for (std::size_t i = 0; i < 2 * n; ++i) zeros[i % 2] += b[i] == '\0';
  if (zeros[1] * 10 > n * 7 && zeros[0] * 10 < n) return "UTF-16LE";
  if (zeros[0] * 10 > n * 7 && zeros[1] * 10 < n) return "UTF-16BE";
  return nullptr;
}

} // namespace

bool is_utf8(std::string_view t) {
  char32_t code = 0;
  while (!t.empty()) {
    const std::size_t n = sequence(t, code);
    if (n == 0) return false;
    t.remove_prefix(n);
  }
  return true;
}

bool is_utf16(std::string_view b) {
  return b.substr(0, 2) == "\xFF\xFE" || b.substr(0, 2) == "\xFE\xFF" || unmarked_utf16(b);
}

std::string utf8_text(std::string_view b) {
  // Half a character at the end is none.
  if (b.substr(0, 2) == "\xFF\xFE") return convert(b.substr(2, (b.size() - 2) & ~std::size_t{1}), "UTF-16LE");
  if (b.substr(0, 2) == "\xFE\xFF") return convert(b.substr(2, (b.size() - 2) & ~std::size_t{1}), "UTF-16BE");
  if (b.substr(0, 3) == "\xEF\xBB\xBF") b.remove_prefix(3);
  if (const char *wide = unmarked_utf16(b)) return convert(b, wide);
  return is_utf8(b) ? std::string(b) : convert(b, "WINDOWS-1252");
}

std::string name_problem(std::string_view name) {
  std::size_t characters = 0;
  char32_t code = 0;
  for (std::string_view t = name; !t.empty(); ++characters) {
    const std::size_t n = sequence(t, code);
    if (n == 0) return "is not written in UTF-8";
    if (unseen(code)) return "holds characters that cannot be seen";
    t.remove_prefix(n);
  }
  return characters > 100 ? "is longer than 100 characters" : "";
}

void check_name(std::string_view name, std::string_view what, long line) {
  const std::string why = name_problem(name);
  if (!why.empty()) throw InputError({}, line, std::string(what) + " " + why);
}

std::string printable(std::string_view t) {
  std::string out;
  char32_t code = 0;
  while (!t.empty()) {
    const std::size_t n = sequence(t, code);
    if (n == 0 || unseen(code))
      out += ' ';
    else
      out += t.substr(0, n);
    t.remove_prefix(std::max(n, std::size_t{1}));
  }
  return out;
}

} // namespace ampletie
