#include "formats/product_class.h"
#include <algorithm>
#include <array>
#include <cctype>
#include <utility>

namespace ampletie {
namespace {
constexpr std::array<std::pair<ProductClass, const char *>, 5> class_names{{{ProductClass::predicted, "predicted"},
                                                                            {ProductClass::ultra_rapid, "ultra-rapid"},
                                                                            {ProductClass::rapid, "rapid"},
                                                                            {ProductClass::unknown, "unknown"},
                                                                            {ProductClass::final, "final"}}};
}

ProductClass product_class(std::string_view file_name) {
  if (const auto slash = file_name.find_last_of("/\\"); slash != std::string_view::npos)
    file_name.remove_prefix(slash + 1);
  // AAAVPPPTTT_YYYYDDDHHMM_
  if (file_name.size() < 23 || file_name[10] != '_' || file_name[22] != '_') return ProductClass::unknown;
  const std::string_view day = file_name.substr(11, 11);
  if (!std::all_of(day.begin(), day.end(), [](char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; }))
    return ProductClass::unknown;
  std::string kind(file_name.substr(7, 3));
  std::transform(kind.begin(), kind.end(), kind.begin(), [](unsigned char c) { return std::toupper(c); });
  if (kind == "FIN") return ProductClass::final;
  if (kind == "RAP") return ProductClass::rapid;
  if (kind == "ULT" || kind == "NRT" || kind == "RTS") return ProductClass::ultra_rapid;
  if (kind == "PRD") return ProductClass::predicted;
  return ProductClass::unknown;
}

const char *product_class_name(ProductClass c) {
  return std::find_if(class_names.begin(), class_names.end(), [&](const auto &n) { return n.first == c; })->second;
}

ProductClass product_class_named(std::string_view name) {
  const auto it = std::find_if(class_names.begin(), class_names.end(), [&](const auto &n) { return n.second == name; });
  return it == class_names.end() ? ProductClass::unknown : it->first;
}

} // namespace ampletie
