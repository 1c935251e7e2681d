// What is kept of a receiver's file so that its epochs need not be read to be shown.
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "formats/rinex_observation.h"
#include "formats/rtcm3.h"
#include "job/content.h"
#include <catch2/catch.hpp>
#include <thread>

using namespace ampletie;

namespace {
/// Two sites of one file, everything that a header can say in the first.
std::vector<ObservationFile> two_sites() {
  std::vector<ObservationFile> out(2);
  for (std::size_t k = 0; k < 2; ++k) {
    ObservationFile &f = out[k];
    f.marker = "PN" + std::to_string(k + 1);
    for (int i = 0; i < 90; ++i) {
      f.epochs.push_back(
          {gps_time(2418, 200000 + 5.0 * i), 0, static_cast<std::uint32_t>(f.records.size()), 1, 10 + i});
      f.records.push_back({{'G', 7}, 1, static_cast<std::uint32_t>(f.values.size())});
      f.values.push_back({2.1e7 + i, 0, 7});
    }
    f.types['G'] = {"C1C"};
  }
  ObservationFile &f = out[0];
  f.version = 2.11, f.marker_number = "10402M004", f.receiver = "QUILL Q2", f.receiver_serial = "77";
  f.receiver_firmware = "4.1", f.antenna = "TESSEL T4       NONE", f.antenna_serial = "0815", f.program = "any";
  f.approximate = {4.0e6, 1.1e6, 4.8e6}, f.delta_hen = {1.507, 0.002, -0.001};
  f.types['R'] = {"C1C", "L1C"}, f.interval = 5;
  f.header_lines = {{"MARKER NAME", 4}, {"ANT # / TYPE", 9}};
  f.glonass_channel = {{{'R', 3}, -7}}, f.glonass_code_phase_bias = {{"C1C", -71.94}}, f.phase_shift = {{"GL2X", 0.25}};
  f.leap_seconds = 18, f.moving = true, f.marks = {gps_time(2418, 200101.25)};
  f.event_records = 3, f.repeated_epochs = 2, f.cut_off = "in line 400";
  return out;
}
std::shared_ptr<const ObservationSource> never() {
  return std::make_shared<ObservationSource>(
      []() -> std::shared_ptr<const ObservationSource::Sites> { throw InputError("its bytes are missing"); });
}
} // namespace

TEST_CASE("what is kept of a file's sites is all that the file says besides its epochs") {
  const ObservationSites sites = sites_in_memory(two_sites());
  const nlohmann::json kept = kept_sites(sites);
  const ObservationSites again = sites_from_kept(nlohmann::json::parse(kept.dump()), never());
  REQUIRE(again.size() == 2);
  CHECK(kept_sites(again) == kept);
  const ObservationSite &s = *again[0];
  CHECK(s.start == gps_time(2418, 200000));
  CHECK(s.stop == gps_time(2418, 200445));
  CHECK(s.epochs == 90);
  CHECK(s.nominal_interval_s == 5);
  CHECK(s.version == 2.11);
  CHECK(s.delta_hen == Vec3(1.507, 0.002, -0.001));
  CHECK(s.types.at('R') == std::vector<std::string>{"C1C", "L1C"});
  CHECK(s.header_lines.at("ANT # / TYPE") == 9);
  CHECK(s.glonass_channel.at({'R', 3}) == -7);
  CHECK(s.glonass_code_phase_bias.at("C1C") == -71.94);
  CHECK(s.phase_shift.at("GL2X") == 0.25);
  CHECK(s.leap_seconds == 18);
  CHECK(s.moving);
  CHECK(s.marks.at(0) == gps_time(2418, 200101.25));
  CHECK(s.cut_off == "in line 400");
  CHECK_FALSE(again[1]->interval);
  CHECK(again[1]->nominal_interval_s == 5); // found from the epochs
  CHECK_FALSE(again[1]->moving);
  CHECK_THROWS_WITH(again[1]->whole(), "its bytes are missing");
}

TEST_CASE("epochs are read once while somebody holds them, and again afterwards, by any number of threads") {
  int read = 0;
  const auto source = std::make_shared<ObservationSource>([&] {
    ++read;
    return std::make_shared<const ObservationSource::Sites>(two_sites());
  });
  const ObservationSites sites = sites_from_kept(kept_sites(sites_in_memory(two_sites())), source);
  CHECK(read == 0);
  {
    std::vector<std::shared_ptr<const ObservationFile>> seen(8);
    const auto held = sites[0]->whole();
    std::vector<std::thread> threads;
    for (std::size_t k = 0; k < 8; ++k) threads.emplace_back([&, k] { seen[k] = sites[k % 2]->whole(); });
    for (auto &t : threads) t.join();
    CHECK(read == 1);
    CHECK(seen[0]->marker == "PN1");
    CHECK(seen[7]->marker == "PN2");
    CHECK(seen[7]->values.at(89).value == 2.1e7 + 89);
  }
  sites[1]->whole();
  CHECK(read == 2);
  // Those read last stay, as far as there is room.
  const auto size_of_one = 2 * 90 * (sizeof(ObservationEpoch) + sizeof(SatelliteRecord) + sizeof(Observable));
  RecentlyRead recent(size_of_one * 3 / 2);
  recent.keep(source->sites());
  sites[0]->whole();
  CHECK(read == 3);
  recent.keep(std::make_shared<const ObservationSource::Sites>(two_sites()));
  sites[0]->whole();
  CHECK(read == 4);
}

TEST_CASE("a source that has lost a site is refused") {
  auto one = two_sites();
  one.pop_back();
  const auto shrunk = std::make_shared<const ObservationSource::Sites>(std::move(one));
  const ObservationSites sites = sites_from_kept(kept_sites(sites_in_memory(two_sites())),
                                                 std::make_shared<ObservationSource>([&] { return shrunk; }));
  CHECK(sites[0]->whole()->marker == "PN1");
  CHECK_THROWS_AS(sites[1]->whole(), InputError);
}

TEST_CASE("kept readings are those of these readers: raise `site_reading` when this fails and the readers are right") {
  std::string all;
  for (const char *name :
       {"tests/data/real/legacy-20200124.rtcm3", "tests/data/real/mixed-20160406.rtcm3",
        "tests/data/real/msm7-20191017.rtcm3", "demo/data/PN1-s1.rnx.gz", "demo/data/REFA-s2.rnx.gz"}) {
    const std::string path = std::string(AMPLETIE_SOURCE_DIR "/") + name;
    all += kept_sites(read_source(name, read_file(path), {}).sites).dump();
  }
  CHECK(sha256_hex(all) == "b3294c7af12a0a335187c4ee717ac77d6afb91b742a96f03ad94370c3177e28a");
}
