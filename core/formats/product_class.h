#pragma once
#include <string>
#include <string_view>

namespace ampletie {

/// How ripe orbits and clocks are. The order is that of preference, least first.
enum class ProductClass { predicted, ultra_rapid, rapid, unknown, final };

/// By the three letters of the long names of products (IGS, "Guidelines for Long Product Filenames", version 2:
/// `AAAVPPPTTT_YYYYDDDHHMM_LEN_SMP_CNT.FMT`, TTT one of PRD, ULT, NRT, RTS, RAP, FIN); other names say nothing.
ProductClass product_class(std::string_view file_name);
/// "final", "rapid", "ultra-rapid", "predicted", "unknown".
const char *product_class_name(ProductClass c);
ProductClass product_class_named(std::string_view name);

} // namespace ampletie
