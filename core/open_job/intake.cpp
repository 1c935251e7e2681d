#include "open_job/intake.h"
#include "base/error.h"
#include "base/parallel.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/landxml_survey.h"
#include "formats/point_recipe.h"
#include "formats/recipe_reading.h"
#include "open_job/job.h"
#include "traverse/field_book.h"
#include <filesystem>
#include <fmt/format.h>

namespace ampletie {
namespace {

std::size_t pointings(const FieldBook &b) {
  std::size_t n = 0;
  for (const StationSetup &s : b.setups) n += s.pointings.size();
  return n;
}

/// A control list: how many marks, or what its columns seem to be.
std::string describe_list(const SourceContent &c, const std::vector<Recipe> &recipes) {
  if (!c.control) {
    std::vector<Recipe> own = recipes;
    std::erase_if(own, [](const Recipe &r) { return r.reads != "control"; });
    if (const auto best = best_recipe(own, *c.text, 0.3))
      return fmt::format("control list, read with \"{}\" ({:.0f} %)", own[best->index].name, 100 * best->score);
    const auto proposed = proposed_points_recipe(*c.text, c.source.name);
    return fmt::format(
        "a list of marks without heads that are known{}: none of it is used until that is said under Datum, "
        "Lists",
        proposed ? "; its columns seem to be " + columns_in_words(*proposed) : "");
  }
  std::string extra;
  for (const auto &u : c.control->unread_columns) extra += (extra.empty() ? ", columns not read: " : ", ") + u;
  if (c.control->passed_over)
    extra += fmt::format(", {} passed over (provisional, or solutions before the last)", c.control->passed_over);
  return fmt::format("control list with {} mark{}{}", c.control->rows.size(), c.control->rows.size() == 1 ? "" : "s",
                     extra);
}

/// A list of vectors or stops.
std::string describe_rows(const SourceContent &c, const std::vector<Recipe> &recipes) {
  if (c.stops) {
    std::string unread;
    for (const std::string &u : c.stops->unread_columns) unread += (unread.empty() ? "; not read: " : ", ") + u;
    const std::size_t n = c.stops->rows.size();
    return fmt::format("{} stop{} of a moving receiver{}", n, n == 1 ? "" : "s", unread);
  }
  if (c.measured) {
    const auto fixes =
        std::count_if(c.measured->rows.begin(), c.measured->rows.end(), [](const MeasuredRow &r) { return r.fix(); });
    std::string unread;
    for (const std::string &u : c.measured->unread_columns)
      unread += (unread.empty() ? "; columns not read: " : ", ") + u;
    return fmt::format("{} vectors and {} fixes that others measured (Network, Measured){}",
                       static_cast<long>(c.measured->rows.size()) - fixes, fixes, unread);
  }
  std::vector<Recipe> own = recipes;
  std::erase_if(own, [&](const Recipe &r) { return r.reads != c.source.kind; });
  const std::string what = c.source.kind == "stops" ? "stops of a moving receiver" : "vectors or fixes of others";
  if (const auto best = best_recipe(own, *c.text, 0.3))
    return fmt::format("{}, read with \"{}\" ({:.0f} %)", what, own[best->index].name, 100 * best->score);
  return fmt::format("text taken as {}: no recipe knows it; none of it is used until its columns are said (Intake, "
                     "Lists)",
                     what);
}

std::string describe(const SourceContent &c, const std::vector<Recipe> &recipes) {
  std::string out;
  for (const auto &f : c.sites) {
    out += out.empty() ? "" : "; ";
    out += fmt::format("observations{} {}, {} to {}, {} epochs", f->moving ? " of a moving antenna after" : " at",
                       f->marker.empty() ? "an unnamed mark" : f->marker, iso(f->start).substr(0, 16),
                       iso(f->stop).substr(11, 5), f->epochs);
    if (!f->cut_off.empty()) out += fmt::format(" (cut off at its end, {})", f->cut_off);
    if (f->repeated_epochs) out += fmt::format(" ({} repeated epochs stepped over)", f->repeated_epochs);
  }
  if (c.navigation)
    out += fmt::format(
        "{}broadcast orbits, {} messages{}{}", out.empty() ? "" : "; ", c.navigation->size(),
        c.navigation->skipped ? fmt::format(" ({} of other kinds not used)", c.navigation->skipped) : "",
        c.navigation->without_channel
            ? fmt::format(" ({} of GLONASS left out: their frequency number is none)", c.navigation->without_channel)
            : "");
  if (!out.empty()) return out;
  if (c.clock) return fmt::format("clocks of {} satellites", c.clock->satellites.size());
  if (c.ionosphere) return fmt::format("{} ionosphere maps", c.ionosphere->maps.size());
  if (c.ocean_loading) return fmt::format("ocean loading coefficients of {} places", c.ocean_loading->size());
  if (c.geoid)
    return fmt::format("geoid grid \"{}\", {} × {} nodes, {}{}; heights go through it once it is chosen", c.geoid->name,
                       c.geoid->rows, c.geoid->columns, c.geoid->extent_words(),
                       c.geoid->tide.empty() ? "" : ", " + c.geoid->tide);
  if (c.shift)
    return fmt::format("grid of shifts from {} to {}, {}; a control list in the older datum can go through it (Datum, "
                       "Lists), and so can the job's grid (shifts=yes)",
                       c.shift->from, c.shift->to, c.shift->extent_words());
  if (c.source.kind == "vectors" || c.source.kind == "stops") return describe_rows(c, recipes);
  if (c.linework) return linework_words(*c.linework);
  if (c.attachment)
    return fmt::format(
        "{}{}, kept as it is; nothing that stands in it is read. It belongs to nothing until it was said "
        "to what (of)",
        c.attachment->type,
        c.attachment->lat_deg
            ? fmt::format(", taken at {:.5f}° {:.5f}°", *c.attachment->lat_deg, *c.attachment->lon_deg)
            : std::string());
  if (c.fit)
    return fmt::format(
        "frame fit \"{}\", plan by {}, height by {}, with {} marks; it leads nowhere until a system is begun "
        "with it (Datum, Frame fits)",
        c.fit->name, c.fit->plan, c.fit->height, c.fit->pairs.size());
  if (c.sp3) return fmt::format("precise orbits in {}, {} epochs", c.sp3->frame, c.sp3->epochs.size());
  if (c.antex) return fmt::format("calibrations of {} antennas", c.antex->receivers.size());
  if (c.antenna_points) return fmt::format("dimensions of {} antenna points", c.antenna_points->size());
  if (c.recipe) return fmt::format("recipe \"{}\" for {}", c.recipe->name, c.recipe->reads);
  if (c.text && looks_like_landxml_survey(*c.text)) {
    const FieldBook book = build_field_book(read_landxml_survey(*c.text), c.source.id);
    return fmt::format("LandXML survey, {} set-ups, {} pointings{}", book.setups.size(), pointings(book),
                       book.reading.unread ? fmt::format(", {} pieces unread", book.reading.unread) : "");
  }
  if (c.source.kind == "levels" || c.source.kind == "pointings") {
    const bool levels = c.source.kind == "levels";
    std::vector<Recipe> own = recipes;
    std::erase_if(own, [&](const Recipe &r) { return r.reads != c.source.kind; });
    const auto best = best_recipe(own, *c.text);
    if (!best)
      return fmt::format("text taken as {}: no recipe knows it, say what it means under {}, Files", c.source.kind,
                         levels ? "Levels" : "Traverse");
    const Recipe &recipe = own[best->index];
    if (!levels) {
      const FieldBook book = read_field_book(recipe, *c.text, c.source.id);
      return fmt::format("field book of a total station, {} set-ups, {} pointings, read with \"{}\" ({:.0f} %){}",
                         book.setups.size(), pointings(book), recipe.name, 100 * best->score,
                         book.reading.unread ? fmt::format(", {} pieces unread", book.reading.unread) : "");
    }
    const RecipeReading q = read_with(recipe, *c.text, {}, 0, [](const RecipeRecord &) {});
    return fmt::format("levels, {} records, read with \"{}\" ({:.0f} %){}", q.count, recipe.name, 100 * best->score,
                       q.unread ? fmt::format(", {} pieces unread", q.unread) : "");
  }
  if (c.source.kind == "control") return describe_list(c, recipes);
  return "";
}

/// Reads one file; what is wrong with it becomes a sentence.
void read_one(ReadFiles::File &f, const std::vector<Recipe> &recipes, const std::string &as) {
  if (!f.refused.empty()) return;
  try {
    check_name(f.name, "the name of the file");
    f.content = read_source(f.name, f.bytes, recipes, as);
    f.what = describe(f.content, recipes);
  } catch (const InputError &e) {
    f.refused = e.line() ? fmt::format("line {}: {}", e.line(), e.reason()) : e.reason();
  } catch (const std::bad_alloc &) {
    f.refused = "it asks for more memory than there is";
  } catch (const std::exception &e) {
    f.refused = std::string("it cannot be read: ") + e.what();
  }
}

void read_all(ReadFiles &all, const Contents &have) {
  std::vector<Recipe> recipes = job_recipes(have);
  // Recipes first: what comes with them may need them.
  const auto others = std::stable_partition(all.files.begin(), all.files.end(),
                                            [](const auto &f) { return looks_like_recipe(f.bytes); });
  for (auto f = all.files.begin(); f != others; ++f) {
    read_one(*f, recipes, all.as);
    if (f->content.recipe) recipes.push_back(*f->content.recipe);
  }
  const auto first = static_cast<std::size_t>(others - all.files.begin());
  fetch_and_work(
      all.files.size() - first, [&](std::size_t i) { return first + i; },
      [&](std::size_t, std::size_t i) { read_one(all.files[i], recipes, all.as); });
}

} // namespace

ReadFiles read_files(const std::vector<std::string> &paths, const std::string &as, const Contents &have) {
  ReadFiles out;
  out.as = as;
  for (const std::string &p : paths) {
    ReadFiles::File f;
    f.name = printable(utf8_text(std::filesystem::path(p).filename().string()));
    try {
      if (std::filesystem::is_directory(p)) throw InputError(f.name, 0, "a folder: drop the files in it");
      f.bytes = read_file(p);
    } catch (const InputError &e) {
      f.refused = e.reason();
    }
    out.files.push_back(std::move(f));
  }
  read_all(out, have);
  return out;
}

ReadFiles read_bytes(const std::vector<std::pair<std::string, std::string>> &files, const std::string &as,
                     const Contents &have) {
  ReadFiles out;
  out.as = as;
  for (const auto &[name, bytes] : files) {
    ReadFiles::File f;
    f.name = name, f.bytes = bytes;
    out.files.push_back(std::move(f));
  }
  read_all(out, have);
  return out;
}

std::vector<Intake> Job::take(const std::vector<std::string> &paths, const std::string &as) {
  return take_read(read_files(paths, as, *contents_));
}

std::vector<Intake> Job::take_bytes(const std::vector<std::pair<std::string, std::string>> &files,
                                    const std::string &as) {
  return take_read(read_bytes(files, as, *contents_));
}

std::vector<Intake> Job::take_read(ReadFiles files) {
  std::vector<Intake> out;
  std::vector<std::pair<Source, std::string>> fresh;
  Contents read;
  std::size_t books = 0; // everything that hangs on a book is some forty times its size
  for (const auto &c : *contents_) books += book_bytes(c);
  for (ReadFiles::File &f : files.files) {
    SourceContent &c = f.content;
    const auto same = [&](const SourceContent &k) { return k.source.id == c.source.id; };
    if (f.refused.empty() &&
        (std::any_of(contents_->begin(), contents_->end(), same) || std::any_of(read.begin(), read.end(), same))) {
      out.push_back({f.name, "already here", Intake::Outcome::already_here});
      continue;
    }
    if (f.refused.empty() && book_bytes(c) > 0 && books + book_bytes(c) > most_book_bytes)
      f.refused = "level and field books of one job are held to 20 MB together: make another job for it";
    if (!f.refused.empty()) {
      out.push_back({f.name, f.refused, Intake::Outcome::refused});
      continue;
    }
    books += book_bytes(c);
    const bool name_taken =
        std::any_of(contents_->begin(), contents_->end(), [&](const auto &k) { return k.source.name == f.name; });
    c.source.order = static_cast<long>(contents_->size() + read.size()) + 1;
    c.source.taken_at = utc_now();
    out.push_back({f.name,
                   f.what + (name_taken ? "; a different file of this name is already here, both are kept" : ""),
                   name_taken ? Intake::Outcome::same_name_other_content : Intake::Outcome::taken});
    fresh.emplace_back(c.source, std::move(f.bytes));
    read.push_back(std::move(c));
  }
  if (fresh.empty()) return out;
  store_.add_sources(fresh);
  std::map<std::string, nlohmann::json> sites;
  for (SourceContent &c : read)
    if (nlohmann::json kept = rest_in_file(c); !kept.is_null()) sites[c.source.id] = std::move(kept);
  keep_sites(std::move(sites));
  for (const auto &c : *contents_) read.push_back(c);
  std::sort(read.begin(), read.end(), [](const auto &a, const auto &b) { return a.source.id < b.source.id; });
  contents_ = std::make_shared<const Contents>(std::move(read));
  look_again();
  return out;
}

} // namespace ampletie
