#include "formats/recipe.h"

namespace ampletie {
namespace {

/// The delimited book of the stand-in level.
constexpr const char *delimited = R"json({
  "format": "ample-tie recipe", "version": 1, "name": "stand-in level, delimited", "reads": "levels",
  "layout": "delimited", "delimiter": ";", "quote": "", "comment": "#",
  "unit in file": {"starts with": "unit", "values": {"m": "m", "mm": "mm", "ft": "ft"}},
  "codes": {"kind": {"B": "back", "F": "fore", "I": "intermediate", "H": "benchmark"}, "used": {"1": "yes", "0": "no"}},
  "lines": [
    {"name": "run", "what": "run start", "told by": {"column": 1, "is": ["run"]},
     "fields": [{"meaning": "run", "column": 2}, {"meaning": "instrument", "column": 3}, {"meaning": "staff", "column": 4},
                {"meaning": "date", "column": 5}]},
    {"name": "sight", "told by": {"column": 1, "is": ["s"]},
     "fields": [{"meaning": "mark", "column": 2}, {"meaning": "kind", "column": 3}, {"meaning": "reading", "column": 4},
                {"meaning": "distance", "column": 5}, {"meaning": "time", "column": 6}, {"meaning": "used", "column": 7},
                {"meaning": "remark", "column": 8}]},
    {"name": "height", "told by": {"column": 1, "is": ["h"]},
     "fields": [{"meaning": "mark", "column": 2}, {"meaning": "kind", "column": 3}, {"meaning": "height", "column": 4}]},
    {"name": "end", "what": "run end", "told by": {"column": 1, "is": ["end"]}, "fields": []}
  ]
})json";

/// Its tagged words: two digits of code, three of the line, unit, sign, data.
std::string tagged(int width) {
  return R"json({
  "format": "ample-tie recipe", "version": 1, "name": "stand-in level, words of )json" +
         std::to_string(width) + R"json(", "reads": "levels", "layout": "words",
  "words": {"code": 2, "unit at": 6, "sign at": 7, "data at": 8, "data": )json" +
         std::to_string(width) + R"json(,
            "units": {"2": {"unit": "mm"}, "3": {"unit": "mm", "factor": 0.1}, "4": {"unit": "mm", "factor": 0.01},
                      "6": {"unit": "ft", "factor": 0.0001}}},
  "codes": {"used": {"1": "yes", "0": "no"}},
  "lines": [
    {"name": "run", "what": "run start", "told by": {"word": "41"},
     "fields": [{"meaning": "run", "word": "41"}, {"meaning": "instrument", "word": "43"}, {"meaning": "staff", "word": "44"},
                {"meaning": "date", "word": "45"}]},
    {"name": "end", "what": "run end", "told by": {"word": "42"}, "fields": [{"meaning": "ignore", "word": "42"}]},
    {"name": "height", "told by": {"word": "51"}, "fields": [{"meaning": "mark", "word": "01"}, {"meaning": "height", "word": "51"}]},
    {"name": "sight", "told by": {"word": "01"},
     "fields": [{"meaning": "mark", "word": "01"}, {"meaning": "back", "word": "21"}, {"meaning": "fore", "word": "22"},
                {"meaning": "intermediate", "word": "23"}, {"meaning": "distance", "word": "31"},
                {"meaning": "used", "word": "61"}]}
  ]
})json";
}

/// The field book of the stand-in total station: lines that set what holds for the next ones.
constexpr const char *field_book = R"json({
  "format": "ample-tie recipe", "version": 1, "name": "stand-in total station", "reads": "pointings",
  "layout": "delimited", "delimiter": ";", "quote": "", "comment": "#",
  "unit in file": {"starts with": "unit", "values": {"m;gon": "m", "m;deg": "m", "ft;deg": "ft"},
                   "angles": {"m;gon": "gon", "m;deg": "packed dms", "ft;deg": "packed dms"}},
  "codes": {"kind": {"orientation": "orientation", "control": "control", "detail": "detail"},
            "face": {"1": "1", "2": "2"}, "used": {"p": "yes", "x": "no"}},
  "lines": [
    {"name": "job", "what": "run start", "told by": {"column": 1, "is": ["job"]},
     "fields": [{"meaning": "job", "column": 2}, {"meaning": "instrument", "column": 3}, {"meaning": "date", "column": 4}]},
    {"name": "set-up", "what": "state", "told by": {"column": 1, "is": ["stn"]},
     "fields": [{"meaning": "station", "column": 2}, {"meaning": "instrument_height", "column": 3}]},
    {"name": "air", "what": "state", "told by": {"column": 1, "is": ["air"]},
     "fields": [{"meaning": "pressure", "column": 2}, {"meaning": "temperature", "column": 3}]},
    {"name": "target", "what": "state", "told by": {"column": 1, "is": ["tgt"]},
     "fields": [{"meaning": "target", "column": 2}, {"meaning": "kind", "column": 3}, {"meaning": "target_height", "column": 4},
                {"meaning": "prism_constant", "column": 5}, {"meaning": "code", "column": 6}]},
    {"name": "pointing", "told by": {"column": 1, "is": ["p", "x"]},
     "fields": [{"meaning": "used", "column": 1}, {"meaning": "set", "column": 2}, {"meaning": "face", "column": 3},
                {"meaning": "circle", "column": 4}, {"meaning": "zenith", "column": 5}, {"meaning": "slope", "column": 6},
                {"meaning": "time", "column": 7}]},
    {"name": "end", "what": "run end", "told by": {"column": 1, "is": ["end"]}, "fields": []}
  ]
})json";

