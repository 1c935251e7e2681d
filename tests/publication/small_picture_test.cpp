// Pictures made small, drawn and looked at with GDAL.
#include "formats/small_picture.h"
#include <catch2/catch.hpp>
#include <cpl_vsi.h>
#include <gdal_priv.h>
#include <vector>

using namespace ampletie;

namespace {
using Bytes = std::vector<GByte>;

/// Bands one after the other, written by a driver of GDAL.
std::string drawn(const char *driver, int width, int height, int bands, const Bytes &pixels,
                  GDALColorTable *table = nullptr) {
  GDALAllRegister();
  GDALDataset *memory =
      GetGDALDriverManager()->GetDriverByName("MEM")->Create("", width, height, bands, GDT_Byte, nullptr);
  if (table) memory->GetRasterBand(1)->SetColorTable(table);
  REQUIRE(memory->RasterIO(GF_Write, 0, 0, width, height, const_cast<GByte *>(pixels.data()), width, height, GDT_Byte,
                           bands, nullptr, 0, 0, 0, nullptr) == CE_None);
  GDALClose(GetGDALDriverManager()->GetDriverByName(driver)->CreateCopy("/vsimem/drawn", memory, FALSE, nullptr,
                                                                        nullptr, nullptr));
  GDALClose(memory);
  vsi_l_offset size = 0;
  GByte *bytes = VSIGetMemFileBuffer("/vsimem/drawn", &size, TRUE);
  const std::string out(reinterpret_cast<const char *>(bytes), size);
  VSIFree(bytes);
  return out;
}

struct Seen {
  int width = 0, height = 0;
  Bytes rgb;
  /// Whether the place (as parts of width and height) has about this colour.
  bool is(double x, double y, int r, int g, int b) const {
    const auto px = static_cast<std::size_t>(x * width), py = static_cast<std::size_t>(y * height),
               n = static_cast<std::size_t>(width) * static_cast<std::size_t>(height),
               at = py * static_cast<std::size_t>(width) + px;
    return std::abs(rgb[at] - r) < 40 && std::abs(rgb[n + at] - g) < 40 && std::abs(rgb[2 * n + at] - b) < 40;
  }
};
Seen seen(const std::string &jpeg) {
  REQUIRE(jpeg.substr(0, 2) == "\xFF\xD8");
  Bytes copy(jpeg.begin(), jpeg.end());
  VSIFCloseL(VSIFileFromMemBuffer("/vsimem/seen", copy.data(), copy.size(), FALSE));
  auto *d = static_cast<GDALDataset *>(GDALOpen("/vsimem/seen", GA_ReadOnly));
  REQUIRE(d);
  Seen out{d->GetRasterXSize(), d->GetRasterYSize(), {}};
  REQUIRE(d->GetRasterCount() == 3);
  out.rgb.resize(3 * static_cast<std::size_t>(out.width) * static_cast<std::size_t>(out.height));
  REQUIRE(d->RasterIO(GF_Read, 0, 0, out.width, out.height, out.rgb.data(), out.width, out.height, GDT_Byte, 3, nullptr,
                      0, 0, 0, nullptr) == CE_None);
  GDALClose(d);
  VSIUnlink("/vsimem/seen");
  return out;
}

/// 800 by 600: red above at the left, blue below, green above at the right.
Bytes three_colours() {
  Bytes out(3 * 800 * 600, 0);
  for (std::size_t y = 0; y < 600; ++y)
    for (std::size_t x = 0; x < 800; ++x) out[(y >= 300 ? 2U : x < 400 ? 0U : 1U) * 480000 + y * 800 + x] = 230;
  return out;
}
/// With the camera's note of how it was held.
std::string held(const std::string &jpeg, int how) {
  std::string tiff("II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0", 18);
  tiff += static_cast<char>(how) + std::string(3, '\0') + std::string(4, '\0');
  const std::string block = std::string("Exif\0\0", 6) + tiff;
  const auto size = block.size() + 2;
  return jpeg.substr(0, 2) + "\xFF\xE1" + static_cast<char>(size >> 8) + static_cast<char>(size & 255) + block +
         jpeg.substr(2);
}
} // namespace

TEST_CASE("a photo is made small, upright as the camera was held") {
  const std::string jpeg = drawn("JPEG", 800, 600, 3, three_colours());
  const Seen s = seen(small_picture(jpeg, 200));
  CHECK((s.width == 200 && s.height == 150));
  CHECK((s.is(0.2, 0.2, 230, 0, 0) && s.is(0.8, 0.2, 0, 230, 0) && s.is(0.5, 0.8, 0, 0, 230)));
  const Seen right = seen(small_picture(held(jpeg, 6), 200)); // turned to the right, as Exif has it
  CHECK((right.width == 150 && right.height == 200));
  CHECK((right.is(0.8, 0.2, 230, 0, 0) && right.is(0.8, 0.8, 0, 230, 0) && right.is(0.2, 0.5, 0, 0, 230)));
  const Seen left = seen(small_picture(held(jpeg, 8), 200));
  CHECK((left.is(0.2, 0.8, 230, 0, 0) && left.is(0.2, 0.2, 0, 230, 0) && left.is(0.8, 0.5, 0, 0, 230)));
  const Seen over = seen(small_picture(held(jpeg, 3), 200));
  CHECK((over.is(0.8, 0.8, 230, 0, 0) && over.is(0.2, 0.8, 0, 230, 0) && over.is(0.5, 0.2, 0, 0, 230)));
  // Never larger than it was.
  CHECK(seen(small_picture(jpeg, 5000)).width == 800);
}

TEST_CASE("sketches: grey, with a table of colours, transparent on white; what is none gives nothing") {
  CHECK(seen(small_picture(drawn("PNG", 400, 100, 1, Bytes(40000, 200)), 100)).is(0.5, 0.5, 200, 200, 200));
  GDALColorTable table;
  const GDALColorEntry red{220, 10, 10, 255}, green{10, 200, 10, 255};
  table.SetColorEntry(0, &red), table.SetColorEntry(1, &green);
  Bytes halves(40000, 0);
  std::fill(halves.begin() + 20000, halves.end(), static_cast<GByte>(1));
  const Seen s = seen(small_picture(drawn("PNG", 400, 100, 1, halves, &table), 200));
  CHECK((s.is(0.5, 0.2, 220, 10, 10) && s.is(0.5, 0.8, 10, 200, 10)));
  CHECK(seen(small_picture(drawn("PNG", 100, 100, 4, Bytes(40000, 0)), 50)).is(0.5, 0.5, 255, 255, 255));
  CHECK(small_picture("", 100).empty());
  CHECK(small_picture("no picture at all", 100).empty());
  const std::string jpeg = drawn("JPEG", 800, 600, 3, three_colours());
  CHECK(small_picture(jpeg.substr(0, 300), 100).empty());
  CHECK_NOTHROW(small_picture(jpeg.substr(0, jpeg.size() / 2), 100));
}
