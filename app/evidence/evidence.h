#pragma once
#include "app/workspace.h"
#include <QWidget>

class QTextBrowser;
class QLineEdit;
class QVBoxLayout;
class QUrl;

namespace ampletie::app {

/// The panel on the right: for whatever is selected the number, its accuracy against its limit, where it came from down
/// to the line of the source file, and what can be done about it.
class EvidencePanel : public QWidget {
  Q_OBJECT
public:
  explicit EvidencePanel(Workspace &w, QWidget *parent = nullptr);

Q_SIGNALS:
  void help_wanted(const QString &page, const QString &heading);

private:
  void refresh();
  QString between_html(const std::string &to) const;
  void follow(const QUrl &link);
  void add_action(const QString &label, const QString &tip, std::function<void()> f, bool needs_reason);
  void show_actions();
  void act(std::size_t i);
  void about_occupation(QString &html, const Occupation &o);
  void about_vector(QString &html, const VectorResult &v);
  void about_level_line(QString &html, const LevelLine &l);
  void about_traverse(QString &html, const TraverseLine &l);
  void about_station(QString &html, const ReducedSetup &s);
  void offer_corrections(const Doubt &d);
  void about_sight(QString &html, const std::string &id);
  void about_mark(QString &html, const std::string &name);
  void offer_holds(const std::string &mark, Hold now);
  void about_doubt(QString &html, const std::string &id);
  void about_source(QString &html, const std::string &id);
  void about_linework(QString &html, const SourceContent &c);
  void about_attachment(QString &html, const SourceContent &c);
  /// A small picture of an attachment; empty where nothing of it can be shown.
  QString picture_html(const SourceContent &c) const;
  void open_attachment(const std::string &id, const std::string &name);
  /// What is known of a mark on the ground, with its pictures.
  QString notes_html(const std::string &mark) const;
  void about_geoid(QString &html, const SourceContent &c);
  void about_measured(QString &html, const MeasuredVector &v);
  void about_track(QString &html, const TrackResult &t);
  void about_stop(QString &html, const TrackResult &t, const TrackStop &s);
  void about_solution(QString &html, const SourceContent &c);
  void about_shifts(QString &html, const SourceContent &c);
  void about_decision(QString &html, long seq);
  void about_job(QString &html);
  QString trace_html(const std::vector<TraceStep> &steps) const;
  QString source_lines(const std::string &source_id, long line) const;

  struct Action {
    QString label, tip;
    std::function<void()> f;
    bool needs_reason;
  };
  std::vector<Action> offered_, shown_actions_; ///< while the page is made; as there are buttons
  Workspace &w_;
  QTextBrowser *text_;
  QLineEdit *reason_;
  QVBoxLayout *actions_;
  QString shown_; ///< the page
  std::string shown_source_;
  long shown_line_ = 0;
  bool whole_trace_ = false; ///< also what moves a mark least
};

} // namespace ampletie::app
