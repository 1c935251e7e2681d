#pragma once
#include "app/widgets/theme.h"

namespace ampletie::app {

/// Pieces of the evidence's page.
inline QString heading(const QString &kind, const QString &title, const QString &state, const QColor &colour) {
  return QString("<p style='color:#6F7B83;margin:0'>%1</p><p style='font-size:14pt;font-weight:bold;margin:2px "
                 "0'>%2</p><p style='margin:0 0 6px 0;color:%3'><b>%4</b></p>")
      .arg(kind, title, colour.name(), state);
}
inline QString part(const QString &title) { return QString("<p style='margin:12px 0 3px 0'><b>%1</b></p>").arg(title); }
/// A value against its limit, with a word for the verdict.
inline QString against(const QString &name, const QString &value, const QString &limit, bool good) {
  return QString("<tr><td style='padding-right:10px'>%1</td><td align='right' style='color:%2'><b>%3</b></td><td "
                 "align='right' style='color:#6F7B83;padding-left:10px'>%4</td><td "
                 "style='padding-left:8px;color:%2'>%5</td></tr>")
      .arg(name, (good ? ink::accepted : ink::failed).name(), value, limit, good ? "within" : "beyond");
}
/// Short values stay on one line.
inline QString unbroken(const QString &s) {
  return s.contains('<') || s.size() > 26 ? s : QString(s).replace(' ', QChar(0xA0));
}
inline QString row(const QString &name, const QString &value, const QString &accuracy = {}) {
  return QString("<tr><td style='color:#5A666E;padding-right:12px'>%1</td><td align='right'>%2</td><td align='right' "
                 "style='color:#6F7B83;padding-left:10px'>%3</td></tr>")
      .arg(name, unbroken(value), unbroken(accuracy));
}
inline QString number(double v, int decimals) {
  const QString s = QString::number(v, 'f', decimals);
  // What rounds to nothing has no sign.
  return s.startsWith('-') && s.toDouble() == 0 ? s.mid(1) : QString(s).replace('-', QChar(0x2212));
}
inline QString link(const QString &target, const QString &label) {
  return QString("<a href='%1' style='color:#0B6E75;text-decoration:none'>%2</a>").arg(target, label);
}

} // namespace ampletie::app
