#pragma once
#include "app/widgets/closure_plot.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/angle.h"
#include "results/traverses.h"

namespace ampletie::app {

/// What a row of the traverse sheet's tables says of a thing.
Row traverse_row(const TraverseLine &l);
PlottedClosure plotted_traverse(const TraverseLine &l);
Row comparison_row(const TraverseLine &l, const TraverseComparison &x);
Row setup_row(const TraverseReport &r, const JobState &state, const ReducedSetup &setup);
Row provisional_row(const TraverseReport &r, const std::string &name, const ProvisionalMark &m);
Row style_row(const JobState &state, const std::string &code, int points);
Row field_book_row(const JobSetups::Source &s);

inline QString arcseconds(double radians) {
  return QString::number(radians / rad_per_arcsec, 'f', 1).replace('-', QChar(0x2212));
}
inline QString fixed(double v, int digits) {
  return std::isfinite(v) ? QString::number(v, 'f', digits).replace('-', QChar(0x2212)) : QString("–");
}
/// A value with its limit in one cell.
inline Cell against(double value, double limit, double unit, int digits) {
  const bool good = std::abs(value) <= limit;
  return {fixed(value / unit, digits) + (good ? "" : " ✕"), std::abs(value), good ? QColor() : ink::failed, !good};
}

} // namespace ampletie::app
