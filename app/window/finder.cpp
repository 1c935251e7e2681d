#include "app/window/finder.h"
#include "app/widgets/theme.h"
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>
#include <set>

namespace ampletie::app {

Finder::Finder(Workspace &w, QWidget *parent) : QFrame(parent), w_(w) {
  setObjectName("finder");
  setStyleSheet("#finder { background:#FFFFFF; border:1px solid #1B2A33; border-radius:8px; } QListWidget { border:0; "
                "} QListWidget::item { padding:5px; }");
  edit_ = new QLineEdit;
  edit_->setPlaceholderText("Find a mark, a source, a vector, a doubt or a command");
  edit_->setAccessibleName("Find");
  list_ = new QListWidget;
  list_->setAccessibleName("Found");
  auto *layout = new QVBoxLayout(this);
  layout->addWidget(edit_);
  layout->addWidget(list_);
  edit_->installEventFilter(this);
  connect(edit_, &QLineEdit::textChanged, this, &Finder::search);
  connect(list_, &QListWidget::itemClicked, this, [this] { take(list_->currentRow()); });
  hide();
}

void Finder::start() {
  resize(520, 330);
  move((parentWidget()->width() - width()) / 2, 76);
  edit_->clear();
  search("");
  show();
  raise();
  edit_->setFocus();
}

void Finder::search(const QString &t) {
  list_->clear();
  hits_.clear();
  auto offer = [&](const QString &label, const QString &kind, std::function<void()> f) {
    if (hits_.size() > 60 || !(label + " " + kind).contains(t.trimmed(), Qt::CaseInsensitive)) return;
    list_->addItem(label + "     " + kind);
    hits_.push_back(std::move(f));
  };
  for (const Command &c : commands_) offer(c.name, "command" + (c.key.isEmpty() ? QString() : " · " + c.key), c.f);
  if (w_.has_job()) {
    const auto &s = *w_.job().snapshot();
    std::set<std::string> marks;
    for (const auto &o : s.occupations()) marks.insert(o.mark);
    for (const auto *all : {&s.published(), &s.checks()})
      for (const auto &[name, p] : *all) marks.insert(name);
    // Marks where no receiver stood: of levels and total stations.
    for (const LevelSection &x : s.levels().sections) marks.insert({x.from, x.to});
    if (const NetworkRun *run = w_.job().network())
      for (const AdjustedMark &m : run->result.marks) marks.insert(m.name);
    for (const auto &m : marks) offer(text(m), "mark", [this, m] { w_.select("mark", m); });
    for (const auto &c : s.contents())
      offer(text(c.source.name), "source", [this, id = c.source.id] { w_.select("source", id); });
    for (const auto &d : w_.job().doubts())
      offer(text(d.about + ": " + words(d.kind)), "doubt", [this, id = d.id] { w_.select("doubt", id); });
    for (const auto &v : w_.job().vectors())
      offer(text(v.from + " → " + v.to), "vector · " + text(v.session).mid(8), [this, id = v.id] {
        w_.go(Section::gnss);
        w_.select("vector", id);
      });
  }
  list_->setCurrentRow(0);
}

void Finder::take(int row) {
  hide();
  if (row < 0 || row >= static_cast<int>(hits_.size())) return;
  const auto f = hits_[static_cast<std::size_t>(row)];
  f();
}

bool Finder::eventFilter(QObject *o, QEvent *e) {
  if (e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent *>(e)->key();
    if (key == Qt::Key_Escape) {
      hide();
      return true;
    }
    if (key == Qt::Key_Return || key == Qt::Key_Enter) {
      take(list_->currentRow());
      return true;
    }
    if (key == Qt::Key_Down || key == Qt::Key_Up) {
      list_->setCurrentRow(std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, list_->count() - 1));
      return true;
    }
  }
  if (e->type() == QEvent::FocusOut) hide();
  return QFrame::eventFilter(o, e);
}

} // namespace ampletie::app