/// A plain list of reduced observations: one to a line, with its standard error.
constexpr const char *reduced_list = R"json({
  "format": "ample-tie recipe", "version": 1, "name": "reduced observations", "reads": "pointings",
  "layout": "delimited", "delimiter": ";", "quote": "", "comment": "#",
  "unit in file": {"starts with": "unit", "values": {"m;gon": "m", "m;deg": "m", "m;dms": "m", "ft;dms": "ft"},
                   "angles": {"m;gon": "gon", "m;deg": "deg", "m;dms": "dms", "ft;dms": "dms"}},
  "codes": {"used": {"used": "yes", "struck": "no"}},
  "lines": [
    {"name": "instrument", "what": "state", "told by": {"column": 1, "is": ["instrument"]},
     "fields": [{"meaning": "instrument", "column": 2}]},
    {"name": "angle", "told by": {"column": 1, "is": ["angle"]},
     "fields": [{"meaning": "at-from-to", "column": 2}, {"meaning": "angle", "column": 3},
                {"meaning": "angle_sd", "column": 4, "unit": "arcsec"}, {"meaning": "used", "column": 5},
                {"meaning": "remark", "column": 6}]},
    {"name": "azimuth", "told by": {"column": 1, "is": ["azimuth"]},
     "fields": [{"meaning": "at-to", "column": 2}, {"meaning": "azimuth", "column": 3},
                {"meaning": "angle_sd", "column": 4, "unit": "arcsec"}, {"meaning": "used", "column": 5},
                {"meaning": "remark", "column": 6}]},
    {"name": "bearing", "told by": {"column": 1, "is": ["bearing"]},
     "fields": [{"meaning": "at-to", "column": 2}, {"meaning": "grid_bearing", "column": 3},
                {"meaning": "angle_sd", "column": 4, "unit": "arcsec"}, {"meaning": "used", "column": 5},
                {"meaning": "remark", "column": 6}]},
    {"name": "horizontal distance", "told by": {"column": 1, "is": ["horizontal"]},
     "fields": [{"meaning": "at-to", "column": 2}, {"meaning": "horizontal", "column": 3},
                {"meaning": "distance_sd", "column": 4, "unit": "mm"}, {"meaning": "used", "column": 5},
                {"meaning": "remark", "column": 6}]},
    {"name": "sight", "told by": {"column": 1, "is": ["line"]},
     "fields": [{"meaning": "at-to", "column": 2}, {"meaning": "horizontal", "column": 3},
                {"meaning": "distance_sd", "column": 4, "unit": "mm"}, {"meaning": "rise", "column": 5},
                {"meaning": "rise_sd", "column": 6, "unit": "mm"}, {"meaning": "used", "column": 7},
                {"meaning": "remark", "column": 8}]},
    {"name": "height difference", "told by": {"column": 1, "is": ["rise"]},
     "fields": [{"meaning": "at-to", "column": 2}, {"meaning": "rise", "column": 3},
                {"meaning": "rise_sd", "column": 4, "unit": "mm"}, {"meaning": "used", "column": 5},
                {"meaning": "remark", "column": 6}]},
    {"name": "coordinates worked out in the field", "told by": {"column": 1, "is": ["point"]},
     "fields": [{"meaning": "point", "column": 2}, {"meaning": "east", "column": 3}, {"meaning": "north", "column": 4},
                {"meaning": "height", "column": 5}]},
    {"name": "misclosure worked out in the field", "told by": {"column": 1, "is": ["closure"]},
     "fields": [{"meaning": "route_from", "column": 2}, {"meaning": "route_to", "column": 3},
                {"meaning": "closure_angle", "column": 4, "unit": "arcsec"}, {"meaning": "closure_east", "column": 5},
                {"meaning": "closure_north", "column": 6}, {"meaning": "closure_height", "column": 7}]}
  ]
})json";

} // namespace

const std::vector<Recipe> &shipped_pointing_recipes() {
  static const std::vector<Recipe> all{read_recipe(field_book), read_recipe(reduced_list)};
  return all;
}

const std::vector<Recipe> &shipped_recipes() {
  static const std::vector<Recipe> all{read_recipe(delimited), read_recipe(tagged(8)), read_recipe(tagged(16))};
  return all;
}

} // namespace ampletie
