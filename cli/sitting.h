#pragma once
#include "open_job/job.h"

namespace ampletie::cli {

/// The job of one run of the program: opened by the first command that asks for it, kept for those of a batch.
struct Sitting {
  std::unique_ptr<Job> open;
  bool in_batch = false;

  Job &job(const std::string &path) {
    if (!open) open = std::make_unique<Job>(Job::open(path));
    return *open;
  }
  /// The exit code of what went well; in a batch its end looks for doubts.
  int finish() const { return !in_batch && open->open_doubts() ? 1 : 0; }
};

} // namespace ampletie::cli
