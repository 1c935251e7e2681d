#include "base/error.h"
#include "base/near.h"
#include "base/reason.h"
#include "base/text.h"
#include "base/utf8.h"
#include "cli/actions.h"
#include "cli/author.h"
#include <chrono>
#include <iostream>
#include <sstream>

namespace ampletie::cli {
namespace {

/// A line taken apart at blanks; quotes keep them. Throws `InputError` for one that does not end.
std::vector<std::string> words_of(const std::string &line) {
  std::vector<std::string> out;
  std::string word;
  char quote = 0;
  bool open = false;
  for (char c : line) {
    if (quote) {
      if (c == quote)
        quote = 0;
      else
        word += c;
    } else if (c == '"' || c == '\'')
      quote = c, open = true;
    else if (c == ' ' || c == '\t' || c == '\r') {
      if (open || !word.empty()) out.push_back(std::move(word));
      word.clear(), open = false;
    } else
      word += c;
  }
  if (quote) throw InputError("a quotation is not ended");
  if (open || !word.empty()) out.push_back(std::move(word));
  return out;
}

/// Whether a command does nothing but decide.
bool line_decides(const std::string &command) {
  for (const char *c : {"set", "hold", "check", "release", "leave-out", "use"})
    if (command == c) return true;
  return false;
}

} // namespace

int batch(CommandLine &given, Sitting &here) {
  Arguments &a = given.a;
  const std::string job = a.job, file = a.files.at(0); // the arguments are made anew for each line
  const bool stop = a.all;
  const char *before_batch = std::getenv("AMPLETIE_AUTHOR");
  const std::string author = before_batch ? before_batch : ""; // `--by` of a line counts for that line
  std::istringstream all(
      utf8_text(file == "-" ? std::string(std::istreambuf_iterator<char>(std::cin), {}) : read_file(file)));
  here.in_batch = true;
  Job &open = here.job(job);
  std::string line;
  long number = 0, refused = 0;
  std::vector<long> pending; // lines of decisions that are not written yet
  const auto refuse = [&](long at, const std::string &why) {
    std::fprintf(stderr, "%s:%ld: %s\n", file.c_str(), at, why.c_str());
    ++refused;
  };
  const auto write = [&] {
    const std::vector<long> lines = std::exchange(pending, {});
    if (lines.empty()) return;
    try {
      for (const auto &[place, why] : open.end_batch()) refuse(lines.at(place), why);
    } catch (const std::exception &e) {
      for (long at : lines) refuse(at, reason_of(e, e.what()));
    }
  };
  auto written = std::chrono::steady_clock::now();
  while (std::getline(all, line)) {
    ++number;
    try {
      std::vector<std::string> words = words_of(line);
      if (words.empty() || words.front().front() == '#') continue;
      if (words.front() == "new" || words.front() == "simulate" || words.front() == "cut" ||
          words.front() == "systems" || words.front() == "verify" || words.front() == "batch")
        throw InputError("\"" + words.front() + "\" is not about the open job");
      if (const auto known = given.commands(); std::find(known.begin(), known.end(), words.front()) == known.end())
        throw InputError("there is no command \"" + words.front() + "\"" + near_ones(words.front(), known));
      words.insert(words.begin() + 1, job);
      std::reverse(words.begin(), words.end()); // as the library takes them
      a = Arguments{};
      const bool decision = line_decides(words.back());
      given.app.parse(words);
      decide_as(a.by.empty() ? author : a.by);
      // Decisions are written together, every second; everything else sees them written.
      const auto now = std::chrono::steady_clock::now();
      if (!decision || now - written > std::chrono::seconds(1)) write(), written = now;
      if (decision && pending.empty() && !stop) open.begin_batch();
      const std::size_t before = open.decisions().size();
      try {
        refused += act(given.chosen, here, a) > 1;
      } catch (...) {
        for (std::size_t i = before; i < open.decisions().size() && decision && !stop; ++i) pending.push_back(number);
        if (decision && pending.empty() && !stop) open.end_batch();
        throw;
      }
      if (decision && !stop) {
        for (std::size_t i = before; i < open.decisions().size(); ++i) pending.push_back(number);
        if (pending.empty()) open.end_batch();
      }
    } catch (const CLI::CallForHelp &) {
      std::fputs(given.app.help().c_str(), stdout);
    } catch (const std::exception &e) {
      refuse(number, reason_of(e, e.what()));
    }
    if (refused && stop) break;
  }
  write();
  here.in_batch = false;
  return refused ? 2 : here.finish();
}

} // namespace ampletie::cli
