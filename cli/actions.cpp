#include "cli/actions.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "cli/archive.h"
#include "cli/fits.h"
#include "cli/groups.h"
#include "cli/levels.h"
#include "cli/names.h"
#include "cli/show.h"
#include "cli/sources.h"
#include "cli/stack.h"
#include "cli/systems.h"
#include "cli/traverses.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "geodesy/plausible.h"
#include "job/settings.h"
#include "job/settings_template.h"
#include "judgement/decision_words.h"
#include "judgement/left_over.h"
#include "level/level.h"
#include "open_job/folder_watch.h"
#include "open_job/shards.h"
#include "publication/design_table.h"
#include "publication/gnss_report.h"
#include "publication/issue_folder.h"
#include "publication/level_data.h"
#include "publication/level_report.h"
#include "publication/provisional_issue.h"
#include "publication/record_parts.h"
#include "publication/track_files.h"
#include "publication/traverse_report.h"
#include "publication/verify_issue.h"
#include "receiver/receiver.h"
#include "render/render.h"
#include "results/between.h"
#include "results/job_results.h"
#include "results/track_change.h"
#include "results/track_pieces.h"
#include "results/vector_keeper.h"
#include "results/vector_pairs.h"
#include "service/service.h"
#include "sky/sky.h"
#include "station/station.h"
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <map>
#include <regex>
#include <thread>

