#pragma once
#include <QRegularExpression>
#include <QString>

namespace ampletie::app {

/// As links name headings of the guide: small letters, hyphens for blanks, nothing else.
inline QString heading_link(const QString &heading) {
  QString out = heading.toLower();
  out.remove(QRegularExpression("[^\\w\\- ]"));
  return out.replace(' ', '-');
}

} // namespace ampletie::app
