// A job and an archive of reference data: what is needed, what comes, what goes wrong on the way.
#include "archive/archive.h"
#include "base/error.h"
#include "base/hash.h"
#include "formats/sp3.h"
#include "open_job/archive_fetch.h"
#include "results/archive_needs.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;
namespace fs = std::filesystem;

namespace {
const std::string archive_data = AMPLETIE_SOURCE_DIR "/demo/data/";
constexpr const char *final_name = "AMP0SIMFIN_20261320000_01D_05M_ORB.SP3";
constexpr const char *rapid_name = "AMP0SIMRAP_20261320000_01D_05M_ORB.SP3";

/// What the demo has of its two stations, its orbits as two agencies would have made them in a day and in two weeks.
void make_archive(const std::string &folder) {
  fs::create_directories(folder + "/obs");
  for (const char *f : {"REFA-s1.rnx.gz", "REFA-s2.rnx.gz", "REFB-s1.rnx.gz", "REFB-s2.rnx.gz"})
    fs::copy_file(archive_data + f, folder + "/obs/" + f);
  for (const char *f : {"broadcast.rnx.gz", "antennas.atx.gz", "control.csv"})
    fs::copy_file(archive_data + f, folder + "/" + f);
  const std::string orbits = gunzip(read_file(archive_data + "precise.sp3.gz"));
  write_file(folder + "/" + final_name, orbits);
  Sp3File rapid = read_sp3(orbits);
  for (Sp3Epoch &e : rapid.epochs)
    for (auto &[sat, p] : e.position) p.x() += 0.05;
  write_file(folder + "/" + rapid_name, write_sp3(rapid));
  write_file(folder + "/readme.txt", "nothing that anybody needs");
}

/// The stand-in without the network between: what it sends arrives in pieces, or breaks off where it does.
Http straight(archive::Archive &a) {
  return [&a](const HttpRequest &r) {
    HttpAnswer out;
    const std::string path = r.url.substr(r.url.find('/', 8));
    std::string head = "GET " + path + " HTTP/1.1\r\nHost: here\r\n";
    if (r.from) head += "Range: bytes=" + std::to_string(r.from) + "-\r\n";
    const std::string reply = a.answer(head + "\r\n");
    const auto split = reply.find("\r\n\r\n");
    out.status = std::stoi(reply.substr(9, 3));
    if (out.status >= 400) {
      out.trouble = "the archive answers " + std::to_string(out.status);
      return out;
    }
    const auto length = std::stoull(reply.substr(reply.find("Content-Length: ") + 16));
    const auto range = reply.find("Content-Range: bytes ");
    if (r.begin) r.begin(out.status, range < split ? std::stoull(reply.substr(range + 21)) : 0);
    const std::string body = reply.substr(split + 4);
    for (std::size_t at = 0; at < body.size(); at += 5000)
      if (!r.take(std::string_view(body).substr(at, 5000)) || (r.stop && r.stop())) {
        out.stopped = true;
        return out;
      }
    if (body.size() < length) out.trouble = "the connection was closed";
    return out;
  };
}

/// A job of the demo's field files alone: nothing of the stations, no orbits, no calibrations.
Job field_job(const std::string &path) {
  Job job = Job::create(path, demo_settings());
  std::vector<std::string> files{archive_data + "antenna-points.csv"};
  for (const char *mark : {"PN1", "R11", "PS1"})
    for (const char *s : {"-s1.rnx.gz", "-s2.rnx.gz"}) files.push_back(archive_data + mark + s);
  job.take(files);
  return job;
}
const ArchiveNeed *need(const std::vector<ArchiveNeed> &all, const std::string &what) {
  for (const ArchiveNeed &n : all)
    if (n.what == what) return &n;
  return nullptr;
}
using State = ArchiveNeed::State;
} // namespace

