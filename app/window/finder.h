#pragma once
#include "app/workspace.h"
#include <QFrame>

class QLineEdit;
class QListWidget;

namespace ampletie::app {

/// Finds a mark, a source, a doubt, a vector or a command by a few letters (Ctrl+K).
class Finder : public QFrame {
  Q_OBJECT
public:
  Finder(Workspace &w, QWidget *parent);
  void add_command(const QString &name, const QString &key, std::function<void()> f) {
    commands_.push_back({name, key, std::move(f)});
  }
  void start();

protected:
  bool eventFilter(QObject *o, QEvent *e) override;

private:
  void search(const QString &t);
  void take(int row);
  struct Command {
    QString name, key;
    std::function<void()> f;
  };
  Workspace &w_;
  std::vector<Command> commands_;
  std::vector<std::function<void()>> hits_;
  QLineEdit *edit_;
  QListWidget *list_;
};

} // namespace ampletie::app
