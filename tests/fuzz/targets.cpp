#include "fuzz/targets.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/antenna_points.h"
#include "formats/antex.h"
#include "formats/archive_index.h"
#include "formats/attachment.h"
#include "formats/control_documents.h"
#include "formats/cut_off.h"
#include "formats/fit_file.h"
#include "formats/geoid_grid.h"
#include "formats/hatanaka.h"
#include "formats/ionex.h"
#include "formats/landxml_survey.h"
#include "formats/list_reading.h"
#include "formats/ntv2.h"
#include "formats/ocean_loading_file.h"
#include "formats/point_recipe.h"
#include "formats/position_report.h"
#include "formats/recipe_reading.h"
#include "formats/recognise.h"
#include "formats/rinex_clock.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/rtcm3.h"
#include "formats/shift_tiff.h"
#include "formats/sinex.h"
#include "formats/sp3.h"
#include "formats/stop_list.h"
#include "formats/vector_list.h"

namespace ampletie::testing {
namespace {
template <class F> void attempt(F f) {
  try {
    f();
  } catch (const InputError &) {
  }
}
} // namespace

const std::map<std::string, std::function<void(std::string_view)>> &fuzz_targets() {
  using Bytes = std::string_view;
  static const std::map<std::string, std::function<void(Bytes)>> all{
      {"observation",
       [](Bytes b) {
         attempt([&] {
           for (const ObservationFile &f : read_rinex_observations(b)) write_rinex_observation(f);
         });
       }},
      {"hatanaka",
       [](Bytes b) { attempt([&] { read_rinex_observations(expand_hatanaka(b, std::size_t{1} << 22)); }); }},
      {"navigation", [](Bytes b) { attempt([&] { write_rinex_navigation(read_rinex_navigation(b)); }); }},
      {"archive",
       [](Bytes b) { attempt([&] { read_archive_index(write_archive_index(read_archive_index(b))); }); }},
      {"sp3", [](Bytes b) { attempt([&] { write_sp3(read_sp3(b)); }); }},
      {"clock", [](Bytes b) { attempt([&] { read_rinex_clock(b); }); }},
      {"antex",
       [](Bytes b) {
         attempt([&] {
           for (const Antenna &a : read_antex(b).receivers)
             for (const auto &[name, f] : a.frequencies) antenna_correction(a, f, 1, 1);
         });
       }},
      {"landxml",
       [](Bytes b) {
         looks_like_landxml_survey(b);
         attempt([&] { read_landxml_survey(b); });
       }},
      {"points",
       [](Bytes b) {
         if (const auto r = proposed_points_recipe(b, "fuzzed")) attempt([&] { read_points(*r, b); });
         recipe_of_heads(b, "fuzzed");
         ListReading said;
         said.unit = "ft", said.turned = "both", said.exchanged = said.packed = true;
         attempt([&] { read_as_said(read_control_list(b), said); });
       }},
      {"attachment", [](Bytes b) { attempt([&] { read_attachment(std::string(b)); }); }},
      {"geoid",
       [](Bytes b) {
         const auto use = [](const HeightGrid &g) {
           for (double lat : {-89.0, 0.0, 46.2})
             attempt([&] { height_in_grid(g, {lat * 0.0175, 0.2, 0}, GridInterpolation::bicubic); });
           attempt([&] { write_gtx(cut_out(g, {0.8, 0.2, 0}, 1e5)); });
         };
         attempt([&] { use(read_gtx(b)); });
         attempt([&] { use(read_isg(b)); });
         attempt([&] { use(read_geotiff_grid(b)); });
       }},
      {"ionosphere", [](Bytes b) { attempt([&] { read_ionex(b); }); }},
      {"ocean_loading",
       [](Bytes b) {
         looks_like_ocean_loading(b);
         attempt([&] { read_ocean_loading(b); });
       }},
      {"rtcm3",
       [](Bytes b) {
         looks_like_rtcm3(b);
         attempt([&] {
           for (const ObservationFile &f : read_rtcm3(b, gps_time(Calendar{2026, 5, 12, 0, 0, 0})).stations)
             write_rinex_observation(f);
         });
       }},
      {"control",
       [](Bytes b) {
         attempt([&] { read_control_list(b); });
         attempt([&] { read_control_list(utf8_text(b)); });
         attempt([&] { broken_off(b); });
         looks_like_stop_list(b);
         attempt([&] { read_stop_list(utf8_text(b)); });
         looks_like_vector_list(b);
         attempt([&] { read_vector_list(utf8_text(b)); });
         recipe_of_vector_heads(b, "fuzzed"), recipe_of_stop_heads(b, "fuzzed");
         // Every column said to be something, beginning at another meaning for other bytes.
         for (const char *kind : {"vectors", "stops"}) {
           const std::string text = utf8_text(b);
           Recipe r = blank_list_recipe(text, "fuzzed", kind);
           const auto &known = recipe_meanings(kind);
           for (std::size_t i = 0; i < 12; ++i) {
             RecipeField f;
             f.at.column = static_cast<int>(i), f.meaning = known[(b.size() + 3 * i) % known.size()].name;
             r.lines.front().fields.push_back(f);
           }
           attempt([&] { read_vector_list(r, text); });
           attempt([&] { read_stop_list(r, text); });
         }
       }},
      {"control_documents",
       [](Bytes b) {
         attempt([&] { read_landxml_points(b); });
         attempt([&] { read_landxml_vectors(b); });
         attempt([&] { read_issue_record(b); });
         attempt([&] { read_sinex(b); });
         attempt([&] {
           const SinexSolution s = read_sinex_solution(b);
           if (s.stations.size() > 1) s.from(s.stations.size() / 2);
         });
         attempt([&] { read_fit_file(b); });
         attempt([&] {
           const ShiftGrid g = read_ntv2(b);
           g.forward({0.8, 0.2, 0});
         });
         attempt([&] { read_shift_tiff(b).forward({0.82, 0.16, 0}); });
         attempt([&] { read_position_report(b); });
       }},
      {"recipe",
       [](Bytes b) {
         looks_like_recipe(b);
         attempt([&] { read_recipe(write_recipe(read_recipe(b))); });
       }},
      {"levels",
       [](Bytes b) {
         const std::string text = utf8_text(b);
         for (const Recipe &r : shipped_recipes()) read_with(r, text, {1, 50});
         const Recipe blank = blank_recipe(text, "x");
         read_with(blank, text, {1, 50});
         attempt([&] { with_meaning(blank, std::string_view(text).substr(0, text.find('\n')), 1, 3, "mark"); });
       }},
      {"antenna_points",
       [](Bytes b) {
         attempt([&] { read_antenna_points(b); });
         parse_angle_deg(b);
       }},
      {"compressed",
       [](Bytes b) {
         attempt([&] {
           if (is_gzip(b)) recognise(gunzip(b, std::size_t{1} << 22));
           if (is_unix_compressed(b)) recognise(uncompress(b, std::size_t{1} << 22));
           recognise(b);
         });
       }},
  };
  return all;
}

} // namespace ampletie::testing
