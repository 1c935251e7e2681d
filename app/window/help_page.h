#pragma once
#include <QTextBrowser>
#include <QWidget>

class QLabel;
class QLineEdit;
class QListWidget;

namespace ampletie::app {

/// Text of the program's own guide: pages that lie beside the program, nothing from anywhere else.
class GuideText : public QTextBrowser {
  Q_OBJECT
public:
  using QTextBrowser::QTextBrowser;

protected:
  QVariant loadResource(int, const QUrl &) override { return {}; }
};

/// The guide inside the program: its headings at the left, the page at the right, a search above. Links between pages
/// of the guide, methods and formats are followed; others are shown and not opened.
class HelpPage : public QWidget {
  Q_OBJECT
public:
  explicit HelpPage(QWidget *parent = nullptr);
  /// Shows a page ("guide/README.md") at a heading; empty: at its beginning.
  void show_page(const QString &page, const QString &heading = {});
  /// Shows what the guide says of a section of the window.
  void show_section(const QString &name);
  QString page() const { return page_; }

Q_SIGNALS:
  void back();

private:
  void follow(const QUrl &link);
  void go_to(const QString &heading);
  void search(bool again);
  QString page_;
  QLabel *title_;
  QLineEdit *words_;
  QListWidget *headings_;
  GuideText *text_;
  QLabel *found_;
};

/// The folder of the guide; empty where the program came without.
QString docs_folder();

} // namespace ampletie::app
