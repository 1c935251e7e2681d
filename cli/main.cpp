// ample: the whole job without a window. The contract with scripts stands in docs/cli.md.
#include "base/angle.h"
#include "base/error.h"
#include "base/near.h"
#include "base/reason.h"
#include "base/text.h"
#include "base/utf8.h"
#include "cli/levels.h"
#include "cli/names.h"
#include "cli/show.h"
#include "cli/traverses.h"
#include "cli/words.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "geodesy/plausible.h"
#include "job/settings.h"
#include "judgement/decision_words.h"
#include "judgement/left_over.h"
#include "level/level.h"
#include "publication/gnss_report.h"
#include "publication/issue_folder.h"
#include "publication/level_data.h"
#include "publication/level_report.h"
#include "publication/provisional_issue.h"
#include "publication/traverse_report.h"
#include "render/render.h"
#include "results/vector_keeper.h"
#include "results/vector_pairs.h"
#include "sky/sky.h"
#include "station/station.h"
#include <CLI/CLI.hpp>
#include <QGuiApplication>
#include <chrono>
#include <cstdio>
#include <fmt/format.h>
#include <iostream>
#include <sstream>

namespace ampletie::cli {
namespace {

struct Arguments {
  std::string job, crs, vertical, realisation, epoch, title = "untitled job";
  std::vector<std::string> files, words, marks;
  std::string mark, item, because, list, folder, scenario, only, as, frame, coordinate_epoch, orbits,
      unit = "m", frame_of_rows, provisional, by;
  std::vector<double> xyz, grid, sd, velocity;
  std::optional<double> height, height_sd;
  std::vector<std::string> geodetic;
  double mask = 0, interval = 0;
  unsigned threads = 0;
  bool free = false, minimal = false, ahead = false, all = false, json = false, weighted = false, levels = false,
       traverses = false;
  std::string what = "vectors", systems, sessions, pairs;
  double frequencies = 0;
};

void print(const std::string &s) { std::fputs(s.c_str(), stdout); }

/// The job of this run: opened by the first command that asks for it, kept for those of a batch.
std::unique_ptr<Job> sitting;
bool in_batch = false;
Job &the_job(const Arguments &a) {
  if (!sitting) sitting = std::make_unique<Job>(Job::open(a.job));
  return *sitting;
}

int finish(const Job &job) { return !in_batch && job.open_doubts() ? 1 : 0; }

std::string occupation_id(const Job &job, const std::string &text) { return resolve_one(job, text, "occupation"); }

int cmd_new(const Arguments &a) {
  JobSettings s;
  s.title = a.title;
  s.datum = {a.crs, a.vertical, a.realisation, setting_value("epoch", a.epoch)};
  Job::create(a.job, s);
  return 0;
}

int cmd_take(const Arguments &a) {
  Job &job = the_job(a);
  bool refused = false;
  for (const Intake &i : job.take(a.files, a.as)) {
    const bool no = i.outcome == Intake::Outcome::refused;
    if (no)
      std::fprintf(stderr, "%s: %s\n", i.file.c_str(), i.sentence.c_str());
    else
      print(i.file + ": " + i.sentence + "\n");
    refused = refused || no;
  }
  return refused ? 2 : finish(job);
}

int cmd_set(const Arguments &a) {
  Job &job = the_job(a);
  if (a.words.empty())
    throw InputError(
        "say what to set: occupation, vector, run, reading, staff, instrument, mark, source, setup, pointing, route, "
        "job, solve, limit, weight, levels, traverse, accuracy or accept");
  const std::string kind = a.words[0];
  if (kind == "accept") {
    if (a.words.size() != 2 || a.because.empty()) throw InputError("accept needs the doubt's id and --because");
    if (std::none_of(job.doubts().begin(), job.doubts().end(), [&](const Doubt &d) { return d.id == a.words[1]; }))
      throw InputError("there is no doubt \"" + a.words[1] + "\"");
    job.decide("accept", a.words[1], nlohmann::json::object(), a.because);
    return finish(job);
  }
  if (kind == "run" || kind == "reading" || kind == "staff" || kind == "source" || kind == "instrument" ||
      kind == "mark") {
    set_levels(job, a.words, a.because, a.ahead);
    return finish(job);
  }
  if (kind == "setup" || kind == "pointing" || kind == "route" || kind == "style") {
    set_traverses(job, a.words, a.because, a.ahead);
    return finish(job);
  }
  if (kind == "accuracy") {
    if (a.words.size() < 3) throw InputError("accuracy needs a mark or a beginning with *, and plan=, height= or of=");
    const auto marks = known_marks(job);
    if (!a.ahead && !marks.empty() &&
        std::none_of(marks.begin(), marks.end(), [&](const std::string &m) { return in_group(a.words[1], m); }))
      require_known("mark or group", a.words[1], marks, false);
    nlohmann::json value;
    for (std::size_t i = 2; i < a.words.size(); ++i) {
      const auto [name, text] = name_value(a.words[i]);
      value[name] = typed_field<AskedThing>(name, text);
    }
    job.decide("set", "asked:" + a.words[1], value, a.because);
    return finish(job);
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
  return finish(job);
}

int cmd_hold(const Arguments &a, bool check) {
  Job &job = the_job(a);
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
  if (!given && !a.height && !job.snapshot()->published().count(a.mark) && !job.snapshot()->benchmarks().count(a.mark))
    throw InputError("nothing gives coordinates of \"" + a.mark +
                     "\": take a control list, or add --xyz, --geodetic or --grid");
  if (!a.sd.empty()) v["sd_enu"] = a.sd;
  if (!a.velocity.empty()) v["velocity"] = a.velocity;
  if (!a.frame.empty()) v["frame"] = a.frame;
  if (!a.coordinate_epoch.empty())
    v["epoch"] = fmt::format("{:.6f}", setting_value("epoch", a.coordinate_epoch).get<double>());
  job.decide("hold", a.mark, v, a.because);
  return finish(job);
}

void say(const Job &job, const char *what, long decision) {
  if (const Decision *d = job.decision(decision))
    print(fmt::format("{} {}: {}\n", what, decision, job.words().sentence(*d)));
}

int cmd_release(const Arguments &a) {
  Job &job = the_job(a);
  if (!job.state().holds.count(a.item)) {
    const auto marks = known_marks(job);
    if (std::find(marks.begin(), marks.end(), a.item) != marks.end())
      throw InputError("the mark " + a.item + " is not held");
    resolve(job, a.item, {"held"}, true); // says which are near
  }
  job.decide("release", a.item, nlohmann::json::object(), a.because);
  return finish(job);
}

const Occupation *occupation_of(const Job &job, const std::string &id) {
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.id == id) return &o;
  return nullptr;
}

int cmd_item(const Arguments &a, bool leave_out) {
  Job &job = the_job(a);
  if (leave_out && a.because.empty()) throw InputError("leaving something out needs --because");
  const auto items =
      resolve(job, a.item, {"occupation", "vector", "run", "reading", "setup", "pointing", "route", "source", "span"});
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
  return finish(job);
}

int cmd_solve(const Arguments &a) {
  if (a.what != "vectors") throw InputError("only vectors are solved in this version");
  Job &job = the_job(a);
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
  const auto keeper =
      std::make_shared<VectorKeeper>([&](std::vector<StoredResult> packed) { job.keep_vectors(packed); });
  const auto keep = [keeper](const VectorResult &solved) { (*keeper)(solved); };
  job.accept_vectors(solve_vectors(*job.snapshot(), job.vectors(), a.threads, progress, {}, keep));
  int fixed = 0, all = 0;
  for (const auto &r : job.vectors()) ++all, fixed += r.error.empty() && r.solved.solution == Solution::fixed;
  print(fmt::format("{} vectors, {} fixed\n", all, fixed));
  if (const std::string thinned = thinned_pairs(*job.snapshot()); !thinned.empty()) print(thinned + "\n");
  return finish(job);
}

int cmd_adjust(const Arguments &a) {
  Job &job = the_job(a);
  if (job.store().read_only()) throw InputError(a.job, 0, job.store().why_read_only() + ": nothing could be kept");
  const std::string mode = a.free ? "free" : a.minimal ? "minimal" : "held";
  if (mode != datum_mode_name(job.state().settings.mode))
    job.decide("set", "job", {{"mode", mode}}, "asked for with adjust");
  for (const VectorResult &v : job.vectors())
    if (v.stale && v.used) throw InputError("vectors are out of date: solve them again first");
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
  return finish(job);
}

int cmd_show(const Arguments &a) {
  Job &job = the_job(a);
  const auto r = rows(job, a.list, a.frame_of_rows == "job");
  print(a.json ? r.dump(1) + "\n" : table(r));
  return finish(job);
}

int cmd_report(const Arguments &a, int &argc, char **argv) {
  const Job &job = the_job(a);
  qputenv("QT_QPA_PLATFORM", "offscreen");
  QGuiApplication app(argc, argv);
  const std::string &file = a.files.at(0);
  if (a.traverses) {
    if (!write_traverse_data(job, file)) write_report(traverse_report(job), file);
  } else if (!a.levels || !write_level_data(job, file))
    write_report(a.levels ? level_report(job) : gnss_report(job), file);
  return finish(job);
}

int cmd_export(const Arguments &a) {
  const Job &job = the_job(a);
  const std::string id = occupation_id(job, a.item);
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.id == id) write_file(a.files.at(0), write_rinex_observation(corrected_file(o)));
  if (a.files.size() > 1) write_file(a.files[1], write_rinex_navigation(broadcast_messages(*job.snapshot())));
  return finish(job);
}

int cmd_trace(const Arguments &a) {
  Job &job = the_job(a);
  const auto steps = trace_mark(a.mark, *job.snapshot(), job.vectors(), job.network());
  if (steps.empty()) throw InputError("there is no mark \"" + a.mark + "\"");
  if (a.json)
    print(trace_rows(steps).dump(1) + "\n");
  else {
    // What matters fits on a screen; the rest is counted.
    constexpr int shown_branches = 8;
    int branch = 0, hidden = 0;
    for (const TraceStep &t : steps) {
      if (t.depth <= 1) ++branch;
      if (!a.all && branch > shown_branches) {
        hidden += t.depth <= 1;
        continue;
      }
      if (!a.all && t.depth > 3) continue;
      print(std::string(static_cast<std::size_t>(2 * t.depth), ' ') + t.text +
            (t.detail.empty() ? "" : ": " + t.detail) + "\n");
    }
    if (hidden) print(fmt::format("and {} more that move it less; --all shows them\n", hidden));
  }
  return finish(job);
}

int cmd_issue(const Arguments &a, int &argc, char **argv) {
  Job &job = the_job(a);
  IssueOptions o;
  o.marks = a.marks;
  o.unit = a.unit == "ft" ? LengthUnit::foot : a.unit == "us-ft" ? LengthUnit::us_foot : LengthUnit::metre;
  const bool provisional = !a.provisional.empty();
  IssuePackage p = provisional ? prepare_provisional(job, a.provisional, o.unit) : prepare_issue(job, o);
  qputenv("QT_QPA_PLATFORM", "offscreen");
  QGuiApplication app(argc, argv);
  const std::string name = provisional ? "provisional" : "control";
  p.files.emplace_back(name + ".html", render_html(p.sheet));
  p.files.emplace_back(name + ".pdf", render_pdf(p.sheet));
  const std::string also = issue_into(job, p, a.folder);
  const std::size_t heights = p.record.data.value("heights", nlohmann::json::array()).size();
  print(fmt::format("{} {} marks{}, record {}\n", provisional ? "handed out provisionally" : "issued",
                    p.record.data.at("marks").size(), heights ? fmt::format(" and {} heights", heights) : "",
                    p.record.id));
  if (!also.empty()) print(also + "\n");
  return finish(job);
}

/// A line taken apart at blanks; quotes keep them. Throws `InputError` for one that does not end.
std::vector<std::string> words_of(const std::string &line) {
  std::vector<std::string> out;
  std::string word;
  char quote = 0;
  bool open = false;
  for (char c : line) {
    if (quote) {
      if (c == quote)
        quote = 0;
      else
        word += c;
    } else if (c == '"' || c == '\'')
      quote = c, open = true;
    else if (c == ' ' || c == '\t' || c == '\r') {
      if (open || !word.empty()) out.push_back(std::move(word));
      word.clear(), open = false;
    } else
      word += c;
  }
  if (quote) throw InputError("a quotation is not ended");
  if (open || !word.empty()) out.push_back(std::move(word));
  return out;
}

/// Who decides from now on; empty: who is logged in.
void decide_as(const std::string &author) {
  if (author.empty())
    ::unsetenv("AMPLETIE_AUTHOR");
  else
    ::setenv("AMPLETIE_AUTHOR", author.c_str(), 1);
}

/// Whether a command does nothing but decide.
bool line_decides(const std::string &command) {
  for (const char *c : {"set", "hold", "check", "release", "leave-out", "use"})
    if (command == c) return true;
  return false;
}

/// All commands, bound to one set of arguments.
struct CommandLine {
  CLI::App app{"Ample Tie: control surveying from the command line"};
  Arguments a;
  std::function<int()> chosen;
  int argc;
  char **argv;
  CommandLine(int count, char **values);
  std::vector<std::string> commands() const;
  int batch(std::string file, bool stop); ///< by value: the arguments are cleared for each line
};

std::vector<std::string> CommandLine::commands() const {
  std::vector<std::string> out;
  for (const CLI::App *c : app.get_subcommands([](const CLI::App *) { return true; })) out.push_back(c->get_name());
  return out;
}

int CommandLine::batch(std::string file, bool stop) {
  if (in_batch) throw InputError("a batch cannot call another one");
  const std::string job = a.job;
  const char *before_batch = std::getenv("AMPLETIE_AUTHOR");
  const std::string author = before_batch ? before_batch : ""; // `--by` of a line counts for that line
  std::istringstream all(
      utf8_text(file == "-" ? std::string(std::istreambuf_iterator<char>(std::cin), {}) : read_file(file)));
  in_batch = true;
  the_job(a);
  std::string line;
  long number = 0, refused = 0;
  std::vector<long> pending; // lines of decisions that are not written yet
  const auto refuse = [&](long at, const std::string &why) {
    std::fprintf(stderr, "%s:%ld: %s\n", file.c_str(), at, why.c_str());
    ++refused;
  };
  const auto write = [&] {
    const std::vector<long> lines = std::exchange(pending, {});
    if (lines.empty()) return;
    try {
      for (const auto &[place, why] : sitting->end_batch()) refuse(lines.at(place), why);
    } catch (const std::exception &e) {
      for (long at : lines) refuse(at, reason_of(e, e.what()));
    }
  };
  auto written = std::chrono::steady_clock::now();
  while (std::getline(all, line)) {
    ++number;
    try {
      std::vector<std::string> words = words_of(line);
      if (words.empty() || words.front().front() == '#') continue;
      if (words.front() == "new" || words.front() == "simulate" || words.front() == "batch")
        throw InputError("\"" + words.front() + "\" is not about the open job");
      if (const auto known = commands(); std::find(known.begin(), known.end(), words.front()) == known.end())
        throw InputError("there is no command \"" + words.front() + "\"" + near_ones(words.front(), known));
      words.insert(words.begin() + 1, job);
      std::reverse(words.begin(), words.end()); // as the library takes them
      a = Arguments{};
      const bool decision = line_decides(words.back());
      app.parse(words);
      decide_as(a.by.empty() ? author : a.by);
      // Decisions are written together, every second; everything else sees them written.
      const auto now = std::chrono::steady_clock::now();
      if (!decision || now - written > std::chrono::seconds(1)) write(), written = now;
      if (decision && pending.empty() && !stop) sitting->begin_batch();
      const std::size_t before = sitting->decisions().size();
      try {
        refused += chosen() > 1;
      } catch (...) {
        for (std::size_t i = before; i < sitting->decisions().size() && decision && !stop; ++i)
          pending.push_back(number);
        if (decision && pending.empty() && !stop) sitting->end_batch();
        throw;
      }
      if (decision && !stop) {
        for (std::size_t i = before; i < sitting->decisions().size(); ++i) pending.push_back(number);
        if (pending.empty()) sitting->end_batch();
      }
    } catch (const CLI::CallForHelp &) {
      std::fputs(app.help().c_str(), stdout);
    } catch (const std::exception &e) {
      refuse(number, reason_of(e, e.what()));
    }
    if (refused && stop) break;
  }
  write();
  in_batch = false;
  return refused ? 2 : finish(*sitting);
}

CommandLine::CommandLine(int count, char **values) : argc(count), argv(values) {
  app.require_subcommand(1);
  auto command = [&](const char *name, const char *help, std::function<int()> f, bool has_job = true) {
    auto *c = app.add_subcommand(name, help);
    if (has_job) c->add_option("JOB", a.job, "the job file")->required();
    c->callback([this, f] { chosen = f; });
    return c;
  };
  auto because = [&](CLI::App *c) {
    c->add_option("--because", a.because, "the reason, kept with the decision");
    c->add_option("--by", a.by, "who decides, in place of the login name");
  };

  auto *c = command("new", "make a job", [this] { return cmd_new(a); });
  c->add_option("--crs", a.crs,
                "projected system, EPSG code; local:LAT:LON:H: a plane of the site's own; left away: heights alone");
  c->add_option("--vertical", a.vertical, "vertical system, EPSG code");
  c->add_option("--realisation", a.realisation, "frame that the datum stands for");
  c->add_option("--epoch", a.epoch, "date of the issued coordinates")->required();
  c->add_option("--title", a.title, "title");
  c = command("take", "take files into the job", [this] { return cmd_take(a); });
  c->add_option("FILE", a.files, "files, kinds are recognised by content")->required();
  c->add_option("--as", a.as, "levels or pointings: a text that no recipe knows yet")
      ->check(CLI::IsMember({"levels", "pointings"}));
  c = command("set", "correct an occupation, change settings, accept a doubt", [this] { return cmd_set(a); });
  c->add_option("WORDS", a.words,
                "occupation ID NAME=VALUE… | vector ID NAME=VALUE… | run ID NAME=VALUE… | reading FILE:LINE mark=NAME "
                "| staff NAME scale=PPM | setup MARK NAME=VALUE… | pointing FILE:LINE NAME=VALUE… | route NAME "
                "NAME=VALUE… | "
                "source FILE recipe=NAME|seen=yes | job|solve|limit|weight|levels|traverse NAME=VALUE… | accept DOUBT")
      ->required();
  c->add_flag("--ahead", a.ahead, "of something whose data come later");
  because(c);
  for (bool check : {false, true}) {
    c = command(check ? "check" : "hold", check ? "compare a mark with coordinates, never use them" : "hold a mark",
                [this, check] { return cmd_hold(a, check); });
    c->add_option("MARK", a.mark, "the mark")->required();
    c->add_option("--xyz", a.xyz, "geocentric, m")->expected(3);
    c->add_option("--geodetic", a.geodetic, "latitude, longitude, ellipsoidal height")->expected(3);
    c->add_option("--grid", a.grid, "east, north, physical height, m")->expected(3);
    c->add_option("--sd", a.sd,
                  "standard deviations east, north, up, m: published, or the spread of the station's series")
        ->expected(3);
    c->add_option("--height", a.height, "physical height alone, m: a benchmark");
    c->add_option("--height-sd", a.height_sd, "its standard deviation, m")->check(CLI::Range(0.0, 10.0));
    c->add_option("--velocity", a.velocity, "geocentric, m per year, in the frame of the coordinates")->expected(3);
    if (!check) c->add_flag("--weighted", a.weighted, "as observations with their published uncertainty");
    c->add_option("--only", a.only, "plan or height")->check(CLI::IsMember({"plan", "height"}));
    c->add_option("--frame", a.frame, "frame of the coordinates");
    c->add_option("--coordinate-epoch", a.coordinate_epoch, "epoch of the coordinates");
    c->add_flag("--ahead", a.ahead, "a mark whose data come later");
    because(c);
  }
  c = command("release", "hold a mark no longer", [this] { return cmd_release(a); });
  c->add_option("MARK", a.item, "the mark")->required();
  because(c);
  c = command("leave-out", "leave an occupation, a vector or a satellite's span out",
              [this] { return cmd_item(a, true); });
  c->add_option("ITEM", a.item, "id, or G07@2026-05-12T09:10:00/09:25:00")->required();
  because(c);
  c = command("use", "use something again", [this] { return cmd_item(a, false); });
  c->add_option("ITEM", a.item, "id as left out")->required();
  because(c);
  command("undo", "withdraw the last decision", [this] {
    Job &job = the_job(a);
    if (!job.can_undo()) throw InputError("there is nothing to undo");
    const long n = job.undo();
    say(job, "taken back, decision", n);
    return finish(job);
  });
  command("redo", "make the last withdrawn decision again", [this] {
    Job &job = the_job(a);
    if (!job.can_redo()) throw InputError("there is nothing to redo");
    const long n = job.redo();
    say(job, "made again, decision", n);
    return finish(job);
  });
  c = command("solve", "solve vectors", [this] { return cmd_solve(a); });
  c->add_option("WHAT", a.what, "vectors");
  c->add_option("--mask", a.mask, "elevation mask, degrees");
  c->add_option("--interval", a.interval, "seconds");
  c->add_option("--orbits", a.orbits, "broadcast or precise");
  c->add_option("--systems", a.systems, "letters out of G R E C J");
  c->add_option("--frequencies", a.frequencies, "at most this many per satellite");
  c->add_option("--sessions", a.sessions, "together or one by one");
  c->add_option("--pairs", a.pairs, "as needed or all, of receivers that logged with many others");
  c->add_option("--threads", a.threads, "0: all cores");
  c = command("adjust", "adjust the network", [this] { return cmd_adjust(a); });
  c->add_flag("--free", a.free, "no mark is favoured");
  c->add_flag("--minimal", a.minimal, "one held mark per group");
  c = command("show", "print a list", [this] { return cmd_show(a); });
  c->add_option("LIST", a.list, list_names())->required();
  c->add_flag("--json", a.json, "as JSON");
  c->add_option("--in", a.frame_of_rows, "job: vectors in the job's frame")->check(CLI::IsMember({"job", "orbits"}));
  c = command("report", "write the GNSS evidence or the level report", [this] { return cmd_report(a, argc, argv); });
  c->add_option("FILE", a.files, "ends in .html or .pdf, heights of levels in .csv")->required()->expected(1);
  c->add_flag("--levels", a.levels, "of the levels");
  c->add_flag("--traverses", a.traverses, "of the total stations");
  c = command("export", "write an occupation, as corrected, as RINEX 3.05", [this] { return cmd_export(a); });
  c->add_option("OCCUPATION", a.item, "id, mark or mark@start")->required();
  c->add_option("FILE", a.files, "observation file, and a navigation file if wanted")->required()->expected(1, 2);
  c = command("trace", "where a mark's coordinates come from", [this] { return cmd_trace(a); });
  c->add_option("MARK", a.mark, "the mark")->required();
  c->add_flag("--json", a.json, "as JSON, everything");
  c->add_flag("--all", a.all, "everything, not only what moves it most");
  c = command("issue", "issue control into a folder", [this] { return cmd_issue(a, argc, argv); });
  c->add_option("FOLDER", a.folder, "made if missing")->required();
  c->add_option("--marks", a.marks, "only these, separated by commas")->delimiter(',');
  c->add_option("--provisional", a.provisional, "provisional coordinates of this traverse instead, marked as such");
  c->add_option("--units", a.unit, "m, ft or us-ft")->check(CLI::IsMember({"m", "ft", "us-ft"}));
  c = command(
      "simulate", "make a field campaign from a scenario",
      [this] {
        const std::string text = read_file(a.scenario);
        if (level::is_level_scenario(text))
          level::simulate_to(level::read_scenario(text), a.folder);
        else if (station::is_station_scenario(text))
          station::simulate_to(station::read_scenario(text), a.folder);
        else
          sky::simulate_to(sky::read_scenario(text), a.folder);
        return 0;
      },
      false);
  c->add_option("SCENARIO", a.scenario, "scenario file")->required();
  c->add_option("FOLDER", a.folder, "where the files go")->required();

  c = command("batch", "do many commands on one open job, one a line, without \"ample\" and the job's name",
              [this] { return batch(a.files.at(0), a.all); });
  c->add_option("FILE", a.files, "the lines; - reads them from the standard input")->required()->expected(1);
  c->add_flag("--stop", a.all, "end at the first line that is refused");
}

int run(int argc, char **argv) {
  CommandLine line(argc, argv);
  try {
    line.app.parse(argc, argv);
  } catch (const CLI::ParseError &e) {
    const int code = line.app.exit(e);
    return code == 0 ? 0 : 2;
  }
  if (!line.a.by.empty()) decide_as(line.a.by);
  const int code = line.chosen();
  sitting.reset();
  return code;
}

} // namespace
} // namespace ampletie::cli

int main(int argc, char **argv) {
  try {
    return ampletie::cli::run(argc, argv);
  } catch (const ampletie::InputError &e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 2;
  } catch (const std::exception &e) {
    std::fprintf(stderr, "internal error: %s\n", e.what());
    return 3;
  }
}
