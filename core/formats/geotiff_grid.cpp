// GeoTIFF as OGC 19-008r4 has it: ModelPixelScale, ModelTiepoint and GeoKeyDirectory; nodata, scale and offset as GDAL
// writes them (tags 42113 and 42112).
#include "base/error.h"
#include "base/text.h"
#include "formats/geoid_grid.h"
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <memory>
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

/// How the stored numbers become metres.
struct Samples {
  int bits = 0, format = 0;
  double scale = 1, offset = 0;
  std::optional<double> none;
  float metres(const std::uint8_t *at) const {
    const auto as = [&](auto v) {
      std::memcpy(&v, at, sizeof v);
      return static_cast<double>(v);
    };
    const double v = format == SAMPLEFORMAT_IEEEFP ? (bits == 64 ? as(double{}) : as(float{}))
                     : format == SAMPLEFORMAT_INT  ? (bits == 16 ? as(std::int16_t{}) : as(std::int32_t{}))
                                                   : (bits == 16 ? as(std::uint16_t{}) : as(std::uint32_t{}));
    if (!std::isfinite(v) || (none && std::abs(v - *none) <= 1e-6 * std::abs(*none))) return NAN;
    return static_cast<float>(v * scale + offset);
  }
};

Samples samples_of(TIFF *t, HeightGrid &g) {
  Samples s;
  std::uint16_t bands = 1, bits = 1, format = SAMPLEFORMAT_UINT;
  TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLESPERPIXEL, &bands);
  TIFFGetFieldDefaulted(t, TIFFTAG_BITSPERSAMPLE, &bits);
  TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLEFORMAT, &format);
  if (bands != 1)
    throw InputError(fmt::format("{} bands: a geoid has one, a grid of shifts or velocities several", bands));
  s.bits = bits, s.format = format;
  const bool known = format == SAMPLEFORMAT_IEEEFP                               ? bits == 32 || bits == 64
                     : format == SAMPLEFORMAT_INT || format == SAMPLEFORMAT_UINT ? bits == 16 || bits == 32
                                                                                 : false;
  if (!known) throw InputError(fmt::format("values of {} bits: a picture, no grid of heights", bits));
  if (const std::string n = words(t, no_data); !n.empty()) s.none = parse_number(n);
  if (const std::string x = words(t, metadata); !x.empty()) {
    pugi::xml_document d;
    if (!d.load_string(x.c_str())) return s;
    for (const auto &item : d.child("GDALMetadata").children("Item")) {
      const std::string role = item.attribute("role").value(), name = lower(item.attribute("name").value()),
                        value = item.child_value();
      if (role == "scale") s.scale = parse_number(value).value_or(1);
      if (role == "offset") s.offset = parse_number(value).value_or(0);
      if (role == "unittype" && lower(value) != "metre" && lower(value) != "meter" && lower(value) != "m")
        throw InputError("values in \"" + value + "\": metres are read");
      if (name == "tide_system") g.tide = lower(value);
    }
  }
  return s;
}

/// Nodes from the north-western corner, as tiles or strips give them.
template <class Put> void read_blocks(TIFF *t, long rows, long columns, std::size_t bytes, const Put &put) {
  const auto fail = [] { throw InputError("the file is damaged or cut off, or packed in a way that is not known"); };
  const bool tiled = TIFFIsTiled(t);
  std::uint32_t width = static_cast<std::uint32_t>(columns), height = static_cast<std::uint32_t>(rows);
  if (tiled) {
    if (!TIFFGetField(t, TIFFTAG_TILEWIDTH, &width) || !TIFFGetField(t, TIFFTAG_TILELENGTH, &height)) fail();
  } else
    TIFFGetFieldDefaulted(t, TIFFTAG_ROWSPERSTRIP, &height);
  height = std::min(height, static_cast<std::uint32_t>(tiled ? 65536 : rows));
  const tmsize_t size = tiled ? TIFFTileSize(t) : TIFFStripSize(t);
  if (width == 0 || height == 0 || width > 65536 || size <= 0 || static_cast<std::size_t>(size) > 8 * most_grid_nodes ||
      static_cast<std::size_t>(size) < std::size_t{width} * height * bytes)
    fail();
  std::vector<std::uint8_t> block(static_cast<std::size_t>(size));
  for (long top = 0; top < rows; top += height)
    for (long left = 0; left < columns; left += width) {
      const auto n = tiled ? TIFFComputeTile(t, static_cast<std::uint32_t>(left), static_cast<std::uint32_t>(top), 0, 0)
                           : TIFFComputeStrip(t, static_cast<std::uint32_t>(top), 0);
      const long high = std::min<long>(height, rows - top), wide = std::min<long>(width, columns - left);
      const tmsize_t got =
          tiled ? TIFFReadEncodedTile(t, n, block.data(), size) : TIFFReadEncodedStrip(t, n, block.data(), size);
      if (got < static_cast<tmsize_t>(bytes) * (tiled ? size / static_cast<tmsize_t>(bytes) : high * columns)) fail();
      for (long y = 0; y < high; ++y)
        for (long x = 0; x < wide; ++x)
          put(top + y, left + x,
              block.data() + (static_cast<std::size_t>(y) * width + static_cast<std::size_t>(x)) * bytes);
    }
}

/// Corner and steps; the file counts rows from the north.
void place(TIFF *t, HeightGrid &g, long rows, long columns) {
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

HeightGrid read_geotiff_grid(std::string_view bytes) {
  // Once for all files, before the first is opened.
  static const bool taught = (taught_before = TIFFSetTagExtender(know_tags), true);
  static_cast<void>(taught);
  Memory m{bytes};
  const auto close = [](TIFF *t) { TIFFClose(t); };
  const std::unique_ptr<TIFF, decltype(close)> t(open(m), close);
  if (!t) throw InputError("the TIFF cannot be opened: it is damaged or cut off");
  HeightGrid g;
  g.name = "GeoTIFF grid";
  std::uint32_t columns = 0, rows = 0;
  if (!TIFFGetField(t.get(), TIFFTAG_IMAGEWIDTH, &columns) || !TIFFGetField(t.get(), TIFFTAG_IMAGELENGTH, &rows))
    throw InputError("the TIFF has no size");
  const Samples s = samples_of(t.get(), g);
  place(t.get(), g, rows, columns);
  // What unpacks to far more than its size was made to fill the memory.
  const std::size_t nodes = static_cast<std::size_t>(rows) * columns;
  if (nodes * static_cast<std::size_t>(s.bits / 8) > inflated_limit(bytes.size()))
    throw InputError(fmt::format("{} × {} nodes in {} bytes: no geoid packs so well", rows, columns, bytes.size()));
  g.values.assign(nodes, NAN);
  read_blocks(
      t.get(), rows, columns, static_cast<std::size_t>(s.bits / 8), [&](long row, long column, const std::uint8_t *at) {
        g.values[static_cast<std::size_t>(rows - 1 - row) * columns + static_cast<std::size_t>(column)] = s.metres(at);
      });
  check_grid_values(g);
  return g;
}

} // namespace ampletie
