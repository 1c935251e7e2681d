#pragma once
#include <QString>

namespace ampletie::app {

/// What a column says, for those whose table does not say it itself: in one table, else wherever it stands. Empty: it
/// is not explained, which a test finds. The guide's page of columns is made of these (docs/make-columns).
QString column_words(const QString &table, const QString &title);

} // namespace ampletie::app
