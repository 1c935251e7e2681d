#include "base/text.h"
#include "geodesy/projection.h"

// What tells descriptions of grids from codes: without PROJ, so that readers of lists need none.
namespace ampletie {

bool is_described(std::string_view code) {
  return code.starts_with("+proj=") || code.starts_with("PROJCRS[") || code.starts_with("PROJCS[");
}

std::string on_one_line(std::string_view code) {
  std::string out;
  for (char c : trimmed(code)) {
    const bool blank = std::isspace(static_cast<unsigned char>(c));
    if (!blank)
      out += c;
    else if (out.back() != ' ')
      out += ' ';
  }
  return out;
}

} // namespace ampletie
