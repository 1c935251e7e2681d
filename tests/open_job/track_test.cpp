// Tracks of moving receivers through the job: found, solved, named, corrected, in the network.
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "judgement/left_over.h"
#include "open_job/shards.h"
#include "results/job_results.h"
#include "results/measured.h"
#include "results/stop_fixes.h"
#include "results/track_pieces.h"
#include "results/track_record.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Contains;

namespace {
const std::string road = AMPLETIE_SOURCE_DIR "/demo/track/";

/// The demo's road: a base in two files, a pole, broadcast orbits, calibrations, and the crew's stops.
Job road_job(const std::string &path, bool stops = true) {
  Job job = Job::create(path, demo_settings());
  std::vector<std::string> files{road + "PN1-k1.rnx.gz", road + "PN1-k2.rnx.gz", road + "ROVER-k.rnx.gz",
                                 road + "broadcast-k.rnx.gz", AMPLETIE_SOURCE_DIR "/demo/data/antennas.atx.gz"};
  if (stops) files.push_back(road + "stops.csv");
  for (const Intake &i : job.take(files)) {
    INFO(i.file << ": " << i.sentence);
    REQUIRE(i.outcome == Intake::Outcome::taken);
  }
  return job;
}
void solve_road(Job &job) {
  job.accept_motions(find_motions(*job.snapshot(), 0, {}));
  job.accept_tracks(solve_tracks(*job.snapshot(), {}));
}
const TrackStop *stop_named(const TrackResult &t, const std::string &name, int which = 1) {
  for (const TrackStop &s : t.stops)
    if (s.name == name && --which == 0) return &s;
  return nullptr;
}
/// To the digits that are kept.
std::string epochs_of(const TrackResult &t) {
  std::string out;
  for (const TrackEpoch &e : t.solved->epochs)
    out += fmt::format("{} {} {:.4f} {:.4f} {:.4f} {:.5f}\n", iso_ms(e.time), state_name(e.state), e.position.x(),
                       e.position.y(), e.position.z(), std::sqrt(e.cov.trace()));
  return out;
}
std::string sentences(const Job &job, const std::string &kind) {
  std::string out;
  for (const Doubt &d : job.doubts())
    if (d.kind == kind) out += d.sentence + "\n";
  return out;
}
} // namespace

