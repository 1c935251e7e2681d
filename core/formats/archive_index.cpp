#include "formats/archive_index.h"
#include "base/error.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace ampletie {
namespace {
using nlohmann::json;

constexpr const char *index_form = "ample-tie archive 1";
constexpr std::array<std::pair<ArchiveKind, const char *>, 6> archive_kinds{
    {{ArchiveKind::observations, "observations"},
     {ArchiveKind::navigation, "navigation"},
     {ArchiveKind::orbits, "orbits"},
     {ArchiveKind::clocks, "clocks"},
     {ArchiveKind::antennas, "antennas"},
     {ArchiveKind::control, "control"}}};

std::optional<GpsTime> instant(const json &f, const char *key, const std::string &path) {
  if (!f.contains(key)) return {};
  const auto t = f.at(key).is_string() ? parse_iso(f.at(key).get<std::string>()) : std::nullopt;
  if (!t) throw InputError(fmt::format("the archive's index: {} of {} is no instant", key, path));
  return t;
}

ArchiveFile read_file_entry(const json &f) {
  ArchiveFile out;
  out.path = f.at("path").get<std::string>();
  if (!is_archive_path(out.path))
    throw InputError(fmt::format("the archive's index: \"{:.80}\" is no path below the archive", out.path));
  const std::string kind = f.at("kind");
  const auto k =
      std::find_if(archive_kinds.begin(), archive_kinds.end(), [&](const auto &x) { return x.second == kind; });
  if (k == archive_kinds.end())
    throw InputError(
        fmt::format("the archive's index: {} is of the kind \"{:.40}\", which is not known", out.path, kind));
  out.kind = k->first;
  out.station = f.value("station", ""), out.antenna = f.value("antenna", "");
  out.names = f.value("names", std::vector<std::string>{});
  out.from = instant(f, "from", out.path), out.to = instant(f, "to", out.path), out.due = instant(f, "due", out.path);
  if (out.from && out.to && *out.to < *out.from)
    throw InputError(fmt::format("the archive's index: {} ends before it begins", out.path));
  out.interval = f.value("interval", 0.0);
  out.product = product_class_named(f.value("class", "unknown"));
  if (out.due) return out; // neither size nor sum of what does not exist
  if (!f.at("bytes").is_number_unsigned())
    throw InputError(fmt::format("the archive's index: the size of {} is no number of bytes", out.path));
  out.bytes = f.at("bytes").get<std::uint64_t>();
  if (out.bytes > (std::uint64_t{8} << 30))
    throw InputError(fmt::format("the archive's index: {} would have {} bytes", out.path, out.bytes));
  out.sha256 = f.at("sha256").get<std::string>();
  if (out.sha256.size() != 64 || out.sha256.find_first_not_of("0123456789abcdef") != std::string::npos)
    throw InputError(fmt::format("the archive's index: the sum of {} is no SHA-256", out.path));
  return out;
}
} // namespace

bool is_archive_path(const std::string &path) {
  if (path.empty() || path.size() > 400 || path.front() == '/' || path.back() == '/') return false;
  if (path.find("..") != std::string::npos || path.find("//") != std::string::npos) return false;
  return std::all_of(path.begin(), path.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '/' || c == '.' ||
           c == '_' || c == '-' || c == '+';
  });
}

const char *archive_kind_name(ArchiveKind k) {
  return std::find_if(archive_kinds.begin(), archive_kinds.end(), [&](const auto &x) { return x.first == k; })->second;
}

ArchiveIndex read_archive_index(std::string_view text) {
  try {
    const json j = json::parse(text);
    if (!j.is_object() || j.value("form", "") != index_form)
      throw InputError(fmt::format("this is no index of an archive: \"form\" is not \"{}\"", index_form));
    ArchiveIndex out;
    out.name = j.value("name", "");
    for (const json &s : j.at("stations")) {
      ArchiveStation a{s.at("name").get<std::string>(),
                       Vec3(s.at("x").get<double>(), s.at("y").get<double>(), s.at("z").get<double>())};
      if (!a.xyz.allFinite() || a.xyz.norm() < 6.3e6 || a.xyz.norm() > 6.4e6)
        throw InputError(fmt::format("the archive's index: the station {} is not on the Earth", a.name));
      out.stations.push_back(std::move(a));
    }
    for (const json &f : j.at("files")) out.files.push_back(read_file_entry(f));
    return out;
  } catch (const json::exception &e) {
    throw InputError(std::string("this is no index of an archive: ") + e.what());
  }
}

std::string write_archive_index(const ArchiveIndex &index) {
  json j{{"form", index_form}, {"name", index.name}, {"stations", json::array()}, {"files", json::array()}};
  for (const ArchiveStation &s : index.stations)
    j["stations"].push_back({{"name", s.name}, {"x", s.xyz.x()}, {"y", s.xyz.y()}, {"z", s.xyz.z()}});
  for (const ArchiveFile &f : index.files) {
    json e{{"path", f.path}, {"kind", archive_kind_name(f.kind)}};
    if (!f.station.empty()) e["station"] = f.station;
    if (!f.antenna.empty()) e["antenna"] = f.antenna;
    if (!f.names.empty()) e["names"] = f.names;
    if (f.from) e["from"] = iso(*f.from);
    if (f.to) e["to"] = iso(*f.to);
    if (f.interval > 0) e["interval"] = f.interval;
    if (f.product != ProductClass::unknown) e["class"] = product_class_name(f.product);
    if (f.due)
      e["due"] = iso(*f.due);
    else
      e["bytes"] = f.bytes, e["sha256"] = f.sha256;
    j["files"].push_back(std::move(e));
  }
  return j.dump(1) + "\n";
}

} // namespace ampletie
