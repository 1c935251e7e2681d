// The listing of an archive: what is written is read, and what would do harm is refused.
#include "base/error.h"
#include "formats/archive_index.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
std::string refused(const std::string &text) {
  try {
    read_archive_index(text);
  } catch (const InputError &e) {
    return e.what();
  }
  return "taken";
}
ArchiveIndex example() {
  ArchiveIndex a;
  a.name = "Archive of a valley";
  a.stations.push_back({"REFA", Vec3(4293770.9842, 1053873.5973, 4582146.1294)});
  ArchiveFile o;
  o.path = "2026/132/REFA-s1.rnx.gz", o.station = "REFA", o.antenna = "QUILLON RING9   QDME";
  o.from = parse_iso("2026-05-12T08:00:00"), o.to = parse_iso("2026-05-12T08:59:45"), o.interval = 15;
  o.bytes = 12345, o.sha256 = std::string(64, 'a');
  ArchiveFile f;
  f.path = "AMP0SIMFIN_20261320000_01D_05M_ORB.SP3.gz", f.kind = ArchiveKind::orbits, f.product = ProductClass::final;
  f.from = o.from, f.to = o.to, f.due = parse_iso("2026-05-26T00:00:00");
  a.files = {o, f};
  return a;
}
} // namespace

TEST_CASE("a listing is read as it was written") {
  const ArchiveIndex a = example(), b = read_archive_index(write_archive_index(a));
  CHECK(write_archive_index(b) == write_archive_index(a));
  REQUIRE(b.files.size() == 2);
  CHECK(b.files[0].station == "REFA");
  CHECK(b.files[0].bytes == 12345);
  CHECK(b.files[0].to == parse_iso("2026-05-12T08:59:45"));
  CHECK(b.files[1].product == ProductClass::final);
  REQUIRE(b.files[1].due);
  CHECK((b.stations[0].xyz - a.stations[0].xyz).norm() < 1e-9);
}

TEST_CASE("what leads out of the archive, has no sum or is no listing is refused in words") {
  CHECK_THAT(refused("<html>not found</html>"), Contains("no index of an archive"));
  CHECK_THAT(refused("[]"), Contains("no index of an archive"));
  CHECK_THAT(refused(R"({"form": "another 1", "stations": [], "files": []})"), Contains("ample-tie archive 1"));
  const auto with = [](const std::string &path) {
    ArchiveIndex a = example();
    a.files[0].path = path;
    return write_archive_index(a);
  };
  for (const char *path :
       {"../etc/passwd", "/etc/passwd", "a/../../b", "a//b", "", "a\\b", "a b", "a\nb", "x/", "%2e%2e/x"})
    CHECK_THAT(refused(with(path)), Contains("no path below the archive"));
  const auto changed = [](const std::string &from, const std::string &to) {
    std::string text = write_archive_index(example());
    const auto at = text.find(from);
    REQUIRE(at != std::string::npos);
    return text.replace(at, from.size(), to);
  };
  CHECK_THAT(refused(changed(std::string(64, 'a'), "a1")), Contains("SHA-256"));
  CHECK_THAT(refused(changed("12345", "98765432101")), Contains("98765432101 bytes"));
  CHECK_THAT(refused(changed("12345", "-5")), Contains("index"));
  CHECK_THAT(refused(changed("\"observations\"", "\"songs\"")), Contains("songs"));
  CHECK_THAT(refused(changed("2026-05-12T08:59:45", "2026-05-11T08:59:45")), Contains("ends before it begins"));
  CHECK_THAT(refused(changed("2026-05-12T08:59:45", "yesterday")), Contains("no instant"));
  CHECK_THAT(refused(changed("4293770.9842", "1.5")), Contains("not on the Earth"));
}

TEST_CASE("how ripe a product is stands in its long name, and nowhere else") {
  // Guidelines for Long Product Filenames in the IGS: AAAVPPPTTT_YYYYDDDHHMM_LEN_SMP_CNT.FMT.
  CHECK(product_class("IGS0OPSFIN_20261320000_01D_15M_ORB.SP3.gz") == ProductClass::final);
  CHECK(product_class("archive/2418/IGS0OPSRAP_20261320000_01D_15M_ORB.SP3") == ProductClass::rapid);
  CHECK(product_class("IGS0OPSULT_20261320600_02D_15M_ORB.SP3") == ProductClass::ultra_rapid);
  CHECK(product_class("igs24182.sp3") == ProductClass::unknown);
  CHECK(product_class("FINAL_ORBITS_OF_ALL_OF_US.sp3") == ProductClass::unknown);
  CHECK(ProductClass::final > ProductClass::unknown);
  CHECK(ProductClass::unknown > ProductClass::rapid);
}
