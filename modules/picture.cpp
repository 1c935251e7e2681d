// Makes pictures small with GDAL.
#include "formats/small_picture.h"
#include <algorithm>
#include <cmath>
#include <cpl_conv.h>
#include <cpl_vsi.h>
#include <gdal_priv.h>
#include <memory>
#include <mutex>
#include <vector>

extern "C" void CPL_DLL GDALRegister_JPEG();
extern "C" void CPL_DLL GDALRegister_PNG();
extern "C" void CPL_DLL GDALRegister_MEM();

namespace ampletie {
namespace {

void picture_drivers() {
  static std::once_flag once;
  std::call_once(once, [] {
    CPLSetErrorHandler(CPLQuietErrorHandler);
    CPLSetConfigOption("GDAL_DISABLE_READDIR_ON_OPEN", "EMPTY_DIR");
    CPLSetConfigOption("GDAL_PAM_ENABLED", "NO"); // nothing is written beside a picture
    GDALRegister_JPEG();
    GDALRegister_PNG();
    GDALRegister_MEM();
  });
}

struct CloseDataset {
  void operator()(GDALDataset *d) const { GDALClose(d); }
};
using Dataset = std::unique_ptr<GDALDataset, CloseDataset>;

/// Red, green and blue of every pixel, row by row.
struct Pixels {
  int width = 0, height = 0;
  std::vector<GByte> rgb;
  const GByte *at(int x, int y) const { return rgb.data() + 3 * (static_cast<std::size_t>(y) * width + x); }
};

/// The band in the small size; 16 bits are taken to 8.
std::vector<GByte> band_of(GDALDataset &d, int number, int width, int height) {
  GDALRasterBand *band = d.GetRasterBand(number);
  GDALRasterIOExtraArg how;
  INIT_RASTERIO_EXTRA_ARG(how);
  // Colours of a table cannot be averaged by their numbers.
  how.eResampleAlg = band->GetColorTable() ? GRIORA_NearestNeighbour : GRIORA_Average;
  const std::size_t count = static_cast<std::size_t>(width) * static_cast<std::size_t>(height);
  std::vector<GUInt16> wide(count);
  if (band->RasterIO(GF_Read, 0, 0, d.GetRasterXSize(), d.GetRasterYSize(), wide.data(), width, height, GDT_UInt16, 0,
                     0, &how) != CE_None)
    return {};
  const int shift = band->GetRasterDataType() == GDT_Byte ? 0 : 8;
  std::vector<GByte> out(count);
  for (std::size_t i = 0; i < count; ++i) out[i] = static_cast<GByte>(std::min(wide[i] >> shift, 255));
  return out;
}

Pixels small_pixels(GDALDataset &d, int side) {
  const double scale = std::min(1.0, side / static_cast<double>(std::max(d.GetRasterXSize(), d.GetRasterYSize())));
  Pixels p;
  p.width = std::max(1, static_cast<int>(std::lround(d.GetRasterXSize() * scale)));
  p.height = std::max(1, static_cast<int>(std::lround(d.GetRasterYSize() * scale)));
  const int bands = d.GetRasterCount();
  std::vector<std::vector<GByte>> read;
  for (int b = 1; b <= std::min(bands, 4); ++b) {
    read.push_back(band_of(d, b, p.width, p.height));
    if (read.back().empty()) return {};
  }
  if (read.empty()) return {};
  const GDALColorTable *table = d.GetRasterBand(1)->GetColorTable();
  const bool grey = bands < 3, transparent = bands == 2 || bands == 4;
  p.rgb.resize(3 * read[0].size());
  for (std::size_t i = 0; i < read[0].size(); ++i) {
    double colour[3], alpha = transparent ? read.back()[i] / 255.0 : 1;
    for (std::size_t k = 0; k < 3; ++k) colour[k] = read[grey ? 0 : k][i];
    if (const GDALColorEntry *e = table ? table->GetColorEntry(read[0][i]) : nullptr)
      colour[0] = e->c1, colour[1] = e->c2, colour[2] = e->c3, alpha = e->c4 / 255.0;
    for (std::size_t k = 0; k < 3; ++k)
      p.rgb[3 * i + k] = static_cast<GByte>(std::lround(alpha * colour[k] + (1 - alpha) * 255));
  }
  return p;
}

/// As the camera noted how it was held (Exif 2.3, tag 0x0112): 3 upside down, 6 and 8 on its side.
Pixels upright(const Pixels &p, int held) {
  if (held != 3 && held != 6 && held != 8) return p;
  Pixels out;
  out.width = held == 3 ? p.width : p.height, out.height = held == 3 ? p.height : p.width;
  out.rgb.resize(p.rgb.size());
  for (int y = 0; y < out.height; ++y)
    for (int x = 0; x < out.width; ++x) {
      const GByte *from = held == 3   ? p.at(p.width - 1 - x, p.height - 1 - y)
                          : held == 6 ? p.at(y, p.height - 1 - x)
                                      : p.at(p.width - 1 - y, x);
      std::copy(from, from + 3, out.rgb.data() + 3 * (static_cast<std::size_t>(y) * out.width + x));
    }
  return out;
}

std::string as_jpeg(Pixels &p) {
  auto *memory = static_cast<GDALDriver *>(GDALGetDriverByName("MEM"));
  auto *jpeg = static_cast<GDALDriver *>(GDALGetDriverByName("JPEG"));
  if (!memory || !jpeg) return {};
  const Dataset picture(memory->Create("", p.width, p.height, 3, GDT_Byte, nullptr));
  if (!picture || picture->RasterIO(GF_Write, 0, 0, p.width, p.height, p.rgb.data(), p.width, p.height, GDT_Byte, 3,
                                    nullptr, 3, static_cast<GSpacing>(3) * p.width, 1, nullptr) != CE_None)
    return {};
  const char *name = "/vsimem/ample-tie-small.jpg";
  const char *options[] = {"QUALITY=82", nullptr};
  Dataset(jpeg->CreateCopy(name, picture.get(), FALSE, const_cast<char **>(options), nullptr, nullptr)).reset();
  vsi_l_offset size = 0;
  GByte *bytes = VSIGetMemFileBuffer(name, &size, TRUE);
  std::string out;
  if (bytes) out.assign(reinterpret_cast<const char *>(bytes), size);
  VSIFree(bytes);
  return out;
}
} // namespace

extern "C" __attribute__((visibility("default"))) void ampletie_small_picture(const char *bytes, std::size_t size,
                                                                              int side, std::string &out) {
  static std::mutex one; // of one name in memory
  const std::lock_guard lock(one);
  picture_drivers();
  const char *name = "/vsimem/ample-tie-picture";
  VSIFCloseL(VSIFileFromMemBuffer(name, reinterpret_cast<GByte *>(const_cast<char *>(bytes)), size, FALSE));
  const char *drivers[] = {"JPEG", "PNG", nullptr};
  {
    const Dataset d(GDALDataset::Open(name, GDAL_OF_RASTER | GDAL_OF_READONLY, drivers, nullptr, nullptr));
    constexpr double most = 4e8;
    if (d && static_cast<double>(d->GetRasterXSize()) * d->GetRasterYSize() <= most) {
      const char *held = d->GetMetadataItem("EXIF_Orientation");
      if (Pixels p = upright(small_pixels(*d, side), held ? std::atoi(held) : 1); !p.rgb.empty()) out = as_jpeg(p);
    }
  }
  VSIUnlink(name);
}

} // namespace ampletie