TEST_CASE("the job says what it needs, takes it, and needs it no more; riper orbits two weeks later") {
  TemporaryFolder folder;
  make_archive(folder / "archive");
  archive::Settings soon;
  soon.now = parse_iso("2026-05-14T12:00:00");
  archive::Archive a(folder / "archive", soon);
  CHECK(a.index().stations.size() == 2);
  CHECK(a.index().files.size() == 9); // the text is none of them
  const ArchiveFetch fetch("http://here/", straight(a), folder / "kept");
  Job job = field_job(folder / "a.tie");
  job.decide("set", "job", {{"orbits", "precise"}}, "long vectors");
  const auto take_all = [&](const ArchiveIndex &index) {
    std::vector<Fetched> came;
    for (const std::size_t k : files_to_fetch(archive_needs(*job.snapshot(), index, 80e3)))
      came.push_back(fetch.fetch(index.files[k]));
    for (const Fetched &f : came) CHECK(f.whole);
    return take_fetched(job, came);
  };
  ArchiveIndex index = fetch.index();
  auto needs = archive_needs(*job.snapshot(), index, 80e3);
  REQUIRE(need(needs, "REFA"));
  CHECK(need(needs, "REFA")->state == State::offered);
  CHECK(*need(needs, "REFA")->distance_m > 1e3);
  REQUIRE(need(needs, "rapid orbits"));
  CHECK(need(needs, "rapid orbits")->state == State::offered);
  REQUIRE(need(needs, "final orbits"));
  CHECK(need(needs, "final orbits")->state == State::not_yet);
  CHECK_THAT(need(needs, "final orbits")->words, Contains("due 2026-05-2") && Contains("rapid ones serve"));
  REQUIRE(need(needs, "antenna calibrations"));
  REQUIRE(need(needs, "coordinates"));
  CHECK_THAT(need(needs, "coordinates")->words, Contains("REFA") && Contains("REFB"));
  // Nobody asks for stations further away.
  CHECK_FALSE(need(archive_needs(*job.snapshot(), index, 100), "REFA"));
  const std::size_t before = job.snapshot()->contents().size();
  for (const Intake &i : take_all(index)) CHECK(i.outcome == Intake::Outcome::taken);
  CHECK(job.snapshot()->contents().size() == before + 7); // four files of stations, orbits, antennas, control
  CHECK(fs::is_empty(folder / "kept"));
  needs = archive_needs(*job.snapshot(), index, 80e3);
  CHECK(files_to_fetch(needs).empty());
  for (const ArchiveNeed &n : needs) CHECK((n.state == State::here || n.state == State::not_yet));
  solve(job);
  REQUIRE(job.vectors().size() > 8);
  for (const VectorResult &v : job.vectors()) CHECK_FALSE(v.stale);
  // Two weeks later the final ones are there; vectors are out of date by them, and solved with them alone.
  archive::Archive later(folder / "archive", {});
  const ArchiveFetch again("http://here", straight(later), folder / "kept");
  index = again.index();
  needs = archive_needs(*job.snapshot(), index, 80e3);
  REQUIRE(files_to_fetch(needs).size() == 1);
  CHECK(need(needs, "final orbits")->state == State::offered);
  take_fetched(job, {again.fetch(index.files[files_to_fetch(needs)[0]])});
  for (const VectorResult &v : job.vectors()) CHECK(v.stale);
  const PreciseOrbits wanted({read_sp3(read_file(folder / "archive" + "/" + final_name))});
  const GpsTime t = *parse_iso("2026-05-12T09:03:20");
  for (const SatId sat : {SatId{'G', 5}, SatId{'E', 11}}) {
    const auto is = job_orbits(*job.snapshot())->at(sat, t, t), should = wanted.at(sat, t, t);
    REQUIRE((is && should));
    CHECK(is->position == should->position);
  }
  CHECK(files_to_fetch(archive_needs(*job.snapshot(), index, 80e3)).empty());
}

TEST_CASE("a job set to broadcast orbits is not given precise ones; a job without field data needs nothing") {
  TemporaryFolder folder;
  make_archive(folder / "archive");
  archive::Archive a(folder / "archive", {});
  Job job = field_job(folder / "a.tie");
  const auto needs = archive_needs(*job.snapshot(), a.index(), 80e3);
  REQUIRE(need(needs, "broadcast orbits"));
  CHECK(need(needs, "broadcast orbits")->state == State::offered);
  REQUIRE(need(needs, "final orbits"));
  CHECK(need(needs, "final orbits")->state == State::not_needed);
  for (const std::size_t k : files_to_fetch(needs)) CHECK(a.index().files[k].kind != ArchiveKind::orbits);
  Job empty = Job::create(folder / "b.tie", demo_settings());
  CHECK(archive_needs(*empty.snapshot(), a.index(), 80e3).empty());
  // Nor one that has nothing but the stations themselves.
  empty.take({archive_data + "REFA-s1.rnx.gz"});
  CHECK(archive_needs(*empty.snapshot(), a.index(), 80e3).empty());
}

