#pragma once
#include "job/content.h"

namespace ampletie {

/// What became of one dropped file.
struct Intake {
  enum class Outcome { taken, already_here, same_name_other_content, refused };
  std::string file, sentence;
  Outcome outcome = Outcome::taken;
};

/// Files that have been read and are in no job yet.
struct ReadFiles {
  struct File {
    std::string name, bytes;
    SourceContent content;
    std::string what;    ///< a sentence on what was read
    std::string refused; ///< why it cannot be taken; empty: it can
  };
  std::vector<File> files;
  std::string as; ///< "levels", "pointings" or "control": a text is taken as that even when no recipe knows it
};

/// Reads files for a job that has `have` already, several at a time; touches no job. One bad file does not keep the
/// others out.
ReadFiles read_files(const std::vector<std::string> &paths, const std::string &as, const Contents &have);
/// The same of bytes, each with its name.
ReadFiles read_bytes(const std::vector<std::pair<std::string, std::string>> &files, const std::string &as,
                     const Contents &have);

} // namespace ampletie
