#include "app/widgets/sheet.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/theme.h"
#include <QButtonGroup>
#include <QLabel>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
constexpr int legible = 90; ///< px: where there is less a status stands on a line of its own

/// A line of text that ends in dots where it finds no room; the whole of it is in the tooltip.
class StatusLabel : public QLabel {
protected:
  void paintEvent(QPaintEvent *) override {
    QPainter p(this);
    p.setPen(palette().color(foregroundRole()));
    p.setFont(font());
    if (width() < legible) return;
    p.drawText(rect(), static_cast<int>(alignment()), fontMetrics().elidedText(text(), Qt::ElideRight, width()));
  }
};
} // namespace

Sheet::Sheet(Workspace &w, const QString &title, QWidget *parent) : QWidget(parent), w_(w) {
  title_ = new QLabel(title);
  title_->setFont(sized(13, true));
  status_ = new StatusLabel;
  status_->setObjectName("sheet status");
  status_->setAccessibleName(title + " status");
  status_->setStyleSheet("color:#5A666E");
  status_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  status_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  bar_ = new QProgressBar;
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  bar_->setFixedWidth(110);
  bar_->hide();
  stop_ = new QPushButton("Stop");
  stop_->setAccessibleName("Stop");
  stop_->hide();
  action_ = new QPushButton;
  action_->setObjectName("action");
  action_->hide();
  parts_ = new QWidget;
  tabs_ = new FlowLayout(2, 2, parts_);
  head_ = new QHBoxLayout;
  head_->setContentsMargins(2, 0, 0, 0);
  head_->setSpacing(10);
  head_->addWidget(title_);
  head_->addWidget(parts_);
  head_->addWidget(status_, 1);
  head_->addWidget(bar_);
  head_->addWidget(stop_);
  head_->addWidget(action_);
  body_ = new QVBoxLayout;
  body_->setSpacing(10);
  auto *layout = new QVBoxLayout(this);
  layout->setContentsMargins(14, 8, 14, 10);
  layout->setSpacing(8);
  auto *holder = new QWidget;
  holder->setFixedHeight(40);
  holder->setLayout(head_);
  layout->addWidget(holder);
  long_status_ = new QLabel;
  long_status_->setObjectName("status on a line of its own");
  long_status_->setWordWrap(true);
  long_status_->hide();
  layout->addWidget(long_status_);
  layout->addLayout(body_, 1);
  group_ = new QButtonGroup(this);
  connect(action_, &QPushButton::clicked, this, [this] { act(); });
  connect(stop_, &QPushButton::clicked, this, [this] { w_.stop(); });
  connect(&w_, &Workspace::work_started, this, [this](const QString &what) {
    bar_->setValue(0);
    bar_->setVisible(!action_->isHidden());
    stop_->setVisible(!action_->isHidden());
    action_->setEnabled(false);
    say(what + " …");
  });
  connect(&w_, &Workspace::progress, this, [this](double f, const QString &s) {
    if (!w_.busy()) return;
    bar_->setValue(static_cast<int>(f * 1000));
    say(s);
  });
  connect(&w_, &Workspace::work_finished, this, [this](const QString &m, bool failed) {
    bar_->hide();
    stop_->hide();
    action_->setEnabled(true);
    say(m, failed);
  });
  connect(&w_, &Workspace::message, this, [this](const QString &m, bool failed) { say(m, failed); });
}

void Sheet::set_action(const QString &label, const QString &accessible) {
  action_->setText(label);
  action_->setAccessibleName(accessible);
  action_->setToolTip(label + " (Ctrl+Return)");
  action_->show();
}

QPushButton *Sheet::add_side_action(const QString &label, const QString &accessible) {
  auto *b = new QPushButton(label);
  b->setAccessibleName(accessible);
  head_->insertWidget(head_->count() - 1, b);
  return b;
}

int Sheet::add_part(const QString &label, QWidget *widget, QStackedWidget *stack) {
  const int index = stack->addWidget(widget);
  auto *b = new QPushButton(label);
  b->setObjectName("tab");
  b->setCheckable(true);
  b->setAccessibleName(label + " part");
  group_->addButton(b);
  tabs_->addWidget(b);
  connect(b, &QPushButton::clicked, this, [this, stack, index] {
    stack->setCurrentIndex(index);
    place_parts(); // a part may have actions of its own in the head
  });
  tab_buttons_.push_back(b);
  labels_.push_back(label);
  // Nine parts and more find room beside each other only when they stand close.
  if (tab_buttons_.size() >= 9)
    for (QPushButton *t : tab_buttons_) t->setStyleSheet("padding: 5px 5px");
  for (QPushButton *t : tab_buttons_) keep_width(t);
  if (tab_buttons_.size() == 1) b->setChecked(true);
  place_parts();
  return static_cast<int>(tab_buttons_.size()) - 1;
}

void Sheet::set_count(int part, int n) {
  const auto i = static_cast<std::size_t>(part);
  tab_buttons_[i]->setText(labels_[i] + (n > 0 ? QString(" %1").arg(n) : QString(" –")));
  keep_width(tab_buttons_[i]);
  place_parts();
}

void Sheet::keep_width(QPushButton *tab) const {
  // The chosen tab is bold; its width must not depend on that.
  tab->setMinimumWidth(QFontMetrics(sized(9.5, true)).horizontalAdvance(tab->text()) +
                       (tab_buttons_.size() >= 9 ? 14 : 26));
}

void Sheet::show_part(int part) { tab_buttons_[static_cast<std::size_t>(part)]->click(); }

void Sheet::say(const QString &t, bool failed) {
  failed_ = failed;
  status_->setText(t);
  status_->setToolTip(t);
  const QString style = failed ? "color:#A63D2F;font-weight:bold" : "color:#5A666E";
  status_->setStyleSheet(style);
  long_status_->setStyleSheet(style);
  long_status_->setText(t);
  place_status();
}

void Sheet::place_status() {
  long_status_->setVisible(failed_ && !status_->text().isEmpty() && status_->width() < legible);
}

void Sheet::place_parts() {
  const QMargins m = layout()->contentsMargins();
  int needs = tabs_->one_line() + head_->spacing();
  for (int i = 0; i < head_->count(); ++i) {
    const QWidget *w = head_->itemAt(i)->widget();
    if (!w || w == parts_ || w == status_ || w->isHidden()) continue;
    needs += w->sizeHint().width() + head_->spacing();
  }
  const bool below = needs > width() - m.left() - m.right() && !tab_buttons_.empty();
  if (below == parts_below_) return;
  parts_below_ = below;
  auto *all = static_cast<QVBoxLayout *>(layout());
  if (below) {
    head_->removeWidget(parts_);
    all->insertWidget(1, parts_);
  } else {
    all->removeWidget(parts_);
    head_->insertWidget(1, parts_);
  }
}

void Sheet::resizeEvent(QResizeEvent *e) {
  QWidget::resizeEvent(e);
  place_parts();
  place_status();
}

} // namespace ampletie::app
