#pragma once
#include <QStackedWidget>

namespace ampletie::app {

/// Pages of which one is seen, whose size alone is asked: a stack of Qt's own asks the words of all that are hidden how
/// high they would be, whenever one is shown.
class Pages : public QStackedWidget {
public:
  explicit Pages(QWidget *parent = nullptr) : QStackedWidget(parent) {
    connect(this, &QStackedWidget::currentChanged, this, [this] { updateGeometry(); });
  }
  QSize sizeHint() const override { return currentWidget() ? currentWidget()->sizeHint() : QSize(); }
  QSize minimumSizeHint() const override { return currentWidget() ? currentWidget()->minimumSizeHint() : QSize(); }
  bool hasHeightForWidth() const override { return false; }
};

} // namespace ampletie::app
