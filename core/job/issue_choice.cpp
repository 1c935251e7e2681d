#include "job/issue_choice.h"
#include "base/error.h"
#include "base/utf8.h"
#include <algorithm>
#include <fmt/format.h>
#include <sstream>

namespace ampletie {

const std::vector<IssueColumn> &issue_columns() {
  static const std::vector<IssueColumn> all{{"mark", "its name"},
                                            {"number", "running number"},
                                            {"east", "in the grid"},
                                            {"north", "in the grid"},
                                            {"height", "in the vertical system; ellipsoidal where there is none"},
                                            {"h", "ellipsoidal height"},
                                            {"geoid", "the geoid's undulation"},
                                            {"latitude", ""},
                                            {"longitude", ""},
                                            {"x", "geocentric"},
                                            {"y", "geocentric"},
                                            {"z", "geocentric"},
                                            {"sd_e", "standard deviation, with respect to the held marks"},
                                            {"sd_n", ""},
                                            {"sd_height", "of the height that is issued"},
                                            {"plan95_local", "95 %, with respect to the connected marks"},
                                            {"height95_local", ""},
                                            {"plan95_network", "95 %, with respect to the datum"},
                                            {"height95_network", ""},
                                            {"scale", "of the grid at the mark"},
                                            {"convergence", "of the grid's meridian"},
                                            {"combined", "factor from the ground to the grid"},
                                            {"held", "how it is held"},
                                            {"checks", "how many independent checks it has"},
                                            {"accuracy", "whether what is asked of it is reached"},
                                            {"origin", "how it came about"},
                                            {"description", "as its list says"},
                                            {"monument", "as the job says"},
                                            {"frame", ""},
                                            {"epoch", "decimal year"}};
  return all;
}

std::vector<std::string> issue_columns_named(const std::string &names) {
  std::vector<std::string> out;
  std::string spaced = names;
  std::replace(spaced.begin(), spaced.end(), ',', ' ');
  std::istringstream in(spaced);
  for (std::string name; in >> name;) {
    const auto &all = issue_columns();
    if (std::none_of(all.begin(), all.end(), [&](const IssueColumn &c) { return name == c.name; })) {
      std::vector<std::string> known;
      for (const IssueColumn &c : all) known.emplace_back(c.name);
      throw InputError(
          fmt::format("control has no column \"{}\"; there are {}", printable(name), fmt::join(known, ", ")));
    }
    if (std::find(out.begin(), out.end(), name) != out.end())
      throw InputError("the column \"" + name + "\" is asked for twice");
    out.push_back(name);
  }
  return out;
}

} // namespace ampletie
