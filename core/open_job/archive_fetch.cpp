#include "open_job/archive_fetch.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>

namespace ampletie {
namespace {
namespace fs = std::filesystem;
constexpr std::size_t most_index_bytes = std::size_t{64} << 20;

/// What is kept of a file that is on its way.
class Part {
public:
  Part(const std::string &folder, const ArchiveFile &f) : path_(fs::path(folder) / (f.sha256 + ".part")) {
    fs::create_directories(folder);
  }
  std::uint64_t size() const {
    std::error_code e;
    const auto n = fs::file_size(path_, e);
    return e ? 0 : n;
  }
  void forget() {
    out_.close();
    std::error_code e;
    fs::remove(path_, e);
  }
  /// What comes is appended, or stands anew from its beginning.
  void open(bool anew) {
    out_.close(), out_.clear();
    out_.open(path_, std::ios::binary | (anew ? std::ios::trunc : std::ios::app));
  }
  bool add(std::string_view bytes) {
    out_.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    return out_.good();
  }
  void close() { out_.close(); }
  std::string bytes() { return read_file(path_.string()); }

private:
  fs::path path_;
  std::ofstream out_;
};
} // namespace

std::string ArchiveFetch::default_kept() {
  const char *cache = std::getenv("XDG_CACHE_HOME"), *home = std::getenv("HOME");
  const fs::path base = cache && *cache ? fs::path(cache)
                        : home && *home ? fs::path(home) / ".cache"
                                        : fs::temp_directory_path();
  return (base / "ample-tie" / "fetched").string();
}

ArchiveFetch::ArchiveFetch(std::string address, Http get, std::string kept)
    : address_(std::move(address)), kept_(std::move(kept)), get_(std::move(get)) {
  while (!address_.empty() && address_.back() == '/') address_.pop_back();
}

ArchiveIndex ArchiveFetch::index(const std::function<bool()> &stop) const {
  std::string text;
  HttpRequest r;
  r.url = address_ + "/index.json", r.stop = stop;
  bool too_large = false;
  r.take = [&](std::string_view bytes) {
    text += bytes;
    return !(too_large = text.size() > most_index_bytes);
  };
  const HttpAnswer a = get_(r);
  if (too_large) throw InputError(address_ + ": its listing has more than 64 MB");
  if (a.stopped) throw InputError(address_ + ": stopped");
  if (!a.trouble.empty()) throw InputError(address_ + ": " + a.trouble);
  try {
    return read_archive_index(text);
  } catch (const InputError &e) {
    throw InputError(address_ + ": " + e.what());
  }
}

Fetched ArchiveFetch::fetch(const ArchiveFile &f, const std::function<void(std::uint64_t)> &came,
                            const std::function<bool()> &stop) const {
  Fetched out;
  out.path = f.path, out.name = fs::path(f.path).filename().string();
  std::string last;
  bool wrong_sum = false;
  try {
    Part part(kept_, f);
    for (int tried = 0; tried < 4; ++tried) {
      std::uint64_t have = part.size();
      if (have > f.bytes) part.forget(), have = 0;
      if (tried == 0) out.resumed_from = have;
      bool too_long = false, no_room = false;
      if (have < f.bytes || f.bytes == 0) {
        HttpRequest r;
        r.url = address_ + "/" + f.path, r.from = have, r.stop = stop;
        r.begin = [&](int, std::uint64_t from) {
          if (from != have) have = 0; // it is given from its beginning
          part.open(have == 0);
          return true;
        };
        r.take = [&](std::string_view bytes) {
          have += bytes.size();
          if (have > f.bytes) return !(too_long = true);
          if (!part.add(bytes)) return !(no_room = true);
          if (came) came(have);
          return true;
        };
        const HttpAnswer a = get_(r);
        part.close();
        if (too_long || no_room) {
          part.forget();
          out.words = no_room ? "the disk does not take it"
                              : fmt::format("more comes than the {} bytes that are listed", f.bytes);
          return out;
        }
        if (a.stopped) {
          out.stopped = true, out.words = fmt::format("stopped after {} of {} bytes, which are kept", have, f.bytes);
          return out;
        }
        last = a.trouble;
        if (a.status >= 400 && a.status < 500) break; // it will not be there the next time either
        if (part.size() < f.bytes) continue;
      }
      out.bytes = part.bytes();
      if (sha256_hex(out.bytes) == f.sha256) {
        part.forget();
        out.whole = true;
        if (wrong_sum)
          out.words = "its sum was wrong the first time; fetched again";
        else if (out.resumed_from > 0)
          out.words = fmt::format("went on after the {} bytes that were here", out.resumed_from);
        else if (tried > 0)
          out.words = fmt::format("came after {} tries", tried + 1);
        return out;
      }
      out.bytes.clear(), part.forget();
      if (std::exchange(wrong_sum, true)) {
        last = "what came is not what is listed: its SHA-256 is another one, twice";
        break;
      }
    }
  } catch (const std::exception &e) {
    last = e.what();
  }
  out.words = last.empty() ? "it broke off four times; what has come is kept" : last;
  return out;
}

std::vector<Intake> take_fetched(Job &job, const std::vector<Fetched> &files) {
  std::vector<std::pair<std::string, std::string>> whole;
  for (const Fetched &f : files)
    if (f.whole) whole.emplace_back(f.name, f.bytes);
  std::vector<Intake> out;
  const std::vector<Intake> became = job.take_bytes(whole);
  auto taken = became.begin();
  for (const Fetched &f : files) out.push_back(f.whole ? *taken++ : Intake{f.path, f.words, Intake::Outcome::refused});
  return out;
}

} // namespace ampletie
