#pragma once
#include <optional>
#include <string>
#include <string_view>

namespace ampletie {

/// A picture or a paper that belongs to a mark or an occupation: what it says of itself. What stands in it is not read.
struct Attachment {
  std::string type;          ///< "photo (JPEG)", "picture (PNG)", "paper (PDF)"
  int width = 0, height = 0; ///< pixels; 0: not known
  /// Where and when it was taken, by its Exif data: degrees; local time of the camera as it writes it.
  std::optional<double> lat_deg, lon_deg;
  std::string taken;
  std::string thumbnail; ///< a small JPEG, as the camera made it; empty: there is none
  std::string cut_off;   ///< why its end seems to be missing
};

/// Whether it is one that is kept: JPEG (ISO/IEC 10918-1), PNG (ISO/IEC 15948), PDF (ISO 32000).
bool looks_like_attachment(std::string_view bytes);
/// Throws `InputError` for what is none or has no beginning that could be shown.
Attachment read_attachment(const std::string &bytes);

} // namespace ampletie
