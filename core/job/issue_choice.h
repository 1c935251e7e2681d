#pragma once
#include <string>
#include <vector>

namespace ampletie {

/// How control leaves the job: a choice that a job keeps, and a template carries to the next one. The record itself
/// holds metres and everything; this is of what is printed from it.
struct IssueChoice {
  std::string unit = "m";          ///< "m", "ft" (0.3048 m), "us-ft" (1200/3937 m)
  double decimals = 4;             ///< of lengths in the unit
  bool north_first = false;        ///< north before east in sheets and in the own list
  std::string angles = "dms";      ///< of latitudes and longitudes: "dms", "deg", "gon"
  std::string columns;             ///< of a list of its own, by name, blanks between; empty: there is none
  std::string separator = "comma"; ///< of that list: "comma", "semicolon", "tab", "blank"
  bool heads = true;               ///< that list begins with the columns' names and what they are in
  bool short_form = false;         ///< the sheet leaves out single observations
  bool mark_records = false;       ///< a page for every mark
  bool setting_out = false;        ///< a sheet and a list of control distances
  bool second_person = false;      ///< nothing is issued that no second person looked at
};

/// A column that an own list may have.
struct IssueColumn {
  const char *name, *sentence;
};
const std::vector<IssueColumn> &issue_columns();
/// Throws `InputError` for a name that is none (and says which there are) and for one asked for twice.
std::vector<std::string> issue_columns_named(const std::string &names);

/// What a second person looked at before an issue, as it was signed.
struct SecondCheck {
  std::string by, looked, remark;
  std::string author, time; ///< who entered it and when, by the log
  std::string content;      ///< what the coordinates were then: a hash of the adjusted network
  long decision = 0;
};

} // namespace ampletie