TEST_CASE("an unflagged walk is found to be one, solved as a track and never as an occupation") {
  TemporaryFolder folder;
  Job job = road_job(folder / "road.tie");
  // Nothing was looked at yet: by its file it stands.
  CHECK(job.snapshot()->moving().empty());
  CHECK(job.snapshot()->occupations().size() == 3);
  solve_road(job);
  REQUIRE(job.snapshot()->moving().size() == 1);
  const Occupation &rover = job.snapshot()->moving().front();
  CHECK(rover.moving_by == Occupation::MovingBy::data);
  CHECK(job.snapshot()->occupations().size() == 2);
  CHECK_THAT(sentences(job, "found to move"), Contains("its data do"));
  REQUIRE(job.tracks().size() == 1);
  const TrackResult &t = job.tracks().front();
  REQUIRE(t.error == "");
  CHECK(t.base == "PN1");
  // The base's gap of ninety seconds is nobody's to bridge; what it covers is fixed but for the underpass.
  CHECK(t.without_base > 80);
  CHECK(t.without_base < 100);
  CHECK_THAT(sentences(job, "base has gaps"), Contains("outside the data of PN1") && Contains("15:05:00"));
  CHECK(100 * t.solved->count(TrackState::fixed) > 95 * (t.solved->epochs.size() - t.without_base - 26));
  // The way that the simulator walked. The base is not published here: where all of it lies is known to metres.
  const auto truth = nlohmann::json::parse(gunzip(read_file(road + "truth.json.gz")));
  std::map<std::string, Vec3> walked;
  for (const auto &e : truth.at("tracks").at(0).at("epochs")) walked[e.at(0)] = Vec3(e.at(1), e.at(2), e.at(3));
  std::vector<Vec3> off;
  Vec3 mean = Vec3::Zero();
  for (const TrackEpoch &e : t.solved->epochs)
    if (e.state == TrackState::fixed) off.push_back(e.position - walked.at(iso(e.time))), mean += off.back();
  mean /= static_cast<double>(off.size());
  double squares = 0;
  for (const Vec3 &v : off) squares += (v - mean).squaredNorm();
  CHECK(mean.norm() < 8);
  CHECK(std::sqrt(squares / static_cast<double>(off.size())) < 0.025);

  SECTION("stops come from the crew's list, found ones keep a number") {
    for (const char *name : {"A1", "A2", "A3", "A4", "A6"}) {
      INFO(name);
      const TrackStop *s = stop_named(t, name);
      REQUIRE(s);
      CHECK(s->kind == TrackStop::Kind::list);
      CHECK(s->mark == name);
      CHECK(s->solution == TrackState::fixed);
      CHECK(s->spread_m < 0.02);
      CHECK(s->epochs >= 9);
    }
    CHECK(stop_named(t, "A3")->code == "KERB");
    CHECK_FALSE(stop_named(t, "A5")); // inside the base's gap
    CHECK_THAT(sentences(job, "stop list"), Contains("A5"));
    // The same bolt twice: the pole was 0.3 m shorter the second time, and nobody said so.
    const TrackStop *first = stop_named(t, "PS1"), *second = stop_named(t, "PS1", 2);
    REQUIRE(first);
    REQUIRE(second);
    CHECK((first->d - second->d).norm() == Approx(0.300).margin(0.03));
  }
  SECTION("what was solved is kept; opening solves nothing again") {
    // Covariances are kept to seven digits.
    const auto printed = [](const Job &j) { return epochs_of(j.tracks().front()) + stop_rows(j.tracks()).dump(); };
    const std::string before = printed(job);
    Job again = Job::open(folder / "road.tie");
    REQUIRE(again.tracks().size() == 1);
    CHECK_FALSE(again.tracks().front().stale);
    CHECK(printed(again) == before);
    CHECK(again.snapshot()->moving().size() == 1);
  }
  SECTION("a height at one stop, a name, a span: decided, undone") {
    const std::string id = stop_named(t, "A1")->id;
    job.decide("set", id, {{"mark", "KERB 7"}}, "misread");
    CHECK(stop_of(job.tracks().front(), id)->mark == "KERB 7");
    CHECK(stop_of(job.tracks().front(), id)->named_by == "decision");
    job.undo();
    CHECK(stop_of(job.tracks().front(), id)->mark == "A1");
    job.decide("leave-out", id, nlohmann::json::object(), "somebody leaned on the pole");
    CHECK_FALSE(stop_of(job.tracks().front(), id)->used);
    job.undo();
    CHECK_FALSE(job.tracks().front().stale);
    job.decide("leave-out", job.tracks().front().id + ":G05@2026-05-13T15:02:00/15:03:00", nlohmann::json::object(),
               "");
    CHECK(job.tracks().front().stale);
    CHECK_THAT(sentences(job, "track out of date"), Contains("solve it again"));
    // Stops of a track that is out of date are not adjusted, nor is a network with them still the job's.
    CHECK_THAT(out_of_date(*job.snapshot()), Contains("track of") && Contains("solve it again"));
    job.decide("leave-out", job.tracks().front().id, nlohmann::json::object(), "");
    CHECK(out_of_date(*job.snapshot()).empty());
    CHECK_THAT(left_over_words(left_over(*job.snapshot(), {}, nullptr)), Contains("1 track"));
    job.undo();
    solve_road(job);
    CHECK_FALSE(job.tracks().front().stale);
    CHECK(out_of_date(*job.snapshot()).empty());
  }
  SECTION("what its receiver left behind goes with it: no stop of a track that is none") {
    job.decide("leave-out", rover.id, nlohmann::json::object(), "another job's");
    CHECK(job.tracks().empty());
    CHECK(job.snapshot()->get(measured_result()).empty());
    const auto left = left_over(*job.snapshot(), {}, nullptr);
    REQUIRE(left.size() == 1);
    CHECK(left[0].kind == "track");
    CHECK(left[0].because == "another job's");
    job.undo();
    CHECK(job.tracks().size() == 1);
    CHECK_FALSE(job.tracks().front().stale);
  }
  SECTION("it can be said to stand, and then is refused with the time at which it moved") {
    job.decide("set", rover.id, {{"moving", false}}, "");
    CHECK(job.snapshot()->moving().empty());
    CHECK(job.snapshot()->occupations().size() == 3);
  }
}

TEST_CASE("files that are read in blocks, because they are large, give the track that they give as a whole") {
  TemporaryFolder folder;
  const std::string path = folder / "road.tie";
  {
    Job job = road_job(path);
    solve_road(job);
  }
  const std::size_t usual = std::exchange(ObservationSite::many, 100);
  std::filesystem::copy_file(path, folder / "kept.tie");
  const Job whole = Job::open(folder / "kept.tie");
  Job job = Job::open(path);
  job.decide("set", "job", {{"mask", 10.5}}, "tried"); // solved anew
  solve_road(job);
  job.undo();
  solve_road(job);
  ObservationSite::many = usual;
  REQUIRE(job.tracks().size() == 1);
  const TrackResult &a = whole.tracks().front(), &b = job.tracks().front();
  CHECK(a.error == "");
  REQUIRE(a.solved->epochs.size() == b.solved->epochs.size());
  for (std::size_t i = 0; i < a.solved->epochs.size(); ++i) {
    CHECK(a.solved->epochs[i].state == b.solved->epochs[i].state);
    CHECK((a.solved->epochs[i].position - b.solved->epochs[i].position).norm() < 1e-4);
  }
  REQUIRE(a.stops.size() == b.stops.size());
  for (std::size_t i = 0; i < a.stops.size(); ++i) {
    CHECK(a.stops[i].name == b.stops[i].name);
    CHECK((a.stops[i].d - b.stops[i].d).norm() < 1e-4);
  }
}

