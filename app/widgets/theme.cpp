#include "app/widgets/theme.h"
#include "render/fonts.h"
#include <QApplication>
#include <QIcon>
#include <QPalette>
#include <QStyleFactory>

static void use_assets() { Q_INIT_RESOURCE(assets); }

namespace ampletie::app {

QFont sized(double points, bool bold) {
  QFont f = QApplication::font();
  f.setPointSizeF(points);
  if (bold) f.setWeight(QFont::Bold);
  return f;
}

QString escaped(const std::string &s) { return QString::fromStdString(s).toHtmlEscaped(); }

void apply_theme(QApplication &app) {
  use_assets();
  app.setStyle(QStyleFactory::create("Fusion"));
  QFont font(QString::fromStdString(load_fonts()));
  font.setPointSizeF(9.5);
  app.setFont(font);
  // Edges and shades follow from these two: a dark desktop leaves nothing of its own behind.
  QPalette p(ink::panel, ink::paper);
  p.setColor(QPalette::WindowText, ink::text);
  p.setColor(QPalette::Base, ink::panel);
  p.setColor(QPalette::AlternateBase, ink::paper);
  p.setColor(QPalette::Text, ink::text);
  p.setColor(QPalette::ButtonText, ink::text);
  p.setColor(QPalette::Highlight, ink::wash);
  p.setColor(QPalette::HighlightedText, ink::text);
  p.setColor(QPalette::PlaceholderText, ink::unused);
  p.setColor(QPalette::Link, ink::accepted);
  p.setColor(QPalette::LinkVisited, ink::accepted);
  p.setColor(QPalette::BrightText, ink::failed);
  p.setColor(QPalette::ToolTipBase, ink::text);
  p.setColor(QPalette::ToolTipText, ink::paper);
  for (auto role : {QPalette::Text, QPalette::ButtonText, QPalette::WindowText})
    p.setColor(QPalette::Disabled, role, ink::unused);
  app.setPalette(p);
  app.setWindowIcon(QIcon(":/assets/ampletie.svg"));
  app.setStyleSheet(R"(
    QToolTip { color: #F7F5F0; background: #1B2A33; border: 0; padding: 4px; }
    #card { background: #FFFFFF; border: 1px solid #D9D4C8; border-radius: 6px; }
    QTableView { background: transparent; border: 0; gridline-color: transparent; selection-background-color: #E8F1F1; selection-color: #1B2A33; }
    QTableView::item { border-bottom: 1px solid #ECE8DE; padding: 0 3px; }
    QTableView::item:selected { background: #E8F1F1; color: #1B2A33; }
    QHeaderView { background: transparent; }
    QHeaderView::section { background: transparent; color: #5A666E; border: 0; border-bottom: 1px solid #D9D4C8; padding: 5px 4px; font-size: 8.5pt; }
    QPushButton { background: #FFFFFF; border: 1px solid #CFC9BB; border-radius: 6px; padding: 6px 12px; }
    QPushButton:hover { border-color: #0B6E75; } QPushButton:focus { border: 2px solid #0B6E75; padding: 5px 11px; }
    QPushButton:disabled { color: #6F7B83; background: #F1EEE6; }
    QPushButton#action { background: #0B6E75; color: #FFFFFF; border: 0; padding: 8px 18px; font-weight: bold; }
    QPushButton#action:hover { background: #095C62; } QPushButton#action:focus { border: 2px solid #1B2A33; padding: 6px 16px; }
    QPushButton#action:disabled { background: #B9CFCF; color: #FFFFFF; }
    QPushButton#tab { border: 0; background: transparent; color: #5A666E; padding: 5px 10px; border-radius: 12px; }
    QPushButton#tab:checked { background: #FFFFFF; border: 1px solid #D9D4C8; color: #1B2A33; font-weight: bold; }
    QPushButton#tab:focus { border: 1px solid #0B6E75; }
    QLineEdit, QComboBox { background: #FFFFFF; border: 1px solid #CFC9BB; border-radius: 5px; padding: 4px 7px; }
    QComboBox#compact { padding: 3px 2px 3px 7px; }
    QComboBox::drop-down { border: 0; width: 20px; } QComboBox::down-arrow { image: url(:/assets/open.svg); width: 12px; height: 12px; }
    QLineEdit:focus, QComboBox:focus { border: 1px solid #0B6E75; }
    QProgressBar { border: 0; background: #E6E1D5; border-radius: 3px; max-height: 6px; } QProgressBar::chunk { background: #0B6E75; border-radius: 3px; }
    QTextBrowser { background: transparent; border: 0; }
    QScrollBar:vertical { background: transparent; width: 9px; } QScrollBar::handle:vertical { background: #CFC9BB; border-radius: 4px; min-height: 24px; }
    QScrollBar:horizontal { background: transparent; height: 9px; } QScrollBar::handle:horizontal { background: #CFC9BB; border-radius: 4px; min-width: 24px; }
    QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; } QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
    QAbstractScrollArea::corner { background: transparent; border: 0; } QTableCornerButton::section { background: transparent; border: 0; }
    QSplitter::handle { background: transparent; }
  )");
}

} // namespace ampletie::app