TEST_CASE(
    "a station's file that is cut off leaves its hours in part, and what no file brings is named as it is written") {
  TemporaryFolder folder;
  fs::create_directory(folder / "archive");
  write_file(folder / "archive/cut.rnx", gunzip(read_file(archive_data + "REFA-s1.rnx.gz")).substr(0, 90'000));
  archive::Archive a(folder / "archive", {});
  Job job = field_job(folder / "a.tie");
  const auto needs = archive_needs(*job.snapshot(), a.index(), 80e3);
  REQUIRE(need(needs, "REFA"));
  CHECK(need(needs, "REFA")->state == State::partly);
  CHECK(need(needs, "QUILLON RING9 QDME"));
  job.take({folder / "archive/cut.rnx"});
  const auto then = archive_needs(*job.snapshot(), a.index(), 80e3);
  CHECK(need(then, "REFA")->state == State::partly);
  CHECK(need(then, "REFA")->files.empty());
  CHECK_THAT(need(then, "REFA")->words, Contains("not covered: 2026-05-12"));
}

TEST_CASE("final orbits of one day and rapid ones of the next: of each time the ripest, and what comes later is said") {
  TemporaryFolder folder;
  make_archive(folder / "archive");
  archive::Archive a(folder / "archive", {});
  ArchiveIndex index = a.index();
  ArchiveFile later;
  for (ArchiveFile &f : index.files)
    if (f.product == ProductClass::final) later = f, later.from = f.to = parse_iso("2026-05-12T10:45:00");
  later.path = "later.sp3", later.due = parse_iso("2026-05-26T00:00:00");
  index.files.push_back(later);
  Job job = field_job(folder / "a.tie");
  job.decide("set", "job", {{"orbits", "precise"}}, "long vectors");
  const auto needs = archive_needs(*job.snapshot(), index, 80e3);
  std::set<std::string> names;
  for (const std::size_t k : files_to_fetch(needs))
    if (index.files[k].kind == ArchiveKind::orbits) names.insert(index.files[k].path);
  CHECK(names == std::set<std::string>{final_name, rapid_name});
  const auto states = [&](const std::string &what) {
    std::vector<State> out;
    for (const ArchiveNeed &n : needs)
      if (n.what == what) out.push_back(n.state);
    return out;
  };
  // The morning by final ones; the afternoon by rapid ones until the final ones come.
  CHECK(states("rapid orbits") == std::vector{State::offered});
  CHECK(states("final orbits") == std::vector{State::offered, State::not_yet});
}

TEST_CASE("hours that the archive has only in part, not yet, or not at all are said") {
  TemporaryFolder folder;
  make_archive(folder / "archive");
  fs::remove(folder / "archive/obs/REFB-s2.rnx.gz");
  archive::Archive a(folder / "archive", {});
  ArchiveIndex index = a.index();
  Job job = field_job(folder / "a.tie");
  std::vector<ArchiveNeed> of_refb;
  for (const ArchiveNeed &n : archive_needs(*job.snapshot(), index, 80e3))
    if (n.what == "REFB") of_refb.push_back(n);
  REQUIRE_FALSE(of_refb.empty());
  CHECK(of_refb.back().state != State::offered);
  CHECK_THAT(of_refb.back().words, Contains("not covered: 2026-05-12"));
  for (ArchiveFile &f : index.files)
    if (f.station == "REFB") f.due = parse_iso("2026-06-01T00:00:00");
  const auto needs = archive_needs(*job.snapshot(), index, 80e3);
  CHECK(need(needs, "REFB")->state == State::not_yet);
  CHECK_THAT(need(needs, "REFB")->words, Contains("due 2026-06-01"));
  std::erase_if(index.files, [](const ArchiveFile &f) { return f.station == "REFB"; });
  CHECK(need(archive_needs(*job.snapshot(), index, 80e3), "REFB")->state == State::missing);
}

TEST_CASE("whatever goes wrong on the way, what is taken is what is listed, and the rest is said") {
  TemporaryFolder folder;
  make_archive(folder / "archive");
  std::map<archive::Mistake, int> befallen;
  for (std::uint64_t seed = 1; seed <= 24; ++seed)
    for (const archive::Mistake m : archive::all_mistakes()) {
      archive::Settings s;
      s.mistake = m, s.seed = seed;
      archive::Archive a(folder / "archive", s);
      const std::string kept = folder / fmt::format("kept-{}-{}", seed, archive::mistake_name(m));
      const ArchiveFetch fetch("http://here", straight(a), kept);
      for (const ArchiveFile &f : fetch.index().files) {
        INFO(archive::mistake_name(m) << " " << seed << " " << f.path);
        const Fetched got = fetch.fetch(f);
        if (got.whole) CHECK(sha256_hex(got.bytes) == f.sha256);
        if (!got.whole) {
          CHECK_FALSE(got.words.empty());
          CHECK(got.bytes.empty());
          // Only what nobody could mend does not come in the end.
          CHECK((m == archive::Mistake::spoilt || m == archive::Mistake::gone || m == archive::Mistake::longer));
        }
        befallen[m] += !got.whole || !got.words.empty();
        if (m == archive::Mistake::none) CHECK((got.whole && got.words.empty()));
      }
      CHECK((!fs::exists(kept) || fs::is_empty(kept)));
    }
  for (const archive::Mistake m : archive::all_mistakes())
    if (m != archive::Mistake::none) CHECK(befallen[m] >= 20);
}

TEST_CASE("what broke off goes on where it ended in a later sitting, and what is stopped is kept") {
  TemporaryFolder folder;
  make_archive(folder / "archive");
  archive::Archive a(folder / "archive", {});
  const ArchiveFile &f = a.index().files.front();
  std::uint64_t asked_from = 0, came = 0;
  const Http watched = [&, real = straight(a)](const HttpRequest &r) {
    asked_from = r.from;
    return real(r);
  };
  const ArchiveFetch fetch("http://here", watched, folder / "kept");
  const Fetched half = fetch.fetch(
      f, [&](std::uint64_t n) { came = n; }, [&] { return came > f.bytes / 3; });
  CHECK(half.stopped);
  CHECK_THAT(half.words, Contains("stopped after") && Contains("kept"));
  const Fetched rest = ArchiveFetch("http://here", watched, folder / "kept").fetch(f);
  CHECK(rest.whole);
  CHECK(asked_from == came);
  CHECK(rest.resumed_from == came);
  CHECK_THAT(rest.words, Contains("went on after"));
  // What lies there under the right name and is something else does no harm.
  fs::create_directories(folder / "kept");
  write_file(folder / ("kept/" + f.sha256 + ".part"), "something else");
  const Fetched wrong = fetch.fetch(f);
  CHECK(wrong.whole);
  CHECK_THAT(wrong.words, Contains("sum was wrong"));
  // Nobody answers.
  const ArchiveFetch nobody(
      "http://here",
      [](const HttpRequest &) {
        return HttpAnswer{0, "Connection refused", false};
      },
      folder / "kept");
  CHECK_THROWS_WITH(nobody.index(), Contains("http://here") && Contains("Connection refused"));
  CHECK_THAT(nobody.fetch(f).words, Contains("Connection refused"));
}

TEST_CASE("the stand-in gives out what it lists and nothing else") {
  TemporaryFolder folder;
  make_archive(folder / "archive");
  write_file(folder / "secret.txt", "not yours");
  // A file whose name cannot be addressed does not make the whole archive unusable.
  fs::copy_file(archive_data + "REFA-s1.rnx.gz", folder / "archive/with blank.rnx.gz");
  write_file(folder / "archive/empty.rnx", "");
  archive::Archive a(folder / "archive", {});
  CHECK(read_archive_index(write_archive_index(a.index())).files.size() == 9);
  REQUIRE(a.left_out().size() == 3);
  CHECK_THAT(a.left_out()[0], Contains("empty.rnx"));
  CHECK_THAT(a.left_out()[1], Contains("readme.txt: holds nothing"));
  CHECK_THAT(a.left_out()[2], Contains("with blank.rnx.gz: has a name that is no address"));
  const auto status = [&](const std::string &line) { return a.answer(line + "\r\nHost: x\r\n\r\n").substr(9, 3); };
  CHECK(status("GET /index.json HTTP/1.1") == "200");
  CHECK(status("HEAD /control.csv HTTP/1.1") == "200");
  CHECK(status("GET /../secret.txt HTTP/1.1") == "404");
  CHECK(status("GET /obs/../../secret.txt HTTP/1.1") == "404");
  CHECK(status("GET /readme.txt HTTP/1.1") == "404");
  CHECK(status("POST /control.csv HTTP/1.1") == "405");
  CHECK(status("nonsense") == "400");
  CHECK(a.answer("HEAD /control.csv HTTP/1.1\r\n\r\n").find("mark,") == std::string::npos);
  CHECK(a.answer("GET /control.csv HTTP/1.1\r\nRange: bytes=99999999-\r\n\r\n").substr(9, 3) == "416");
  CHECK_THROWS_AS(archive::Archive(folder / "nowhere", {}), InputError);
}
