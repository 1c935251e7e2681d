#include "open_job/folder_watch.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include <algorithm>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <set>
#include <sys/stat.h>

namespace ampletie {
namespace {
namespace fs = std::filesystem;
using State = WatchedFile::State;

bool unfinished(const std::string &name) {
  const std::string n = lower(name);
  for (const char *end : {".part", ".partial", ".tmp", ".crdownload", ".download", "~"})
    if (n.ends_with(end)) return true;
  return name.empty() || name.front() == '.';
}

/// "> 2026 05 12 10 02 11.0000000  0 24" of versions 3 and 4; " 26  5 12 10  2 11.0000000  0  9G01…" of version 2.
std::optional<GpsTime> epoch_in(std::string_view line) {
  const bool three = line.size() > 29 && line[0] == '>';
  const std::string_view rest = three ? line.substr(1) : line;
  Calendar c;
  double second = 0;
  int flag = 0;
  const std::string text(rest.substr(0, 40));
  if (std::sscanf(text.c_str(), "%d %d %d %d %d %lf %d", &c.year, &c.month, &c.day, &c.hour, &c.minute, &second,
                  &flag) != 7)
    return {};
  if (!three) {
    if (line.size() < 32 || c.year > 99) return {};
    c.year += c.year < 80 ? 2000 : 1900;
  }
  const bool possible = c.year > 1979 && c.year < 2200 && c.month >= 1 && c.month <= 12 && c.day >= 1 && c.day <= 31 &&
                        c.hour >= 0 && c.hour < 24 && c.minute >= 0 && c.minute < 60 && second >= 0 && second < 61;
  if (!possible || flag < 0 || flag > 6) return {};
  c.second = second;
  return gps_time(c);
}

/// Bytes of a file up to the begin of its last epoch record, which may not be whole.
std::string up_to_last_epoch(const std::string &bytes) {
  for (auto at = bytes.rfind('\n'); at != std::string::npos && at > 0; at = bytes.rfind('\n', at - 1)) {
    const auto end = bytes.find('\n', at + 1);
    const std::string_view line(bytes.data() + at + 1, (end == std::string::npos ? bytes.size() : end) - at - 1);
    if (epoch_in(line)) return bytes.substr(0, at + 1);
  }
  return bytes;
}
} // namespace

const char *watched_state_name(State s) {
  constexpr const char *names[] = {"growing", "whole",          "taken",    "here already", "a later version, taken",
                                   "refused", "cannot be read", "vanished", "not kept yet"};
  return names[static_cast<int>(s)];
}

std::optional<GpsTime> last_epoch_of(const std::string &path) {
  std::ifstream in(path, std::ios::binary);
  std::string head(80, '\0');
  in.read(head.data(), 80);
  if (in.gcount() < 80 || head.find("RINEX VERSION / TYPE") != 60 || head[20] != 'O') return {};
  in.seekg(0, std::ios::end);
  const auto size = static_cast<std::streamoff>(in.tellg());
  constexpr std::streamoff enough = 1 << 16; // an epoch of four systems has some 15,000 characters
  in.seekg(std::max<std::streamoff>(0, size - enough));
  std::string tail((std::istreambuf_iterator<char>(in)), {});
  std::optional<GpsTime> last;
  for (std::size_t at = tail.find('\n'); at != std::string::npos; at = tail.find('\n', at + 1))
    if (const auto t = epoch_in(std::string_view(tail).substr(at + 1, tail.find('\n', at + 1) - at - 1)))
      if (!last || *t >= *last) last = t;
  return last;
}

void FolderWatch::look_at(const std::string &name, double now) {
  struct stat s {};
  const std::string path = (fs::path(folder_) / name).string();
  WatchedFile f{State::growing, name, {}, 0, {}};
  if (::stat(path.c_str(), &s) != 0) {
    f.state = State::unreadable, f.words = std::strerror(errno);
    seen_.push_back(std::move(f));
    return;
  }
  if (!S_ISREG(s.st_mode)) return;
  const std::int64_t changed = s.st_mtim.tv_sec * 1'000'000'000LL + s.st_mtim.tv_nsec;
  auto known = kept_.find(name);
  if (known == kept_.end()) {
    // A file that only got another name goes on as it was.
    for (auto &[other, k] : kept_)
      if (k.number == s.st_ino && k.bytes == static_cast<std::uintmax_t>(s.st_size) && k.changed == changed &&
          !fs::exists(fs::path(folder_) / other)) {
        const Kept as_before = k;
        renamed_.insert(other);
        kept_.erase(other);
        known = kept_.emplace(name, as_before).first;
        break;
      }
    if (known == kept_.end()) known = kept_.emplace(name, Kept{0, -1, now, s.st_ino, {}, false, {}, {}}).first;
  }
  Kept &k = known->second;
  if (k.bytes != static_cast<std::uintmax_t>(s.st_size) || k.changed != changed) {
    k.bytes = static_cast<std::uintmax_t>(s.st_size), k.changed = changed, k.since = now, k.done = false;
    k.number = s.st_ino;
  }
  f.bytes = k.bytes;
  if (k.done) {
    // As it was said when it was taken.
    f.state = k.source.empty() ? State::refused : State::taken;
  } else {
    f.last_epoch = last_epoch_of(path);
    const bool empty = k.bytes == 0; // begun, and nothing came yet
    f.state = !empty && now - k.since >= quiet_ ? State::whole : State::growing;
    f.words = fmt::format("{}{}", empty ? "nothing is in it yet" : "",
                          f.last_epoch ? "last epoch " + iso(*f.last_epoch) : std::string());
    if (!k.not_kept.empty()) f.words = k.not_kept;
    if (!k.not_kept.empty() && f.state == State::growing) f.state = State::not_kept;
  }
  seen_.push_back(std::move(f));
}

const std::vector<WatchedFile> &FolderWatch::look(double now) {
  std::map<std::string, WatchedFile> before;
  for (WatchedFile &f : seen_) before[f.name] = std::move(f);
  seen_.clear(), trouble_.clear(), renamed_.clear();
  looked_ = now;
  std::error_code e;
  std::vector<std::string> names;
  for (fs::directory_iterator it(folder_, e), end; !e && it != end; it.increment(e))
    if (const std::string n = it->path().filename().string(); !unfinished(n)) names.push_back(n);
  if (e) {
    trouble_ = folder_ + ": " + e.message();
    for (auto &[name, f] : before) seen_.push_back(std::move(f)); // a folder that is away for a moment lost nothing
    return seen_;
  }
  std::sort(names.begin(), names.end());
  for (const std::string &n : names) look_at(n, now);
  for (WatchedFile &f : seen_)
    if (const auto b = before.find(f.name); b != before.end() && (f.state == State::taken || f.state == State::refused))
      f.state = b->second.state, f.words = b->second.words, f.last_epoch = b->second.last_epoch; // as it was then
  // What is gone is told as long as nobody else has its name.
  std::set<std::string> there(names.begin(), names.end());
  for (auto it = kept_.begin(); it != kept_.end();) it = there.count(it->first) ? std::next(it) : kept_.erase(it);
  for (auto &[name, f] : before) {
    if (there.count(name)) continue;
    if (renamed_.count(name)) continue;
    const bool in_job = f.state == State::taken || f.state == State::here || f.state == State::later;
    if (f.state != State::vanished)
      f.words =
          in_job ? "what was taken of it stays in the job" : "it went before it was whole: nothing of it was taken";
    f.state = State::vanished;
    seen_.push_back(f);
  }
  return seen_;
}

ReadFiles FolderWatch::read(const Contents &have, const std::vector<std::string> &also) {
  std::vector<std::pair<std::string, std::string>> files;
  for (WatchedFile &f : seen_) {
    const bool asked = f.state == State::growing && std::find(also.begin(), also.end(), f.name) != also.end();
    if (f.state != State::whole && !asked) continue;
    try {
      std::string bytes = read_file((fs::path(folder_) / f.name).string());
      files.emplace_back(f.name, asked ? up_to_last_epoch(bytes) : std::move(bytes));
    } catch (const InputError &e) {
      f.state = State::unreadable, f.words = e.reason();
    }
  }
  return read_bytes(files, {}, have);
}

namespace {
/// What was decided of the occupations of one source is decided of those of another that goes on where it ended.
void carry_over(Job &job, const std::string &from, const std::string &to) {
  std::vector<std::pair<std::string, std::string>> same; ///< old and new occupation
  const auto all = [&](auto &&visit) {
    for (const auto *list : {&job.snapshot()->occupations(), &job.snapshot()->moving()})
      for (const Occupation &o : *list) visit(o);
  };
  all([&](const Occupation &o) {
    if (o.source_id != from) return;
    all([&](const Occupation &n) {
      if (n.source_id == to && n.start == o.start && n.receiver == o.receiver) same.emplace_back(o.id, n.id);
    });
  });
  const std::vector<Decision> log = job.decisions();
  const auto stands = standing(log);
  for (std::size_t i = 0; i < log.size(); ++i)
    for (const auto &[old, now] : same)
      if (stands[i] && log[i].verb == "set" && log[i].target == old)
        job.decide("set", now, log[i].value, log[i].reason.empty() ? "as of the earlier version" : log[i].reason);
}
} // namespace

void FolderWatch::accept_one(Job &job, WatchedFile &f, Kept &k, ReadFiles one) {
  const std::string bytes = one.files.front().bytes, id = sha256_hex(bytes);
  if (!k.source.empty() && k.source != id) {
    const std::string old = job.store().source_bytes(k.source);
    if (bytes.size() > old.size() && bytes.compare(0, old.size(), old) == 0) k.replaces = k.source;
  }
  const Intake became = job.take_read(std::move(one)).front();
  f.words = became.sentence;
  if (became.outcome == Intake::Outcome::refused) {
    f.state = State::refused;
    return;
  }
  f.state = became.outcome == Intake::Outcome::already_here ? State::here : State::taken;
  k.source = id;
  // Of one that was taken and whose exchange then failed the rest is done now: never do both versions count.
  if (k.replaces.empty() || (f.state != State::taken && k.not_kept.empty())) return;
  carry_over(job, k.replaces, id);
  job.decide("leave-out", k.replaces, nlohmann::json::object(), "a later version of the same file was taken");
  k.replaces.clear();
  f.state = State::later;
}

std::vector<Intake> FolderWatch::accept(Job &job, ReadFiles files) {
  std::vector<Intake> out;
  for (ReadFiles::File &file : files.files) {
    const auto f = std::find_if(seen_.begin(), seen_.end(), [&](const WatchedFile &w) { return w.name == file.name; });
    const auto k = kept_.find(file.name);
    if (f == seen_.end() || k == kept_.end()) continue;
    const bool growing = f->state == State::growing;
    ReadFiles one;
    one.files.push_back(std::move(file));
    try {
      accept_one(job, *f, k->second, std::move(one));
      k->second.not_kept.clear();
    } catch (const std::exception &e) {
      f->state = State::not_kept;
      f->words = k->second.not_kept = std::string("the job could not keep it: ") + e.what() + "; it is tried again";
      k->second.since = looked_; // not at every look: it may be large
      out.push_back({f->name, f->words, Intake::Outcome::refused});
      continue;
    }
    out.push_back({f->name, f->words,
                   f->state == State::refused ? Intake::Outcome::refused
                   : f->state == State::here  ? Intake::Outcome::already_here
                                              : Intake::Outcome::taken});
    // Of one that still grows the rest is looked at when it stands.
    k->second.done = !growing;
    if (growing && f->state != State::refused)
      f->words += "; what came after its last whole epoch is taken when it no longer grows";
  }
  return out;
}

} // namespace ampletie
