#include "cli/systems.h"
#include "base/angle.h"
#include "base/error.h"
#include "datum/system_offer.h"
#include "open_job/job.h"
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace ampletie::cli {

nlohmann::ordered_json system_rows(const Arguments &a) {
  std::optional<Geodetic> at;
  if (!a.centre.empty()) {
    const auto lat = parse_angle_deg(a.centre[0]), lon = parse_angle_deg(a.centre[1]);
    if (!lat || !lon || std::abs(*lat) > 90 || std::abs(*lon) > 360)
      throw InputError("the latitude and longitude of the place cannot be read");
    at = Geodetic{radians(*lat), radians(*lon), 0};
  } else if (!a.of_job.empty()) {
    const Job job = Job::open(a.of_job);
    if (!job.snapshot()->centre())
      throw InputError("nothing says yet where the job is: take observations or a control list first");
    at = to_geodetic(*job.snapshot()->centre());
  }
  if (!at && a.words.empty()) throw InputError("say words to look for, --at LAT LON or --job JOB");
  auto out = nlohmann::ordered_json::array();
  for (const FoundSystem &s : find_systems(fmt::format("{}", fmt::join(a.words, " ")), at, a.what_kind)) {
    nlohmann::ordered_json row{{"code", s.code}, {"name", s.name}, {"kind", s.kind}, {"area", s.area}};
    if (at) {
      const SystemOffer o = offer_system(s, *at);
      const auto known = [](const std::optional<double> &v) {
        return v ? nlohmann::ordered_json(*v) : nlohmann::ordered_json(nullptr);
      };
      row["usable"] = o.usable, row["why_not"] = o.why_not, row["axes"] = o.axes, row["frame"] = o.frame;
      row["accuracy_m"] = known(o.way_m), row["scale"] = known(o.scale);
      row["convergence_deg"] = o.convergence_rad ? nlohmann::ordered_json(degrees(*o.convergence_rad)) : nullptr;
    }
    out.push_back(std::move(row));
  }
  return out;
}

} // namespace ampletie::cli
