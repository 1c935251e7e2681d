#pragma once
#include "app/workspace.h"
#include <QWidget>

class QComboBox;
class QLabel;
class QPlainTextEdit;
class QPushButton;

namespace ampletie::app {
class Refreshing;

/// A text file with its meaning painted onto it, as its recipe reads it. A piece that is selected can be given a
/// meaning: the recipe is changed, kept with the job, and everything like that piece is read anew.
class RecipeView : public QWidget {
  Q_OBJECT
public:
  explicit RecipeView(Workspace &w, QWidget *parent = nullptr);
  void show_source(const std::string &id);
  const std::string &source() const { return source_; }
  /// What the selected text should mean, "MEANING" or "MEANING=VALUE" (of a coded one; of lengths and angles the unit);
  /// the words why not, or nothing when it was done.
  QString say(const QString &meaning);
  /// Shows the part of the file with a line (from 1).
  void show_line(long line);

private:
  void refresh();
  void show_part(std::string_view whole);
  void offer_recipes(const RecipeSource &read);
  std::map<std::string, int> paint(const RecipeReading &q);
  void fill_meanings(const std::string &reads);
  void offer_units();
  Workspace &w_;
  std::string source_, reads_;
  long first_ = 1, first_unread_ = 0, lines_ = 0; ///< first line shown, first unread one, lines of the file
  Refreshing *drawing_;
  QPlainTextEdit *text_;
  QLabel *counts_;
  QComboBox *recipes_, *meanings_, *unit_;
  QPushButton *seen_, *apply_, *earlier_, *later_, *unread_;
  bool filling_ = false;
};

} // namespace ampletie::app
