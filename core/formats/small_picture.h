#pragma once
#include <string>
#include <string_view>

namespace ampletie {

/// A picture (JPEG, PNG) made small: a JPEG of at most `side` pixels in length and height, upright as the camera noted,
/// what is transparent white. Through GDAL, in a module that is loaded then. Empty: the bytes hold no picture that can
/// be decoded, or one of more than 400 million pixels.
std::string small_picture(std::string_view bytes, int side);

/// What the module does.
using SmallPictureModule = void(const char *bytes, std::size_t size, int side, std::string &out);

} // namespace ampletie
