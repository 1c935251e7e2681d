// GeoTIFF as OGC 19-008r4 has it: ModelPixelScale, ModelTiepoint and GeoKeyDirectory; nodata, scale and offset as GDAL
// writes them (tags 42113 and 42112).
#include "formats/geotiff.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/geoid_grid.h"
#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <pugixml.hpp>
#include <tiffio.h>

namespace ampletie {
namespace {
constexpr std::uint32_t pixel_scale = 33550, tie_points = 33922, transformation = 34264, geo_keys = 34735,
                        metadata = 42112, no_data = 42113;
constexpr int model_type_key = 1024, raster_type_key = 1025, angular_units_key = 2054;
constexpr unsigned geographic = 2, pixel_is_point = 2, degree = 9102;

/// The bytes of a file as libtiff wants to read them.
struct Memory {
  std::string_view bytes;
  std::size_t at = 0;
};
Memory &memory(thandle_t h) { return *static_cast<Memory *>(h); }

TIFF *open(Memory &m) {
  TIFFSetErrorHandler(nullptr);
  TIFFSetWarningHandler(nullptr);
  return TIFFClientOpen(
      "grid", "rm", &m,
      [](thandle_t h, void *to, tmsize_t n) -> tmsize_t {
        Memory &x = memory(h);
        const std::size_t have = x.at < x.bytes.size() ? x.bytes.size() - x.at : 0;
        const std::size_t take = std::min(have, static_cast<std::size_t>(std::max<tmsize_t>(n, 0)));
        std::memcpy(to, x.bytes.data() + x.at, take);
        x.at += take;
        return static_cast<tmsize_t>(take);
      },
      [](thandle_t, void *, tmsize_t) -> tmsize_t { return 0; },
      [](thandle_t h, toff_t to, int whence) -> toff_t {
        Memory &x = memory(h);
        const toff_t base = whence == SEEK_CUR ? x.at : whence == SEEK_END ? x.bytes.size() : 0;
        x.at = static_cast<std::size_t>(base + to);
        return x.at;
      },
      [](thandle_t) { return 0; }, [](thandle_t h) -> toff_t { return memory(h).bytes.size(); }, nullptr, nullptr);
}

/// Tags that libtiff does not know by itself; whoever else taught it some is asked too.
TIFFExtendProc taught_before = nullptr;
void know_tags(TIFF *t) {
  static char names[6][24] = {"ModelPixelScale", "ModelTiepoint", "ModelTransformation",
                              "GeoKeyDirectory", "GDALMetadata",  "GDALNoData"};
  static const TIFFFieldInfo fields[] = {{pixel_scale, -1, -1, TIFF_DOUBLE, FIELD_CUSTOM, 1, 1, names[0]},
                                         {tie_points, -1, -1, TIFF_DOUBLE, FIELD_CUSTOM, 1, 1, names[1]},
                                         {transformation, -1, -1, TIFF_DOUBLE, FIELD_CUSTOM, 1, 1, names[2]},
                                         {geo_keys, -1, -1, TIFF_SHORT, FIELD_CUSTOM, 1, 1, names[3]},
                                         {metadata, -1, -1, TIFF_ASCII, FIELD_CUSTOM, 1, 0, names[4]},
                                         {no_data, -1, -1, TIFF_ASCII, FIELD_CUSTOM, 1, 0, names[5]}};
  TIFFMergeFieldInfo(t, fields, 6);
  if (taught_before) taught_before(t);
}

template <class T> std::vector<T> many(TIFF *t, std::uint32_t tag) {
  std::uint16_t n = 0;
  T *values = nullptr;
  if (!TIFFGetField(t, tag, &n, &values) || !values) return {};
  return {values, values + n};
}
std::string words(TIFF *t, std::uint32_t tag) {
  char *text = nullptr;
  return TIFFGetField(t, tag, &text) && text ? std::string(text) : std::string();
}

/// A short key of the directory; 0 where it is not there.
unsigned key(const std::vector<std::uint16_t> &keys, int id) {
  for (std::size_t i = 4; i + 3 < keys.size(); i += 4)
    if (keys[i] == id && keys[i + 1] == 0) return keys[i + 3];
  return 0;
}

/// How the stored numbers become values.
struct Samples {
  int bits = 0, format = 0;
  std::vector<double> scale, offset; ///< by band
  std::optional<double> none;
  double value(const std::uint8_t *at, std::size_t band) const {
    const auto as = [&](auto v) {
      std::memcpy(&v, at, sizeof v);
      return static_cast<double>(v);
    };
    const double v = format == SAMPLEFORMAT_IEEEFP ? (bits == 64 ? as(double{}) : as(float{}))
                     : format == SAMPLEFORMAT_INT  ? (bits == 16 ? as(std::int16_t{}) : as(std::int32_t{}))
                                                   : (bits == 16 ? as(std::uint16_t{}) : as(std::uint32_t{}));
    if (!std::isfinite(v) || (none && std::abs(v - *none) <= 1e-6 * std::abs(*none))) return NAN;
    return v * scale[band] + offset[band];
  }
};

Samples samples_of(TIFF *t, const std::vector<GeoTiffItem> &items, int bands) {
  Samples s;
  std::uint16_t bits = 1, format = SAMPLEFORMAT_UINT;
  TIFFGetFieldDefaulted(t, TIFFTAG_BITSPERSAMPLE, &bits);
  TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLEFORMAT, &format);
  s.bits = bits, s.format = format;
  const bool known = format == SAMPLEFORMAT_IEEEFP                               ? bits == 32 || bits == 64
                     : format == SAMPLEFORMAT_INT || format == SAMPLEFORMAT_UINT ? bits == 16 || bits == 32
                                                                                 : false;
  if (!known) throw InputError(fmt::format("values of {} bits: a picture, no grid of heights or shifts", bits));
  if (const std::string n = words(t, no_data); !n.empty()) s.none = parse_number(n);
  s.scale.assign(static_cast<std::size_t>(bands), 1), s.offset.assign(static_cast<std::size_t>(bands), 0);
  for (const GeoTiffItem &i : items)
    for (int band = 0; band < bands; ++band) {
      if (i.band != -1 && i.band != band) continue;
      if (i.role == "scale") s.scale[static_cast<std::size_t>(band)] = parse_number(i.value).value_or(1);
      if (i.role == "offset") s.offset[static_cast<std::size_t>(band)] = parse_number(i.value).value_or(0);
    }
  return s;
}

/// Values of one band, or of all where they lie beside each other, from the north-western corner, as tiles or strips
/// give them.
template <class Put>
void read_blocks(TIFF *t, long rows, long columns, std::size_t bytes, std::size_t beside, std::uint16_t plane,
                 const Put &put) {
  const auto fail = [] { throw InputError("the file is damaged or cut off, or packed in a way that is not known"); };
  const bool tiled = TIFFIsTiled(t);
  std::uint32_t width = static_cast<std::uint32_t>(columns), height = static_cast<std::uint32_t>(rows);
  if (tiled) {
    if (!TIFFGetField(t, TIFFTAG_TILEWIDTH, &width) || !TIFFGetField(t, TIFFTAG_TILELENGTH, &height)) fail();
  } else
    TIFFGetFieldDefaulted(t, TIFFTAG_ROWSPERSTRIP, &height);
  height = std::min(height, static_cast<std::uint32_t>(tiled ? 65536 : rows));
  const tmsize_t size = tiled ? TIFFTileSize(t) : TIFFStripSize(t);
  const std::size_t cell = bytes * beside;
  if (width == 0 || height == 0 || width > 65536 || size <= 0 ||
      static_cast<std::size_t>(size) > 8 * beside * most_grid_nodes ||
      static_cast<std::size_t>(size) < std::size_t{width} * height * cell)
    fail();
  std::vector<std::uint8_t> block(static_cast<std::size_t>(size));
  for (long top = 0; top < rows; top += height)
    for (long left = 0; left < columns; left += width) {
      const auto n =
          tiled ? TIFFComputeTile(t, static_cast<std::uint32_t>(left), static_cast<std::uint32_t>(top), 0, plane)
                : TIFFComputeStrip(t, static_cast<std::uint32_t>(top), plane);
      const long high = std::min<long>(height, rows - top), wide = std::min<long>(width, columns - left);
      const tmsize_t got =
          tiled ? TIFFReadEncodedTile(t, n, block.data(), size) : TIFFReadEncodedStrip(t, n, block.data(), size);
      if (got < static_cast<tmsize_t>(cell) * (tiled ? size / static_cast<tmsize_t>(cell) : high * columns)) fail();
      for (long y = 0; y < high; ++y)
        for (long x = 0; x < wide; ++x)
          for (std::size_t b = 0; b < beside; ++b)
            put(top + y, left + x, beside > 1 ? b : plane,
                block.data() + (static_cast<std::size_t>(y) * width + static_cast<std::size_t>(x)) * cell + b * bytes);
    }
}

/// Corner and steps; the file counts rows from the north.
void place(TIFF *t, GeoTiffShape &g, long rows, long columns) {
  const auto keys = many<std::uint16_t>(t, geo_keys);
  if (keys.empty())
    throw InputError("a TIFF that does not say where it lies: a picture, or a grid with a file beside it");
  if (key(keys, model_type_key) != geographic)
    throw InputError("its nodes are not regular in latitude and longitude: grids in a projection are not read");
  if (const unsigned unit = key(keys, angular_units_key); unit != 0 && unit != degree)
    throw InputError("its angles are not in degrees");
  const auto scale = many<double>(t, pixel_scale), tie = many<double>(t, tie_points);
  if (!many<double>(t, transformation).empty()) throw InputError("it is turned against north: such grids are not read");
  if (scale.size() < 2 || tie.size() < 6) throw InputError("it does not say where its first node lies");
  // The centre of a cell, unless the tie is one already.
  const double half = key(keys, raster_type_key) == pixel_is_point ? 0 : 0.5;
  g.step_lon = scale[0], g.step_lat = scale[1];
  g.west = tie[3] + (half - tie[0]) * g.step_lon;
  g.south = tie[4] - (half - tie[1] + static_cast<double>(rows - 1)) * g.step_lat;
  check_grid_shape(g.south, g.west, g.step_lat, g.step_lon, rows, columns);
  if (g.west > 180) g.west -= 360;
  g.rows = static_cast<int>(rows), g.columns = static_cast<int>(columns);
}
} // namespace

