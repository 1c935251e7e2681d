#include "receiver/receiver.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/recognise.h"
#include "sky/random.h"
#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>
#include <thread>

namespace ampletie::receiver {
namespace {
constexpr const char *names[] = {"none",        "not-logging", "wrong-height",  "wrong-mark", "default-name",
                                 "full-memory", "battery",     "still-growing", "clock",      "other-interval"};

/// A header line with another content.
void replace_line(std::string &header, const std::string &label, const std::string &content) {
  const auto at = header.find(label);
  if (at == std::string::npos || at < 60) return;
  const auto line = header.rfind('\n', at) + 1;
  std::string text = content;
  text.resize(60, ' ');
  header.replace(line, 60, text);
}

std::optional<GpsTime> epoch_time(const std::string &line) {
  Calendar c;
  if (std::sscanf(line.c_str(), "> %d %d %d %d %d %lf", &c.year, &c.month, &c.day, &c.hour, &c.minute, &c.second) != 6)
    return {};
  return gps_time(c);
}

/// The epoch line as the receiver's clock has it.
std::string at_other_time(const std::string &text, GpsTime t) {
  const Calendar c = calendar(t);
  return fmt::format("> {:04} {:02} {:02} {:02} {:02} {:10.7f}", c.year, c.month, c.day, c.hour, c.minute, c.second) +
         text.substr(29);
}

double wrong(double height, sky::Random &r) {
  switch (r.integer(0, 2)) {
  case 0: { // two digits exchanged: 1.512 becomes 1.152
    std::string t = fmt::format("{:.3f}", height);
    for (std::size_t i = t.find('.') + 1; i + 1 < t.size(); ++i)
      if (t[i] != t[i + 1]) {
        std::swap(t[i], t[i + 1]);
        const double other = std::stod(t);
        if (std::abs(other - height) > 0.005) return other;
        std::swap(t[i], t[i + 1]);
      }
    return height + 0.1;
  }
  case 1:
    return height + (r.integer(0, 1) ? 0.1 : -0.1);
  default:
    return height > 1 ? height - 1 : height + 1;
  }
}
} // namespace

const char *mistake_name(Mistake m) { return names[static_cast<int>(m)]; }
const std::vector<Mistake> &all_mistakes() {
  static const std::vector<Mistake> all = [] {
    std::vector<Mistake> out;
    for (int i = 1; i < static_cast<int>(std::size(names)); ++i) out.push_back(static_cast<Mistake>(i));
    return out;
  }();
  return all;
}

Receiver::Receiver(const std::string &seen, KeyedIn keyed, Mistake mistake, std::uint64_t seed,
                   std::vector<std::string> other_marks)
    : keyed_(std::move(keyed)), mistake_(mistake) {
  const auto end = seen.find("END OF HEADER");
  if (end == std::string::npos || seen.substr(0, 9).find("3.0") == std::string::npos)
    throw InputError("what a receiver sees is a file of observations (RINEX 3)");
  const auto body = seen.find('\n', end) + 1;
  header_ = seen.substr(0, body);
  for (std::size_t at = body; at < seen.size();) {
    auto next = seen.find("\n>", at);
    next = next == std::string::npos ? seen.size() : next + 1;
    const std::string text = seen.substr(at, next - at);
    if (const auto t = epoch_time(text)) epochs_.push_back({*t, text});
    at = next;
  }
  if (epochs_.size() < 10) throw InputError("what a receiver sees has ten epochs or more");
  sky::Random random(seed, std::string("receiver ") + mistake_name(mistake));
  const double all = last() - first();
  switch (mistake) {
  case Mistake::wrong_height:
    keyed_.height = wrong(keyed_.height, random);
    break;
  case Mistake::wrong_mark:
    std::erase(other_marks, keyed_.mark);
    if (other_marks.empty()) throw InputError("whose name was it mistaken for? Name other marks");
    keyed_.mark =
        other_marks[static_cast<std::size_t>(random.integer(0, static_cast<std::int64_t>(other_marks.size()) - 1))];
    break;
  case Mistake::default_name:
    keyed_.mark = "0001";
    break;
  case Mistake::full_memory:
    dies_ = first() + random.uniform(0.25, 0.7) * all;
    break;
  case Mistake::battery:
    dies_ = first() + random.uniform(0.25, 0.5) * all, back_ = *dies_ + random.uniform(360, 840);
    break;
  case Mistake::clock:
    shift_ = random.integer(0, 2) == 0
                 ? -1024 * 7 * 86400.0
                 : 3600.0 * static_cast<double>(random.integer(1, 5) * (random.integer(0, 1) ? 1 : -1));
    break;
  case Mistake::other_interval:
    every_ = static_cast<int>(random.integer(2, 4));
    break;
  default:
    break;
  }
}

void Receiver::start(GpsTime now) {
  pressed_ = true;
  if (mistake_ == Mistake::not_logging) return;
  while (next_ < epochs_.size() && epochs_[next_].time < now) ++next_;
  begin_file(now);
}

void Receiver::begin_file(GpsTime now) {
  File f;
  f.name = keyed_.mark + "-" + keyed_.session +
           (files_.empty() ? "" : std::string(1, static_cast<char>('a' + files_.size()))) + ".rnx";
  f.begun = now, f.bytes = header_;
  replace_line(f.bytes, "MARKER NAME", keyed_.mark);
  replace_line(f.bytes, "ANTENNA: DELTA H/E/N", fmt::format("{:14.4f}{:14.4f}{:14.4f}", keyed_.height, 0.0, 0.0));
  replace_line(f.bytes, "INTERVAL  ", fmt::format("{:10.3f}", every_ * (epochs_[1].time - epochs_[0].time)));
  const GpsTime begins = (next_ < epochs_.size() ? epochs_[next_].time : now) + shift_;
  const Calendar c = calendar(begins);
  replace_line(f.bytes, "TIME OF FIRST OBS",
               fmt::format("{:6}{:6}{:6}{:6}{:6}{:13.7f}     GPS", c.year, c.month, c.day, c.hour, c.minute, c.second));
  files_.push_back(std::move(f));
  logging_ = true;
}

void Receiver::write(const Epoch &e) {
  File &f = files_.back();
  f.bytes += shift_ == 0 ? e.text : at_other_time(e.text, e.time + shift_);
  ++f.epochs;
}

void Receiver::run_until(GpsTime now) {
  for (; pressed_ && next_ < epochs_.size() && epochs_[next_].time <= now; ++next_) {
    const Epoch &e = epochs_[next_];
    if (dies_ && e.time >= *dies_ && logging_) {
      logging_ = false;
      if (mistake_ == Mistake::full_memory) {
        files_.back().bytes += e.text.substr(0, e.text.size() * 2 / 3); // the disk ended here
        cut_ = true;
      }
    }
    if (!logging_ && back_ && e.time >= *back_ && !cut_) {
      dies_.reset(), back_.reset();
      begin_file(e.time);
    }
    if (logging_ && next_ % static_cast<std::size_t>(every_) == 0) write(e);
  }
}

void Receiver::stop(GpsTime now) {
  run_until(now);
  pressed_ = false;
  if (mistake_ == Mistake::still_growing) return; // nobody stopped it: the copy was made while it wrote
  logging_ = false;
}

std::string Receiver::is_it_logging() const {
  if (!logging_) return files_.empty() ? "standing by" : "stopped; " + files_.back().name + " is closed";
  const File &f = files_.back();
  return fmt::format("logging to {} since {}, {} epochs", f.name, iso(f.begun).substr(11), f.epochs);
}

std::vector<std::pair<std::string, std::string>> Receiver::files() const {
  std::vector<std::pair<std::string, std::string>> out;
  for (const File &f : files_) out.emplace_back(f.name, f.bytes);
  if (mistake_ == Mistake::still_growing && !out.empty() && next_ > 0) {
    // The buffer reaches the disk in blocks, wherever they end.
    std::string &bytes = out.back().second;
    const std::size_t last = bytes.rfind("\n>");
    if (last != std::string::npos) bytes.resize(last + 1 + (bytes.size() - last) / 2);
  }
  return out;
}

bool is_receiver_scenario(const std::string &text) {
  return text.find("\"receiver\"") != std::string::npos && text.find("\"seen\"") != std::string::npos;
}

void simulate_to(const std::string &text, const std::string &beside, const std::string &folder) {
  try {
    const auto j = nlohmann::json::parse(text).at("receiver");
    KeyedIn keyed{j.at("mark"), j.value("antenna", ""), j.value("session", "1"), j.at("height")};
    const std::string name = j.value("mistake", "none");
    const auto found = std::find_if(std::begin(names), std::end(names), [&](const char *n) { return name == n; });
    if (found == std::end(names))
      throw InputError(fmt::format("\"{}\" is none of the mistakes: {}", name, fmt::join(names, ", ")));
    Receiver r(plain_content(read_file(beside + "/" + j.at("seen").get<std::string>())), keyed,
               static_cast<Mistake>(found - std::begin(names)), j.value("seed", std::uint64_t{1}),
               j.value("other_marks", std::vector<std::string>{}));
    const double speed = j.value("speed", 0.0);
    std::filesystem::create_directories(folder);
    const auto put = [&] {
      for (const auto &[file, bytes] : r.files()) write_file(folder + "/" + file, bytes);
    };
    r.start(r.first());
    const auto begin = std::chrono::steady_clock::now();
    while (speed > 0) {
      const GpsTime now =
          r.first() + speed * std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
      if (now >= r.last()) break;
      r.run_until(now);
      put();
      std::this_thread::sleep_for(std::chrono::milliseconds(200));
    }
    r.stop(r.last());
    put();
  } catch (const nlohmann::json::exception &e) {
    throw InputError(std::string("the scenario of a receiver: ") + e.what());
  }
}

} // namespace ampletie::receiver
