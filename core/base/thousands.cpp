#include "base/thousands.h"

namespace ampletie {

std::string without_thousands(std::string_view text) {
  const std::size_t start = !text.empty() && (text[0] == '-' || text[0] == '+') ? 1 : 0;
  std::size_t groups = 0, digits = 0, at = start;
  for (; at < text.size() && text[at] != '.'; ++at) {
    if (text[at] == ',') {
      if (groups == 0 ? digits < 1 || digits > 3 : digits != 3) return std::string(text);
      ++groups, digits = 0;
    } else if (text[at] >= '0' && text[at] <= '9')
      ++digits;
    else
      return std::string(text);
  }
  if (groups == 0 || digits != 3 || (groups == 1 && at == text.size())) return std::string(text);
  std::string out(text);
  std::erase(out, ',');
  return out;
}

} // namespace ampletie