TEST_CASE("a pole that leaned over its mark: the stop is where its tip stood") {
  TemporaryFolder folder;
  const auto solved = [&](const std::string &name, const std::string &rows) {
    Job job = road_job(folder / name, false);
    job.take_bytes({{"crew.csv", "name,start,end,height,tilt,lean\n" + rows}});
    solve_road(job);
    REQUIRE(job.tracks().size() == 1);
    return job.tracks().front();
  };
  const std::string when = "2026-05-13T15:01:01,2026-05-13T15:01:11,";
  const TrackResult straight = solved("a.tie", "A1," + when + "2.0,,\n"),
                    east = solved("b.tie", "A1," + when + "2.0,10,90\n"),
                    anywhere = solved("c.tie", "A1," + when + "2.0,10,\n");
  const TrackStop *s = stop_named(straight, "A1"), *e = stop_named(east, "A1"), *n = stop_named(anywhere, "A1");
  REQUIRE((s && e && n));
  const Mat3 axes = local_axes(to_geodetic(straight.base_xyz + s->d));
  // The rover's antenna has its phase centre 53.6 mm above the reference point (demo/track.json): 2.0536 m turn about
  // the tip by ten degrees.
  const Vec3 moved = axes * (e->d - s->d);
  CHECK(moved.x() == Approx(-2.0536 * 0.173648).margin(2e-4));
  CHECK(std::abs(moved.y()) < 1e-4);
  CHECK(moved.z() == Approx(2.0536 * (1 - 0.984808)).margin(2e-4));
  CHECK(straight.stop_notes.empty());
  // Where nobody knows where to, the plan is as uncertain as that.
  const Vec3 up = axes * (n->d - s->d);
  CHECK(up.head<2>().norm() < 1e-4);
  CHECK(up.z() == Approx(moved.z()).margin(1e-4));
  const Mat3 more = axes * (n->cov - s->cov) * axes.transpose();
  CHECK(std::sqrt(more(0, 0)) == Approx(2.0536 * 0.173648 / std::sqrt(2)).margin(2e-4));
  CHECK(std::abs(more(2, 2)) < 1e-8);
  REQUIRE(anywhere.stop_notes.size() == 1);
  CHECK_THAT(anywhere.stop_notes[0], Contains("leaned 10.0°") && Contains("252 mm"));
}

TEST_CASE("stops in local time are offered the hours that make them standstills") {
  TemporaryFolder folder;
  Job job = road_job(folder / "local.tie", false);
  // Summer time in central Europe: UTC+2; GPS is 18 s ahead of UTC.
  std::string list = read_file(road + "stops.csv"), local;
  for (std::size_t i = 0; i < list.size(); ++i)
    if (list.compare(i, 3, "15:") == 0)
      local += "17:", i += 2;
    else
      local += list[i];
  job.take_bytes({{"stops.csv", local}});
  solve_road(job);
  const Doubt *d = doubt_of(job, "clock of a stop list");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("local time, UTC+2 h") || Contains("-2 h"));
  // Until then its stops have no names: the track is said to be no part of a network, and its base for that reason.
  const NetworkRun none;
  const auto unnamed = left_over(*job.snapshot(), {}, &none);
  CHECK(std::count_if(unnamed.begin(), unnamed.end(), [](const LeftOver &x) {
          return x.kind == "track" && x.because == "none of its stops counts for a mark";
        }) == 1);
  for (const LeftOver &x : unnamed) CHECK_THAT(x.because, !Contains("no other receiver"));
  REQUIRE(d->corrections.size() == 1);
  const Correction c = d->corrections.front();
  job.decide("set", "source:" + c.source, {{"add_seconds", std::stod(c.value)}}, "the crew's watch");
  solve_road(job);
  CHECK(stop_named(job.tracks().front(), "A2"));
  CHECK_FALSE(doubt_of(job, "clock of a stop list"));
  CHECK(left_over(*job.snapshot(), {}, &none).empty());

  // The Chatham Islands keep UTC+12:45: 15:01:01 of GPS is 03:45:43 of the next day there.
  Job far = road_job(folder / "chatham.tie", false);
  far.take_bytes(
      {{"stops.csv", "name,start,end\nA1,2026-05-14T03:45:43,2026-05-14T03:45:53\n"
                     "A2,2026-05-14T03:47:02,2026-05-14T03:47:12\nA3,2026-05-14T03:47:50,2026-05-14T03:48:00\n"}});
  solve_road(far);
  const Doubt *q = doubt_of(far, "clock of a stop list");
  REQUIRE(q);
  CHECK_THAT(q->sentence, Contains("local time, UTC+12.75 h"));
  REQUIRE(q->corrections.size() == 1);
  CHECK(std::stod(q->corrections.front().value) == -45882);
}

