// The only place that calls GDAL/OGR.
#include "publication/geopackage.h"
#include "base/error.h"
#include <atomic>
#include <cpl_conv.h>
#include <cpl_vsi.h>
#include <fmt/format.h>
#include <gdal_priv.h>
#include <memory>
#include <mutex>
#include <ogrsf_frmts.h>

namespace ampletie {
namespace {

[[noreturn]] void failed(const std::string &what) {
  throw InputError("GeoPackage: " + what + ": " + CPLGetLastErrorMsg());
}

GDALDriver &driver() {
  static std::once_flag once;
  std::call_once(once, [] {
    CPLSetErrorHandler(CPLQuietErrorHandler);
    RegisterOGRGeoPackage();
  });
  GDALDriver *d = GetGDALDriverManager()->GetDriverByName("GPKG");
  if (!d) failed("it cannot be written by this installation");
  return *d;
}

struct CloseDataset {
  void operator()(GDALDataset *d) const { GDALClose(d); }
};

OGRFieldType type_of(GeoField::Type t) {
  return t == GeoField::Type::text ? OFTString : t == GeoField::Type::number ? OFTReal : OFTInteger64;
}

void set_geometry(OGRFeature &f, const GeoLayer &layer, const std::vector<Vec3> &points) {
  if (points.empty()) return;
  if (!layer.lines) {
    const OGRPoint p(points[0].x(), points[0].y(), points[0].z());
    f.SetGeometry(&p);
    return;
  }
  OGRLineString line;
  for (const Vec3 &p : points) line.addPoint(p.x(), p.y(), p.z());
  f.SetGeometry(&line);
}

void write_layer(GDALDataset &data, OGRSpatialReference &crs, const GeoLayer &layer) {
  char **options = nullptr;
  options = CSLSetNameValue(options, "DESCRIPTION", layer.description.c_str());
  options = CSLSetNameValue(options, "GEOMETRY_NAME", "place");
  OGRLayer *out = data.CreateLayer(layer.name.c_str(), &crs, layer.lines ? wkbLineString25D : wkbPoint25D, options);
  CSLDestroy(options);
  if (!out) failed("the layer " + layer.name + " cannot be made");
  for (const GeoField &f : layer.fields) {
    OGRFieldDefn definition(f.name.c_str(), type_of(f.type));
    if (out->CreateField(&definition) != OGRERR_NONE) failed("the field " + f.name + " cannot be made");
  }
  for (const GeoFeature &f : layer.features) {
    const std::unique_ptr<OGRFeature, void (*)(OGRFeature *)> feature(OGRFeature::CreateFeature(out->GetLayerDefn()),
                                                                      OGRFeature::DestroyFeature);
    for (std::size_t i = 0; i < f.values.size(); ++i) {
      const int at = static_cast<int>(i);
      if (const auto *text = std::get_if<std::string>(&f.values[i]))
        feature->SetField(at, text->c_str());
      else if (const auto *number = std::get_if<double>(&f.values[i]))
        feature->SetField(at, *number);
      else if (const auto *integer = std::get_if<long>(&f.values[i]))
        feature->SetField(at, static_cast<GIntBig>(*integer));
      else
        feature->SetFieldNull(at);
    }
    set_geometry(*feature, layer, f.points);
    if (out->CreateFeature(feature.get()) != OGRERR_NONE) failed("a row of " + layer.name + " cannot be written");
  }
}

} // namespace
} // namespace ampletie

extern "C" __attribute__((visibility("default"))) void
ampletie_geopackage(const std::string &crs, const std::vector<ampletie::GeoLayer> &layers, const std::string &time,
                    std::string &out) {
  using namespace ampletie;
  static std::atomic<int> count{0};
  const std::string path = fmt::format("/vsimem/ampletie-{}.gpkg", ++count);
  GDALDriver &gpkg = driver();
  OGRSpatialReference system;
  system.SetAxisMappingStrategy(OAMS_TRADITIONAL_GIS_ORDER);
  if (system.SetFromUserInput(crs.c_str()) != OGRERR_NONE) failed("\"" + crs + "\" is not known");
  CPLSetThreadLocalConfigOption("OGR_CURRENT_DATE", time.c_str());
  {
    const std::unique_ptr<GDALDataset, CloseDataset> data(gpkg.Create(path.c_str(), 0, 0, 0, GDT_Unknown, nullptr));
    if (!data) failed("it cannot be begun");
    data->StartTransaction();
    for (const GeoLayer &l : layers) write_layer(*data, system, l);
    if (data->CommitTransaction() != OGRERR_NONE) failed("it cannot be finished");
  }
  CPLSetThreadLocalConfigOption("OGR_CURRENT_DATE", nullptr);
  vsi_l_offset size = 0;
  if (const GByte *bytes = VSIGetMemFileBuffer(path.c_str(), &size, FALSE))
    out.assign(reinterpret_cast<const char *>(bytes), static_cast<std::size_t>(size));
  VSIUnlink(path.c_str());
  if (out.empty()) failed("nothing was written");
}
