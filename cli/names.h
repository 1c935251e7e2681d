#pragma once
#include "open_job/job.h"

namespace ampletie::cli {

/// Something of the job that a word on the command line names.
struct Named {
  std::string
      kind;       ///< "mark", "occupation", "vector", "run", "reading", "setup", "pointing", "route", "source", "span"
  std::string id; ///< as decisions name it; one word may name several: the readings of a line
  std::string word; ///< how it can be written without doubt
};

/// What a word names out of some kinds; `KIND:word` picks the kind. Throws `InputError` when it is nothing (near ones
/// are offered), when two kinds match (they are named), and, where only `one` is wanted, when it is several things.
std::vector<Named> resolve(const Job &job, const std::string &word, const std::vector<std::string> &kinds,
                           bool one = false);
std::string resolve_one(const Job &job, const std::string &word, const std::string &kind);

/// Every mark that the job knows: by data, lists, holds or lines.
std::vector<std::string> known_marks(const Job &job);
/// Throws `InputError` with near ones for a mark that nothing in the job has. A job without data has no marks yet:
/// there anything goes.
void require_mark(const Job &job, const std::string &mark, bool ahead);
/// Throws `InputError` with near ones unless the word is among `all`, or was said to come later.
void require_known(const char *what, const std::string &word, const std::vector<std::string> &all, bool ahead);

} // namespace ampletie::cli