TEST_CASE("a rover without a base, and one whose base is elsewhere in time, say so") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "alone.tie", demo_settings());
  job.take({road + "ROVER-k.rnx.gz", road + "broadcast-k.rnx.gz", AMPLETIE_SOURCE_DIR "/demo/data/PN1-s1.rnx.gz",
            AMPLETIE_SOURCE_DIR "/demo/data/antennas.atx.gz"});
  solve_road(job);
  REQUIRE(job.tracks().size() == 1);
  CHECK_THAT(job.tracks().front().error, Contains("no base logged at its time") && Contains("min away"));
  CHECK(doubt_of(job, "track not solved"));
  CHECK(job.tracks().front().stops.empty());
  CHECK_THAT(left_over_words(left_over(*job.snapshot(), job.vectors(), nullptr)), Contains("1 track"));
}

TEST_CASE("where one base stops logging and another begins, each part of the way is a track of its own") {
  TemporaryFolder folder;
  Job job = road_job(folder / "two.tie");
  job.accept_motions(find_motions(*job.snapshot(), 0, {}));
  // The base's second file was logged on another mark.
  std::string second;
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.source_name == "PN1-k2.rnx.gz") second = o.id;
  REQUIRE_FALSE(second.empty());
  job.decide("set", second, {{"mark", "PN9"}, {"set_up", "PN9 afternoon"}}, "moved to the next pillar");
  solve_road(job);
  REQUIRE(job.tracks().size() == 2);
  const TrackResult &a = job.tracks()[0], &b = job.tracks()[1];
  REQUIRE(a.error == "");
  REQUIRE(b.error == "");
  CHECK(a.id != b.id);
  CHECK(a.base == "PN1");
  CHECK(b.base == "PN9");
  // No epoch is in both, none in neither.
  CHECK(a.solved->epochs.size() + b.solved->epochs.size() == 680);
  CHECK(a.solved->epochs.back().time < b.solved->epochs.front().time);
  CHECK(a.without_base == 0);
  CHECK(b.without_base > 80); // until the other one began
  CHECK(stop_named(a, "A1"));
  CHECK_FALSE(stop_named(b, "A1"));
  CHECK(stop_named(b, "A6"));
  CHECK_FALSE(stop_named(a, "A6"));
  for (const TrackResult &t : job.tracks()) CHECK(t.fixed_share() > 0.6);
  // The same place and day again: nothing is solved twice, and it is kept.
  const std::string before = stop_rows(job.tracks()).dump();
  {
    Job again = Job::open(folder / "two.tie");
    REQUIRE(again.tracks().size() == 2);
    CHECK_FALSE(again.tracks()[0].stale);
    CHECK(stop_rows(again.tracks()).dump() == before);
  }
  // Two machines take one part each; put together it is what one machine keeps.
  const auto kept = [](const std::string &path) {
    std::map<std::string, std::string> out;
    for (const StoredResult &r : Job::open(path).store().results("track")) out[r.id] = r.fingerprint + r.data.dump();
    return out;
  };
  std::filesystem::copy_file(folder / "two.tie", folder / "whole.tie");
  std::vector<std::string> copies;
  for (int k = 1; k <= 2; ++k) {
    copies.push_back(folder / fmt::format("piece{}.tie", k));
    std::filesystem::copy_file(folder / "two.tie", copies.back());
    Job copy = Job::open(copies.back());
    copy.accept_tracks({});
    const auto piece = tracks_of_shard(*copy.snapshot(), {k, 2});
    REQUIRE(piece.size() == 1);
    copy.accept_tracks(solve_some_tracks(*copy.snapshot(), {}, piece));
    CHECK(copy.tracks().size() == 1);
  }
  {
    job.accept_tracks({});
    REQUIRE(job.tracks().empty());
    const Merged m = merge_results(job, copies);
    CHECK((m.tracks == 2 && m.missing == 0));
    CHECK(kept(folder / "two.tie") == kept(folder / "whole.tie"));
  }
  // Asked for by name there is one base and one track.
  const std::string rover = job.snapshot()->moving().front().id;
  job.decide("set", rover, {{"base", "PN9"}}, "");
  solve_road(job);
  REQUIRE(job.tracks().size() == 1);
  CHECK(job.tracks()[0].base == "PN9");
  CHECK(job.tracks()[0].solved->epochs.size() == 680);
}

namespace {
/// The base's morning file again as if another receiver had logged it on PN9.
std::string second_base() {
  std::string text = gunzip(read_file(road + "PN1-k1.rnx.gz"));
  const auto end = text.find("MARKER NAME");
  const auto line = text.rfind('\n', end) + 1;
  return text.replace(line, 60, fmt::format("{:<60}", "PN9"));
}
const TrackResult &joint_of(const Job &job) {
  for (const TrackResult &t : job.tracks())
    if (t.joint()) return t;
  throw std::runtime_error("no joint track");
}
} // namespace

