#include "fuzz/targets.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/antenna_points.h"
#include "formats/antex.h"
#include "formats/control_list.h"
#include "formats/recognise.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/sp3.h"

namespace ampletie::testing {
namespace {
template <class F> void attempt(F f) {
  try {
    f();
  } catch (const InputError &) {
  }
}
} // namespace

void fuzz_one(std::string_view bytes) {
  std::string text;
  attempt([&] { text = is_gzip(bytes) ? gunzip(bytes, 1 << 22) : std::string(bytes); });
  attempt([&] { recognise(text); });
  attempt([&] { write_rinex_observation(read_rinex_observation(text)); });
  attempt([&] { write_rinex_navigation(read_rinex_navigation(text)); });
  attempt([&] { write_sp3(read_sp3(text)); });
  attempt([&] {
    for (const Antenna &a : read_antex(text).receivers)
      for (const auto &[name, f] : a.frequencies) antenna_correction(a, f, 1, 1);
  });
  attempt([&] { read_control_list(text); });
  attempt([&] { read_antenna_points(text); });
  parse_angle_deg(text);
}

} // namespace ampletie::testing
