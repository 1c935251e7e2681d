// Reads drawings with GDAL/OGR.
#include "formats/linework.h"
#include "base/error.h"
#include <cmath>
#include <cpl_conv.h>
#include <cpl_vsi.h>
#include <gdal_priv.h>
#include <memory>
#include <mutex>
#include <ogrsf_frmts.h>

namespace ampletie {
namespace {

void drivers() {
  static std::once_flag once;
  std::call_once(once, [] {
    CPLSetErrorHandler(CPLQuietErrorHandler);
    // Nothing of a file may lead out of it.
    CPLSetConfigOption("GDAL_DISABLE_READDIR_ON_OPEN", "EMPTY_DIR");
    CPLSetConfigOption("OGR_GEOJSON_MAX_OBJ_SIZE", "200");
    RegisterOGRDXF();
    RegisterOGRGeoJSON();
    RegisterOGRGeoPackage();
  });
}

struct CloseDataset {
  void operator()(GDALDataset *d) const { GDALClose(d); }
};
/// The bytes as a file in memory.
class InMemory {
public:
  InMemory(const char *bytes, std::size_t size, const std::string &ending)
      : name_("/vsimem/ample-tie-linework" + ending) {
    // OGR only reads them.
    VSIFCloseL(VSIFileFromMemBuffer(name_.c_str(), reinterpret_cast<GByte *>(const_cast<char *>(bytes)), size, FALSE));
  }
  ~InMemory() { VSIUnlink(name_.c_str()); }
  InMemory(const InMemory &) = delete;
  const char *name() const { return name_.c_str(); }

private:
  std::string name_;
};

class Taking {
public:
  explicit Taking(Linework &out) : out_(out) {}

  void geometry(const OGRGeometry &g, const std::string &layer) {
    switch (wkbFlatten(g.getGeometryType())) {
    case wkbLineString:
    case wkbLinearRing:
      return line(*g.toSimpleCurve(), layer);
    case wkbPolygon:
      for (const OGRLinearRing *ring : *g.toPolygon()) line(*ring, layer);
      return;
    case wkbMultiLineString:
    case wkbMultiPolygon:
    case wkbGeometryCollection:
      for (const OGRGeometry *part : *g.toGeometryCollection()) geometry(*part, layer);
      return;
    default:
      if (g.hasCurveGeometry()) {
        const std::unique_ptr<OGRGeometry> straight(g.getLinearGeometry(4.0));
        if (straight && !straight->hasCurveGeometry()) return geometry(*straight, layer);
      }
      ++out_.passed_over;
    }
  }

private:
  void line(const OGRSimpleCurve &c, const std::string &layer) {
    Linework::Line l;
    l.layer = layer;
    for (int i = 0; i < c.getNumPoints(); ++i) {
      const Eigen::Vector2d p(c.getX(i), c.getY(i));
      if (!p.allFinite()) throw InputError("a coordinate of it is no number");
      l.points.push_back(p);
    }
    if (l.points.size() < 2) return;
    points_ += l.points.size();
    if (points_ > most_linework_points) throw InputError("it holds more than two million points: take a part of it");
    out_.lines.push_back(std::move(l));
  }
  Linework &out_;
  std::size_t points_ = 0;
};

/// The code of a layer's system; empty: it names none. What none of the register is cannot be led anywhere.
std::string system_of(const OGRSpatialReference *srs) {
  if (!srs || srs->IsLocal()) return {};
  const char *authority = srs->GetAuthorityName(nullptr), *code = srs->GetAuthorityCode(nullptr);
  if (authority && code) return std::string(authority) + ":" + code;
  throw InputError(std::string("its system \"") + (srs->GetName() ? srs->GetName() : "") +
                   "\" has no code of a register: write it again in the job's grid");
}
} // namespace
} // namespace ampletie

extern "C" __attribute__((visibility("default"))) void ampletie_linework(const char *bytes, std::size_t size,
                                                                         const char *driver, ampletie::Linework &out) {
  using namespace ampletie;
  static std::mutex one_at_a_time;
  const std::lock_guard lock(one_at_a_time);
  drivers();
  const std::string name = driver;
  const InMemory file(bytes, size, name == "GPKG" ? ".gpkg" : name == "DXF" ? ".dxf" : ".json");
  const char *const allowed[] = {driver, nullptr};
  CPLErrorReset();
  const std::unique_ptr<GDALDataset, CloseDataset> data(
      GDALDataset::Open(file.name(), GDAL_OF_VECTOR | GDAL_OF_READONLY, allowed, nullptr, nullptr));
  if (!data) throw InputError(std::string("it cannot be read as ") + driver + ": " + CPLGetLastErrorMsg());
  Taking taking(out);
  bool first = true;
  for (OGRLayer *layer : data->GetLayers()) {
    if (layer->GetFeatureCount() == 0) continue;
    const OGRSpatialReference *srs = layer->GetSpatialRef();
    const std::string system = system_of(srs);
    if (first)
      out.crs = system, out.geographic = !system.empty() && srs->IsGeographic(), first = false;
    else if (system != out.crs)
      throw InputError("its layers are in different systems, " + (out.crs.empty() ? "none" : out.crs) + " and " +
                       (system.empty() ? "none" : system) + ": take them as files of their own");
    layer->ResetReading();
    const int by = layer->GetLayerDefn()->GetFieldIndex("Layer"); // of a drawing
    while (true) {
      const std::unique_ptr<OGRFeature> f(layer->GetNextFeature());
      if (!f) break;
      const OGRGeometry *g = f->GetGeometryRef();
      if (!g || g->IsEmpty()) {
        ++out.passed_over;
        continue;
      }
      taking.geometry(*g, by >= 0 ? f->GetFieldAsString(by) : layer->GetName());
    }
  }
  if (CPLGetLastErrorType() == CE_Failure) throw InputError(std::string("it is damaged: ") + CPLGetLastErrorMsg());
}
