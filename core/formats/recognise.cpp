#include "formats/recognise.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/antenna_points.h"
#include "formats/attachment.h"
#include "formats/control_documents.h"
#include "formats/control_list.h"
#include "formats/fit_file.h"
#include "formats/geoid_grid.h"
#include "formats/hatanaka.h"
#include "formats/linework.h"
#include "formats/ntv2.h"
#include "formats/ocean_loading_file.h"
#include "formats/position_report.h"
#include "formats/rtcm3.h"
#include "formats/shift_tiff.h"
#include "formats/sinex.h"
#include "formats/stop_list.h"
#include "formats/vector_list.h"
#include <map>

namespace ampletie {

const std::string &kind_name(FileKind kind) {
  static const std::map<FileKind, std::string> names{{FileKind::observation, "observations"},
                                                     {FileKind::navigation, "broadcast orbits"},
                                                     {FileKind::rtcm3, "RTCM 3 log"},
                                                     {FileKind::sp3, "precise orbits"},
                                                     {FileKind::clock, "satellite clocks"},
                                                     {FileKind::ionosphere, "ionosphere maps"},
                                                     {FileKind::ocean_loading, "ocean loading coefficients"},
                                                     {FileKind::antex, "antenna calibrations"},
                                                     {FileKind::antenna_points, "antenna dimensions"},
                                                     {FileKind::control, "control list"},
                                                     {FileKind::landxml_points, "points of a LandXML file"},
                                                     {FileKind::vector_list, "vectors and fixes"},
                                                     {FileKind::stop_list, "stops of a moving receiver"},
                                                     {FileKind::landxml_vectors, "vectors of a LandXML file"},
                                                     {FileKind::issue_record, "record of issued control"},
                                                     {FileKind::sinex, "solution (SINEX)"},
                                                     {FileKind::position_report, "position report"},
                                                     {FileKind::frame_fit, "frame fit"},
                                                     {FileKind::geoid_gtx, "geoid grid"},
                                                     {FileKind::geoid_isg, "geoid grid"},
                                                     {FileKind::geoid_tiff, "geoid grid"},
                                                     {FileKind::shift_grid, "grid of shifts between datums"},
                                                     {FileKind::shift_tiff, "grid of shifts between datums"},
                                                     {FileKind::linework, "lines of the site"},
                                                     {FileKind::attachment, "picture or paper"},
                                                     {FileKind::unknown, "not recognised"}};
  return names.at(kind);
}

namespace {
/// A text whose lines end with a carriage return alone, as old programs write them.
bool ends_lines_by_returns(std::string_view text) {
  const std::string_view start = text.substr(0, 4096);
  return start.find('\r') != std::string_view::npos && text.find('\n') == std::string_view::npos &&
         std::none_of(start.begin(), start.end(),
                      [](unsigned char c) { return (c < ' ' && c != '\r' && c != '\t') || c == 127; });
}
} // namespace

std::string plain_content(std::string_view bytes) {
  if (is_utf16(bytes)) return utf8_text(bytes);
  std::string text = is_gzip(bytes)              ? gunzip(bytes)
                     : is_unix_compressed(bytes) ? uncompress(bytes)
                                                 : std::string(bytes);
  if (ends_lines_by_returns(text)) std::replace(text.begin(), text.end(), '\r', '\n');
  return is_hatanaka(text) ? expand_hatanaka(text) : text;
}

Recognition recognise(std::string_view c) {
  auto begins = [&](std::string_view s) { return c.substr(0, s.size()) == s; };
  if (c.empty()) return {FileKind::unknown, "the file is empty"};
  const std::string_view first = c.substr(0, std::min(c.find('\n'), std::size_t{2000}));
  const std::string_view label = trimmed(field(first, 60, 20));
  if (label == "RINEX VERSION / TYPE") {
    const char type = field(first, 20, 1).empty() ? ' ' : first[20];
    if (type == 'O') return {FileKind::observation, {}};
    // RINEX 2 has a letter of its own for the navigation of GLONASS.
    if (type == 'C') return {FileKind::clock, {}};
    if (type == 'N' || type == 'G') return {FileKind::navigation, {}};
    return {FileKind::unknown, std::string("a RINEX file of type ") + type + ", which is not read yet"};
  }
  if (first.find("RINEX VERSION / TYPE") != std::string_view::npos &&
      first.substr(0, 60).find("C") != std::string_view::npos && first.size() > 80)
    return {FileKind::clock, {}};
  if (label == "IONEX VERSION / TYPE") return {FileKind::ionosphere, {}};
  if (label == "ANTEX VERSION / SYST") return {FileKind::antex, {}};
  if (looks_like_sinex(c)) return {FileKind::sinex, {}};
  if (begins("#c") || begins("#d") || begins("#a")) return {FileKind::sp3, {}};
  if (looks_like_attachment(c)) return {FileKind::attachment, {}};
  if (begins("GIF8")) return {FileKind::unknown, "a picture of a kind that is not kept: save it as JPEG or PNG"};
  if (begins("PK\x03\x04"))
    return {FileKind::unknown, "a ZIP archive or an office document: unpack it, or save it as CSV"};
  if (looks_like_shift_tiff(c)) return {FileKind::shift_tiff, {}};
  if (looks_like_tiff(c)) return {FileKind::geoid_tiff, {}};
  if (looks_like_isg(c)) return {FileKind::geoid_isg, {}};
  if (looks_like_gtx(c)) return {FileKind::geoid_gtx, {}};
  if (looks_like_ntv2(c)) return {FileKind::shift_grid, {}};
  if (begins("NUM_OREC"))
    return {FileKind::unknown, "a grid of shifts (NTv2) as text, or damaged: the binary form is read"};
  if (looks_like_rtcm3(c)) return {FileKind::rtcm3, {}};
  if (begins("SQLite format 3"))
    return looks_like_linework(c)
               ? Recognition{FileKind::linework, {}}
               : Recognition{FileKind::unknown, "a database; a job is opened, not taken into another"};
  if (c.substr(0, 4096).find('\0') != std::string_view::npos)
    return {FileKind::unknown, "a binary file of a receiver or another program: export RINEX 3"};
  if (looks_like_ocean_loading(c)) return {FileKind::ocean_loading, {}};
  if (looks_like_antenna_points(c)) return {FileKind::antenna_points, {}};
  if (looks_like_landxml_vectors(c) && c.find("<InstrumentSetup") == std::string_view::npos)
    return {FileKind::landxml_vectors, {}};
  if (looks_like_landxml_points(c)) return {FileKind::landxml_points, {}};
  if (looks_like_fit_file(c)) return {FileKind::frame_fit, {}};
  if (looks_like_issue_record(c)) return {FileKind::issue_record, {}};
  if (looks_like_linework(c)) return {FileKind::linework, {}};
  if (looks_like_position_report(c)) return {FileKind::position_report, {}};
  if (looks_like_vector_list(c)) return {FileKind::vector_list, {}};
  if (looks_like_stop_list(c)) return {FileKind::stop_list, {}};
  if (looks_like_control_list(c)) return {FileKind::control, {}};
  return {FileKind::unknown,
          "a text whose kind is not recognised. A level book or field book: take it with --as levels "
          "or --as pointings, or under Levels or Traverse, Files, and say there what it means. A "
          "list of vectors, fixes or stops: with --as vectors or --as stops, or under Intake, Lists. A "
          "control list: with --as control, or under Datum, Lists; its columns are known by themselves with a header "
          "line of " +
              control_list_words()};
}

} // namespace ampletie
