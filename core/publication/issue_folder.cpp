#include "publication/issue_folder.h"
#include "base/error.h"
#include "base/text.h"
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <stdio.h>
#include <sys/stat.h>

namespace ampletie {
namespace {
namespace fs = std::filesystem;

enum class There { nothing, empty, earlier_issue };

There look_at(const fs::path &folder) {
  std::error_code e;
  const fs::file_status s = fs::symlink_status(folder, e);
  if (!fs::exists(s)) return There::nothing;
  if (fs::is_symlink(s)) throw InputError(folder.string(), 0, "is a link to another place: name the folder itself");
  if (!fs::is_directory(s)) throw InputError(folder.string(), 0, "is a file: name a folder");
  if (fs::is_empty(folder, e) && !e) return There::empty;
  if (fs::is_regular_file(fs::symlink_status(folder / "record.json", e))) return There::earlier_issue;
  throw InputError(folder.string(), 0, "holds other files: name a folder that is new, empty or holds an earlier issue");
}

/// What a program that was killed left behind; younger ones may be another program's.
void remove_leftovers(const fs::path &parent, const std::string &prefix) {
  std::error_code e;
  for (const auto &entry : fs::directory_iterator(parent, e)) {
    if (entry.path().filename().string().rfind(prefix, 0) != 0 || !entry.is_directory(e)) continue;
    const auto age = fs::file_time_type::clock::now() - entry.last_write_time(e);
    if (!e && age > std::chrono::hours(1)) fs::remove_all(entry.path(), e);
  }
}

std::string id_in(const fs::path &folder) {
  try {
    const auto j = nlohmann::json::parse(read_file((folder / "record.json").string()), nullptr, false);
    if (j.is_object()) return j.value("id", "earlier");
  } catch (const std::exception &) {
  }
  return "earlier";
}

} // namespace

std::string issue_into(Job &job, const IssuePackage &p, const std::string &folder) {
  if (job.store().read_only()) throw InputError(job.store().path(), 0, job.store().why_read_only());
  fs::path target = fs::absolute(folder).lexically_normal();
  if (target.filename().empty()) target = target.parent_path();
  There there = look_at(target);
  std::error_code e;
  fs::create_directories(target.parent_path(), e);
  if (e) throw InputError(folder, 0, "cannot be made: " + e.message());
  const std::string prefix = "." + target.filename().string() + ".issuing-";
  remove_leftovers(target.parent_path(), prefix);
  std::string temporary = (target.parent_path() / (prefix + "XXXXXX")).string();
  if (!::mkdtemp(temporary.data())) throw InputError(folder, 0, std::string("cannot be made: ") + std::strerror(errno));
  try {
    ::chmod(temporary.c_str(), permitted(0777));
    for (const auto &[name, bytes] : p.files) write_file(temporary + "/" + name, bytes);
    write_file(temporary + "/record.json", p.record.text);
    job.add_issue_record(p.record);
  } catch (...) {
    fs::remove_all(temporary, e);
    throw;
  }
  std::string said;
  there = look_at(target);
  if (there == There::earlier_issue) {
    fs::path aside = target.string() + " (" + id_in(target) + ")";
    for (int n = 2; fs::exists(fs::symlink_status(aside, e)); ++n)
      aside = fmt::format("{} ({}, {})", target.string(), id_in(target), n);
    if (::renameat2(AT_FDCWD, temporary.c_str(), AT_FDCWD, target.c_str(), RENAME_EXCHANGE) == 0) {
      fs::rename(temporary, aside, e);
    } else { // file systems that cannot exchange
      fs::rename(target, aside, e);
      if (!e) fs::rename(temporary, target, e);
    }
    said = "the earlier issue is kept as " + aside.filename().string();
  } else
    fs::rename(temporary, target, e);
  if (e)
    throw InputError(folder, 0,
                     fmt::format("{} is recorded in the job, but its folder could not get its name ({}): its files are "
                                 "in {}",
                                 p.record.id, e.message(), temporary));
  sync_folder(target.parent_path().string());
  return said;
}

} // namespace ampletie
