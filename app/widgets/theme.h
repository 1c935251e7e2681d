#pragma once
#include <QColor>
#include <QFont>
#include <QPen>
#include <QString>

class QApplication;

namespace ampletie::app {

/// Colours of the workbench. State is never told by colour alone.
namespace ink {
inline const QColor text{"#1B2A33"}, paper{"#F7F5F0"}, panel{"#FFFFFF"}, hairline{"#D9D4C8"}, accepted{"#0B6E75"},
    attention{"#B87311"}, failed{"#A63D2F"}, unused{"#6F7B83"}, wash{"#E8F1F1"}, warm{"#FBF3E4"};
}

/// Typeface, palette and style sheet; the same look on every desktop.
void apply_theme(QApplication &app);
QFont sized(double points, bool bold = false);
QString escaped(const std::string &s);
inline QString text(const std::string &s) { return QString::fromStdString(s); }

} // namespace ampletie::app
