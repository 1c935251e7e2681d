#include "cli/kept_lists.h"
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <sys/stat.h>
#include <unistd.h>

namespace ampletie::cli {
namespace {
namespace fs = std::filesystem;

std::string environment(const char *name) {
  const char *v = std::getenv(name);
  return v ? v : "";
}

std::string moment(const timespec &t) { return std::to_string(t.tv_sec) + "." + std::to_string(t.tv_nsec); }

/// Device, inode, size and times; "-" for what is not there.
std::string state_of(const std::string &file) {
  struct stat s {};
  if (::stat(file.c_str(), &s) != 0) return "-";
  return std::to_string(s.st_dev) + ":" + std::to_string(s.st_ino) + ":" + std::to_string(s.st_size) + ":" +
         moment(s.st_mtim) + ":" + moment(s.st_ctim);
}

fs::path cache_folder() {
  fs::path base = environment("XDG_CACHE_HOME");
  if (base.empty() || base.is_relative()) {
    if (environment("HOME").empty()) return {};
    base = fs::path(environment("HOME")) / ".cache";
  }
  return base / "ample-tie" / "lists";
}

std::string real_path(const std::string &file) {
  std::error_code e;
  const fs::path real = fs::canonical(file, e);
  return e ? "" : real.string();
}

fs::path kept_file(const std::string &job) {
  const fs::path folder = cache_folder();
  if (folder.empty()) return {};
  std::ostringstream name;
  name << std::hex << std::hash<std::string>{}(real_path(job)); // the stamp inside tells jobs apart
  return folder / (name.str() + ".lists");
}

void remove_old(const fs::path &folder) {
  std::error_code e;
  for (const auto &entry : fs::directory_iterator(folder, e)) {
    const auto age = fs::file_time_type::clock::now() - entry.last_write_time(e);
    if (!e && age > std::chrono::hours(24 * 60)) fs::remove(entry.path(), e);
  }
}

} // namespace

std::string job_stamp(const std::string &job, const std::string &program) {
  const std::string real = real_path(job);
  std::error_code e;
  if (real.empty() || fs::exists(real + "-journal", e)) return {};
  char header[28] = {};
  if (std::ifstream in(real, std::ios::binary); !in.read(header, sizeof header)) return {};
  std::ostringstream out;
  out << "lists 1|" << real << "|" << state_of(real) << "|";
  for (int i = 24; i < 28; ++i) out << static_cast<int>(static_cast<unsigned char>(header[i])) << "."; // its changes
  out << "|" << state_of(program);
  const std::string home =
      environment("XDG_DATA_HOME").empty() ? environment("HOME") + "/.local/share" : environment("XDG_DATA_HOME");
  for (const std::string &folder : {environment("PROJ_DATA"), environment("PROJ_LIB"), home + "/proj",
                                    std::string("/usr/share/proj"), std::string("/usr/local/share/proj")})
    out << "|" << folder << "=" << state_of(folder);
  out << "|" << environment("PROJ_NETWORK");
  const std::string stamp = out.str();
  return stamp.find('\n') == std::string::npos ? stamp : "";
}

std::optional<KeptLists> read_kept(const std::string &job, const std::string &stamp) {
  const fs::path file = kept_file(job);
  if (stamp.empty() || file.empty()) return {};
  std::ifstream in(file, std::ios::binary);
  std::string line;
  if (!std::getline(in, line) || line != stamp) return {};
  KeptLists out;
  std::error_code e;
  const auto most = fs::file_size(file, e); // a damaged length is not taken at its word
  if (e || !std::getline(in, line)) return {};
  out.code = std::atoi(line.c_str());
  while (std::getline(in, line)) { // name, length, text
    const auto cut = line.rfind(' ');
    const auto length = cut == std::string::npos ? most + 1 : std::strtoull(line.c_str() + cut, nullptr, 10);
    if (length > most) return {};
    std::string text(length, '\0');
    if (!in.read(text.data(), static_cast<std::streamsize>(text.size()))) return {};
    out.texts[line.substr(0, cut)] = std::move(text);
    in.get();
  }
  return out;
}

void write_kept(const std::string &job, const std::string &stamp, const KeptLists &lists) {
  const fs::path file = kept_file(job);
  if (stamp.empty() || file.empty()) return;
  std::error_code e;
  fs::create_directories(file.parent_path(), e);
  fs::permissions(file.parent_path(), fs::perms::owner_all, e);
  if (e) return;
  remove_old(file.parent_path());
  const fs::path fresh = file.string() + "." + std::to_string(::getpid());
  {
    std::ofstream out(fresh, std::ios::binary);
    out << stamp << '\n' << lists.code << '\n';
    for (const auto &[name, text] : lists.texts) out << name << ' ' << text.size() << '\n' << text << '\n';
    out.close();
    if (!out) {
      fs::remove(fresh, e);
      return;
    }
  }
  fs::rename(fresh, file, e);
  if (e) fs::remove(fresh, e);
}

} // namespace ampletie::cli
