#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// Name of a system in the register; throws when there is no such code.
std::string system_name(const std::string &code);
/// The same of a vertical system; throws when the code is that of anything else.
std::string vertical_name(const std::string &code);
/// A system as WKT 2 (ISO 19162), in one line; empty for a local plane and where the library cannot write it.
std::string system_wkt(const std::string &code);
/// PROJ and its register, for fingerprints: "PROJ 9.1.1, EPSG v10.074".
std::string register_version();

/// What a geodetic system rests on.
struct DatumInfo {
  std::string name, code; ///< "European Terrestrial Reference System 1989 ensemble"
  /// Codes of the members' datums, where it is a family of realisations (an ensemble).
  std::vector<std::string> members, member_names;
  /// Ground moves in it: a coordinate means nothing without its epoch.
  bool dynamic = false;
};
/// Of a geographic, geocentric or projected system. Throws `InputError` for codes of none.
DatumInfo datum_info(const std::string &code);

/// The geocentric system with the datum of another system ("EPSG:9988" for "EPSG:9990"); nothing where the register has
/// none, as of most datums from before satellites.
std::optional<std::string> geocentric_system(const std::string &code);
/// The geocentric system of a name in the register, whatever its case; nothing when there is none.
std::optional<std::string> geocentric_by_name(std::string_view name);
/// The geographic system in three dimensions with the datum of another system; empty where there is none.
std::string geographic3_system(const std::string &code);

} // namespace ampletie
