#pragma once
#include "app/window/section_list.h"
#include <QAbstractButton>
#include <QWidget>

namespace ampletie::app {

/// One stop on the job line: a section with its state and verdict.
class JobStop : public QAbstractButton {
  Q_OBJECT
public:
  JobStop(Section s, QWidget *parent);
  void show_status(const SectionStatus &s);
  const SectionStatus &status() const { return status_; }
  QPointF knot() const { return {width() / 2.0, 17.0}; }

protected:
  void paintEvent(QPaintEvent *) override;

private:
  SectionStatus status_;
};

/// The seven sections on one drawn line: navigation, progress and the answer to "may I issue?" in one place.
class JobLine : public QWidget {
  Q_OBJECT
public:
  explicit JobLine(Workspace &w, QWidget *parent = nullptr);
  void set_current(Section s);
  JobStop *stop(Section s) const { return stops_[static_cast<std::size_t>(s)]; }

Q_SIGNALS:
  void wanted(ampletie::Section s);

protected:
  void paintEvent(QPaintEvent *) override;

private:
  void refresh();
  Workspace &w_;
  std::vector<JobStop *> stops_;
};

} // namespace ampletie::app
