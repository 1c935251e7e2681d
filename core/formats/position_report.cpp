#include "formats/position_report.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "geodesy/frame.h"

namespace ampletie {
namespace {

struct Entry {
  std::string value;
  long line = 0;
};
using Entries = std::map<std::string, Entry>;

Entries entries(std::string_view text) {
  Entries out;
  LineReader in(text);
  std::string_view line;
  in.next(line);
  while (in.next(line)) {
    if (trimmed(line).empty() || trimmed(line).front() == '#') continue;
    const std::size_t colon = line.find(':');
    if (colon == std::string_view::npos) throw InputError({}, in.number(), "the line is no \"name: value\"");
    const std::string name = lower(trimmed(line.substr(0, colon)));
    if (!out.emplace(name, Entry{std::string(trimmed(line.substr(colon + 1))), in.number()}).second)
      throw InputError({}, in.number(), "\"" + printable(name) + "\" stands in the report twice");
  }
  return out;
}

const Entry *find(const Entries &all, const char *name) {
  const auto it = all.find(name);
  return it == all.end() || it->second.value.empty() ? nullptr : &it->second;
}
std::string text_of(const Entries &all, const char *name) {
  const Entry *e = find(all, name);
  return e ? printable(e->value) : std::string();
}

/// The first number of an entry, and the one behind "+-" or "±" where there is one.
std::optional<std::pair<double, std::optional<double>>> number_of(const Entries &all, const char *name) {
  const Entry *e = find(all, name);
  if (!e) return {};
  std::string value = e->value;
  std::optional<double> sd;
  for (std::string_view mark : {"+-", "±"})
    if (const auto at = value.find(mark); at != std::string::npos) {
      const std::string behind(trimmed(std::string_view(value).substr(at + mark.size())));
      sd = parse_number(behind.substr(0, behind.find(' ')));
      if (!sd) throw InputError({}, e->line, std::string("what stands behind ± of ") + name + " is no number");
      value = value.substr(0, at);
      break;
    }
  const std::string first(trimmed(value));
  const auto v = parse_number(first.substr(0, first.find(' ')));
  if (!v) throw InputError({}, e->line, std::string(name) + " does not begin with a number");
  return std::pair(*v, sd);
}

std::optional<GpsTime> time_in(const Entries &all, const char *name) {
  const Entry *e = find(all, name);
  if (!e) return {};
  const auto t = parse_iso(e->value);
  if (!t) throw InputError({}, e->line, std::string(name) + " is no instant such as 2026-05-12T09:10:00");
  return t;
}

/// The service's name of the frame: "IGS20 (ITRF2020)", or one of the two.
std::string frame_in(const Entries &all) {
  const Entry *e = find(all, "frame");
  if (!e) return frame_not_stated;
  const std::string whole = printable(e->value), first = whole.substr(0, whole.find(' '));
  for (const std::string &name : {whole, first})
    if (frame_by_name(name)) return name;
  return whole;
}

} // namespace

bool looks_like_position_report(std::string_view text) {
  return trimmed(text.substr(0, std::min(text.find('\n'), std::size_t{40}))) == "POSITION REPORT 1";
}

ControlList read_position_report(std::string_view utf8) {
  if (utf8.size() > 100'000) throw InputError("a position report of more than 100 kB");
  const Entries all = entries(utf8);
  ControlRow r;
  const Entry *mark = find(all, "mark");
  if (!mark) throw InputError("the report names no mark");
  r.mark = mark->value, r.line = mark->line;
  check_name(r.mark, "the name of the mark", r.line);
  Vec3 xyz;
  for (int k = 0; k < 3; ++k) {
    static constexpr const char *names[] = {"x", "y", "z"};
    const auto v = number_of(all, names[k]);
    if (!v)
      throw InputError("the report gives no X, Y, Z: heights by its geoid and coordinates of its grid are not used");
    xyz[k] = v->first;
  }
  r.line = find(all, "x")->line;
  r.xyz = xyz;
  r.frame = frame_in(all);
  check_name(r.frame, "the frame", r.line);
  if (const auto epoch = number_of(all, "epoch")) r.epoch = fixed(epoch->first, 5);
  const auto east = number_of(all, "sd east"), north = number_of(all, "sd north"), up = number_of(all, "sd up");
  if (east && north && up) r.sd_enu = Vec3(east->first, north->first, up->first);
  auto a = std::make_shared<PositionAnswer>();
  a->receiver = text_of(all, "receiver"), a->antenna = text_of(all, "antenna"),
  a->antenna_serial = text_of(all, "antenna serial");
  a->solution = lower(text_of(all, "solution")), a->geoid = text_of(all, "geoid"), a->grid = text_of(all, "grid");
  if (const auto h = number_of(all, "antenna height")) a->antenna_height = h->first;
  if (const auto h = number_of(all, "physical height")) a->physical_height = h->first;
  if (const auto n = number_of(all, "satellites"); n && n->first >= 0 && n->first < 1000)
    a->satellites = static_cast<int>(n->first);
  a->start = time_in(all, "start"), a->stop = time_in(all, "stop");
  for (const std::string *t : {&a->receiver, &a->antenna, &a->antenna_serial, &a->solution, &a->geoid, &a->grid})
    check_name(*t, "the report", 0);
  r.answer = std::move(a);
  refuse_impossible(r);
  ControlList out;
  out.rows.push_back(std::move(r));
  return out;
}

} // namespace ampletie
