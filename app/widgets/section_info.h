#pragma once
#include "app/workspace.h"

namespace ampletie::app {
class Sheet;

/// What the job line shows about a section.
struct SectionStatus {
  enum class State { nothing, to_do, stale, doubt, clean };
  QString name, verdict;
  State state = State::nothing;
};

/// A section of the window. Each stands in its own folder as `NAME_section`; app/window/section_list.cpp lists them.
struct SectionInfo {
  Section section;
  const char *name;
  const char *mnemonic; ///< the name with its letter underlined
  const char *key;      ///< that leads there
  Sheet *(*make)(Workspace &);
  /// Says how the section of an open job stands; `out` comes as "nothing yet".
  void (*status)(const Job &, SectionStatus &out);
};

/// How many doubts of a section are open.
int open_doubts_in(const Job &job, Section section);
/// Adds them to a verdict, where there are any.
void add_doubts(const Job &job, Section section, SectionStatus &out);
/// A count as the verdict of a section without doubts: "1 line", "3 lines".
void count_as_verdict(const Job &job, Section section, std::size_t n, const char *what, SectionStatus &out);

template <class S> Sheet *make_sheet(Workspace &w) { return new S(w); }

} // namespace ampletie::app