namespace ampletie::cli {

void print(const std::string &s) { std::fputs(s.c_str(), stdout); }

bool all_taken(const std::vector<Intake> &became) {
  bool all = true;
  for (const Intake &i : became) {
    const bool no = i.outcome == Intake::Outcome::refused;
    if (no)
      std::fprintf(stderr, "%s: %s\n", i.file.c_str(), i.sentence.c_str());
    else
      print(i.file + ": " + i.sentence + "\n");
    all = all && !no;
  }
  return all;
}

namespace {

std::string occupation_id(const Job &job, const std::string &text) { return resolve_one(job, text, "occupation"); }

int cmd_new(Sitting &, const Arguments &a) {
  JobSettings s;
  if (!a.template_file.empty()) try {
      s = read_template(read_file(a.template_file));
    } catch (const InputError &e) {
      throw InputError(a.template_file, 0, e.what());
    }
  s.title = a.title;
  if (!a.crs.empty()) s.datum.crs = setting_value("crs", a.crs).get<std::string>();
  if (!a.vertical.empty()) s.datum.vertical = a.vertical;
  if (!a.realisation.empty()) s.datum.realisation = a.realisation;
  s.datum.epoch = setting_value("epoch", a.epoch);
  Job::create(a.job, s);
  return 0;
}

int cmd_take(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  return all_taken(job.take(a.files, a.as)) ? here.finish() : 2;
}

int cmd_plan(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  if (a.words.size() < 3)
    throw InputError("say what is planned: mark, session, line or station, its name, and what is to be said of it");
  check_name(a.words[1], "the name of what is planned");
  const std::string id = a.words[0] + " " + a.words[1];
  PlanThing::fields_of(a.words[0]);
  job.decide("set", "plan:" + id, typed_fields<PlanThing>(a.words, 2), a.because);
  const JobDesign &d = job.snapshot()->get(design_result());
  if (!d.problem.empty()) print(d.problem + "\n");
  for (const PlannedItem &item : d.items)
    if (item.id == id) print((item.problem.empty() ? item.words : id + " takes no part: " + item.problem) + "\n");
  return here.finish();
}

int cmd_set(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  if (a.words.empty())
    throw InputError("say what to set: occupation, vector, stop, run, reading, staff, instrument, mark, source, setup, "
                     "pointing, route, fit, "
                     "pair, also, group, "
                     "job, solve, limit, weight, levels, traverse, accuracy, issue, field or accept");
  const std::string kind = a.words[0];
  if (kind == "accept") {
    if (a.words.size() != 2 || a.because.empty()) throw InputError("accept needs the doubt's id and --because");
    if (std::none_of(job.doubts().begin(), job.doubts().end(), [&](const Doubt &d) { return d.id == a.words[1]; }))
      throw InputError("there is no doubt \"" + a.words[1] + "\"");
    job.decide("accept", a.words[1], nlohmann::json::object(), a.because);
    return here.finish();
  }
  if (kind == "fit" || kind == "pair") {
    set_fit(job, a.words, a.because, a.ahead);
    return here.finish();
  }
  if (kind == "also") {
    set_also(job, a.words, a.because);
    return here.finish();
  }
  if (kind == "group") {
    set_group(job, a.words, a.because);
    return here.finish();
  }
  if (kind == "source") {
    set_source(job, a.words, a.because);
    return here.finish();
  }
  if (kind == "run" || kind == "reading" || kind == "staff" || kind == "instrument" || kind == "mark") {
    set_levels(job, a.words, a.because, a.ahead);
    return here.finish();
  }
  if (kind == "setup" || kind == "pointing" || kind == "route" || kind == "style") {
    set_traverses(job, a.words, a.because, a.ahead);
    return here.finish();
  }
  if (kind == "field") {
    if (a.words.size() < 3) throw InputError("an entry of the field sheet needs its name, and mark=, height= or times");
    const auto value = typed_fields<FieldEntryThing>(a.words, 2);
    if (!job.state().field_sheet.count(a.words[1]) && !value.contains("mark"))
      throw InputError("there is no entry \"" + a.words[1] + "\" yet: say its mark");
    job.decide("set", "field:" + a.words[1], value, a.because);
    return here.finish();
  }
  if (kind == "stop") {
    if (a.words.size() < 3) throw InputError("a stop needs its name or id, and mark= or code=");
    job.decide("set", resolve_one(job, a.words[1], "stop"), typed_fields<StopThing>(a.words, 2), a.because);
    return here.finish();
  }
  if (kind == "accuracy") {
    if (a.words.size() < 3) throw InputError("accuracy needs a mark or a beginning with *, and plan=, height= or of=");
    const auto marks = known_marks(job);
    if (!a.ahead && !marks.empty() &&
        std::none_of(marks.begin(), marks.end(), [&](const std::string &m) { return in_group(a.words[1], m); }))
      require_known("mark or group", a.words[1], marks, false);
    job.decide("set", "asked:" + a.words[1], typed_fields<AskedThing>(a.words, 2), a.because);
    return here.finish();
  }
  const bool settings = is_setting_group(kind);
  if (!settings && kind != "occupation" && kind != "vector") throw InputError("\"" + kind + "\" cannot be set");
  const std::size_t first = settings ? 1 : 2;
  if (a.words.size() <= first) throw InputError("nothing to set: NAME=VALUE is missing");
  nlohmann::json value;
  for (std::size_t i = first; i < a.words.size(); ++i) {
    const auto [name, text] = name_value(a.words[i]);
    if (kind == "vector") {
      if (const SettingInfo *info = find_setting(name); !info || !info->per_vector)
        throw InputError("\"" + name + "\" cannot be set for one vector alone");
      value[name] = text.empty() ? nlohmann::json() : setting_value(name, text);
    } else if (settings)
      value[name] = setting_value(name, text);
    else
      value[name] = typed_field<OccupationThing>(name, std::string(trimmed(text)));
  }
  job.decide("set",
             settings           ? kind
             : kind == "vector" ? resolve_one(job, a.words[1], "vector")
                                : occupation_id(job, a.words[1]),
             value, a.because);
  return here.finish();
}

int cmd_hold(Sitting &here, const Arguments &a, bool check) {
  Job &job = here.job(a.job);
  nlohmann::json v{{"how", check ? "check" : a.weighted ? "weighted" : a.only.empty() ? "full" : a.only}};
  if (!a.xyz.empty()) v["xyz"] = a.xyz;
  if (!a.geodetic.empty()) {
    const auto lat = parse_angle_deg(a.geodetic[0]), lon = parse_angle_deg(a.geodetic[1]);
    const auto h = parse_number(a.geodetic[2]);
    if (!lat || !lon || !h || std::abs(*lat) > 90) throw InputError("latitude, longitude and height cannot be read");
    v["geodetic"] = {*lat, *lon, *h};
  }
  if (!a.grid.empty()) v["grid"] = a.grid;
  require_mark(job, a.mark, a.ahead);
  for (const auto *list : {&a.xyz, &a.grid, &a.sd, &a.velocity})
    for (double x : *list)
      if (!std::isfinite(x)) throw InputError("a coordinate that is no finite number cannot be held");
  const bool given = a.xyz.size() + a.geodetic.size() + a.grid.size() > 0;
  if (a.height) v["height"] = *a.height;
  if (a.height_sd) v["sd_height"] = *a.height_sd;
  if (a.height && !given && a.only.empty() && !check) v["how"] = "height";
  if (check && a.only == "plan")
    throw InputError("a check compares what is published of a mark: plan cannot be compared without its height");
  if (check && a.only == "height") {
    // Its physical height alone: what else was typed is not compared.
    const std::optional<double> height = a.height          ? a.height
                                         : !a.grid.empty() ? std::optional(a.grid[2])
                                                           : std::nullopt;
    if (!height) throw InputError("of a check in height alone say the physical height: --height, or --grid E N H");
    for (const char *k : {"xyz", "geodetic", "grid"}) v.erase(k);
    v["height"] = *height;
    if (!a.height_sd && !a.sd.empty()) v["sd_height"] = a.sd[2];
  }
  if (!given && !a.height && !job.snapshot()->listed(a.mark))
    throw InputError("nothing gives coordinates of \"" + a.mark +
                     "\": take a control list, or add --xyz, --geodetic or --grid");
  if (!a.sd.empty()) v["sd_enu"] = a.sd;
  if (!a.velocity.empty()) v["velocity"] = a.velocity;
  if (!a.frame.empty()) v["frame"] = a.frame;
  if (!a.coordinate_epoch.empty())
    v["epoch"] = fmt::format("{:.6f}", setting_value("epoch", a.coordinate_epoch).get<double>());
  job.decide("hold", a.mark, v, a.because);
  return here.finish();
}

void say(const Job &job, const char *what, long decision) {
  if (const Decision *d = job.decision(decision))
    print(fmt::format("{} {}: {}\n", what, decision, job.words().sentence(*d)));
}

int cmd_release(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  if (!job.state().holds.count(a.item)) {
    const auto marks = known_marks(job);
    if (std::find(marks.begin(), marks.end(), a.item) != marks.end())
      throw InputError("the mark " + a.item + " is not held");
    resolve(job, a.item, {"held"}, true); // says which are near
  }
  job.decide("release", a.item, nlohmann::json::object(), a.because);
  return here.finish();
}

const Occupation *occupation_of(const Job &job, const std::string &id) {
  for (const Occupation &o : job.snapshot()->moving())
    if (o.id == id) return &o;
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.id == id) return &o;
  return nullptr;
}

int cmd_item(Sitting &here, const Arguments &a, bool leave_out) {
  Job &job = here.job(a.job);
  if (leave_out && a.because.empty()) throw InputError("leaving something out needs --because");
  const auto items = resolve(job, a.item,
                             {"occupation", "vector", "measured vector", "track", "stop", "run", "reading", "setup",
                              "pointing", "route", "source", "span", "record"});
  for (const Named &n : items) {
    const bool out = job.state().left_out.count(n.id) > 0;
    const bool idle = leave_out ? out
                                : !out && (n.kind == "occupation" || n.kind == "vector" || n.kind == "source" ||
                                           n.kind == "span" || job.state().taken_up.count(n.id));
    const auto *o = n.kind == "occupation" ? occupation_of(job, n.id) : nullptr;
    if (idle && !leave_out && o && !o->used)
      throw InputError("nothing to do: \"" + a.item + "\" is out with its file " + o->source_name + " (" +
                       o->left_out_because + "): use the file");
    if (idle)
      throw InputError("nothing to do: \"" + a.item + "\" is " + (leave_out ? "left out" : "used") + " already");
    job.decide(leave_out ? "leave-out" : "use", n.id, nlohmann::json::object(), a.because);
  }
  return here.finish();
}

void solve_job_vectors(Job &job, const Arguments &a, const Progress &progress) {
  std::set<std::string> only;
  if (!a.shard.empty()) {
    only = vectors_of_shard(*job.snapshot(), read_shard(a.shard));
    print(fmt::format("piece {}: {} vectors\n", a.shard, only.size()));
    if (only.empty()) return;
  }
  const auto keeper =
      std::make_shared<VectorKeeper>([&](std::vector<StoredResult> packed) { job.keep_vectors(packed); });
  const auto keep = [keeper](const VectorResult &solved) { (*keeper)(solved); };
  job.accept_vectors(solve_vectors(*job.snapshot(), job.vectors(), a.threads, progress, only, keep));
  int fixed = 0, all = 0;
  for (const auto &r : job.vectors()) ++all, fixed += r.error.empty() && r.solved->solution == Solution::fixed;
  print(fmt::format("{} vectors, {} fixed\n", all, fixed));
  if (const std::string thinned = thinned_pairs(*job.snapshot()); !thinned.empty()) print(thinned + "\n");
}

void solve_job_tracks(Job &job, const Arguments &a, const Progress &progress) {
  if (a.shard.empty()) {
    job.accept_tracks(solve_tracks(*job.snapshot(), progress));
  } else {
    const auto only = tracks_of_shard(*job.snapshot(), read_shard(a.shard));
    print(fmt::format("piece {}: {} tracks\n", a.shard, only.size()));
    if (only.empty()) return;
    job.accept_tracks(solve_some_tracks(*job.snapshot(), progress, only));
  }
  for (const TrackResult &t : job.tracks())
    print(t.error.empty() ? fmt::format("track of {} from {}: {} epochs, {:.1f} % fixed, {} stops\n", t.rover,
                                        t.bases(), t.solved->epochs.size(), 100 * t.fixed_share(), t.stops.size())
                          : fmt::format("track of {}: {}\n", t.rover, t.error));
  for (const TrackResult &t : job.tracks())
    if (const TrackResult *before = t.error.empty() ? job.before_track(t.id) : nullptr)
      print(fmt::format("track of {} from {}. {}\n", t.rover, t.bases(), track_change_words(track_change(*before, t))));
}

int cmd_solve(Sitting &here, const Arguments &a) {
  if (!a.what.empty() && a.what != "vectors" && a.what != "tracks")
    throw InputError("what is solved is vectors or tracks, not \"" + a.what + "\"");
  Job &job = here.job(a.job);
  if (job.store().read_only()) throw InputError(a.job, 0, job.store().why_read_only() + ": nothing could be kept");
  nlohmann::json v;
  if (a.mask > 0 && a.mask != job.state().settings.mask_deg)
    v["mask"] = setting_value("mask", fmt::format("{}", a.mask));
  if (a.interval > 0 && a.interval != job.state().settings.interval_s)
    v["interval"] = setting_value("interval", fmt::format("{}", a.interval));
  for (const auto &[name, text] : {std::pair{"systems", &a.systems}, {"sessions", &a.sessions}, {"pairs", &a.pairs}})
    if (!text->empty() && *text != setting_text(job.state().settings, name)) v[name] = setting_value(name, *text);
  if (a.frequencies > 0 && a.frequencies != job.state().settings.frequencies)
    v["frequencies"] = setting_value("frequencies", fmt::format("{}", a.frequencies));
  if (!a.orbits.empty() && a.orbits != job.state().settings.orbits) v["orbits"] = setting_value("orbits", a.orbits);
  if (!v.empty()) job.decide("set", "solve", v, "asked for with solve");
  const Progress progress;
  job.accept_motions(find_motions(*job.snapshot(), a.threads, progress));
  const bool tracks = a.what == "tracks" || (a.what.empty() && !job.snapshot()->moving().empty());
  if (a.what != "tracks" && (!tracks || !job.snapshot()->get(plan_result()).empty()))
    solve_job_vectors(job, a, progress);
  if (tracks) solve_job_tracks(job, a, progress);
  return here.finish();
}

int cmd_merge(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  const Merged m = merge_results(job, a.files);
  for (const std::string &p : m.problems) std::fprintf(stderr, "%s\n", p.c_str());
  print(fmt::format("{} vectors and {} tracks taken over, {} were here already, {} of another state of the job left; "
                    "{} still to solve\n",
                    m.vectors, m.tracks, m.here, m.foreign, m.missing));
  const int doubts = here.finish();
  return m.problems.empty() ? doubts : 2;
}

int cmd_adjust(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  if (job.store().read_only()) throw InputError(a.job, 0, job.store().why_read_only() + ": nothing could be kept");
  const std::string mode = a.free ? "free" : a.minimal ? "minimal" : "held";
  if (mode != datum_mode_name(job.state().settings.mode))
    job.decide("set", "job", {{"mode", mode}}, "asked for with adjust");
  if (const std::string why = out_of_date(*job.snapshot()); !why.empty()) throw InputError(why);
  const Progress progress;
  job.accept_network(run_network(*job.snapshot(), job.vectors(), progress));
  const AdjustmentResult &r = job.network()->result.adjustment;
  print(fmt::format("variance factor {:.3f} ({:.3f} to {:.3f}), {} observations, redundancy {}: global test {}\n",
                    r.variance_factor, r.lower, r.upper, r.observations, r.redundancy,
                    r.redundancy == 0 ? "has nothing to test"
                    : r.passes        ? "passes"
                                      : "fails"));
  const auto left = left_over(*job.snapshot(), job.vectors(), job.network());
  if (!left.empty()) print("no part of the result: " + left_over_words(left) + "\n");
  return here.finish();
}

int cmd_show(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  const auto r = rows(job, a.list, a.frame_of_rows == "job");
  print(a.json ? r.dump(1) + "\n" : table(r));
  return here.finish();
}

int cmd_report(Sitting &here, const Arguments &a) {
  const Job &job = here.job(a.job);
  const std::string &file = a.files.at(0);
  if (a.plan)
    write_report(design_report(*job.snapshot(), job.snapshot()->get(design_result())), file);
  else if (a.traverses) {
    if (!write_traverse_data(job, file)) write_report(traverse_report(job), file);
  } else if (!a.levels || !write_level_data(job, file))
    write_report(a.levels ? level_report(job) : gnss_report(job), file);
  return here.finish();
}

int cmd_export(Sitting &here, const Arguments &a) {
  const Job &job = here.job(a.job);
  const std::string name = lower(a.files.at(0));
  const bool of_track =
      name.ends_with(".json") || std::any_of(track_endings().begin(), track_endings().end(),
                                             [&](const std::string &e) { return name.ends_with("." + e); });
  if (of_track) {
    const std::string track = resolve_one(job, a.item, "track");
    for (const TrackResult &t : job.tracks())
      if (t.id == track) write_file(a.files.at(0), track_file(job, t, a.files.at(0), a.columns));
    return here.finish();
  }
  if (!a.columns.empty()) throw InputError("columns are those of a track's table (.csv)");
  static const std::regex observations(R"(.*\.(rnx|obs|[0-9]{2}o))");
  if (!std::regex_match(name, observations))
    throw InputError(a.files.at(0), 0,
                     fmt::format("occupations are written as .rnx, .obs or .26o, tracks as .{}: name the file so",
                                 fmt::join(track_endings(), ", .")));
  if (const Occupation *o = occupation_of(job, occupation_id(job, a.item)))
    write_file(a.files.at(0), write_rinex_observation(corrected_file(*o)));
  if (a.files.size() > 1) write_file(a.files[1], write_rinex_navigation(broadcast_messages(*job.snapshot())));
  return here.finish();
}

int cmd_trace(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  const auto steps = trace_mark(a.mark, *job.snapshot(), job.vectors(), job.network());
  if (steps.empty()) throw InputError("there is no mark \"" + a.mark + "\"");
  if (a.json)
    print(trace_rows(steps).dump(1) + "\n");
  else {
    // What matters fits on a screen; the rest is counted.
    const ShortTrace shown = a.all ? ShortTrace{steps} : shortened(steps);
    for (const TraceStep &t : shown.steps)
      if (a.all || t.depth <= 3)
        print(std::string(static_cast<std::size_t>(2 * t.depth), ' ') + t.text +
              (t.detail.empty() ? "" : ": " + t.detail) + "\n");
    if (shown.hidden) print(fmt::format("and {} more that move it less; --all shows them\n", shown.hidden));
  }
  return here.finish();
}

int cmd_measure(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  const NetworkRun *run = job.network();
  if (a.planned) {
    const JobDesign &d = job.snapshot()->get(design_result());
    run = d.run.get();
    if (!run) throw InputError(d.problem.empty() ? "nothing is planned" : d.problem);
  } else {
    if (!run) throw InputError("the network is not adjusted");
    for (const std::string &m : a.words) require_mark(job, m, false);
  }
  const std::string &from = a.words.at(0), &to = a.words.at(1);
  if (!a.axis.empty()) {
    // Marks have numbers for names too.
    const auto bearing = run->positions.count(a.axis) ? std::nullopt : parse_number(a.axis);
    const Breakthrough b = breakthrough(
        *run, from, to, bearing ? axis_of_bearing(*run, from, radians(*bearing)) : axis_from(*run, a.axis, from));
    if (a.json)
      print(breakthrough_row(b).dump(1) + "\n");
    else {
      const double many = factor95(1, b.scale_degrees);
      const auto line = [&](const char *what, double v, double sd) {
        print(fmt::format("{:<16}{:>12.4f} m  ± {:.4f}, 95 % {:.4f}\n", what, v, sd, many * sd));
      };
      print(fmt::format("{} to {}, axis at bearing {}\n", from, to, format_dms(degrees(b.bearing_rad), 0)));
      const auto sd = [&](int i) { return std::sqrt(std::max(0.0, b.cov(i, i))); };
      line("along the axis", b.gap_m.x(), sd(0));
      line("across, right", b.gap_m.y(), sd(1));
      line("up", b.gap_m.z(), sd(2));
      if (b.height_sd_m)
        print(fmt::format("{:<16}{:>12}    ± {:.4f}, 95 % {:.4f}\n", "height", "", *b.height_sd_m,
                          many * *b.height_sd_m));
    }
    return here.finish();
  }
  const Between b = between(*run, from, to);
  if (a.json)
    print(between_row(b).dump(1) + "\n");
  else {
    const auto line = [](const char *what, double v, const char *note) {
      print(fmt::format("{:<22}{:>14.4f} m  {}\n", what, v, note));
    };
    print(fmt::format("{} to {}{}\n", b.from, b.to,
                      a.planned             ? " (planned)"
                      : job.network_stale() ? " (the network is out of date)"
                                            : ""));
    line("in space", b.slope_m, fmt::format("± {:.4f}", b.slope_sd_m).c_str());
    line("level, on the ground", b.ground_m, "at the mean of both heights");
    line("on the ellipsoid", b.ellipsoid_m, "");
    line("in the grid", b.grid_m, "");
    line("east", b.east_m, "in the grid");
    line("north", b.north_m, "in the grid");
    line("up", b.up_m, fmt::format("± {:.4f}, ellipsoidal", std::sqrt(b.cov_enu(2, 2))).c_str());
    if (b.height_m)
      line("height", *b.height_m,
           (b.height_sd_m ? fmt::format("± {:.4f}, physical", *b.height_sd_m) : "physical, by the geoid").c_str());
    print(fmt::format("grid bearing {}, azimuth {}, zenith angle {}\n", format_dms(degrees(b.bearing_rad), 1),
                      format_dms(degrees(b.azimuth_rad), 1), format_dms(degrees(b.zenith_rad), 1)));
  }
  return here.finish();
}

int cmd_issue(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  IssueOptions o;
  o.marks = a.marks;
  if (!a.unit.empty())
    o.unit = a.unit == "ft" ? LengthUnit::foot : a.unit == "us-ft" ? LengthUnit::us_foot : LengthUnit::metre;
  const bool provisional = !a.provisional.empty();
  IssuePackage p = provisional
                       ? prepare_provisional(job, a.provisional,
                                             o.unit.value_or(unit_of_choice(choice_object(job.state().settings.issue))))
                       : prepare_issue(job, o);
  const std::string name = provisional ? "provisional" : "control";
  add_sheets(p, name);
  const std::string also = issue_into(job, p, a.folder);
  const std::size_t heights = p.record.data.value("heights", nlohmann::json::array()).size();
  print(fmt::format("{} {} marks{}, record {}\n", provisional ? "handed out provisionally" : "issued",
                    p.record.data.at("marks").size(), heights ? fmt::format(" and {} heights", heights) : "",
                    p.record.id));
  if (!also.empty()) print(also + "\n");
  return here.finish();
}

/// A second person signs what they looked at; it counts for what the coordinates are now.
int cmd_sign(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  if (a.by.empty()) throw InputError("who looked at it? --by NAME");
  sign_second_check(job, a.by, a.looked, a.because);
  print(a.by + " looked at: " + a.looked + "\n");
  return here.finish();
}

/// Looks once a second and says what changes.
int cmd_watch(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  FolderWatch watch(a.folder, a.quiet);
  std::map<std::string, std::string> said;
  const auto begin = std::chrono::steady_clock::now();
  const auto seconds = [&] { return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count(); };
  const auto tell = [&] {
    if (!watch.trouble().empty() && said[""] != watch.trouble()) print((said[""] = watch.trouble()) + "\n");
    for (const WatchedFile &f : watch.files()) {
      const std::string line =
          fmt::format("{}: {}{}{}", f.name, watched_state_name(f.state), f.words.empty() ? "" : ", ", f.words);
      if (said[f.name] != line) print((said[f.name] = line) + "\n");
    }
  };
  for (bool last = false; !last;) {
    last = a.watch_for > 0 && seconds() >= a.watch_for;
    watch.look(seconds());
    std::vector<std::string> growing;
    if (last && a.all)
      for (const WatchedFile &f : watch.files())
        if (f.state == WatchedFile::State::growing && f.bytes > 0) growing.push_back(f.name);
    tell();
    watch.take(job, growing);
    tell();
    std::fflush(stdout);
    if (!last) std::this_thread::sleep_for(std::chrono::milliseconds(a.watch_for > 0 ? 200 : 1000));
  }
  const int doubts = here.finish();
  // A folder that is not there at the end is no folder: nothing was watched.
  return watch.trouble().empty() ? doubts : 2;
}

int cmd_template(Sitting &here, const Arguments &a) {
  if (std::filesystem::exists(a.item)) throw InputError(a.item, 0, "is there already: name a new file");
  write_file(a.item, write_template(here.job(a.job).state().settings));
  print("settings kept as " + a.item + "\n");
  return 0;
}

int cmd_verify(Sitting &, const Arguments &a) {
  const VerifiedIssue v = verify_issue(a.folder, [](const Report &r, const std::string &suffix) {
    return suffix == ".pdf" ? render_pdf(r) : render_html(r);
  });
  print(fmt::format("{}record {} of {}, {}, {}\n", v.provisional ? "provisional " : "", v.id, v.title, v.time,
                    v.program));
  print(fmt::format("SHA-256 {}: compare with what is printed\n", v.sha256));
  print(v.sealed ? "the record's id is made of what it says\n"
                 : "the record was CHANGED: its id is not made of what it says\n");
  for (const VerifiedFile &f : v.files) print(f.name + " " + f.words + "\n");
  print(v.holds() ? "the folder holds what was issued\n" : "the folder does NOT hold what was issued\n");
  return v.holds() ? 0 : 1;
}

int cmd_undo(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  if (!job.can_undo()) throw InputError("there is nothing to undo");
  say(job, "taken back, decision", job.undo());
  return here.finish();
}

int cmd_redo(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  if (!job.can_redo()) throw InputError("there is nothing to redo");
  say(job, "made again, decision", job.redo());
  return here.finish();
}

int cmd_simulate(Sitting &, const Arguments &a) {
  const std::string text = read_file(a.scenario);
  if (level::is_level_scenario(text))
    level::simulate_to(level::read_scenario(text), a.folder);
  else if (station::is_station_scenario(text))
    station::simulate_to(station::read_scenario(text), a.folder);
  else if (receiver::is_receiver_scenario(text))
    receiver::simulate_to(text, std::filesystem::absolute(a.scenario).parent_path().string(), a.folder);
  else if (service::is_service_scenario(text))
    service::simulate_to(text, std::filesystem::absolute(a.scenario).parent_path().string(), a.folder);
  else
    sky::simulate_to(sky::read_scenario(text), a.folder);
  return 0;
}

int cmd_cut(Sitting &, const Arguments &a) {
  print(cut_grid(a) + "\n");
  return 0;
}

int cmd_systems(Sitting &, const Arguments &a) {
  const auto r = system_rows(a);
  print(a.json ? r.dump(1) + "\n" : table(r));
  return 0;
}

struct Action {
  const char *name;
  int (*run)(Sitting &, const Arguments &);
};
constexpr Action actions[] = {
    {"new", cmd_new},
    {"take", cmd_take},
    {"set", cmd_set},
    {"plan", cmd_plan},
    {"hold", [](Sitting &here, const Arguments &a) { return cmd_hold(here, a, false); }},
    {"check", [](Sitting &here, const Arguments &a) { return cmd_hold(here, a, true); }},
    {"release", cmd_release},
    {"leave-out", [](Sitting &here, const Arguments &a) { return cmd_item(here, a, true); }},
    {"use", [](Sitting &here, const Arguments &a) { return cmd_item(here, a, false); }},
    {"undo", cmd_undo},
    {"redo", cmd_redo},
    {"solve", cmd_solve},
    {"merge", cmd_merge},
    {"adjust", cmd_adjust},
    {"show", cmd_show},
    {"report", cmd_report},
    {"export", cmd_export},
    {"trace", cmd_trace},
    {"measure", cmd_measure},
    {"issue", cmd_issue},
    {"verify", cmd_verify},
    {"sign", cmd_sign},
    {"watch", cmd_watch},
    {"template", cmd_template},
    {"cut", cmd_cut},
    {"systems", cmd_systems},
    {"simulate", cmd_simulate},
    {"fetch", cmd_fetch},
    {"serve", cmd_serve},
    {"stack", cmd_stack},
};

} // namespace

int act(const std::string &command, Sitting &here, const Arguments &a) {
  for (const Action &x : actions)
    if (command == x.name) return x.run(here, a);
  throw std::logic_error("the command \"" + command + "\" does nothing");
}

} // namespace ampletie::cli
