#include "formats/hatanaka.h"
#include "formats/rinex_header.h"
#include <algorithm>
#include <array>
#include <charconv>
#include <fmt/format.h>
#include <map>
#include <optional>
#include <vector>

namespace ampletie {
namespace {
using namespace rinex;

/// Text against the text before it: a blank keeps a character, '&' makes it a blank, anything else replaces it.
void apply(std::string &now, std::string_view change) {
  if (change.size() > now.size()) now.resize(change.size(), ' ');
  for (std::size_t i = 0; i < change.size(); ++i)
    if (change[i] == '&')
      now[i] = ' ';
    else if (change[i] != ' ')
      now[i] = change[i];
}

/// A series of whole numbers kept as differences of growing order.
struct Series {
  int order = -1, filled = 0;
  std::array<std::int64_t, 10> d{};
};

std::int64_t integer(std::string_view t, long at) {
  std::int64_t v = 0;
  const auto [end, error] = std::from_chars(t.data(), t.data() + t.size(), v);
  if (error != std::errc() || end != t.data() + t.size() || v > 1'000'000'000'000'000'000 ||
      v < -1'000'000'000'000'000'000)
    throw InputError({}, at, "a difference is not a whole number");
  return v;
}

/// Next value of a series from its field; an empty field ends the series.
std::optional<std::int64_t> next_value(Series &s, std::string_view t, long at) {
  if (t.empty()) {
    s.order = -1;
    return {};
  }
  if (t.size() > 1 && t[1] == '&') {
    if (t[0] < '0' || t[0] > '9') throw InputError({}, at, "the order of differences is not a digit");
    s.order = t[0] - '0';
    s.filled = 0;
    s.d.fill(0);
    s.d[0] = integer(t.substr(2), at);
    return s.d[0];
  }
  if (s.order < 0) throw InputError({}, at, "a difference has nothing to build on: the file is damaged");
  if (s.filled < s.order) ++s.filled;
  auto sum = [](std::int64_t a, std::int64_t b) {
    return static_cast<std::int64_t>(static_cast<std::uint64_t>(a) + static_cast<std::uint64_t>(b));
  };
  s.d[static_cast<std::size_t>(s.filled)] = s.filled == 0 ? sum(s.d[0], integer(t, at)) : integer(t, at);
  for (int k = s.filled - 1; k >= 0; --k) {
    const auto i = static_cast<std::size_t>(k);
    s.d[i] = sum(s.d[i], s.d[i + 1]);
  }
  if (std::abs(s.d[0]) > 99'999'999'999'999)
    throw InputError({}, at, "a value outgrows its field: the file is damaged");
  return s.d[0];
}

struct SatelliteState {
  std::vector<Series> series;
  std::string flags;
};

class Expander {
public:
  Expander(std::string_view text, std::size_t limit) : in_(text), limit_(limit ? limit : inflated_limit(text.size())) {}
  std::string run() {
    std::string_view line;
    if (!in_.next(line) || label(line) != "CRINEX VERS   / TYPE") throw InputError({}, 1, "not a compact RINEX file");
    const double version = number(line, 0, 9, 1, "the version");
    if (!(version >= 1.0 && version < 1.05) && !(version >= 3.0 && version < 3.15))
      throw InputError({}, 1,
                       fmt::format("version {:.1f} of the compact form is not read; 1.0, 3.0 and 3.1 are", version));
    modern_ = version >= 3;
    if (!in_.next(line)) throw InputError({}, 2, "the file is cut off in its header");
    header();
    while (in_.next(line)) {
      if (out_.size() > limit_) throw InputError({}, in_.number(), "the expanded file is too large");
      if (label(line) == "CRINEX VERS   / TYPE") { // appended files
        if (!in_.next(line)) break;
        header();
        continue;
      }
      try {
        epoch(line);
      } catch (const InputError &) {
        // A file that is cut off gives what was expanded; its reader tells what is missing.
        if (!in_.at_end() || out_.empty()) throw;
        out_ += out_.back() == '\n' ? ">" : "\n>";
        break;
      }
    }
    return std::move(out_);
  }

private:
  void header() {
    std::string_view line;
    sats_.clear();
    epoch_.clear();
    while (in_.next(line)) {
      take(line);
      out_ += line;
      out_ += '\n';
      if (label(line) == "END OF HEADER") return;
    }
    throw InputError({}, in_.number(), "the header does not end: the file is cut off");
  }
  void take(std::string_view line) {
    const auto name = label(line);
    if (name == "# / TYPES OF OBSERV") {
      if (const auto n = parse_integer(field(line, 0, 6)))
        count_[' '] = static_cast<std::size_t>(std::clamp(*n, 0L, 99L));
    } else if (name == "SYS / # / OBS TYPES" && !line.empty() && line[0] != ' ') {
      if (const auto n = parse_integer(field(line, 3, 3)))
        count_[line[0]] = static_cast<std::size_t>(std::clamp(*n, 0L, 200L));
    } else if (name == "RINEX VERSION / TYPE") {
      const auto c = field(line, 40, 1);
      default_system_ = c.empty() || c == " " || c == "M" ? 'G' : c[0];
    }
  }
  void epoch(std::string_view line) {
    const long at = in_.number();
    const char start = line.empty() ? ' ' : line[0];
    if (!modern_ && start == '&') {
      epoch_ = " " + std::string(line.substr(1));
    } else if (modern_ && start == '>') {
      epoch_ = std::string(line);
    } else if (epoch_.empty())
      throw InputError({}, at, "the first epoch is not given in full");
    else
      apply(epoch_, line);
    const std::size_t flag_at = modern_ ? 31 : 28, count_at = modern_ ? 32 : 29, list_at = modern_ ? 41 : 32;
    const auto flag = field(epoch_, flag_at, 1);
    const int n = whole(epoch_, count_at, 3, at, "the number of satellites");
    if (n < 0) throw InputError({}, at, "the number of satellites is negative");
    std::string_view next;
    if (!flag.empty() && flag[0] > '1') {
      out_ += epoch_.substr(0, list_at);
      out_ += '\n';
      for (int i = 0; i < n; ++i) {
        if (!in_.next(next)) throw InputError({}, in_.number(), "the file ends inside an event");
        take(next);
        out_ += next;
        out_ += '\n';
      }
      epoch_.clear();
      return;
    }
    if (!in_.next(next)) throw InputError({}, in_.number(), "the file ends inside an epoch"); // clock offset
    const std::string list = std::string(field(epoch_, list_at, static_cast<std::size_t>(3 * n)));
    if (list.size() + 2 < static_cast<std::size_t>(3 * n))
      throw InputError({}, at, "the list of satellites is too short");
    if (modern_)
      out_ += epoch_.substr(0, 35) + "\n";
    else {
      std::string head = epoch_.substr(0, 32);
      for (int i = 0; i < n; ++i) {
        if (i > 0 && i % 12 == 0) {
          out_ += head + "\n";
          head.assign(32, ' ');
        }
        head += list.substr(static_cast<std::size_t>(3 * i), 3);
      }
      out_ += head + "\n";
    }
    std::map<std::string, SatelliteState> present;
    for (int i = 0; i < n; ++i) {
      const std::string sat = list.substr(static_cast<std::size_t>(3 * i), 3);
      if (!in_.next(next))
        throw InputError({}, in_.number(), fmt::format("the file ends inside an epoch: {} of {} satellites", i, n));
      auto found = sats_.find(sat);
      SatelliteState s = found != sats_.end() ? std::move(found->second) : SatelliteState{};
      satellite(sat, next, s);
      present[sat] = std::move(s);
    }
    sats_ = std::move(present); // a satellite that was away starts anew
  }
  void satellite(const std::string &sat, std::string_view line, SatelliteState &s) {
    const auto c = count_.find(modern_ ? (sat[0] == ' ' ? default_system_ : sat[0]) : ' ');
    if (c == count_.end()) throw InputError({}, in_.number(), "the header lists no observation types for " + sat);
    const std::size_t n = c->second;
    s.series.resize(n);
    s.flags.resize(2 * n, ' ');
    std::vector<std::optional<std::int64_t>> values(n);
    std::size_t at = 0;
    for (std::size_t k = 0; k < n; ++k) {
      if (at >= line.size()) {
        s.series[k].order = -1;
        continue;
      }
      const auto blank = std::min(line.find(' ', at), line.size());
      values[k] = next_value(s.series[k], line.substr(at, blank - at), in_.number());
      at = blank + 1;
    }
    if (at < line.size()) {
      const auto rest = line.substr(at);
      if (rest.size() > 2 * n) throw InputError({}, in_.number(), "the signal flags are too long");
      apply(s.flags, rest);
    }
    if (modern_) out_ += sat;
    for (std::size_t k = 0; k < n; ++k) {
      if (values[k]) {
        const std::int64_t v = *values[k], whole_part = v / 1000, rest = std::abs(v % 1000);
        const std::string number_text =
            v < 0 && whole_part == 0 ? fmt::format("-0.{:03}", rest) : fmt::format("{}.{:03}", whole_part, rest);
        out_ += fmt::format("{:>14}", number_text);
        out_ += s.flags[2 * k];
        out_ += s.flags[2 * k + 1];
      } else {
        out_.append(16, ' ');
      }
      if (!modern_ && (k % 5 == 4 || k + 1 == n)) end_line();
    }
    if (modern_ || n == 0) end_line();
  }
  void end_line() {
    while (!out_.empty() && out_.back() == ' ') out_.pop_back();
    out_ += '\n';
  }

  LineReader in_;
  std::size_t limit_;
  bool modern_ = false;
  char default_system_ = 'G';
  std::string out_, epoch_;
  std::map<char, std::size_t> count_;
  std::map<std::string, SatelliteState> sats_;
};

} // namespace

bool is_hatanaka(std::string_view text) {
  const auto first = text.substr(0, std::min(text.find('\n'), std::size_t{200}));
  return label(first) == "CRINEX VERS   / TYPE";
}

std::string expand_hatanaka(std::string_view text, std::size_t limit) { return Expander(text, limit).run(); }

} // namespace ampletie
