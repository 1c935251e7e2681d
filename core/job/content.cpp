#include "job/content.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/utf8.h"
#include "formats/antex.h"
#include "formats/control_documents.h"
#include "formats/cut_off.h"
#include "formats/landxml_survey.h"
#include "formats/recipe_reading.h"
#include "formats/recognise.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/rtcm3.h"
#include "formats/sp3.h"

namespace ampletie {

SourceContent read_source(const std::string &name, const std::string &bytes, const std::vector<Recipe> &recipes,
                          const std::string &as) {
  try {
    SourceContent c;
    c.source = {sha256_hex(bytes), name, "", ""};
    const std::string text = plain_content(bytes);
    const Recognition r = recognise(text);
    // Formats of fixed columns count bytes: there single fields are converted, after reading.
    const auto add_site = [&c](ObservationFile &f) {
      for (std::string *x : {&f.marker, &f.marker_number, &f.receiver, &f.receiver_serial, &f.receiver_firmware,
                             &f.antenna, &f.antenna_serial, &f.program})
        *x = printable(utf8_text(*x));
      c.sites.push_back(std::make_shared<ObservationFile>(std::move(f)));
    };
    switch (r.kind) {
    case FileKind::observation:
      c.source.kind = "observation";
      for (ObservationFile &f : read_rinex_observations(text)) add_site(f);
      break;
    case FileKind::rtcm3: {
      c.source.kind = "rtcm3";
      RtcmLog log = read_rtcm3(text, date_in_name(name));
      for (ObservationFile &f : log.stations) add_site(f);
      if (log.navigation.size()) c.navigation = std::make_shared<NavigationFile>(std::move(log.navigation));
      break;
    }
    case FileKind::navigation:
      c.source.kind = "navigation";
      c.navigation = std::make_shared<NavigationFile>(read_rinex_navigation(text));
      break;
    case FileKind::sp3:
      c.source.kind = "sp3";
      c.sp3 = std::make_shared<Sp3File>(read_sp3(text));
      break;
    case FileKind::clock:
      c.source.kind = "clock";
      c.clock = std::make_shared<ClockFile>(read_rinex_clock(text));
      break;
    case FileKind::ionosphere:
      c.source.kind = "ionosphere";
      c.ionosphere = std::make_shared<IonexFile>(read_ionex(text));
      break;
    case FileKind::ocean_loading:
      c.source.kind = "ocean_loading";
      c.ocean_loading = std::make_shared<std::vector<OceanLoading>>(read_ocean_loading(utf8_text(text)));
      break;
    case FileKind::antex:
      c.source.kind = "antex";
      c.antex = std::make_shared<AntexFile>(read_antex(is_utf8(text) ? text : utf8_text(text)));
      break;
    case FileKind::antenna_points:
      c.source.kind = "antenna_points";
      c.antenna_points = std::make_shared<std::vector<AntennaPoint>>(read_antenna_points(utf8_text(text)));
      break;
    case FileKind::control: {
      c.source.kind = "control";
      const std::string utf8 = utf8_text(text);
      c.control = std::make_shared<ControlList>(read_control_list(utf8));
      c.cut_off = broken_off(utf8);
      break;
    }
    case FileKind::landxml_points:
      c.source.kind = "control";
      c.control = std::make_shared<ControlList>(read_landxml_points(text));
      break;
    case FileKind::issue_record:
      c.source.kind = "control";
      c.control = std::make_shared<ControlList>(read_issue_record(text));
      break;
    case FileKind::unknown: {
      // Read with everything that hangs on it, a book takes some forty times its size.
      if (text.size() > (std::size_t{12} << 20) && r.reason.rfind("a text", 0) == 0)
        throw InputError("a text of more than 12 MB: no crew writes such a book in one piece; split it");
      if (looks_like_recipe(text)) {
        c.source.kind = "recipe";
        c.recipe = std::make_shared<Recipe>(read_recipe(text));
        break;
      }
      if (looks_like_landxml_survey(text)) {
        read_landxml_survey(text); // refused here, with its line, rather than later
        c.source.kind = "pointings";
        c.text = std::make_shared<std::string>(text);
        break;
      }
      std::string utf8 = utf8_text(std::string_view(text).substr(0, 1 << 16));
      const bool text_like = !utf8.empty() && utf8.find('\0') == std::string::npos;
      const auto best = best_recipe(recipes, utf8);
      const bool said = as == "levels" || as == "pointings";
      if (!best && !(said && text_like)) throw InputError(r.reason);
      c.source.kind = said ? as : recipes[best->index].reads;
      c.text = std::make_shared<std::string>(utf8_text(text));
      c.cut_off = broken_off(*c.text);
    }
    }
    return c;
  } catch (const InputError &e) {
    throw e.in_file(name);
  }
}

} // namespace ampletie
