#include "publication/verify_issue.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "publication/control_files.h"
#include "publication/provisional_issue.h"
#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <regex>
#include <set>

namespace ampletie {
namespace {
namespace fs = std::filesystem;
using nlohmann::ordered_json;

/// Without the instant at which a PDF was drawn, which is no part of what it says.
std::string undated(const std::string &pdf) {
  static const std::regex date(R"(/(CreationDate|ModDate) \([^)]*\))");
  return std::regex_replace(pdf, date, "");
}

IssueRecord record_in(const std::string &folder) {
  const std::string path = (fs::path(folder) / "record.json").string();
  if (!fs::is_directory(folder)) throw InputError(folder, 0, "is no folder");
  if (!fs::is_regular_file(path)) throw InputError(folder, 0, "holds no record.json: it is no folder of an issue");
  IssueRecord r;
  r.text = read_file(path);
  r.data = nlohmann::json::parse(r.text, nullptr, false);
  if (!r.data.is_object() || !r.data.contains("id") || !r.data["id"].is_string() || !r.data.contains("time") ||
      !r.data["time"].is_string())
    throw InputError(path, 0, "is no issue record, or was damaged: it cannot be read");
  r.id = r.data["id"], r.time = r.data["time"], r.sha256 = sha256_hex(r.text);
  return r;
}

/// The id is made of everything else that the record says.
bool seal_holds(const IssueRecord &r) {
  ordered_json all = ordered_json::parse(r.text, nullptr, false);
  all.erase("id");
  return content_id("issue", all.dump()) == r.id;
}

VerifiedFile compared(const fs::path &folder, const std::string &name, const std::string &expected, bool dated) {
  const fs::path path = folder / name;
  if (!fs::is_regular_file(path)) return {VerifiedFile::State::missing, name, "is missing"};
  const std::string found = read_file(path.string());
  if (dated ? undated(found) == undated(expected) : found == expected)
    return {VerifiedFile::State::same, name,
            dated ? "is what the record says, but for its date" : "is what the record says"};
  const auto at = std::mismatch(found.begin(), found.end(), expected.begin(), expected.end());
  const auto line = 1 + std::count(found.begin(), at.first, '\n');
  return {VerifiedFile::State::differs, name,
          dated ? "is not what is drawn from the record"
                : fmt::format("is not what the record says, from line {} on", line)};
}

/// The files as they would be written, in the unit that the list lies there in.
std::vector<std::pair<std::string, std::string>> expected_files(const fs::path &folder, const IssueRecord &r,
                                                                bool provisional, const RenderedAs &rendered,
                                                                Report &sheet) {
  const std::string name = provisional ? "provisional" : "control";
  std::string list;
  if (fs::is_regular_file(folder / (name + ".csv"))) list = read_file((folder / (name + ".csv")).string());
  LengthUnit unit = LengthUnit::metre;
  for (const LengthUnit u : {LengthUnit::foot, LengthUnit::us_foot})
    if ((provisional ? provisional_from(r, u).csv : control_csv(r.data, u)) == list) unit = u;
  IssuePackage p = provisional ? provisional_from(r, unit) : written_from(r, unit);
  auto files = std::move(p.files);
  for (const char *suffix : {".html", ".pdf"}) {
    files.emplace_back(name + suffix, rendered(p.sheet, suffix));
    for (const auto &[other, page] : p.more_sheets) files.emplace_back(other + suffix, rendered(page, suffix));
  }
  sheet = std::move(p.sheet);
  return files;
}
} // namespace

bool VerifiedIssue::holds() const {
  return sealed && std::all_of(files.begin(), files.end(), [](const VerifiedFile &f) {
           return f.state == VerifiedFile::State::same || f.state == VerifiedFile::State::untold;
         });
}

VerifiedIssue verify_issue(const std::string &folder, const RenderedAs &rendered) {
  const IssueRecord r = record_in(folder);
  VerifiedIssue out;
  out.id = r.id, out.time = r.time, out.sha256 = r.sha256;
  out.title = r.data.value("title", ""), out.program = r.data.value("program", "");
  out.provisional = r.data.value("kind", "") == "provisional";
  out.sealed = seal_holds(r);
  std::vector<std::pair<std::string, std::string>> files;
  Report sheet;
  try {
    files = expected_files(folder, r, out.provisional, rendered, sheet);
  } catch (const nlohmann::json::exception &) {
    throw InputError((fs::path(folder) / "record.json").string(), 0,
                     "lacks what a record of this version must say: it was changed, or written by another version");
  }
  std::set<std::string> known{"record.json"};
  for (const auto &[name, bytes] : files) {
    known.insert(name);
    out.files.push_back(compared(folder, name, bytes, name.ends_with(".pdf")));
    VerifiedFile &f = out.files.back();
    if (f.state == VerifiedFile::State::differs && name.ends_with(".pdf") && r.data.value("format", 0) == 3) {
      sheet.black = true; // `ample` of then drew so
      f = compared(folder, name, rendered(sheet, ".pdf"), true);
    }
    if (f.state == VerifiedFile::State::differs && name.ends_with(".pdf") && r.data.value("format", 3) < 3) {
      f.state = VerifiedFile::State::untold;
      f.words = "was drawn by an earlier version, fonts in any order: NOT compared, look at control.html";
    }
  }
  std::vector<std::string> others;
  for (const auto &e : fs::directory_iterator(folder))
    if (const std::string name = e.path().filename().string(); !known.count(name)) others.push_back(name);
  std::sort(others.begin(), others.end());
  for (const std::string &name : others)
    out.files.push_back({VerifiedFile::State::foreign, name, "was not issued with this record"});
  return out;
}

} // namespace ampletie
