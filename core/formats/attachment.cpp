#include "formats/attachment.h"
#include "base/error.h"
#include "base/utf8.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <libexif/exif-data.h>
#include <memory>

namespace ampletie {
namespace {
bool begins(std::string_view b, std::string_view s) { return b.substr(0, s.size()) == s; }
unsigned byte_at(std::string_view b, std::size_t i) { return i < b.size() ? static_cast<unsigned char>(b[i]) : 0U; }
unsigned two(std::string_view b, std::size_t i) { return byte_at(b, i) << 8 | byte_at(b, i + 1); }
unsigned four(std::string_view b, std::size_t i) { return two(b, i) << 16 | two(b, i + 2); }

/// Size by the frame header; whether its end was found.
void read_jpeg(std::string_view b, Attachment &a) {
  for (std::size_t i = 2; i + 9 < b.size() && byte_at(b, i) == 0xFF;) {
    const unsigned marker = byte_at(b, i + 1);
    const bool frame = marker >= 0xC0 && marker <= 0xCF && marker != 0xC4 && marker != 0xC8 && marker != 0xCC;
    if (frame) a.height = static_cast<int>(two(b, i + 5)), a.width = static_cast<int>(two(b, i + 7));
    if (frame || marker == 0xDA) break;
    i += marker == 0xFF ? 1 : 2 + std::max(2U, two(b, i + 2));
  }
  if (a.width == 0 || a.height == 0) throw InputError("a JPEG picture without a size: it was damaged or cut off");
  // Cameras append data of their own after the end.
  if (b.rfind("\xFF\xD9") == std::string_view::npos) a.cut_off = "the picture has no end";
}

using Exif = std::unique_ptr<ExifData, decltype(&exif_data_unref)>;

/// Degrees, minutes and seconds as three fractions; nothing where there are none.
std::optional<double> angle(ExifData *exif, int tag, int reference, char negative) {
  ExifContent *gps = exif->ifd[EXIF_IFD_GPS];
  const ExifEntry *e = exif_content_get_entry(gps, static_cast<ExifTag>(tag)),
                  *r = exif_content_get_entry(gps, static_cast<ExifTag>(reference));
  if (!e || e->components != 3 || e->format != EXIF_FORMAT_RATIONAL || e->size < 24) return {};
  double out = 0, unit = 1;
  for (unsigned i = 0; i < 3; ++i, unit /= 60) {
    const ExifRational q = exif_get_rational(e->data + 8 * i, exif_data_get_byte_order(exif));
    if (q.denominator == 0) return {};
    out += unit * q.numerator / q.denominator;
  }
  return r && r->size > 0 && static_cast<char>(r->data[0]) == negative ? -out : out;
}

void read_exif(const std::string &bytes, Attachment &a) {
  const auto size = static_cast<unsigned>(std::min<std::size_t>(bytes.size(), 1U << 24));
  const Exif exif(exif_data_new_from_data(reinterpret_cast<const unsigned char *>(bytes.data()), size),
                  exif_data_unref);
  if (!exif) return;
  constexpr int latitude = 2, longitude = 4;
  const auto lat = angle(exif.get(), latitude, latitude - 1, 'S'),
             lon = angle(exif.get(), longitude, longitude - 1, 'W');
  // A camera that has no fix writes zeros.
  if (lat && lon && std::abs(*lat) <= 90 && std::abs(*lon) <= 180 && (*lat != 0 || *lon != 0))
    a.lat_deg = lat, a.lon_deg = lon;
  if (const ExifEntry *e = exif_content_get_entry(exif->ifd[EXIF_IFD_EXIF], EXIF_TAG_DATE_TIME_ORIGINAL)) {
    std::array<char, 40> text{};
    exif_entry_get_value(const_cast<ExifEntry *>(e), text.data(), text.size());
    a.taken = printable(text.data());
  }
  constexpr unsigned most = 100'000;
  if (exif->data && exif->size > 3 && exif->size < most && exif->data[0] == 0xFF && exif->data[1] == 0xD8)
    a.thumbnail.assign(reinterpret_cast<const char *>(exif->data), exif->size);
}

} // namespace

bool looks_like_attachment(std::string_view b) {
  return begins(b, "\x89PNG\r\n\x1a\n") || begins(b, "\xFF\xD8\xFF") || begins(b, "%PDF-");
}

Attachment read_attachment(const std::string &bytes) {
  const std::string_view b = bytes;
  Attachment a;
  if (begins(b, "%PDF-")) {
    a.type = "paper (PDF)";
    if (b.substr(b.size() - std::min<std::size_t>(b.size(), 2048)).find("%%EOF") == std::string_view::npos)
      a.cut_off = "the paper has no end";
  } else if (begins(b, "\x89PNG\r\n\x1a\n")) {
    a.type = "picture (PNG)";
    if (b.size() < 24 || b.substr(12, 4) != "IHDR") throw InputError("a PNG picture without a head: it was damaged or cut off");
    a.width = static_cast<int>(four(b, 16)), a.height = static_cast<int>(four(b, 20));
    if (b.rfind("IEND") == std::string_view::npos) a.cut_off = "the picture has no end";
  } else if (begins(b, "\xFF\xD8\xFF")) {
    a.type = "photo (JPEG)";
    read_jpeg(b, a);
    read_exif(bytes, a);
  } else
    throw InputError("no picture and no paper that is kept (JPEG, PNG, PDF)");
  return a;
}

} // namespace ampletie
