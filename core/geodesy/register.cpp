#include "geodesy/register.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/proj_objects.h"
#include "geodesy/projection.h"
#include <fmt/format.h>
#include <map>

namespace ampletie {
using namespace projlib;
namespace {

struct ListDeleter {
  void operator()(PJ_OBJ_LIST *l) const { proj_list_destroy(l); }
};
using List = std::unique_ptr<PJ_OBJ_LIST, ListDeleter>;

/// Datum or ensemble of a system; null where it has neither.
Pj datum_of(const PJ *crs) {
  Pj base(proj_crs_get_geodetic_crs(context(), crs));
  const PJ *geodetic = base ? base.get() : crs;
  Pj datum(proj_crs_get_datum(context(), geodetic));
  if (!datum) datum.reset(proj_crs_get_datum_ensemble(context(), geodetic));
  return datum;
}

std::optional<std::string> with_datum_of(const std::string &code, const char *type, PJ_TYPE wanted) {
  Pj crs = make(code);
  if (proj_get_type(crs.get()) == wanted) return code_of(crs.get());
  const Pj datum = datum_of(crs.get());
  const std::string id = datum ? code_of(datum.get()) : std::string();
  const auto colon = id.find(':');
  if (colon == std::string::npos) return {};
  const List all(proj_query_geodetic_crs_from_datum(context(), "EPSG", id.substr(0, colon).c_str(),
                                                    id.substr(colon + 1).c_str(), type));
  for (int i = 0; all && i < proj_list_get_count(all.get()); ++i) {
    const Pj one(proj_list_get(context(), all.get(), i));
    if (one && proj_get_type(one.get()) == wanted && !proj_is_deprecated(one.get())) return code_of(one.get());
  }
  return {};
}
} // namespace

DatumInfo datum_info(const std::string &code) {
  DatumInfo out;
  const Pj crs = make(code), datum = datum_of(crs.get());
  if (!datum) throw InputError("\"" + code + "\" rests on no geodetic datum");
  out.name = text(proj_get_name(datum.get())), out.code = code_of(datum.get());
  if (proj_get_type(datum.get()) == PJ_TYPE_DATUM_ENSEMBLE)
    for (int i = 0; i < proj_datum_ensemble_get_member_count(context(), datum.get()); ++i) {
      const Pj member(proj_datum_ensemble_get_member(context(), datum.get(), i));
      out.members.push_back(code_of(member.get())), out.member_names.push_back(text(proj_get_name(member.get())));
    }
  else
    out.dynamic = proj_dynamic_datum_get_frame_reference_epoch(context(), datum.get()) >= 0;
  return out;
}

std::optional<std::string> geocentric_system(const std::string &code) {
  return with_datum_of(code, "geocentric", PJ_TYPE_GEOCENTRIC_CRS);
}

std::string geographic3_system(const std::string &code) {
  return with_datum_of(code, "geographic 3D", PJ_TYPE_GEOGRAPHIC_3D_CRS).value_or("");
}

std::optional<std::string> geocentric_by_name(std::string_view name) {
  static const auto names = [] {
    std::map<std::string, std::string> out;
    PROJ_CRS_LIST_PARAMETERS *p = proj_get_crs_list_parameters_create();
    const PJ_TYPE types[] = {PJ_TYPE_GEOCENTRIC_CRS};
    p->types = types, p->typesCount = 1;
    int count = 0;
    PROJ_CRS_INFO **all = proj_get_crs_info_list_from_database(context(), "EPSG", p, &count);
    for (int i = 0; i < count; ++i)
      if (!all[i]->deprecated) out[lower(all[i]->name)] = std::string("EPSG:") + all[i]->code;
    proj_crs_info_list_destroy(all);
    proj_get_crs_list_parameters_destroy(p);
    return out;
  }();
  const auto found = names.find(lower(trimmed(name)));
  return found == names.end() ? std::nullopt : std::optional(found->second);
}

std::string vertical_name(const std::string &code) {
  Pj p = make(code);
  if (proj_get_type(p.get()) != PJ_TYPE_VERTICAL_CRS)
    throw InputError("\"" + code + "\" (" + text(proj_get_name(p.get())) + ") is no vertical system");
  return text(proj_get_name(p.get()));
}

std::string system_name(const std::string &code) {
  if (is_local(code)) return "local plane";
  if (code.empty()) return "no grid";
  if (is_described(code)) return Projection(code).name();
  Pj p = make(code);
  return text(proj_get_name(p.get()));
}

std::string system_wkt(const std::string &code) {
  if (is_local(code) || code.empty()) return {};
  const char *const options[] = {"MULTILINE=NO", nullptr};
  const Pj p = make_grid(code);
  return text(proj_as_wkt(context(), p.get(), PJ_WKT2_2019, options));
}

std::string register_version() {
  const char *v = proj_context_get_database_metadata(context(), "EPSG.VERSION");
  return fmt::format("PROJ {}, EPSG {}", proj_info().version, text(v));
}

} // namespace ampletie
