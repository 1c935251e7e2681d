#pragma once
#include "app/stack/stack_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

class QCheckBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace ampletie::app {

/// Many days of one network added up, without a job: files in, velocities, steps and a picture of every mark out. What
/// is chosen is kept for the next time; the sum is made beside the window.
class StackPage : public QWidget {
  Q_OBJECT
public:
  explicit StackPage(Workspace &w, QWidget *parent = nullptr);
  ~StackPage() override;
  /// Files and folders besides those that are there; a control list alone is what was given.
  void add(const QStringList &paths);
  /// Writes report, list and series into a new folder; why not, or nothing.
  QString write_into(const QString &folder);
  /// Takes the coordinates and velocities of this list for the datum; empty: none.
  void use_given(const QString &path);

Q_SIGNALS:
  void back();

protected:
  void showEvent(QShowEvent *e) override;

private:
  struct Question {
    std::vector<std::string> paths;
    std::string given, epoch;
    StackOptions options; ///< without the list
  };
  struct Answer {
    std::shared_ptr<const Stacked> stacked; ///< null: there is none
    std::vector<StackLeftOut> left_out;
    QString problem;
  };
  QWidget *make_head();
  QLayout *make_choice();
  Question question() const;
  void remember() const;
  void recall();
  /// Adds up what is chosen now, as soon as what is being added up is done.
  void ask();
  /// On the worker's thread.
  Answer answer(const Question &q);
  void show_answer(Answer a);
  void show_marks();
  void show_files();
  void choose_mark(const std::string &name);
  void say_words(const QString &words, const QColor &colour);
  const StackedMark *marked() const;
  Workspace &w_;
  QStringList paths_;
  QString given_path_;
  QLineEdit *core_, *steps_, *epoch_;
  QCheckBox *seasonal_, *rotation_, *scale_;
  QLabel *given_, *words_;
  QPushButton *say_, *write_, *take_, *without_given_, *clear_;
  TableCard *marks_, *files_;
  StackPicture *picture_;
  std::string mark_;
  Answer answer_;
  std::thread worker_;
  bool recalled_ = false, running_ = false, again_ = false;
  StackReading read_; ///< the worker's: files read last
  std::string read_of_;
};

} // namespace ampletie::app
