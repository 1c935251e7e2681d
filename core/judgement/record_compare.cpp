#include "judgement/record_compare.h"
#include "base/size_words.h"
#include "results/control_record.h"
#include <cmath>

namespace ampletie {

std::vector<std::string> compare_with_record(const IssueRecord &r, const NetworkRun &now) {
  std::vector<std::string> out;
  for (const auto &m : r.data.at("marks")) {
    const ControlRecord then = control_record_of(m);
    const auto p = now.positions.find(then.name);
    if (p == now.positions.end())
      out.push_back(then.name + " is no longer part of the network");
    else if (then.frame != frame_name(p->second.ecef.frame))
      out.push_back(then.name + " was issued in " + then.frame);
    else if (const Vec3 moved = p->second.ecef.xyz - then.xyz; moved.cwiseAbs().maxCoeff() > 1e-4)
      out.push_back(then.name + " has moved by " + length_words(moved.norm()) + " since it was issued");
  }
  for (const auto &h : r.data.value("heights", nlohmann::json::array())) {
    const HeightRecord then = height_record_of(h);
    const auto p = now.positions.find(then.name);
    if (p == now.positions.end() || !p->second.height)
      out.push_back(then.name + " has no height any more");
    else if (const double d = *p->second.height - then.height_m; std::abs(d) > 1e-4)
      out.push_back("the height of " + then.name + " has changed by " + length_words(d, 1, true) +
                    " since it was issued");
  }
  return out;
}

std::vector<std::string> compare_provisional(const IssueRecord &r, const TraverseReport &now) {
  std::vector<std::string> out;
  for (const auto &m : r.data.at("marks")) {
    const std::string name = m.at("name");
    const auto p = now.marks.find(name);
    if (p == now.marks.end()) {
      out.push_back(name + " is no longer provisional");
      continue;
    }
    const double d = std::hypot(p->second.place.east - m.at("east_m").get<double>(),
                                p->second.place.north - m.at("north_m").get<double>());
    const double up = p->second.height && !m.at("height_m").is_null()
                          ? std::abs(*p->second.height - m.at("height_m").get<double>())
                          : 0;
    if (std::max(d, up) > 1e-4)
      out.push_back(name + " has moved by " + length_words(std::hypot(d, up)) + " since it was handed out");
  }
  return out;
}

} // namespace ampletie
