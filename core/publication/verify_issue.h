#pragma once
#include "publication/issue.h"
#include <functional>

namespace ampletie {

/// One file of an issue's folder, looked at without the job.
struct VerifiedFile {
  /// `untold`: of an earlier version, whose bytes nobody can tell again.
  enum class State { same, differs, missing, foreign, untold } state = State::same;
  std::string name, words; ///< what was found, as a clause
};
struct VerifiedIssue {
  std::string id, time, title, program, sha256; ///< of the record; its hash is that of its bytes as they lie there
  bool sealed = false;                          ///< the record's id is made of what it says
  bool provisional = false;
  std::vector<VerifiedFile> files;
  bool holds() const;
};

/// A report as bytes: ".html" or ".pdf".
using RenderedAs = std::function<std::string(const Report &, const std::string &suffix)>;

/// Looks whether an issue's folder holds what was issued: the record's id is made of what it says, and every file is
/// what is written from that record again (of a PDF all but its date). Whether the record is the one that was printed
/// or handed over is for its hash to tell. Throws `InputError` when the folder holds no record that can be read.
VerifiedIssue verify_issue(const std::string &folder, const RenderedAs &rendered);

} // namespace ampletie
