#pragma once
#include <QPushButton>

namespace ampletie::app {

/// A quiet button among others, with its accessible name and a sentence.
inline QPushButton *tab_button(const QString &label, const QString &accessible, const QString &tip) {
  auto *b = new QPushButton(label);
  b->setAccessibleName(accessible);
  b->setToolTip(tip);
  b->setObjectName("tab");
  return b;
}

} // namespace ampletie::app
