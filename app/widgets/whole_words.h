#pragma once
#include <QComboBox>
#include <QLineEdit>

namespace ampletie::app {

/// A choice that is never narrower than what is chosen.
inline void keep_whole(QComboBox *c) {
  const auto fit = [c] { c->setMinimumWidth(std::max(60, c->fontMetrics().horizontalAdvance(c->currentText()) + 34)); };
  QObject::connect(c, &QComboBox::currentTextChanged, c, fit);
  fit();
}

/// A field that is never narrower than its hint.
inline void keep_whole(QLineEdit *e) {
  e->setMinimumWidth(e->fontMetrics().horizontalAdvance(e->placeholderText()) + 18);
}

} // namespace ampletie::app
