#include "cli/sources.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/near.h"
#include "base/text.h"
#include "cli/names.h"
#include "results/record_marks.h"
#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace ampletie::cli {
namespace {
using nlohmann::json;

/// What can be said of a source, by what it holds: a file may have sights and vectors.
struct Sayable {
  std::string words; ///< "a geoid grid"
  std::set<std::string> fields;
};

Sayable sayable(const Job &job, const std::string &id) {
  const JobSnapshot &s = *job.snapshot();
  Sayable out;
  const auto add = [&](const char *words, const std::set<std::string> &fields) {
    out.words += (out.words.empty() ? "" : " and ") + std::string(words);
    out.fields.insert(fields.begin(), fields.end());
  };
  for (const SourceContent &c : s.contents()) {
    if (c.source.id != id) continue;
    const auto fix = [](const MeasuredRow &r) { return r.fix(); };
    if (c.measured && std::any_of(c.measured->rows.begin(), c.measured->rows.end(), fix))
      add("a list of fixes", {"bases"});
    else if (c.measured)
      add("a list of vectors", {});
    if (c.stops) add("a list of stops", {"add_seconds"});
    if (c.solution) add("a solution", {"vectors"});
    if (is_record(c)) add("an issue record", {"observed"});
    if (c.attachment) add("a picture or a paper", {"of"});
    if (c.shift) add("a grid of shifts", {"shifts"});
    if (c.geoid) add("a geoid grid", {"geoid", "interpolation", "accuracy"});
  }
  const auto &control = s.lists();
  if (std::any_of(control.begin(), control.end(), [&](const ListSource &l) { return l.source_id == id; })) {
    std::set<std::string> all;
    for (const auto &f : SourceThing::fields()) all.insert(f.name);
    for (const char *other :
         {"bases", "vectors", "observed", "of", "shifts", "geoid", "interpolation", "accuracy", "add_seconds"})
      all.erase(other);
    add("a control list", all);
  } else if (recipe_source(s, id))
    add("read with a recipe", {"recipe", "seen"});
  return out;
}

/// The place and the reach of a job's marks.
std::pair<Geodetic, double> around(const Job &job) {
  const JobSnapshot &s = *job.snapshot();
  if (!s.centre()) throw InputError("nothing says yet where the job is: take observations or a control list first");
  double reach = 0;
  const auto add = [&](const Vec3 &xyz) { reach = std::max(reach, (xyz - *s.centre()).norm()); };
  for (const Occupation &o : s.occupations())
    if (o.file->approximate.norm() > 6e6) add(o.file->approximate);
  const JobDatum datum = job_datum(s);
  for (const auto &[name, p] : s.published()) try {
      add(published_in_job(p, datum, operation_policy(s.state().settings)).xyz);
    } catch (const InputError &) {
      // it has a doubt of its own
    }
  return {to_geodetic(*s.centre()), reach};
}
} // namespace

std::string shift_grid_named(const Job &job, const std::string &word) {
  const std::string grid = resolve_one(job, word, "source");
  for (const SourceContent &c : job.snapshot()->contents())
    if (c.source.id == grid && !c.shift) throw InputError("\"" + word + "\" is no grid of shifts");
  return grid;
}

void set_source(Job &job, const std::vector<std::string> &words, const std::string &because) {
  if (words.size() < 3) throw InputError("say which one and NAME=VALUE");
  const std::string id = resolve_one(job, words[1], "source");
  const Sayable can = sayable(job, id);
  if (can.words.empty())
    throw InputError("\"" + words[1] +
                     "\" is no control list, level file, field book, geoid grid, grid of shifts or list of vectors: "
                     "nothing can be said of it");
  for (std::size_t i = 2; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    if (find_field(SourceThing::fields(), name) && !can.fields.count(name))
      throw InputError("\"" + words[1] + "\" is " + can.words + ": it has no \"" + name + "\"");
    json v;
    if (name == "through" && !text.empty())
      v["through"] = shift_grid_named(job, text);
    else if (name == "recipe") {
      std::vector<std::string> all;
      for (const Recipe &r : job_recipes(job.snapshot()->contents(), recipe_source(*job.snapshot(), id)->used->reads))
        all.push_back(r.name);
      if (std::find(all.begin(), all.end(), text) == all.end())
        throw InputError("there is no recipe \"" + text + "\"" + near_ones(text, all) + ": take its file first");
      v["recipe"] = text;
    } else if (name == "of" && !text.empty()) {
      // A mark's name, or an occupation by whatever names it.
      const auto marks = known_marks(job);
      v["of"] =
          std::find(marks.begin(), marks.end(), text) != marks.end() ? text : resolve_one(job, text, "occupation");
    } else
      v[name] = typed_field<SourceThing>(name, text);
    job.decide("set", "source:" + id, v, because);
  }
}

std::string cut_grid(const Arguments &a) {
  const std::string &from = a.files.at(0), &to = a.files.at(1);
  const std::string end = lower(std::filesystem::path(to).extension().string());
  if (end != ".gtx" && end != ".isg") throw InputError("a grid is written as .gtx or .isg, not as \"" + to + "\"");
  if (a.centre.empty() == a.of_job.empty()) throw InputError("say around what: --centre LAT LON, or --job JOB");
  const SourceContent c = read_source(std::filesystem::path(from).filename().string(), read_file(from), {});
  if (!c.geoid) throw InputError(from, 0, "it is no grid of a geoid");
  Geodetic centre;
  double reach = 0;
  if (!a.centre.empty()) {
    const auto lat = parse_angle_deg(a.centre[0]), lon = parse_angle_deg(a.centre[1]);
    if (!lat || !lon || std::abs(*lat) > 90 || std::abs(*lon) > 360)
      throw InputError("the latitude and longitude of the centre cannot be read");
    centre = {radians(*lat), radians(*lon), 0};
  } else
    std::tie(centre, reach) = around(Job::open(a.of_job));
  const double radius = reach + 1000 * a.radius;
  const HeightGrid part = cut_out(*c.geoid, centre, radius);
  const double edge = distance_to_edge(part, centre);
  write_file(to, end == ".gtx" ? write_gtx(part) : write_isg(part));
  std::string out = fmt::format("{} × {} nodes of {}: {}", part.rows, part.columns, c.geoid->name, part.extent_words());
  if (edge < radius) out += fmt::format("; the grid ends {:.1f} km from the centre", edge / 1000);
  return out;
}

} // namespace ampletie::cli
