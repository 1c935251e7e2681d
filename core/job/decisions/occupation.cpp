#include "job/decisions/things.h"

namespace ampletie {

const Fields<OccupationEdits> &OccupationThing::fields() {
  using E = OccupationEdits;
  using namespace ampletie::fields;
  static const Fields<E> all{
      text("mark", "mark", &E::mark, true),
      text("antenna", "antenna", &E::antenna, true),
      number("height", "height", &E::measured, -1, 30, "m"),
      text("height_to", "point", &E::measured_to, true),
      yes_no("slant", "slant or vertical", &E::slant, "slant", "vertical"),
      number("east", "east", &E::east, -100, 100, "m"),
      number("north", "north", &E::north, -100, 100, "m"),
      number("azimuth", "azimuth of the antenna's north mark", &E::azimuth_deg, -360, 360, "°"),
      number("pressure", "pressure", &E::pressure, 450, 1090, "hPa"),
      number("temperature", "temperature", &E::temperature, -60, 60, "°C"),
      number("humidity", "humidity", &E::humidity, 0, 100, "%"),
      yes_no("moving", "moving or standing", &E::moving, "moving", "standing"),
      text("base", "solved from", &E::base),
      one_of("bases", "bases", &E::bases, {"one", "all"}),
      text("set_up", "belongs to the set-up", &E::setup, true),
  };
  return all;
}

const Fields<StopEdits> &StopThing::fields() {
  using namespace ampletie::fields;
  static const Fields<StopEdits> all{text("mark", "mark", &StopEdits::mark), text("code", "code", &StopEdits::code),
                                     number("height", "height", &StopEdits::height, -1, 30, "m")};
  return all;
}

} // namespace ampletie
