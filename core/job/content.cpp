#include "job/content.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/utf8.h"
#include "formats/antex.h"
#include "formats/control_documents.h"
#include "formats/cut_off.h"
#include "formats/landxml_survey.h"
#include "formats/ntv2.h"
#include "formats/point_recipe.h"
#include "formats/position_report.h"
#include "formats/recipe_reading.h"
#include "formats/recognise.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/rtcm3.h"
#include "formats/shift_tiff.h"
#include "formats/sinex.h"
#include "formats/sp3.h"

namespace ampletie {
namespace {
/// What a reader is given: the file without its packing.
struct Given {
  const std::string &name, &text;
  const std::vector<Recipe> &recipes;
  const std::string &as, &unknown_because;
};

/// Formats of fixed columns count bytes: there single fields are converted, after reading.
std::vector<ObservationFile> in_utf8(std::vector<ObservationFile> files) {
  for (ObservationFile &f : files)
    for (std::string *x : {&f.marker, &f.marker_number, &f.receiver, &f.receiver_serial, &f.receiver_firmware,
                           &f.antenna, &f.antenna_serial, &f.program})
      *x = printable(utf8_text(*x));
  return files;
}

void read_observations(const Given &g, SourceContent &c) {
  c.sites = sites_in_memory(in_utf8(read_rinex_observations(g.text)));
}

void read_log(const Given &g, SourceContent &c) {
  RtcmLog log = read_rtcm3(g.text, date_in_name(g.name));
  c.sites = sites_in_memory(in_utf8(std::move(log.stations)));
  if (log.navigation.size()) c.navigation = std::make_shared<NavigationFile>(std::move(log.navigation));
}

void read_list(const Given &g, SourceContent &c) {
  const std::string utf8 = utf8_text(g.text);
  // Heads of another language: what the columns seem to be is proposed.
  if (heads_suffice(utf8) || !proposed_points_recipe(utf8, g.name))
    c.control = std::make_shared<ControlList>(read_control_list(utf8));
  c.cut_off = broken_off(utf8);
  c.text = std::make_shared<std::string>(utf8);
}

/// A text that only a recipe understands, or one that is a recipe.
void read_text(const Given &g, SourceContent &c) {
  // Read with everything that hangs on it, a book takes some forty times its size.
  if (g.text.size() > (std::size_t{12} << 20) && g.unknown_because.rfind("a text", 0) == 0)
    throw InputError("a text of more than 12 MB: no crew writes such a book in one piece; split it");
  if (looks_like_recipe(g.text)) {
    c.source.kind = "recipe";
    c.recipe = std::make_shared<Recipe>(read_recipe(g.text));
    return;
  }
  if (looks_like_landxml_survey(g.text)) {
    read_landxml_survey(g.text); // refused here, with its line, rather than later
    c.source.kind = "pointings";
    c.text = std::make_shared<std::string>(g.text);
    return;
  }
  const std::string start = utf8_text(std::string_view(g.text).substr(0, 1 << 16));
  const bool text_like = !start.empty() && start.find('\0') == std::string::npos;
  const auto best = best_recipe(g.recipes, start);
  const bool said = !recipe_meanings(g.as).empty();
  const bool points = !best && !said && text_like && proposed_points_recipe(start, g.name).has_value();
  if (!best && !points && !(said && text_like)) throw InputError(g.unknown_because);
  c.source.kind = said ? g.as : points ? "control" : g.recipes[best->index].reads;
  c.text = std::make_shared<std::string>(utf8_text(g.text));
  c.cut_off = broken_off(*c.text);
}

template <class T> std::shared_ptr<const T> kept(T v) { return std::make_shared<const T>(std::move(v)); }

/// Of a grid that says nothing of its model the file's name is all there is.
std::shared_ptr<const HeightGrid> named(HeightGrid g, const std::string &file) {
  g.name = file;
  return kept(std::move(g));
}

/// A reader: what its sources are called, and where what it reads goes.
struct Reader {
  FileKind kind;
  const char *source_kind;
  void (*read)(const Given &g, SourceContent &c);
};
const Reader readers[] = {
    {FileKind::observation, "observation", read_observations},
    {FileKind::rtcm3, "rtcm3", read_log},
    {FileKind::navigation, "navigation",
     [](const Given &g, SourceContent &c) { c.navigation = kept(read_rinex_navigation(g.text)); }},
    {FileKind::sp3, "sp3", [](const Given &g, SourceContent &c) { c.sp3 = kept(read_sp3(g.text)); }},
    {FileKind::clock, "clock", [](const Given &g, SourceContent &c) { c.clock = kept(read_rinex_clock(g.text)); }},
    {FileKind::ionosphere, "ionosphere",
     [](const Given &g, SourceContent &c) { c.ionosphere = kept(read_ionex(g.text)); }},
    {FileKind::ocean_loading, "ocean_loading",
     [](const Given &g, SourceContent &c) { c.ocean_loading = kept(read_ocean_loading(utf8_text(g.text))); }},
    {FileKind::antex, "antex",
     [](const Given &g, SourceContent &c) {
       c.antex = kept(read_antex(is_utf8(g.text) ? g.text : utf8_text(g.text)));
     }},
    {FileKind::attachment, "attachment",
     [](const Given &g, SourceContent &c) {
       Attachment a = read_attachment(g.text);
       c.cut_off = a.cut_off;
       c.attachment = kept(std::move(a));
     }},
    {FileKind::antenna_points, "antenna_points",
     [](const Given &g, SourceContent &c) { c.antenna_points = kept(read_antenna_points(utf8_text(g.text))); }},
    {FileKind::control, "control", read_list},
    {FileKind::landxml_points, "control",
     [](const Given &g, SourceContent &c) { c.control = kept(read_landxml_points(g.text)); }},
    {FileKind::sinex, "control",
     [](const Given &g, SourceContent &c) {
       SinexFile f = read_sinex_file(g.text);
       c.control = kept(std::move(f.list)), c.no_solution = f.no_solution;
       if (f.solution) c.solution = kept(std::move(*f.solution));
     }},
    {FileKind::position_report, "control",
     [](const Given &g, SourceContent &c) { c.control = kept(read_position_report(utf8_text(g.text))); }},
    {FileKind::issue_record, "control",
     [](const Given &g, SourceContent &c) { c.control = kept(read_issue_record(g.text)); }},
    {FileKind::vector_list, "vectors",
     [](const Given &g, SourceContent &c) {
       const std::string utf8 = utf8_text(g.text);
       c.measured = kept(read_vector_list(utf8));
       c.cut_off = broken_off(utf8);
       c.text = kept(utf8);
     }},
    {FileKind::stop_list, "stops",
     [](const Given &g, SourceContent &c) {
       const std::string utf8 = utf8_text(g.text);
       c.stops = kept(read_stop_list(utf8));
       c.cut_off = broken_off(utf8);
       c.text = kept(utf8);
     }},
    {FileKind::landxml_vectors, "vectors",
     [](const Given &g, SourceContent &c) { c.measured = kept(read_landxml_vectors(g.text)); }},
    {FileKind::shift_grid, "shift",
     [](const Given &g, SourceContent &c) {
       ShiftGrid grid = read_ntv2(g.text);
       if (auto heights = heights_in(grid)) {
         c.source.kind = "geoid";
         c.geoid = named(std::move(*heights), g.name);
       } else
         c.shift = kept(std::move(grid));
     }},
    {FileKind::shift_tiff, "shift", [](const Given &g, SourceContent &c) { c.shift = kept(read_shift_tiff(g.text)); }},
    {FileKind::linework, "linework",
     [](const Given &g, SourceContent &c) { c.linework = kept(read_linework(g.text)); }},
    {FileKind::frame_fit, "frame fit", [](const Given &g, SourceContent &c) { c.fit = kept(read_fit_file(g.text)); }},
    {FileKind::geoid_gtx, "geoid", [](const Given &g, SourceContent &c) { c.geoid = named(read_gtx(g.text), g.name); }},
    {FileKind::geoid_isg, "geoid",
     [](const Given &g, SourceContent &c) { c.geoid = kept(read_isg(utf8_text(g.text))); }},
    {FileKind::geoid_tiff, "geoid",
     [](const Given &g, SourceContent &c) { c.geoid = named(read_geotiff_grid(g.text), g.name); }},
    {FileKind::unknown, "", read_text}};
} // namespace

SourceContent read_source(const std::string &name, const std::string &bytes, const std::vector<Recipe> &recipes,
                          const std::string &as) {
  try {
    SourceContent c;
    c.source = {sha256_hex(bytes), name, "", ""};
    const std::string text = plain_content(bytes);
    const Recognition r = recognise(text);
    for (const Reader &reader : readers)
      if (reader.kind == r.kind) {
        c.source.kind = reader.source_kind;
        reader.read({name, text, recipes, as, r.reason}, c);
      }
    // A survey in LandXML may hold vectors beside its sights.
    if (!c.measured && c.source.kind == "pointings" && looks_like_landxml_vectors(text))
      c.measured = kept(read_landxml_vectors(text));
    return c;
  } catch (const InputError &e) {
    throw e.in_file(name);
  }
}

} // namespace ampletie
