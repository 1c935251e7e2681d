#include "gnss/ambiguity/integers.h"

namespace ampletie {

std::string solution_name(Solution s) {
  switch (s) {
  case Solution::code:
    return "code";
  case Solution::floating:
    return "float";
  case Solution::partly_fixed:
    return "partly fixed";
  case Solution::fixed:
    return "fixed";
  }
  return "";
}

} // namespace ampletie
