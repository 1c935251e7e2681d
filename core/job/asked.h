#pragma once
#include <optional>
#include <string>

namespace ampletie {

/// The accuracy that is asked of a mark: 95 % values in m; 0: nothing is asked of that.
struct AskedAccuracy {
  double plan = 0, height = 0;
  bool local = false; ///< with respect to the connected marks, else to the datum
  bool any() const { return plan > 0 || height > 0; }
};

/// What was decided for a group of marks; what is absent is as for the whole job.
struct AskedOfGroup {
  std::optional<double> plan, height;
  std::optional<bool> local;
  long decision = 0;
};

/// Whether a mark belongs to a group: its name, or a beginning followed by "*".
bool in_group(const std::string &group, const std::string &mark);

/// The class of FGDC-STD-007.2-1998 (table 2.1) that a 95 % value in m reaches: "1 mm", "2 mm", "5 mm" … "10 m"; empty
/// beyond.
std::string accuracy_class(double value95);

} // namespace ampletie
