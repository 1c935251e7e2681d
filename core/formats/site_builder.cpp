#include "formats/site_builder.h"
#include "formats/rinex_header.h"
#include <fmt/format.h>

namespace ampletie::rinex {
namespace {
/// BeiDou's B1I was called band 1 in RINEX 3.02.
std::string current_name(char system, std::string code, double version) {
  if (system == 'C' && code.size() == 3 && code[1] == '1' &&
      (code[2] == 'I' || code[2] == 'Q' || (code[2] == 'X' && version < 3.035)))
    code[1] = '2';
  return code;
}
} // namespace

void SiteBuilder::type_line(std::string_view name, std::string_view line, long at) {
  if (name == "SYS / # / OBS TYPES") {
    if (types_left_ == 0) {
      types_of_ = field(line, 0, 1).empty() ? ' ' : line[0];
      const int n = whole(line, 3, 3, at, "the number of observation types");
      if (n < 1 || n > 200 || types_of_ == ' ' || static_cast<unsigned char>(types_of_) > 126)
        throw InputError({}, at, "the list of observation types is malformed");
      types_left_ = static_cast<std::size_t>(n);
      declared_[types_of_].clear();
    }
    auto &list = declared_[types_of_];
    for (std::size_t i = 0; i < 13 && types_left_ > 0; ++i, --types_left_) {
      const std::string t = text(line, 7 + 4 * i, 3);
      if (t.size() != 3) throw InputError({}, at, "an observation type is missing", static_cast<long>(8 + 4 * i));
      list.push_back(current_name(types_of_, t, version));
    }
    types_changed_ = true;
  } else {
    if (types_left_ == 0) {
      const int n = whole(line, 0, 6, at, "the number of observation types");
      if (n < 1 || n > 99) throw InputError({}, at, "the list of observation types is malformed");
      types_left_ = static_cast<std::size_t>(n);
      types2.clear();
    }
    for (std::size_t i = 0; i < 9 && types_left_ > 0; ++i, --types_left_) {
      const std::string t = text(line, 6 + 6 * i, 6);
      if (t.size() != 2) throw InputError({}, at, "an observation type is missing", static_cast<long>(7 + 6 * i));
      types2.push_back(t);
    }
    types_changed_ = true;
  }
}

void SiteBuilder::scale_line(std::string_view name, std::string_view line, long at) {
  if (name == "SYS / SCALE FACTOR") {
    if (scale_left_ == 0) {
      scale_of_ = field(line, 0, 1).empty() ? ' ' : line[0];
      scale_factor_ = number(line, 2, 4, at, "the scale factor");
      if (scale_factor_ < 1) throw InputError({}, at, "the scale factor is below 1", 3);
      const auto n = parse_integer(field(line, 8, 2));
      scale_left_ = n && *n > 0 ? static_cast<std::size_t>(*n) : 0;
      if (scale_left_ == 0) scale_[std::string(1, scale_of_)] = scale_factor_; // all types
    }
    for (std::size_t i = 0; i < 12 && scale_left_ > 0; ++i, --scale_left_) {
      const std::string t = text(line, 11 + 4 * i, 3);
      if (t.size() != 3) throw InputError({}, at, "an observation type is missing", static_cast<long>(12 + 4 * i));
      scale_[scale_of_ + current_name(scale_of_, t, version)] = scale_factor_;
    }
    types_changed_ = true;
  } else {
    // RINEX 2: factor, number of types (0: all), types.
    const double factor = number(line, 0, 6, at, "the scale factor");
    if (factor < 1) throw InputError({}, at, "the scale factor is below 1", 1);
    const auto n = parse_integer(field(line, 6, 6));
    if (!n || *n == 0) scale_["2"] = factor;
    for (std::size_t i = 0; n && i < static_cast<std::size_t>(std::clamp(*n, 0L, 8L)); ++i)
      scale_["2" + text(line, 12 + 6 * i, 6)] = factor;
    types_changed_ = true;
  }
}

void SiteBuilder::phase_shift_line(std::string_view line) {
  const std::string t = text(line, 2, 3);
  const char system = field(line, 0, 1).empty() ? ' ' : line[0];
  if (system != ' ' && t.size() == 3)
    if (const auto v = parse_number(field(line, 6, 8)))
      facts.phase_shift[system + current_name(system, t, version)] = *v;
}

void SiteBuilder::glonass_line(std::string_view name, std::string_view line, long at) {
  if (name == "GLONASS SLOT / FRQ #") {
    for (std::size_t i = 0; i < 8; ++i) {
      const auto piece = field(line, 4 + 7 * i, 7);
      if (trimmed(piece).empty()) continue;
      const auto sat = parse_sat(piece);
      const auto channel = parse_integer(field(piece, 3, 3));
      if (!sat || sat->system != 'R' || !channel || *channel < -7 || *channel > 6)
        throw InputError({}, at, "a GLONASS frequency number is malformed", static_cast<long>(5 + 7 * i));
      facts.glonass_channel[*sat] = static_cast<int>(*channel);
    }
  } else {
    for (std::size_t i = 0; i < 4; ++i) {
      const std::string code = text(line, 1 + 13 * i, 3);
      const auto v = parse_number(field(line, 5 + 13 * i, 8));
      if (code.size() == 3 && v) facts.glonass_code_phase_bias[code] = *v;
    }
  }
}

bool SiteBuilder::header_line(std::string_view line, long at, bool inside) {
  const std::string_view name = label(line);
  if (!inside) facts.header_lines.emplace(std::string(name), at);
  auto change = [&](auto &what, auto value) {
    if (inside && what != value) site_changed_ = true;
    what = std::move(value);
  };
  if (name == "MARKER NAME")
    change(facts.marker, text(line, 0, 60));
  else if (name == "MARKER NUMBER")
    facts.marker_number = text(line, 0, 20);
  else if (name == "PGM / RUN BY / DATE")
    facts.program = text(line, 0, 20);
  else if (name == "REC # / TYPE / VERS") {
    facts.receiver_serial = text(line, 0, 20);
    facts.receiver = text(line, 20, 20);
    facts.receiver_firmware = text(line, 40, 20);
  } else if (name == "ANT # / TYPE") {
    facts.antenna_serial = text(line, 0, 20);
    std::string_view t = field(line, 20, 20);
    while (!t.empty() && t.back() == ' ') t.remove_suffix(1);
    change(facts.antenna, std::string(t));
  } else if (name == "APPROX POSITION XYZ") {
    for (int i = 0; i < 3; ++i)
      facts.approximate[i] = number(line, static_cast<std::size_t>(14 * i), 14, at, "a coordinate");
  } else if (name == "ANTENNA: DELTA H/E/N") {
    Vec3 v;
    for (int i = 0; i < 3; ++i) v[i] = number(line, static_cast<std::size_t>(14 * i), 14, at, "an antenna offset");
    if (inside && v != facts.delta_hen) site_changed_ = true;
    facts.delta_hen = v;
  } else if (name == "INTERVAL") {
    const double v = number(line, 0, 10, at, "the interval");
    if (v > 0) facts.interval = v;
  } else if (name == "LEAP SECONDS") {
    if (const auto n = parse_integer(field(line, 0, 6))) facts.leap_seconds = static_cast<int>(*n);
  } else if (name == "SYS / # / OBS TYPES" || name == "# / TYPES OF OBSERV")
    type_line(name, line, at);
  else if (name == "SYS / SCALE FACTOR" || name == "OBS SCALE FACTOR")
    scale_line(name, line, at);
  else if (name == "SYS / PHASE SHIFT" || name == "SYS / PHASE SHIFTS")
    phase_shift_line(line);
  else if (name == "GLONASS SLOT / FRQ #" || name == "GLONASS COD/PHS/BIS")
    glonass_line(name, line, at);
  else if (name == "TIME OF FIRST OBS") {
    time_system_ = text(line, 48, 3);
    if (!time_system_.empty() &&
        std::string_view("GPS GAL QZS IRN GLO BDT UTC").find(time_system_) == std::string_view::npos)
      throw InputError({}, at, "the time system " + time_system_ + " is not known", 49);
  } else if (name == "END OF HEADER")
    return true;
  return false;
}

GpsTime SiteBuilder::to_gps(GpsTime t) const {
  std::string system = time_system_;
  if (system.empty()) system = default_system == 'R' ? "GLO" : default_system == 'C' ? "BDT" : "GPS";
  if (system == "BDT") return t + 14.0;
  if (system == "GLO" || system == "UTC") return gps_from_utc(t);
  return t;
}

void SiteBuilder::hand_out() {
  ObservationFile &f = sites_.back();
  if (!f.epochs.empty()) block(sites_.size() - 1, f);
  handed_out_ += f.epochs.size();
  f.epochs.clear(), f.records.clear(), f.values.clear();
}

void SiteBuilder::open_site(bool moving) {
  if (any_site_ && block) hand_out();
  if (any_site_ && sites_.back().epochs.empty() && handed_out_ == 0) sites_.pop_back();
  handed_out_ = 0, last_ = {};
  sites_.push_back(facts);
  sites_.back().moving = moving;
  sites_.back().types.clear();
  any_site_ = true;
  known_.fill(false);
}

void SiteBuilder::header_complete(long at, bool new_site) {
  if (types_left_) throw InputError({}, at, "the list of observation types is incomplete");
  const bool first = !any_site_;
  if (version < 3 && types2.empty()) throw InputError({}, at, "the header lists no observation types");
  if (version >= 3 && declared_.empty()) throw InputError({}, at, "the header lists no observation types");
  const bool other = spliced_ && any_site_ &&
                     (sites_.back().marker != facts.marker || sites_.back().antenna != facts.antenna ||
                      sites_.back().delta_hen != facts.delta_hen);
  if (first || new_site || site_changed_ || other) {
    if (new_site) moving_ = false;
    open_site(moving_);
  } else if (types_changed_)
    known_.fill(false);
  if (version >= 3)
    for (const auto &[system, list] : declared_) columns(system); // the order of the header
  sites_.back().glonass_channel = facts.glonass_channel;
  site_changed_ = types_changed_ = false;
}

void SiteBuilder::start_moving() {
  moving_ = true;
  open_site(true);
}

const SiteBuilder::Columns *SiteBuilder::columns(char system) {
  const auto i = static_cast<std::size_t>(static_cast<unsigned char>(system));
  if (i > 127) return nullptr;
  Columns &c = columns_[i];
  if (known_[i]) return c.codes.empty() ? nullptr : &c;
  known_[i] = true;
  c = {};
  auto &list = sites_.back().types[system];
  auto add = [&](const std::string &code, const std::string &written) {
    c.codes.push_back(written);
    const auto at = std::find(list.begin(), list.end(), code);
    if (code.empty())
      c.to.push_back(-1);
    else {
      c.to.push_back(static_cast<int>(at - list.begin()));
      if (at == list.end()) list.push_back(code);
    }
    double factor = 1;
    for (const std::string &key : version < 3 ? std::vector<std::string>{"2", "2" + written}
                                              : std::vector<std::string>{std::string(1, system), system + code})
      if (const auto f = scale_.find(key); f != scale_.end()) factor = f->second;
    c.scale.push_back(factor);
    if (factor != 1 || c.to.back() != static_cast<int>(c.codes.size()) - 1) c.plain = false;
  };
  if (version < 3)
    for (const std::string &t : types2) add(modern_type(system, t, types2), t);
  else if (const auto d = declared_.find(system); d != declared_.end())
    for (const std::string &t : d->second) add(t, t);
  c.width = list.size();
  if (c.width > 300) throw InputError("the headers list more than 300 types for one system: the file is damaged");
  if (c.width != c.codes.size()) c.plain = false;
  if (list.empty()) sites_.back().types.erase(system);
  return c.codes.empty() ? nullptr : &c;
}

bool SiteBuilder::begin_epoch(GpsTime t, int flag, long at) {
  ObservationFile &f = sites_.back();
  if (f.epochs.size() + handed_out_ > 0 && t <= last_) {
    if (!spliced_) throw InputError({}, at, "the epoch is not later than the one before it");
    ++f.repeated_epochs;
    return false;
  }
  ObservationEpoch e;
  e.time = t;
  e.flag = static_cast<std::uint8_t>(flag);
  e.first = static_cast<std::uint32_t>(f.records.size());
  e.line = at;
  f.epochs.push_back(e);
  records_before_ = f.records.size(), values_before_ = f.values.size();
  last_ = t;
  in_epoch_ = true;
  return true;
}

void SiteBuilder::cut_off(const std::string &why) {
  ObservationFile &f = sites_.back();
  if (in_epoch_) {
    f.epochs.pop_back();
    f.records.resize(records_before_);
    f.values.resize(values_before_);
  }
  in_epoch_ = false;
  f.cut_off = why;
}

void SiteBuilder::end_epoch() {
  ObservationEpoch &e = sites_.back().epochs.back();
  e.count = static_cast<std::uint32_t>(sites_.back().records.size()) - e.first;
  in_epoch_ = false;
  if (block && sites_.back().epochs.size() >= block_epochs) hand_out();
}

std::vector<ObservationFile> SiteBuilder::finish(long at) {
  if (any_site_ && block) hand_out();
  if (any_site_ && sites_.back().epochs.empty() && handed_out_ == 0) sites_.pop_back();
  if (sites_.empty()) throw InputError({}, at, "the file holds no observations");
  return std::move(sites_);
}

std::string modern_type(char system, std::string_view type, const std::vector<std::string> &all) {
  if (type.size() != 2) return {};
  const char kind = type[0], band = type[1];
  auto has = [&](std::string_view t) { return std::find(all.begin(), all.end(), t) != all.end(); };
  // 2.12: C/A on L1, L1C, L2C, C/A of GLONASS on L2.
  const std::string_view letters = "ABCD";
  const bool qualified = letters.find(band) != std::string_view::npos;
  const char wanted = kind == 'P' ? 'C' : kind;
  if (std::string_view("CLDS").find(wanted) == std::string_view::npos) return {};
  char b = band, attribute = ' ';
  if (qualified) {
    b = band == 'A' || band == 'B' ? '1' : '2';
    attribute = band == 'A' || band == 'D' ? 'C' : 'X';
    if (band == 'D' && system != 'R') return {};
  } else
    switch (system) {
    case 'G':
      if (band == '1') attribute = kind == 'P' ? 'W' : 'C';
      if (band == '2') attribute = kind == 'P' ? 'W' : kind == 'C' ? 'X' : has("P2") ? 'W' : 'X';
      if (band == '5') attribute = 'X';
      break;
    case 'R':
      if (band == '1') attribute = kind == 'P' ? 'P' : 'C';
      if (band == '2') attribute = kind == 'P' ? 'P' : kind == 'C' ? 'C' : has("P2") ? 'P' : 'C';
      break;
    case 'J':
      if (band == '1') attribute = 'C';
      if (band == '2' || band == '5' || band == '6') attribute = 'X';
      break;
    case 'E':
      if (std::string_view("15678").find(band) != std::string_view::npos) attribute = 'X';
      break;
    case 'C':
      if (band == '1') b = '2';
      if (std::string_view("1267").find(band) != std::string_view::npos) attribute = 'I';
      break;
    case 'S':
      if (band == '1') attribute = 'C';
      if (band == '5') attribute = 'X';
      break;
    default:
      break;
    }
  if (attribute == ' ') return {};
  if (kind == 'P' && system != 'G' && system != 'R') return {};
  return {wanted, b, attribute};
}

} // namespace ampletie::rinex