TEST_CASE("from two bases at once: both ways, one put together, their stops one block, and who stands wrong is named") {
  TemporaryFolder folder;
  Job job = road_job(folder / "both.tie");
  REQUIRE(job.take_bytes({{"PN9-k1.rnx", second_base()}})[0].outcome == Intake::Outcome::taken);
  solve_road(job);
  REQUIRE(job.tracks().size() == 1); // one base unless it is said
  const TrackResult one = job.tracks().front();
  const std::string rover = job.snapshot()->moving().front().id;
  for (const Occupation &o : std::vector(job.snapshot()->occupations()))
    if (o.mark == "PN9") job.decide("leave-out", std::string(o.id), nlohmann::json::object(), "tried");
  job.decide("set", rover, {{"bases", "all"}}, "two pillars logged");
  // What does nothing says so: there is no second one, or who was meant stands.
  CHECK_THAT(sentences(job, "decision does not count"), Contains("no second one logged a minute"));
  job.undo();
  job.undo();
  const std::string stands = job.snapshot()->occupations().front().id;
  job.decide("set", stands, {{"bases", "all"}}, "tried");
  CHECK_THAT(sentences(job, "decision does not count"), Contains("it stands"));
  job.undo();
  job.decide("set", rover, {{"bases", "all"}}, "two pillars logged");
  CHECK(sentences(job, "decision does not count").empty());
  CHECK_THROWS_WITH(job.decide("set", rover, {{"bases", "some"}}, ""), Contains("one") && Contains("all"));
  solve_road(job);
  REQUIRE(job.tracks().size() == 3);
  const TrackResult main = job.tracks()[0], other = job.tracks()[1];
  CHECK(main.id == one.id); // the stops that were named stay those
  CHECK(main.solved->epochs.size() == one.solved->epochs.size());
  CHECK(other.base == "PN9");
  CHECK(other.beside == main.id);
  // Of several machines one solves what hangs together.
  std::size_t pieces = 0;
  for (int k = 1; k <= 3; ++k) {
    const std::size_t n = tracks_of_shard(*job.snapshot(), {k, 3}).size();
    CHECK((n == 0 || n == 3));
    pieces += n;
  }
  CHECK(pieces == 3);
  {
    const TrackResult &j = joint_of(job);
    REQUIRE(j.error == "");
    CHECK(j.bases() == "PN1 + PN9");
    REQUIRE(j.others.size() == 1);
    // Nobody says where either stands: the second way is laid onto the first.
    CHECK(j.others[0].laid_on);
    CHECK(j.others[0].epochs > 150);
    CHECK(j.others[0].apart == 0);
    CHECK(j.others[0].rms < 0.006); // the same data, but those of the afternoon are the main one's alone
    CHECK(stop_named(j, "A1")->same_as == stop_named(main, "A1")->id);
    CHECK(stop_named(other, "A1")->same_as == stop_named(main, "A1")->id);
    CHECK(stop_named(other, "A1")->id != stop_named(main, "A1")->id);
    CHECK_FALSE(doubt_of(job, "bases disagree"));
    // What the main one lacks the further one may have: only what is nobody's is told, once.
    CHECK(std::count_if(job.doubts().begin(), job.doubts().end(),
                        [](const Doubt &d) { return d.kind == "base has gaps"; }) == 1);
    CHECK_THAT(sentences(job, "base has gaps"), Contains("outside the data of PN1 + PN9"));
    // Two stops on one mark, the pole shorter at the second: causes name stops, not their ids.
    for (const Doubt &d : job.doubts())
      for (const std::string &cause : d.causes) {
        CHECK_THAT(cause, !Contains(":to "));
        CHECK_THAT(cause, !Contains("k-"));
      }
  }
  // A name said of the main one's stop is that of all.
  job.decide("set", stop_named(main, "A1")->id, {{"mark", "K1"}}, "");
  for (const TrackResult &t : job.tracks()) CHECK((stop_named(t, "K1") != nullptr) == (stop_named(t, "A2") != nullptr));
  job.undo();

  // What was decided of a stop is taken back whole, though the job was solved again in between.
  const std::string untouched = stop_rows(job.tracks()).dump();
  job.decide("set", stop_named(main, "A1")->id, {{"height", 2.5}, {"code", "X"}}, "read wrong");
  job.decide("set", stop_named(main, "A2")->id, {{"mark", "K2"}}, "");
  CHECK(stop_rows(job.tracks()).dump() != untouched);
  solve_road(job);
  job.undo();
  job.undo();
  CHECK(stop_rows(job.tracks()).dump() == untouched);

  // Both published where they are: the joint way is more accurate than either, by what they do not share.
  const Vec3 x = main.base_xyz;
  const auto row = [&](const char *mark) {
    return fmt::format("{},{:.4f},{:.4f},{:.4f},{},{:.4f},1,1,1\n", mark, x.x(), x.y(), x.z(), frame_name(main.frame),
                       main.epoch);
  };
  job.take_bytes({{"control.csv", "mark,x,y,z,frame,epoch,sd_e_mm,sd_n_mm,sd_u_mm\n" + row("PN1") + row("PN9")}});
  for (const char *mark : {"PN1", "PN9"}) job.decide("hold", mark, {{"how", "full"}}, "");
  solve_road(job);
  REQUIRE_FALSE(joint_of(job).others[0].laid_on);
  CHECK(joint_of(job).others[0].enu.norm() < 0.015);
  {
    const TrackResult &m = job.tracks()[0], &j = joint_of(job);
    const double gain = stop_named(j, "A1")->cov.trace() / stop_named(m, "A1")->cov.trace();
    CHECK(gain > 0.74);
    CHECK(gain < 0.90);
    // Where the other logged nothing, nothing is gained.
    CHECK(stop_named(j, "A6")->cov.trace() == Approx(stop_named(m, "A6")->cov.trace()).epsilon(1e-9));
    CHECK(j.solved->count(TrackState::fixed) >= m.solved->count(TrackState::fixed));
  }
  // A pole that leaned nobody knows where to is as far aside from every base: of that nothing is gained.
  {
    const double from_one = stop_named(job.tracks()[0], "A1")->cov.trace(),
                 gain = stop_named(joint_of(job), "A1")->cov.trace() / from_one;
    job.take_bytes({{"lean.csv", "name,start,end,tilt\nA1L,2026-05-13T15:01:01,2026-05-13T15:01:11,10\n"}});
    std::string stops_list, lean_list;
    for (const Source &s : job.store().sources()) {
      if (s.name == "stops.csv") stops_list = s.id;
      if (s.name == "lean.csv") lean_list = s.id;
    }
    job.decide("leave-out", stops_list, nlohmann::json::object(), "tried");
    solve_road(job);
    const TrackStop *leaned = stop_named(joint_of(job), "A1L"), *single = stop_named(job.tracks()[0], "A1L");
    REQUIRE((leaned && single));
    CHECK(leaned->lean_cov.trace() > 0.1); // 2.05 m · sin 10°, squared
    CHECK(leaned->lean_cov == single->lean_cov);
    CHECK((leaned->cov - leaned->lean_cov).trace() ==
          Approx(gain * (single->cov - single->lean_cov).trace()).epsilon(0.02));
    job.undo();
    job.decide("leave-out", lean_list, nlohmann::json::object(), "tried");
    solve_road(job);
  }
  // In the network: one block, one set-up of the pole at each stop.
  const auto accuracy = [&] {
    adjust(job);
    for (const AdjustedMark &m : job.network()->result.marks)
      if (m.name == "A1") return m;
    throw std::runtime_error("no A1");
  };
  const AdjustedMark both = accuracy();
  CHECK(both.independent_checks == 0);
  // Bases that logged beside the pole alone are part of the result.
  const auto occupations_left = [&] {
    std::vector<std::string> out;
    for (const LeftOver &x : left_over(*job.snapshot(), job.vectors(), job.network()))
      if (x.kind == "occupation") out.push_back(x.because);
    return out;
  };
  const auto beside = occupations_left();
  CHECK(beside.empty());
  const NetworkInput in = network_input(*job.snapshot(), job.vectors());
  REQUIRE(in.sessions.size() == 1);
  CHECK(in.sessions[0].vectors.size() > 8);
  CHECK(Eigen::LLT<Eigen::MatrixXd>(in.sessions[0].cov).info() == Eigen::Success);
  // The other one is left out: less accurate, and at the same place within that.
  job.decide("leave-out", job.tracks()[1].id, nlohmann::json::object(), "tried");
  const AdjustedMark single = accuracy();
  CHECK(both.cov_enu.trace() < single.cov_enu.trace());
  CHECK(both.cov_enu.trace() > 0.74 * single.cov_enu.trace());
  job.undo();
  // With the joint one all go.
  job.decide("leave-out", joint_of(job).id, nlohmann::json::object(), "tried");
  for (const TrackResult &t : job.tracks()) CHECK_FALSE(t.used);
  for (const std::string &why : occupations_left()) CHECK_THAT(why, !Contains("no other receiver"));
  CHECK(std::none_of(job.snapshot()->get(measured_result()).begin(), job.snapshot()->get(measured_result()).end(),
                     [](const MeasuredVector &v) { return v.in_network(); }));
  job.undo();
  // Kept and opened again they are the same, and nothing is solved twice.
  const std::string stops = stop_rows(job.tracks()).dump(1), ways = track_rows(job.tracks(), false).dump(1);
  {
    Job again = Job::open(folder / "both.tie");
    CHECK(nlohmann::json::diff(nlohmann::json::parse(stop_rows(again.tracks()).dump()), nlohmann::json::parse(stops))
              .dump() == "[]");
    CHECK(nlohmann::json::diff(nlohmann::json::parse(track_rows(again.tracks(), false).dump()),
                               nlohmann::json::parse(ways))
              .dump() == "[]");
    for (const TrackResult &t : again.tracks()) CHECK_FALSE(t.stale);
  }
  // The antenna on PN9 was read a decimetre too high: both cannot be.
  for (const Occupation &o : std::vector(job.snapshot()->occupations()))
    if (o.mark == "PN9") job.decide("set", std::string(o.id), {{"height", o.measured + 0.1}}, "tried");
  solve_road(job);
  CHECK(joint_of(job).others[0].enu.z() == Approx(0.1).margin(0.015));
  CHECK(joint_of(job).others[0].apart > 100);
  const Doubt *d = doubt_of(job, "bases disagree");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("From PN9") && Contains("further apart than both explain"));
  CHECK_THAT(d->causes.front(), Contains("antenna height"));
  CHECK(joint_of(job).fixed_share() < 0.7); // what contradicts itself is not called fixed
}

