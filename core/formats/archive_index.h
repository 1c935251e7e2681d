#pragma once
#include "base/vector.h"
#include "formats/product_class.h"
#include "time/gps_time.h"
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// What an archive of reference data holds.
enum class ArchiveKind { observations, navigation, orbits, clocks, antennas, control };
const char *archive_kind_name(ArchiveKind k);

struct ArchiveFile {
  std::string path; ///< below the archive's address, with forward strokes
  ArchiveKind kind = ArchiveKind::observations;
  std::string station, antenna;     ///< of observations
  std::vector<std::string> names{}; ///< antenna types or marks that it holds
  std::optional<GpsTime> from{}, to{};
  double interval = 0; ///< s
  std::uint64_t bytes = 0;
  std::string sha256; ///< lower case
  ProductClass product = ProductClass::unknown;
  std::optional<GpsTime> due{}; ///< not there yet: when it will be
};

struct ArchiveStation {
  std::string name;
  Vec3 xyz = Vec3::Zero(); ///< m, good enough to say how far it is
};

/// The listing of an archive of reference data, `index.json` at its address. Form: docs/formats.md.
struct ArchiveIndex {
  std::string name;
  std::vector<ArchiveStation> stations;
  std::vector<ArchiveFile> files;
};

/// Whether a path leads below the archive and nowhere else on the disk that it is written to: letters, digits and
/// `/ . _ - +`, no "..".
bool is_archive_path(const std::string &path);

/// Throws `InputError` for what is none, for paths that lead out of the archive, for sums that are none and for sizes
/// beyond 8 GB, naming the file.
ArchiveIndex read_archive_index(std::string_view text);
std::string write_archive_index(const ArchiveIndex &index);

} // namespace ampletie
