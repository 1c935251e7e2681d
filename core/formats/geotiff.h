#pragma once
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// A grid's corner, steps and size, the file's rows counted from the north.
struct GeoTiffShape {
  double south = 0, west = 0, step_lat = 0, step_lon = 0; ///< degrees, of the first node
  int rows = 0, columns = 0, bands = 1;
};

/// An entry of the XML that GDAL keeps with a picture.
struct GeoTiffItem {
  std::string name, role, value; ///< name and role in small letters
  int band = -1;                 ///< −1: of the whole picture
};

/// A GeoTIFF in geographic coordinates (OGC 19-008r4: ModelPixelScale, ModelTiepoint, GeoKeyDirectory; nodata, scale
/// and offset as GDAL writes them), any packing that libtiff undoes. A file may hold several pictures. Every member
/// throws `InputError` for what is damaged or cut off, and for what is not read.
class GeoTiff {
public:
  explicit GeoTiff(std::string_view bytes); ///< which must outlive it
  ~GeoTiff();
  GeoTiff(const GeoTiff &) = delete;
  /// The next picture; false: there is none.
  bool next();
  std::vector<GeoTiffItem> items() const;
  /// Of the picture; refused where it is turned, projected, not in degrees, or absurdly large for the file's size.
  GeoTiffShape shape() const;
  /// Every value with its scale and offset, NaN where there is none; rows count from the south.
  void read(const GeoTiffShape &shape,
            const std::function<void(int row, int column, int band, double value)> &put) const;

private:
  struct Handle;
  std::unique_ptr<Handle> handle_;
};

} // namespace ampletie
