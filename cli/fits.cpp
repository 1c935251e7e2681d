#include "cli/fits.h"
#include "base/error.h"
#include "base/near.h"
#include "base/text.h"
#include "cli/names.h"
#include "cli/sources.h"
#include "publication/also_files.h"
#include "results/fit_record.h"
#include "results/job_results.h"
#include <fmt/format.h>

namespace ampletie::cli {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

json fit_value(const Job &job, const std::string &name, const std::string &text) {
  if (name != "list" || text.empty()) return typed_field<FitThing>(name, text);
  const std::string id = resolve_one(job, text, "source");
  for (const SourceContent &c : job.snapshot()->contents())
    if (c.source.id == id && (c.control || c.fit)) return id;
  throw InputError("\"" + text + "\" is no list of coordinates, and no frame fit");
}

void require_in_list(const Job &job, const std::string &fit, const std::string &name) {
  const auto f = job.state().fits.find(fit);
  std::vector<std::string> names;
  for (const SourceContent &c : job.snapshot()->contents())
    if (c.control && f != job.state().fits.end() && f->second.list.value == c.source.id)
      for (const ControlRow &r : c.control->rows) names.push_back(r.mark);
  if (std::find(names.begin(), names.end(), name) == names.end())
    throw InputError("the list of " + fit + " has no \"" + name + "\"" + near_ones(name, names));
}
} // namespace

void set_fit(Job &job, const std::vector<std::string> &words, const std::string &because, bool ahead) {
  const bool pair = words[0] == "pair";
  const std::size_t first = pair ? 3 : 2;
  if (words.size() <= first)
    throw InputError(pair ? "say of which system and mark, and NAME=VALUE" : "say which system, and NAME=VALUE");
  const std::string &fit = words[1];
  check_name(fit, "the name of the system");
  if (fit.find('|') != std::string::npos) throw InputError("the name of a system cannot have a bar");
  json value;
  if (!pair) {
    for (std::size_t i = first; i < words.size(); ++i) {
      const auto [name, text] = name_value(words[i]);
      value[name] = fit_value(job, name, text);
    }
    if (!job.state().fits.count(fit) && !value.contains("list") && !value.contains("mark"))
      throw InputError("there is no fit \"" + fit +
                       "\": begin with list=FILE, the coordinates in that system, or with "
                       "mark=NAME at_east=… at_north=… toward=NAME bearing=…");
    job.decide("set", "fit:" + fit, value, because);
    return;
  }
  std::vector<std::string> fits;
  for (const auto &[name, f] : job.state().fits) fits.push_back(name);
  require_known("fit", fit, fits, false);
  require_mark(job, words[2], ahead);
  for (std::size_t i = first; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    value[name] = typed_field<PairThing>(name, text);
    if (name == "with" && !text.empty()) require_in_list(job, fit, text);
  }
  job.decide("set", "pair:" + fit + "|" + words[2], value, because);
}

void set_also(Job &job, const std::vector<std::string> &words, const std::string &because) {
  if (words.size() < 3)
    throw InputError("say a name for the system, and crs=CODE; of an older datum also through=GRID");
  check_name(words[1], "the name of the system");
  json value;
  for (std::size_t i = 2; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    value[name] =
        name == "through" && !text.empty() ? json(shift_grid_named(job, text)) : typed_field<AlsoThing>(name, text);
  }
  if (!job.state().also.count(words[1]) && !value.contains("crs"))
    throw InputError("there is no further system \"" + words[1] + "\": say its grid, as crs=EPSG:25832");
  job.decide("set", "also:" + words[1], value, because);
}

ordered_json also_list(const Job &job) {
  std::set<std::string> all;
  if (const NetworkRun *run = job.network())
    for (const AdjustedMark &m : run->result.marks) all.insert(m.name);
  return also_rows(job.snapshot()->get(also_result()), all);
}

ordered_json fit_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const JobFit &f : job.snapshot()->get(fits_result())) out.push_back(to_json(f, job.state().settings.datum));
  return out;
}

ordered_json fit_pair_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const JobFit &f : job.snapshot()->get(fits_result()))
    for (auto &row : pair_rows(f)) out.push_back(std::move(row));
  return out;
}

} // namespace ampletie::cli