bool looks_like_tiff(std::string_view b) {
  using namespace std::string_view_literals;
  const std::string_view start = b.substr(0, 4);
  return start == "II*\0"sv || start == "MM\0*"sv || start == "II+\0"sv || start == "MM\0+"sv;
}

struct GeoTiff::Handle {
  Memory memory;
  std::unique_ptr<TIFF, void (*)(TIFF *)> tiff{nullptr, [](TIFF *t) { TIFFClose(t); }};
};

GeoTiff::GeoTiff(std::string_view bytes) : handle_(std::make_unique<Handle>()) {
  // Once for all files, before the first is opened.
  static const bool taught = (taught_before = TIFFSetTagExtender(know_tags), true);
  static_cast<void>(taught);
  handle_->memory.bytes = bytes;
  handle_->tiff.reset(open(handle_->memory));
  if (!handle_->tiff) throw InputError("the TIFF cannot be opened: it is damaged or cut off");
}

GeoTiff::~GeoTiff() = default;

bool GeoTiff::next() { return TIFFReadDirectory(handle_->tiff.get()) == 1; }

std::vector<GeoTiffItem> GeoTiff::items() const {
  std::vector<GeoTiffItem> out;
  pugi::xml_document d;
  const std::string x = words(handle_->tiff.get(), metadata);
  if (x.empty() || !d.load_string(x.c_str())) return out;
  for (const auto &item : d.child("GDALMetadata").children("Item"))
    out.push_back({lower(item.attribute("name").value()), lower(item.attribute("role").value()),
                   std::string(trimmed(item.child_value())), item.attribute("sample").as_int(-1)});
  return out;
}

