#pragma once
#include "app/window/section_list.h"
#include <QAbstractButton>
#include <QWidget>

class QPainter;

namespace ampletie::app {

/// A section's state as the job line draws it: dot, ring, dotted ring, ring with a question, disc with a tick.
void paint_knot(QPainter &p, QPointF at, SectionStatus::State state, double radius = 8);
/// The line to the next one: solid once what flows along it is up to date and free of doubts.
void paint_link(QPainter &p, QPointF from, QPointF to, SectionStatus::State state);

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
  void nextCheckState() override {} ///< a click is a wish: the section that is shown is checked

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