TEST_CASE("stops of another day fall into no track, and that is said") {
  TemporaryFolder folder;
  Job job = road_job(folder / "other.tie", false);
  job.take_bytes({{"two.csv", "name,start,end\nA1,2026-05-13T15:01:01,2026-05-13T15:01:11\n"
                              "Z9,2026-05-11T15:03:00,2026-05-11T15:03:10\n"}});
  job.accept_motions(find_motions(*job.snapshot(), 0, {}));
  CHECK(sentences(job, "stop list").empty()); // not solved yet
  solve_road(job);
  CHECK_THAT(sentences(job, "stop list"), Contains("1 of its 2 stops fall into no track") && Contains("Z9 in line 3"));
  // A job in which nobody moved.
  Job none = Job::create(folder / "none.tie", demo_settings());
  none.take_bytes({{"two.csv", "name,start,end\nA1,10:00:00,10:00:30\n"}});
  CHECK_THAT(sentences(none, "stop list"), Contains("no receiver of the job moved: its 1 stops"));
}

TEST_CASE("lists that say their clock need no guess: UTC, an offset, days of nobody") {
  TemporaryFolder folder;
  Job job = road_job(folder / "utc.tie", false);
  job.accept_motions(find_motions(*job.snapshot(), 0, {}));
  CHECK_THAT(left_over_words(left_over(*job.snapshot(), {}, nullptr)), Contains("1 track")); // not solved yet
  // A2 stood from 15:02:20 to 15:02:30 GPS time, 18 s less in UTC; at the pole's foot was read to its collar.
  job.take_bytes({{"points.csv", "antenna,point,radius_m,above_arp_m\n" + job.snapshot()->moving()[0].antenna +
                                     ",collar,0.05,0.050\n"},
                  {"a.csv", "name,start,end,height,height_to\nZ2,15:02:02Z,15:02:12Z,2.050,collar\n"},
                  {"b.csv", "name,start,seconds,height,height_to\nL1,2026-05-13T17:00:43+02:00,10,2.05,lid\n"}});
  solve_road(job);
  const TrackResult &t = job.tracks().front();
  REQUIRE(stop_named(t, "Z2"));
  CHECK(iso(stop_named(t, "Z2")->start) == "2026-05-13T15:02:20");
  CHECK(stop_named(t, "Z2")->antenna_height == Approx(2.0).margin(1e-9));
  REQUIRE(stop_named(t, "L1"));
  CHECK(iso(stop_named(t, "L1")->start) == "2026-05-13T15:01:01");
  CHECK(stop_named(t, "L1")->antenna_height == Approx(job.snapshot()->moving()[0].antenna_height.value()));
  CHECK_THAT(sentences(job, "stop list"), Contains("b.csv line 2") && Contains("lid"));
  CHECK_FALSE(doubt_of(job, "clock of a stop list"));
}

