#include "app/widgets/plan_layers.h"
#include <QListWidget>
#include <QScrollBar>
#include <QSettings>
#include <QVBoxLayout>
#include <algorithm>

namespace ampletie::app {
namespace {
QSettings hidden_store() { return QSettings(QSettings::IniFormat, QSettings::UserScope, "ample-tie", "plan"); }
} // namespace

PlanLayers::PlanLayers(QWidget *plan) : QPushButton("Layers", plan), popup_(new QFrame(plan, Qt::Popup)) {
  setAccessibleName("Layers");
  setObjectName("layers");
  setToolTip("What this plan shows: choose what is hidden");
  setCursor(Qt::ArrowCursor);
  move(8, 8);
  popup_->setObjectName("card");
  auto *rows = new QVBoxLayout(popup_);
  rows->setContentsMargins(6, 6, 6, 6);
  list_ = new QListWidget;
  list_->setAccessibleName("Layers of the plan");
  list_->setFrameShape(QFrame::NoFrame);
  auto *all = new QPushButton("Show all");
  all->setAccessibleName("Show all layers");
  rows->addWidget(list_);
  rows->addWidget(all);
  connect(this, &QPushButton::clicked, this, &PlanLayers::open);
  connect(all, &QPushButton::clicked, this, [this] {
    for (int i = 0; i < list_->count(); ++i) list_->item(i)->setCheckState(Qt::Checked);
  });
  connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem *item) {
    const std::string key = item->data(Qt::UserRole).toString().toStdString();
    if (!(item->checkState() == Qt::Checked ? hidden_.erase(key) > 0 : hidden_.insert(key).second)) return;
    keep();
    say();
    Q_EMIT changed();
  });
  remember();
}

void PlanLayers::offer(std::vector<PlanLayer> layers) {
  layers_ = std::move(layers);
  setVisible(!layers_.empty());
  say();
}

bool PlanLayers::remember() {
  std::set<std::string> now;
  for (const QString &key : hidden_store().value("hidden").toStringList()) now.insert(key.toStdString());
  if (now == hidden_) return false;
  hidden_ = std::move(now);
  say();
  return true;
}

void PlanLayers::keep() {
  QStringList all;
  for (const std::string &key : hidden_) all << QString::fromStdString(key);
  hidden_store().setValue("hidden", all);
}

void PlanLayers::say() {
  const auto hidden = std::count_if(layers_.begin(), layers_.end(), [&](const PlanLayer &l) { return !shows(l.key); });
  setText(hidden ? QString("Layers: %1 hidden").arg(hidden) : QString("Layers"));
  adjustSize();
}

void PlanLayers::open() {
  const QSignalBlocker quiet(list_);
  list_->clear();
  for (const PlanLayer &l : layers_) {
    auto *item = new QListWidgetItem(l.words, list_);
    item->setData(Qt::UserRole, QString::fromStdString(l.key));
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    item->setCheckState(shows(l.key) ? Qt::Checked : Qt::Unchecked);
  }
  list_->setCurrentRow(0);
  constexpr int most = 14; // rows before one scrolls
  list_->setFixedSize(std::clamp(list_->sizeHintForColumn(0) + 8, 180, 420) +
                          list_->verticalScrollBar()->sizeHint().width(),
                      list_->sizeHintForRow(0) * std::min(most, list_->count()) + 4);
  popup_->adjustSize();
  popup_->move(mapToGlobal(QPoint(0, height() + 2)));
  popup_->show();
  list_->setFocus();
}

} // namespace ampletie::app
