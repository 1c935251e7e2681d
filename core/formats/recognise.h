#pragma once
#include <string>
#include <string_view>

namespace ampletie {

enum class FileKind {
  observation,
  navigation,
  rtcm3,
  sp3,
  clock,
  ionosphere,
  antex,
  antenna_points,
  ocean_loading,
  control,
  landxml_points,
  vector_list,
  stop_list,
  landxml_vectors,
  issue_record,
  sinex,
  frame_fit,
  position_report,
  geoid_gtx,
  geoid_isg,
  geoid_tiff,
  shift_grid,
  shift_tiff,
  linework,
  attachment,
  unknown
};
const std::string &kind_name(FileKind kind); ///< "observations", "broadcast orbits" …

/// What a file is, judged by its content and never by its name. `content` is already inflated.
struct Recognition {
  FileKind kind = FileKind::unknown;
  std::string reason; ///< for `unknown`: what it seems to be and what to ask for instead
};
Recognition recognise(std::string_view content);

/// The file's bytes, with gzip, Unix compress, the compact form of RINEX and lines that end by a return alone undone.
std::string plain_content(std::string_view bytes);

} // namespace ampletie