TEST_CASE(
    "two stops on one bolt that differ by the pole's height: the doubt says which would do, and doing it settles it") {
  TemporaryFolder folder;
  Job job = road_job(folder / "pole.tie");
  solve_road(job);
  const Doubt *d = doubt_of(job, "stop off its mark");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("from the stop on the same mark"));
  REQUIRE(d->corrections.size() == 2);
  // The pole was pulled in by 0.300 m before the second stop.
  const TrackStop second = *stop_named(job.tracks().front(), "PS1", 2);
  const auto right = std::find_if(d->corrections.begin(), d->corrections.end(),
                                  [&](const Correction &c) { return c.stop == second.id; });
  REQUIRE(right != d->corrections.end());
  const double height = std::stod(right->value);
  CHECK(height == Approx(1.700).margin(0.03));
  job.decide("set", second.id, {{"height", 1.700}}, "seen on the photo");
  CHECK_FALSE(doubt_of(job, "stop off its mark"));
  const TrackStop *first = stop_named(job.tracks().front(), "PS1"), *now = stop_named(job.tracks().front(), "PS1", 2);
  CHECK(now->antenna_height == Approx(1.7));
  CHECK((first->d - now->d).norm() < 0.04);
  job.undo();
  CHECK(stop_named(job.tracks().front(), "PS1", 2)->d == second.d);
}

