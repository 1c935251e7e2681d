#pragma once
#include "formats/gnss_data.h"

namespace ampletie {

/// A tracked signal: the RINEX types of its code and its carrier. The code may be of another attribute of the band when
/// the receiver gives none for this one, or absent.
struct Signal {
  std::string code, phase; ///< "C1C" (may be empty), "L1C"
  char band() const { return phase[1]; }
  bool operator==(const Signal &) const = default;
};
constexpr std::size_t max_signals = 6; ///< kept per satellite of an occupation
constexpr int band_count = 3;          ///< used per satellite of a vector

/// The systems that are solved for: GPS, GLONASS, Galileo, BeiDou, QZSS.
constexpr std::string_view solved_systems = "GRECJ";

/// Bands of a system in the order in which they are wanted.
std::string_view band_order(char system);

/// The signals of a file that carry data, per system: at most two per band and `max_signals` in all, the customary
/// tracking modes first. Types that the header lists but that stay empty do not count.
std::map<char, std::vector<Signal>> choose_signals(const ObservationFile &file);

/// Of two lists the signals that can be differenced: for every band one whose carrier both receivers track in the same
/// way. First: index at the base; second: at the rover. At most `band_count`, in band order. `unlike` gets the bands
/// that both have, but only by different tracking.
std::vector<std::pair<int, int>> common_signals(char system, const std::vector<Signal> &base,
                                                const std::vector<Signal> &rover, std::string &unlike);

} // namespace ampletie
