#include "archive/archive.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "formats/antex.h"
#include "formats/control_list.h"
#include "formats/recognise.h"
#include "formats/rinex_clock.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/sp3.h"
#include "sky/random.h"
#include <algorithm>
#include <array>
#include <charconv>
#include <filesystem>
#include <fmt/format.h>

namespace ampletie::archive {
namespace {
namespace fs = std::filesystem;
constexpr std::array<const char *, 8> names{"none",   "cut-off", "no-ranges", "damaged",
                                            "spoilt", "busy",    "gone",      "longer"};

void widen(ArchiveFile &f, GpsTime t) {
  f.from = f.from ? std::min(*f.from, t) : t;
  f.to = f.to ? std::max(*f.to, t) : t;
}

/// What a file holds, by its content; false: nothing that an archive lists.
bool describe(const std::string &bytes, ArchiveFile &f, std::vector<ArchiveStation> &stations) {
  const std::string text = plain_content(bytes);
  switch (recognise(text).kind) {
  case FileKind::observation: {
    const ObservationFile o = read_rinex_observation(text);
    if (o.epochs.empty() || o.marker.empty()) return false;
    f.kind = ArchiveKind::observations, f.station = o.marker, f.antenna = o.antenna;
    f.from = o.epochs.front().time, f.to = o.epochs.back().time;
    f.interval = o.epochs.size() > 1 ? o.epochs[1].time - o.epochs[0].time : 0;
    if (o.approximate.norm() > 6e6 &&
        std::none_of(stations.begin(), stations.end(), [&](const auto &s) { return s.name == o.marker; }))
      stations.push_back({o.marker, o.approximate});
    return true;
  }
  case FileKind::navigation:
    f.kind = ArchiveKind::navigation;
    for (const Ephemeris &e : read_rinex_navigation(text).ephemerides) widen(f, e.toe);
    return f.from.has_value();
  case FileKind::sp3: {
    const Sp3File o = read_sp3(text);
    f.kind = ArchiveKind::orbits, f.interval = o.interval;
    for (const Sp3Epoch &e : o.epochs) widen(f, e.time);
    return f.from.has_value();
  }
  case FileKind::clock:
    f.kind = ArchiveKind::clocks;
    for (const auto &[sat, list] : read_rinex_clock(text).satellites)
      for (const auto &[t, value] : list) widen(f, t);
    return f.from.has_value();
  case FileKind::antex:
    f.kind = ArchiveKind::antennas;
    for (const Antenna &a : read_antex(text).receivers) f.names.push_back(a.type);
    return true;
  case FileKind::control:
    f.kind = ArchiveKind::control;
    for (const ControlRow &r : read_control_list(text).rows) f.names.push_back(r.mark);
    return true;
  default:
    return false;
  }
}

std::string head_of(int status, const char *words, std::uint64_t length, const std::string &more = {}) {
  return fmt::format("HTTP/1.1 {} {}\r\nContent-Length: {}\r\nConnection: close\r\n{}\r\n", status, words, length,
                     more);
}
std::string plain(int status, const char *words) {
  return head_of(status, words, std::string_view(words).size() + 1, "Content-Type: text/plain\r\n") + words + "\n";
}

/// The first byte that "Range: bytes=N-" asks for.
std::uint64_t asked_from(const std::string &head) {
  std::string low = head;
  std::transform(low.begin(), low.end(), low.begin(), [](unsigned char c) { return std::tolower(c); });
  const auto at = low.find("\r\nrange: bytes=");
  std::uint64_t from = 0;
  if (at != std::string::npos) std::from_chars(low.data() + at + 15, low.data() + low.size(), from);
  return from;
}
} // namespace

const char *mistake_name(Mistake m) { return names.at(static_cast<std::size_t>(m)); }
const std::vector<Mistake> &all_mistakes() {
  static const std::vector<Mistake> all{Mistake::none,   Mistake::cut_off, Mistake::no_ranges, Mistake::damaged,
                                        Mistake::spoilt, Mistake::busy,    Mistake::gone,      Mistake::longer};
  return all;
}

Archive::Archive(const std::string &folder, Settings s) : folder_(folder), settings_(std::move(s)) {
  index_.name = settings_.name;
  std::error_code e;
  std::vector<fs::path> paths;
  for (fs::recursive_directory_iterator it(folder, e), end; !e && it != end; it.increment(e))
    if (it->is_regular_file(e)) paths.push_back(it->path());
  if (e) throw InputError(folder, 0, "cannot be read: " + e.message());
  std::sort(paths.begin(), paths.end());
  for (const fs::path &p : paths) {
    ArchiveFile f;
    f.path = fs::relative(p, folder).generic_string();
    if (p.filename().string().front() == '.') continue;
    const std::string bytes = read_file(p.string());
    try {
      if (!is_archive_path(f.path)) throw InputError("has a name that is no address: letters, digits and . _ - + are");
      if (!describe(bytes, f, index_.stations)) throw InputError("holds nothing that an archive lists");
    } catch (const InputError &why) {
      left_out_.push_back(f.path + ": " + why.reason());
      continue;
    }
    f.bytes = bytes.size(), f.sha256 = sha256_hex(bytes);
    if (f.kind == ArchiveKind::orbits || f.kind == ArchiveKind::clocks) f.product = product_class(f.path);
    if (settings_.now && f.to) {
      const double days = f.product == ProductClass::final   ? settings_.final_after_days
                          : f.product == ProductClass::rapid ? settings_.rapid_after_days
                                                             : 0;
      if (const GpsTime there = *f.to + 86400 * days; there > *settings_.now) f.due = there;
    }
    index_.files.push_back(std::move(f));
  }
}

bool Archive::befalls(const std::string &path) const {
  return settings_.mistake != Mistake::none && sky::Random(settings_.seed, path).uniform() < 0.4;
}

std::string Archive::file_answer(const ArchiveFile &f, std::uint64_t from, bool body) {
  std::string bytes = read_file(folder_ + "/" + f.path);
  const int times = asked_[f.path]++;
  const Mistake m = befalls(f.path) ? settings_.mistake : Mistake::none;
  if (m == Mistake::gone) return plain(404, "Not Found");
  if (m == Mistake::busy && times == 0) return plain(503, "Service Unavailable");
  if ((m == Mistake::damaged && times == 0) || m == Mistake::spoilt)
    bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 1);
  if (m == Mistake::longer) bytes += bytes;
  if (m == Mistake::no_ranges) from = 0;
  if (from > bytes.size()) return plain(416, "Range Not Satisfiable");
  std::string head =
      from > 0 ? head_of(206, "Partial Content", bytes.size() - from,
                         fmt::format("Content-Range: bytes {}-{}/{}\r\n", from, bytes.size() - 1, bytes.size()))
               : head_of(200, "OK", bytes.size(), m == Mistake::no_ranges ? "" : "Accept-Ranges: bytes\r\n");
  if (!body) return head;
  std::uint64_t until = bytes.size();
  if ((m == Mistake::cut_off || m == Mistake::no_ranges) && times == 0) until = from + (bytes.size() - from) / 2;
  return head + bytes.substr(from, until - from);
}

std::string Archive::answer(const std::string &head) {
  const std::string line = head.substr(0, head.find("\r\n"));
  const auto a = line.find(' '), b = line.rfind(' ');
  const std::string verb = line.substr(0, a);
  if (a == std::string::npos || b <= a) return plain(400, "Bad Request");
  if (verb != "GET" && verb != "HEAD") return plain(405, "Method Not Allowed");
  const std::string path = line.substr(a + 1, b - a - 1);
  if (path == "/index.json") {
    const std::string text = write_archive_index(index_);
    return head_of(200, "OK", text.size(), "Content-Type: application/json\r\n") + (verb == "GET" ? text : "");
  }
  // Only what is listed: no path of a request is ever looked up on the disk.
  for (const ArchiveFile &f : index_.files)
    if ("/" + f.path == path && !f.due) return file_answer(f, asked_from(head), verb == "GET");
  return plain(404, "Not Found");
}

} // namespace ampletie::archive
