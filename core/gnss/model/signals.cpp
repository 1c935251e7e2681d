#include "gnss/model/signals.h"
#include <algorithm>

namespace ampletie {

std::string_view band_order(char system) {
  switch (system) {
  case 'R':
    return "123";
  case 'E':
    return "15786";
  case 'C':
    return "265178";
  default:
    return "125";
  }
}

namespace {
/// Tracking modes of a band in the order in which they are wanted.
std::string_view attributes(char system, char band) {
  switch (system) {
  case 'G':
    return band == '1' ? "CWPSLXYMND" : band == '2' ? "WLSXPCDYMN" : "QXI";
  case 'R':
    return band == '3' ? "QXI" : "CPX";
  case 'E':
    return band == '1' || band == '6' ? "CXBZA" : "QXI";
  case 'C':
    return band == '2' || band == '6' || band == '7' ? "IXQPDZ" : "PXDSLIQN";
  default:
    return band == '1' ? "CXLSZ" : band == '2' ? "LXSM" : "QXIPD";
  }
}

/// How often a column holds a value, among some sixty epochs over the file.
std::vector<std::size_t> filled(const ObservationFile &f, char system, std::size_t columns) {
  std::vector<std::size_t> out(columns, 0);
  const std::size_t stride = std::max<std::size_t>(1, f.epochs.size() / 60);
  for (std::size_t i = 0; i < f.epochs.size(); i += stride)
    for (std::uint32_t r = f.epochs[i].first; r < f.epochs[i].first + f.epochs[i].count; ++r)
      if (f.records[r].sat.system == system)
        for (std::size_t k = 0; k < columns; ++k) out[k] += f.value(f.records[r], static_cast<int>(k)).present();
  return out;
}
} // namespace

std::map<char, std::vector<Signal>> choose_signals(const ObservationFile &f) {
  std::map<char, std::vector<Signal>> out;
  for (char system : solved_systems) {
    const auto types = f.types.find(system);
    if (types == f.types.end()) continue;
    const auto count = filled(f, system, types->second.size());
    const std::size_t most = count.empty() ? 0 : *std::max_element(count.begin(), count.end());
    auto has = [&](const std::string &type) {
      const int i = f.type_index(system, type);
      return i >= 0 && count[static_cast<std::size_t>(i)] > most / 50;
    };
    std::vector<Signal> list;
    for (char band : band_order(system)) {
      int taken = 0;
      for (char attribute : attributes(system, band)) {
        const std::string name{band, attribute};
        if (taken == 2 || list.size() == max_signals || !has("L" + name)) continue;
        Signal s{"C" + name, "L" + name};
        if (!has(s.code)) {
          s.code.clear();
          for (char other : attributes(system, band))
            if (const std::string c{'C', band, other}; s.code.empty() && has(c)) s.code = c;
        }
        list.push_back(s);
        ++taken;
      }
    }
    if (!list.empty()) out[system] = list;
  }
  return out;
}

std::vector<std::pair<int, int>> common_signals(char system, const std::vector<Signal> &base,
                                                const std::vector<Signal> &rover, std::string &unlike) {
  std::vector<std::pair<int, int>> out;
  for (char band : band_order(system)) {
    if (static_cast<int>(out.size()) == band_count) break;
    bool at_base = false, at_rover = false, found = false;
    for (std::size_t i = 0; i < base.size() && !found; ++i) {
      if (base[i].band() != band) continue;
      at_base = true;
      for (std::size_t k = 0; k < rover.size() && !found; ++k) {
        if (rover[k].band() != band) continue;
        at_rover = true;
        if (rover[k].phase == base[i].phase) {
          out.emplace_back(static_cast<int>(i), static_cast<int>(k));
          found = true;
        }
      }
    }
    for (const Signal &s : rover) at_rover = at_rover || s.band() == band;
    if (at_base && at_rover && !found) unlike += band;
  }
  return out;
}

} // namespace ampletie
