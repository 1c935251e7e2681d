// What is issued for maps and drawings, opened by readers that are not ours (GDAL) and compared with the record.
#include "publication/control_maps.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <gdal_priv.h>
#include <ogrsf_frmts.h>
#include <pugixml.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct Issued {
  TemporaryFolder folder;
  nlohmann::json record;
  Issued() {
    GDALAllRegister();
    Job job = demo_job(folder / "a.tie");
    solve(job);
    adjust(job);
    record = prepare_issue(job, {}).record.data;
  }
};
struct Closed {
  void operator()(GDALDataset *d) const { GDALClose(d); }
};
using Dataset = std::unique_ptr<GDALDataset, Closed>;
Dataset opened(const TemporaryFolder &folder, const std::string &name, const std::string &bytes) {
  write_file(folder / name, bytes);
  Dataset d(static_cast<GDALDataset *>(GDALOpenEx((folder / name).c_str(), GDAL_OF_VECTOR, nullptr, nullptr, nullptr)));
  REQUIRE(d);
  return d;
}
template <class Look> void each(OGRLayer *layer, Look look) {
  REQUIRE(layer);
  layer->ResetReading();
  while (OGRFeature *f = layer->GetNextFeature()) {
    look(*f);
    OGRFeature::DestroyFeature(f);
  }
}
const nlohmann::json &mark(const nlohmann::json &record, const std::string &name) {
  for (const auto &m : record.at("marks"))
    if (m.at("name") == name) return m;
  throw std::runtime_error("no mark " + name);
}
double value(const nlohmann::json &m, const char *field) { return m.at(field).get<double>(); }
} // namespace

TEST_CASE("the drawing holds marks, names, vectors and ellipses where the record has them, in the unit of the issue") {
  Issued i;
  for (const auto &[unit, metres] : {std::pair{LengthUnit::metre, 1.0}, {LengthUnit::us_foot, 1200.0 / 3937}}) {
    const Dataset d = opened(i.folder, "c.dxf", control_dxf(i.record, unit));
    std::map<std::string, int> layers;
    std::map<std::string, double> widths;
    int named = 0;
    each(d->GetLayer(0), [&](OGRFeature &f) {
      const std::string layer = f.GetFieldAsString("Layer"), text = f.GetFieldAsString("Text");
      ++layers[layer];
      const OGRGeometry *g = f.GetGeometryRef();
      REQUIRE(g);
      if (layer == "NAME") {
        named += std::any_of(i.record["marks"].begin(), i.record["marks"].end(),
                             [&](const auto &m) { return m["name"] == text; });
        return;
      }
      if (wkbFlatten(g->getGeometryType()) == wkbPoint) {
        const OGRPoint *p = g->toPoint();
        CHECK(std::any_of(i.record["marks"].begin(), i.record["marks"].end(), [&, u = metres](const auto &m) {
          return std::abs(p->getX() * u - value(m, "east_m")) < 1e-4 &&
                 std::abs(p->getY() * u - value(m, "north_m")) < 1e-4 &&
                 std::abs(p->getZ() * u - value(m, "height_m")) < 1e-4;
        }));
      }
      if (layer.rfind("ELLIPSE_95_X", 0) == 0) {
        OGREnvelope e;
        g->getEnvelope(&e);
        const double enlarged = std::stod(layer.substr(12));
        widths[layer] = std::max(widths[layer], (e.MaxX - e.MinX) * metres / enlarged);
      }
    });
    CHECK(named == 7);
    CHECK(layers["MARK_HELD"] == 2);
    CHECK(layers["MARK"] == 5);
    CHECK(layers["VECTOR"] >= 6);
    REQUIRE(widths.size() == 1);
    double largest = 0;
    for (const auto &m : i.record["marks"])
      largest = std::max(largest, 2 * 2.4477 * std::sqrt(m["network_cov_enu"][0].get<double>()));
    CHECK(widths.begin()->second == Approx(largest).epsilon(0.03)); // 95 % of two dimensions
  }
  CHECK_THAT(control_dxf(i.record, LengthUnit::us_foot), Contains("in ftUS") && Contains("ETRF2000"));
}

