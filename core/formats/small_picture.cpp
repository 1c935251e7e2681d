#include "formats/small_picture.h"
#include "base/module.h"

namespace ampletie {

std::string small_picture(std::string_view bytes, int side) {
  static const auto make = reinterpret_cast<SmallPictureModule *>(module_function("picture", "ampletie_small_picture"));
  std::string out;
  make(bytes.data(), bytes.size(), side, out);
  return out;
}

} // namespace ampletie