GeoTiffShape GeoTiff::shape() const {
  TIFF *t = handle_->tiff.get();
  GeoTiffShape g;
  std::uint32_t columns = 0, rows = 0;
  std::uint16_t bands = 1, bits = 1;
  if (!TIFFGetField(t, TIFFTAG_IMAGEWIDTH, &columns) || !TIFFGetField(t, TIFFTAG_IMAGELENGTH, &rows))
    throw InputError("the TIFF has no size");
  TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLESPERPIXEL, &bands);
  TIFFGetFieldDefaulted(t, TIFFTAG_BITSPERSAMPLE, &bits);
  if (bands < 1 || bands > 8) throw InputError(fmt::format("{} bands: no grid that is read has so many", bands));
  place(t, g, rows, columns);
  g.bands = bands;
  // What unpacks to far more than its size was made to fill the memory.
  const std::size_t nodes = static_cast<std::size_t>(rows) * columns;
  if (nodes * bands * static_cast<std::size_t>(std::max<int>(bits / 8, 1)) >
      inflated_limit(handle_->memory.bytes.size()))
    throw InputError(
        fmt::format("{} × {} nodes in {} bytes: no grid packs so well", rows, columns, handle_->memory.bytes.size()));
  return g;
}

void GeoTiff::read(const GeoTiffShape &g,
                   const std::function<void(int row, int column, int band, double value)> &put) const {
  TIFF *t = handle_->tiff.get();
  const Samples s = samples_of(t, items(), g.bands);
  std::uint16_t planes = PLANARCONFIG_CONTIG;
  TIFFGetFieldDefaulted(t, TIFFTAG_PLANARCONFIG, &planes);
  const bool apart = planes == PLANARCONFIG_SEPARATE && g.bands > 1;
  for (int plane = 0; plane < (apart ? g.bands : 1); ++plane)
    read_blocks(
        t, g.rows, g.columns, static_cast<std::size_t>(s.bits / 8), apart ? 1 : static_cast<std::size_t>(g.bands),
        static_cast<std::uint16_t>(plane), [&](long row, long column, std::size_t band, const std::uint8_t *at) {
          put(g.rows - 1 - static_cast<int>(row), static_cast<int>(column), static_cast<int>(band), s.value(at, band));
        });
}

} // namespace ampletie
