#include "formats/recognise.h"
#include "base/text.h"
#include "formats/antenna_points.h"
#include "formats/control_list.h"
#include "formats/hatanaka.h"
#include "formats/ocean_loading_file.h"
#include "formats/rtcm3.h"

namespace ampletie {

std::string kind_name(FileKind kind) {
  switch (kind) {
  case FileKind::observation:
    return "observations";
  case FileKind::navigation:
    return "broadcast orbits";
  case FileKind::rtcm3:
    return "RTCM 3 log";
  case FileKind::sp3:
    return "precise orbits";
  case FileKind::clock:
    return "satellite clocks";
  case FileKind::ionosphere:
    return "ionosphere maps";
  case FileKind::ocean_loading:
    return "ocean loading coefficients";
  case FileKind::antex:
    return "antenna calibrations";
  case FileKind::antenna_points:
    return "antenna dimensions";
  case FileKind::control:
    return "control list";
  case FileKind::unknown:
    break;
  }
  return "not recognised";
}

std::string plain_content(std::string_view bytes) {
  std::string text = is_gzip(bytes)              ? gunzip(bytes)
                     : is_unix_compressed(bytes) ? uncompress(bytes)
                                                 : std::string(bytes);
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
  if (begins("#c") || begins("#d") || begins("#a")) return {FileKind::sp3, {}};
  if (begins("\x89PNG") || begins("\xFF\xD8\xFF") || begins("GIF8")) return {FileKind::unknown, "a picture"};
  if (begins("%PDF")) return {FileKind::unknown, "a PDF document"};
  if (begins("PK\x03\x04"))
    return {FileKind::unknown, "a ZIP archive or an office document: unpack it, or save it as CSV"};
  if (looks_like_rtcm3(c)) return {FileKind::rtcm3, {}};
  if (c.substr(0, 4096).find('\0') != std::string_view::npos)
    return {FileKind::unknown, "a binary file of a receiver or another program: export RINEX 3"};
  if (looks_like_ocean_loading(c)) return {FileKind::ocean_loading, {}};
  if (looks_like_antenna_points(c)) return {FileKind::antenna_points, {}};
  if (looks_like_control_list(c)) return {FileKind::control, {}};
  return {FileKind::unknown,
          "a text whose kind is not recognised; a control list needs a header line with mark and coordinates"};
}

} // namespace ampletie
