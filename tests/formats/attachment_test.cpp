// Pictures with Exif data that other programs wrote (ImageMagick, ExifTool; tests/data/attachments).
#include "base/error.h"
#include "base/text.h"
#include "formats/attachment.h"
#include "formats/recognise.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
std::string sample(const char *name) {
  return read_file(std::string(AMPLETIE_SOURCE_DIR "/tests/data/attachments/") + name);
}
/// Eight by six white pixels.
const std::string paper("\211\120\116\107\015\012\032\012\000\000\000\015\111\110\104\122\000\000\000\010\000\000\000"
                        "\006\001\000\000\000\000\326\176\342\126\000\000\000\014\111\104\101\124\010\327\143\370\317"
                        "\000\207\000\043\350\005\373\237\167\234\332\000\000\000\000\111\105\116\104\256\102\140\202",
                        69);
} // namespace

TEST_CASE("a photo says its size, where and when it was taken, on both hemispheres") {
  const Attachment a = read_attachment(sample("north-east.jpg"));
  CHECK(a.type == "photo (JPEG)");
  CHECK((a.width == 40 && a.height == 30));
  REQUIRE((a.lat_deg && a.lon_deg));
  CHECK(*a.lat_deg == Approx(46.30127).margin(1e-6));
  CHECK(*a.lon_deg == Approx(13.90772).margin(1e-6));
  CHECK(a.taken == "2026:05:12 10:02:11");
  CHECK(a.thumbnail.substr(0, 2) == "\xFF\xD8");
  CHECK(a.cut_off.empty());
  const Attachment b = read_attachment(sample("south-west.jpg"));
  CHECK(*b.lat_deg == Approx(-33.5));
  CHECK(*b.lon_deg == Approx(-70.65));
  CHECK(b.thumbnail.empty());
}

TEST_CASE("papers and pictures of other kinds, cut off ones, and what is none") {
  const Attachment png = read_attachment(paper);
  CHECK((png.type == "picture (PNG)" && png.width == 8 && png.height == 6));
  CHECK_FALSE(png.lat_deg);
  CHECK(read_attachment("%PDF-1.4\n1 0 obj\n<<>>\nendobj\n%%EOF\n").cut_off.empty());
  CHECK(read_attachment("%PDF-1.4\n1 0 obj\n<<>>\nendobj\n").cut_off == "the paper has no end");
  CHECK(recognise("%PDF-1.4\n").kind == FileKind::attachment);
  CHECK(recognise(sample("north-east.jpg")).kind == FileKind::attachment);
  CHECK(recognise("GIF89a").kind == FileKind::unknown);
  CHECK_THROWS_AS(read_attachment("mark,east,north\n"), InputError);
  // Cut anywhere it is refused or said to be cut; it never comes out whole.
  const std::string whole = sample("north-east.jpg");
  for (std::size_t n = 3; n + 2 < whole.size(); n += 7) {
    const std::string part = whole.substr(0, n);
    try {
      const Attachment a = read_attachment(part);
      // The small picture inside has an end of its own.
      CHECK((!a.cut_off.empty() || part.find("\xFF\xD9") != std::string::npos));
    } catch (const InputError &e) {
      CHECK_THAT(e.reason(), Contains("JPEG"));
    }
  }
  for (std::size_t n = 8; n < 24; ++n) CHECK_THROWS_AS(read_attachment(paper.substr(0, n)), InputError);
}
