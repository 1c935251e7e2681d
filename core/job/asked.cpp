#include "job/asked.h"
#include <array>

namespace ampletie {

bool in_group(const std::string &group, const std::string &mark) {
  if (group.empty() || group.back() != '*') return group == mark;
  return mark.compare(0, group.size() - 1, group, 0, group.size() - 1) == 0;
}

std::string accuracy_class(double value95) {
  static constexpr std::array<std::pair<double, const char *>, 13> classes{{{0.001, "1 mm"},
                                                                            {0.002, "2 mm"},
                                                                            {0.005, "5 mm"},
                                                                            {0.01, "1 cm"},
                                                                            {0.02, "2 cm"},
                                                                            {0.05, "5 cm"},
                                                                            {0.1, "1 dm"},
                                                                            {0.2, "2 dm"},
                                                                            {0.5, "5 dm"},
                                                                            {1, "1 m"},
                                                                            {2, "2 m"},
                                                                            {5, "5 m"},
                                                                            {10, "10 m"}}};
  for (const auto &[limit, name] : classes)
    if (value95 <= limit) return name;
  return "";
}

} // namespace ampletie
