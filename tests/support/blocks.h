#pragma once
#include "base/error.h"
#include "formats/observation_blocks.h"
#include "formats/rinex_observation.h"
#include <bit>
#include <string>

namespace ampletie::testing {

/// A file's epochs with all that they hold, in words, without where they lie.
inline std::string epochs_in_words(const ObservationFile &f) {
  std::string out;
  for (const ObservationEpoch &e : f.epochs) {
    out += std::to_string(e.time.ns) + "/" + std::to_string(e.flag) + "/" + std::to_string(e.line) + ":";
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
      out += f.records[r].sat.name();
      for (std::size_t k = 0; k < f.records[r].count; ++k) {
        const Observable &o = f.values[f.records[r].first + k];
        out += "," + std::to_string(std::bit_cast<std::uint64_t>(o.value)) + " " + std::to_string(o.lli) + " " +
               std::to_string(o.strength);
      }
    }
    out += "\n";
  }
  return out;
}

/// Whether a text read in blocks of any size gives what it gives as a whole, or fails alike.
inline bool same_in_blocks(const std::string &text) {
  std::vector<ObservationFile> whole;
  std::string why;
  try {
    whole = read_rinex_observations(text);
  } catch (const InputError &e) {
    why = e.what();
  }
  for (const std::size_t size : {std::size_t{1}, std::size_t{3}, std::size_t{100}}) {
    std::vector<std::string> sites, names;
    try {
      ObservationBlockReader reader(size, [&](std::size_t site, const ObservationFile &block) {
        if (block.epochs.empty() || block.epochs.size() > size) throw std::logic_error("not a block");
        if (site >= sites.size()) sites.resize(site + 1), names.resize(site + 1);
        sites[site] += epochs_in_words(block), names[site] = block.marker + block.antenna;
      });
      for (std::size_t at = 0; at < text.size(); at += 999) reader.add(std::string_view(text).substr(at, 999));
      reader.finish();
      if (!why.empty() || sites.size() != whole.size()) return false;
    } catch (const InputError &e) {
      if (why != e.what()) return false;
      continue;
    }
    for (std::size_t i = 0; i < sites.size(); ++i)
      if (sites[i] != epochs_in_words(whole[i]) || names[i] != whole[i].marker + whole[i].antenna) return false;
  }
  return true;
}

} // namespace ampletie::testing