TEST_CASE("a file that says when the antenna moves, where it stands and how high it is: one track with named stops") {
  TemporaryFolder folder;
  // The road's file with events as receivers write them; from the second stop on the pole is 0.2 m shorter.
  const std::string text = gunzip(read_file(road + "ROVER-k.rnx.gz"));
  std::string out;
  const auto event = [](const std::string &time, int flag, const std::vector<std::string> &lines) {
    std::string e = fmt::format("> {}  {}{:3}\n", time, flag, lines.size());
    for (const std::string &l : lines) e += l + "\n";
    return e;
  };
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::string line = text.substr(at, end - at);
    if (line.rfind("> 2026", 0) == 0) {
      const std::string time = line.substr(2, 27), clock = time.substr(11, 8);
      if (clock == "15 00 16") out += event(time, 2, {});
      if (clock == "15 02 20")
        out += event(time, 3,
                     {fmt::format("{:60}MARKER NAME", "KERB 2"),
                      fmt::format("{:14.4f}{:14.4f}{:14.4f}{:18}ANTENNA: DELTA H/E/N", 1.8, 0.0, 0.0, "")});
      if (clock == "15 02 32") out += event(time, 2, {});
      if (clock == "15 02 50") out += event(time.substr(0, 17) + "50.4500000", 5, {});
    }
    out += line + "\n";
    at = end + 1;
  }
  Job job = Job::create(folder / "events.tie", demo_settings());
  job.take({road + "PN1-k1.rnx.gz", road + "PN1-k2.rnx.gz", road + "broadcast-k.rnx.gz",
            AMPLETIE_SOURCE_DIR "/demo/data/antennas.atx.gz"});
  job.take_bytes({{"events.26o", out}});
  solve_road(job);
  REQUIRE(job.tracks().size() == 1);
  const TrackResult &t = job.tracks().front();
  REQUIRE(t.error == "");
  CHECK(t.solved->epochs.size() == 680);
  const TrackStop *kerb = stop_named(t, "KERB 2");
  REQUIRE(kerb);
  CHECK(kerb->kind == TrackStop::Kind::event);
  CHECK(kerb->antenna_height == Approx(1.8));
  REQUIRE(t.events.size() == 1);
  CHECK(iso_ms(t.events[0].time) == "2026-05-13T15:02:50.450");
  // Against the file without events: the mark lies 0.2 m higher from there on, epochs and stops alike.
  Job plain = road_job(folder / "plain.tie", false);
  solve_road(plain);
  const TrackResult &p = plain.tracks().front();
  const auto higher = [&](const Vec3 &a, const Vec3 &b) { return to_geodetic(a).h - to_geodetic(b).h; };
  CHECK(higher(t.solved->epochs[30].position, p.solved->epochs[30].position) == Approx(0).margin(0.005));
  CHECK(higher(t.solved->epochs[160].position, p.solved->epochs[160].position) == Approx(0.2).margin(0.005));
  const TrackStop &last = t.stops.back(), &same = p.stops.back();
  CHECK(higher(t.base_xyz + last.d, p.base_xyz + same.d) == Approx(0.2).margin(0.005));
}

TEST_CASE("what was measured in real time of the same marks is set against the stops, and what differs fails") {
  TemporaryFolder folder;
  Job job = road_job(folder / "road.tie");
  solve_road(job);
  const TrackResult t = job.tracks().front();
  CHECK(stops_against_fixes(*job.snapshot()).empty());
  // A list from the same base, which was taken to stand elsewhere: A1 as it is, A2 ten centimetres too high, A3 twice.
  const TrackStop a1 = *stop_named(t, "A1"), a2 = *stop_named(t, "A2"), a3 = *stop_named(t, "A3");
  const Vec3 stood = t.base_xyz + Vec3(1.2, -0.7, 2.1);
  const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
  std::string list = "mark,base,x,y,z,time,status,frame,epoch,sd_x,sd_y,sd_z\n";
  const auto row = [&](const std::string &mark, const Vec3 &x, const std::string &time) {
    list += fmt::format("{},PN1,{:.4f},{:.4f},{:.4f},{},fixed,{},{:.4f},0.005,0.005,0.008\n", mark, x.x(), x.y(), x.z(),
                        time, frame_name(t.frame), t.epoch);
  };
  row("PN1", stood, "");
  row("A1", stood + a1.d, iso(a1.start));
  row("A2", stood + a2.d + axes.transpose() * Vec3(0, 0, 0.1), iso(a2.start));
  row("A3", stood + a3.d + axes.transpose() * Vec3(0.3, 0, 0), iso(a3.start + 3600));
  row("A3", stood + a3.d + axes.transpose() * Vec3(0.004, 0, 0), iso(a3.stop));
  row("Q9", stood + a3.d, iso(a3.stop)); // no stop counts for it
  job.take_bytes({{"fixes.csv", list}});
  std::map<std::string, StopAgainstFix> by;
  for (const StopAgainstFix &f : stops_against_fixes(*job.snapshot())) by[f.stop] = f;
  REQUIRE(by.count(a1.id));
  REQUIRE(by.count(a2.id));
  REQUIRE(by.count(a3.id));
  CHECK(by.at(a1.id).enu.norm() < 3e-4); // the list has four decimals
  CHECK(by.at(a1.id).passes);
  CHECK(by.at(a1.id).same_base);
  CHECK((by.at(a2.id).enu - Vec3(0, 0, 0.1)).norm() < 1e-3);
  CHECK_FALSE(by.at(a2.id).passes);
  CHECK((by.at(a3.id).enu - Vec3(0.004, 0, 0)).norm() < 1e-3); // the nearer in time
  CHECK(by.at(a3.id).passes);
  // The covariance is that of both.
  CHECK(by.at(a1.id).cov.trace() == Approx(a1.cov.trace() + 2 * 25e-6 + 64e-6).epsilon(1e-6));
}
