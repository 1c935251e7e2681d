#pragma once
#include "app/workspace.h"
#include <QEvent>
#include <QWidget>
#include <functional>

namespace ampletie::app {

/// Calls `refresh` after every change of the job: at once where the widget can be seen, else when it is shown.
class Refreshing : public QObject {
  Q_OBJECT
public:
  /// What a widget shows besides the job.
  enum class Also { nothing, selection, judgement };
  Refreshing(QWidget *seen, Workspace &w, Also also, std::function<void()> refresh)
      : QObject(seen), seen_(seen), refresh_(std::move(refresh)) {
    seen->installEventFilter(this);
    connect(&w, &Workspace::changed, this, &Refreshing::ask);
    if (also == Also::selection) connect(&w, &Workspace::selection_changed, this, &Refreshing::ask);
    if (also == Also::judgement) connect(&w, &Workspace::judged, this, &Refreshing::ask);
  }
  bool eventFilter(QObject *, QEvent *e) override {
    if (e->type() == QEvent::Show && due_) now();
    return false;
  }
  /// For what is shown besides the job: at once where it can be seen, else later.
  void ask() {
    due_ = true;
    if (seen_->isVisible()) now();
  }

private:
  void now() {
    due_ = false;
    refresh_();
  }
  QWidget *seen_;
  std::function<void()> refresh_;
  bool due_ = false;
};

inline Refreshing *refresh_when_seen(QWidget *seen, Workspace &w, std::function<void()> refresh) {
  return new Refreshing(seen, w, Refreshing::Also::nothing, std::move(refresh));
}
inline void refresh_with_selection(QWidget *seen, Workspace &w, std::function<void()> refresh) {
  new Refreshing(seen, w, Refreshing::Also::selection, std::move(refresh));
}
inline void refresh_with_judgement(QWidget *seen, Workspace &w, std::function<void()> refresh) {
  new Refreshing(seen, w, Refreshing::Also::judgement, std::move(refresh));
}

} // namespace ampletie::app