TEST_CASE("the map page and the package hold the record's places and accuracies") {
  Issued i;
  const Dataset kml = opened(i.folder, "c.kml", control_kml(i.record));
  int seen = 0;
  each(kml->GetLayer(0), [&](OGRFeature &f) {
    const auto &m = mark(i.record, f.GetFieldAsString("Name"));
    const OGRPoint *p = f.GetGeometryRef()->toPoint();
    CHECK(p->getX() == Approx(value(m, "lon_deg")).margin(1e-9));
    CHECK(p->getY() == Approx(value(m, "lat_deg")).margin(1e-9));
    CHECK_THAT(f.GetFieldAsString("Description"), Contains("95 %"));
    ++seen;
  });
  CHECK(seen == 7);
  const Dataset gpkg = opened(i.folder, "c.gpkg", control_geopackage(i.record));
  seen = 0;
  OGRLayer *marks = gpkg->GetLayerByName("marks");
  CHECK(std::string(marks->GetSpatialRef()->GetAuthorityCode(nullptr)) == "25833");
  each(marks, [&](OGRFeature &f) {
    const auto &m = mark(i.record, f.GetFieldAsString("name"));
    const OGRPoint *p = f.GetGeometryRef()->toPoint();
    CHECK(p->getX() == Approx(value(m, "east_m")).margin(1e-6));
    CHECK(p->getY() == Approx(value(m, "north_m")).margin(1e-6));
    CHECK(p->getZ() == Approx(value(m, "height_m")).margin(1e-6));
    CHECK(f.GetFieldAsDouble("cov_nn_m2") == Approx(m["network_cov_enu"][3].get<double>()));
    CHECK(f.GetFieldAsDouble("plan95_m") == Approx(value(m, "network_plan95_m")));
    CHECK(std::string(f.GetFieldAsString("frame")) == "ETRF2000");
    CHECK(std::string(f.GetFieldAsString("record")) == i.record["id"]);
    ++seen;
  });
  CHECK(seen == 7);
  CHECK(gpkg->GetLayerByName("vectors")->GetFeatureCount() >= 6);
  CHECK(gpkg->GetLayerByName("ellipses")->GetFeatureCount() >= 5);
}

TEST_CASE("points of LandXML are read back as they were issued, by an XML reader and by another job") {
  Issued i;
  const std::string xml = control_landxml(i.record);
  pugi::xml_document doc;
  REQUIRE(doc.load_buffer(xml.data(), xml.size()));
  CHECK(std::string(doc.child("LandXML").child("CoordinateSystem").attribute("epsgCode").value()) == "25833");
  Job other = Job::create(i.folder / "b.tie", demo_settings());
  REQUIRE(other.take_bytes({{"control.xml", xml}}).front().outcome == Intake::Outcome::taken);
  const auto &published = other.snapshot()->published();
  for (const auto &m : i.record["marks"]) {
    const auto p = published.find(m["name"].get<std::string>());
    REQUIRE(p != published.end());
    REQUIRE(p->second.grid);
    CHECK(p->second.grid->x() == Approx(value(m, "east_m")).margin(6e-5));
    CHECK(p->second.grid->y() == Approx(value(m, "north_m")).margin(6e-5));
  }
}

TEST_CASE("hostile names stay names in every map, and what cannot be said is not written") {
  Issued i;
  for (const std::string &name :
       {std::string("=cmd|'/c calc'!A1"), std::string("<b>&\"x\"</b>"), std::string("tête α 点"),
        std::string("100 %% done %d"), std::string("../../etc"), std::string(100, 'x')}) {
    INFO(name);
    nlohmann::json r = i.record;
    const std::string before = r["marks"][2]["name"];
    r["marks"][2]["name"] = name;
    bool in_kml = false, in_gpkg = false, in_dxf = false;
    each(opened(i.folder, "h.kml", control_kml(r))->GetLayer(0),
         [&](OGRFeature &f) { in_kml |= f.GetFieldAsString("Name") == name; });
    each(opened(i.folder, "h.gpkg", control_geopackage(r))->GetLayerByName("marks"),
         [&](OGRFeature &f) { in_gpkg |= f.GetFieldAsString("name") == name; });
    const Dataset dxf = opened(i.folder, "h.dxf", control_dxf(r, LengthUnit::metre));
    // Release 12 knows ASCII alone: the rest stands as \U+XXXX, which this reader leaves so.
    const std::string drawn = name == "100 %% done %d" ? "100 % % done %d"
                              : name == "tête α 点"    ? "t\\U+00EAte \\U+03B1 \\U+70B9"
                                                       : name;
    each(dxf->GetLayer(0), [&](OGRFeature &f) { in_dxf |= f.GetFieldAsString("Text") == drawn; });
    CHECK(in_kml);
    CHECK(in_gpkg);
    CHECK(in_dxf);
    std::filesystem::remove(i.folder / "h.gpkg");
    pugi::xml_document doc;
    const std::string xml = control_landxml(r);
    REQUIRE(doc.load_buffer(xml.data(), xml.size()));
    CHECK(std::string(doc.child("LandXML").child("CgPoints").find_child_by_attribute("name", name.c_str()).name()) ==
          "CgPoint");
  }
  // Heights alone have no place; a plane of the site's own has none on a globe.
  nlohmann::json heights = i.record, plane = i.record;
  heights["marks"] = nlohmann::json::array();
  CHECK((control_kml(heights) + control_dxf(heights, LengthUnit::metre) + control_landxml(heights) +
         control_geopackage(heights))
            .empty());
  plane["crs"] = "local:46.3:13.9:450";
  CHECK(control_kml(plane).empty());
  CHECK(control_geopackage(plane).empty());
  CHECK_FALSE(control_dxf(plane, LengthUnit::metre).empty());
}
