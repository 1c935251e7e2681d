#include "datum/fit/frame_fit.h"
#include "job/decisions/things.h"

namespace ampletie {
namespace {
using nlohmann::json;

/// One of some words, kept as it is written.
template <class Edits>
Field<Edits> word(const char *name, const char *words, fields::Slot<std::string> Edits::*at,
                  std::vector<std::string> all) {
  Field<Edits> f{name, words};
  f.read = [=](const std::string &t) { return t.empty() ? json() : json(fields::read_one_of(words, t, all)); };
  f.keep = [=](Edits &e, const json &v, long decision) {
    e.*at = {v.is_null() ? std::nullopt : std::optional(fields::read_one_of(words, v.get<std::string>(), all)),
             decision};
  };
  return f;
}
} // namespace

const Fields<FitEdits> &FitThing::fields() {
  using namespace ampletie::fields;
  static const Fields<FitEdits> all{
      text("mark", "a grid of its own by", &FitEdits::mark),
      text("toward", "turned toward", &FitEdits::toward),
      number("at_east", "at east", &FitEdits::at_east, -1e8, 1e8, "m"),
      number("at_north", "at north", &FitEdits::at_north, -1e8, 1e8, "m"),
      number("at_height", "at height", &FitEdits::at_height, -600, 9000, "m"),
      angle("bearing", "with the bearing", &FitEdits::bearing_deg),
      text("list", "coordinates from", &FitEdits::list),
      word("plan", "plan by", &FitEdits::plan, plan_fits()),
      word("height", "height by", &FitEdits::height, height_fits()),
      number("scale", "scale", &FitEdits::scale, 0.5, 2, ""),
      angle("rotation", "turned by", &FitEdits::rotation_deg),
      number("sd", "deviation in plan", &FitEdits::sd, 0.0001, 10, "m"),
      number("sd_height", "deviation in height", &FitEdits::sd_height, 0.0001, 10, "m"),
  };
  return all;
}

const Fields<FitEdits::Pair> &PairThing::fields() {
  static const Fields<FitEdits::Pair> all = [] {
    std::vector<std::string> uses = pair_uses();
    uses.emplace_back("none");
    return Fields<FitEdits::Pair>{word("use", "takes part in", &FitEdits::Pair::use, uses),
                                  fields::text("with", "is", &FitEdits::Pair::with)};
  }();
  return all;
}

FitEdits::Pair &PairThing::of(JobState &s, const Id &id) {
  const auto bar = id.text.find('|');
  if (bar == std::string::npos || bar == 0 || bar + 1 == id.text.size())
    fields::refuse("a pair is named by its system and its mark");
  return s.fits[id.text.substr(0, bar)].pairs[id.text.substr(bar + 1)];
}

} // namespace ampletie
