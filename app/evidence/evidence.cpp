#include "app/evidence/evidence.h"
#include "adjustment/statistics.h"
#include "app/evidence/evidence_html.h"
#include "app/widgets/heading_link.h"
#include "app/widgets/numbers.h"
#include "app/widgets/page.h"
#include "app/widgets/refreshing.h"
#include "base/angle.h"
#include "base/text.h"
#include "formats/recognise.h"
#include "judgement/decision_words.h"
#include "judgement/left_over.h"
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollBar>
#include <QTextBrowser>
#include <QUrl>
#include <QVBoxLayout>

namespace ampletie::app {

EvidencePanel::EvidencePanel(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setObjectName("evidence");
  setAttribute(Qt::WA_StyledBackground);
  setStyleSheet("#evidence { background:#FFFFFF; border-left:1px solid #D9D4C8; }");
  setFixedWidth(322);
  text_ = new Page;
  text_->setAccessibleName("Evidence");
  text_->setObjectName("evidence text");
  text_->setOpenLinks(false);
  text_->setFrameShape(QFrame::NoFrame);
  connect(text_, &QTextBrowser::anchorClicked, this, &EvidencePanel::follow);
  reason_ = new QLineEdit;
  reason_->setPlaceholderText("Reason, kept with the decision");
  reason_->setAccessibleName("Reason");
  auto *layout = new QVBoxLayout(this);
  layout->setContentsMargins(14, 10, 12, 12);
  layout->addWidget(text_, 1);
  layout->addWidget(reason_);
  actions_ = new QVBoxLayout;
  actions_->setSpacing(6);
  layout->addLayout(actions_);
  refresh_with_judgement(this, w_, [this] { refresh(); });
  connect(&w_, &Workspace::selection_changed, this, [this] {
    shown_source_.clear();
    whole_trace_ = false;
    refresh();
    text_->verticalScrollBar()->setValue(0);
  });
  refresh();
}

void EvidencePanel::add_action(const QString &label, const QString &tip, std::function<void()> f, bool needs_reason) {
  offered_.push_back({label, tip, std::move(f), needs_reason});
}

/// Buttons that are there already stay: one that vanished under the pointer would be pressed in vain.
void EvidencePanel::show_actions() {
  const auto same = [](const Action &a, const Action &b) {
    return a.label == b.label && a.tip == b.tip && a.needs_reason == b.needs_reason;
  };
  const bool keep = std::equal(offered_.begin(), offered_.end(), shown_actions_.begin(), shown_actions_.end(), same);
  shown_actions_ = std::move(offered_);
  offered_.clear();
  if (keep) return;
  while (QLayoutItem *i = actions_->takeAt(0)) {
    if (i->widget()) i->widget()->hide(), i->widget()->deleteLater();
    delete i;
  }
  bool reason = false;
  for (std::size_t i = 0; i < shown_actions_.size(); ++i) {
    const Action &a = shown_actions_[i];
    auto *b = new QPushButton(a.label);
    b->setToolTip(a.tip);
    b->setAccessibleName(a.label);
    connect(b, &QPushButton::clicked, this, [this, i] { act(i); });
    actions_->addWidget(b);
    b->show();
    reason = reason || a.needs_reason;
  }
  reason_->setVisible(reason);
}

void EvidencePanel::act(std::size_t i) {
  const Action a = shown_actions_[i]; // what it does renews the page
  if (a.needs_reason && reason_->text().trimmed().isEmpty()) {
    reason_->setFocus();
    reason_->setPlaceholderText("A reason is needed: a court may ask for it");
    return;
  }
  a.f();
  reason_->clear();
}

QString EvidencePanel::source_lines(const std::string &id, long line) const {
  if (!w_.has_job()) return {};
  QString out;
  try {
    const std::string content = plain_content(w_.job().store().source_bytes(id));
    LineReader in(content);
    std::string_view text;
    while (in.next(text) && in.number() <= line + 2) {
      if (in.number() < line - 2) continue;
      const bool hit = in.number() == line;
      out += QString("<div style='font-family:monospace;font-size:7pt;white-space:pre;%1'>%2&nbsp; %3</div>")
                 .arg(hit ? "background-color:#FBF3E4" : "color:#6F7B83")
                 .arg(in.number(), 4)
                 .arg(escaped(std::string(text.substr(0, 64))));
    }
  } catch (const std::exception &e) {
    out = QString::fromUtf8(e.what());
  }
  return out;
}

QString EvidencePanel::trace_html(const std::vector<TraceStep> &steps) const {
  QString out = part("Trace");
  for (const TraceStep &t : steps) {
    QString label = escaped(t.text);
    if (t.line > 0)
      label = link(QString("line:%1:%2").arg(text(t.source_id)).arg(t.line), label);
    else if (t.decision > 0)
      label = link(QString("decision:%1").arg(t.decision), label);
    else if (t.kind == "vector")
      label = link("vector:" + text(t.item), label);
    else if (t.kind == "station")
      label = link("station:" + text(t.item), label);
    else if (t.kind == "occupation")
      label = link("occupation:" + text(t.item), label);
    out += QString("<div style='margin-left:%1px;margin-top:3px'>● %2%3</div>")
               .arg(t.depth * 12)
               .arg(label, t.detail.empty()
                               ? ""
                               : "<br/><span style='color:#6F7B83;font-size:8pt'>" + escaped(t.detail) + "</span>");
    if (t.line > 0 && t.source_id == shown_source_ && t.line == shown_line_) out += source_lines(t.source_id, t.line);
  }
  return out;
}

void EvidencePanel::about_occupation(QString &html, const Occupation &o) {
  // Always in GPS time, as the file has it; beside it what the tables show.
  auto shown = [&](GpsTime t) {
    return w_.times().kind == TimeStyle::Kind::gps ? QString(" GPS")
                                                   : QString(" GPS<br/><span style='color:#6F7B83'>%1, %2</span>")
                                                         .arg(w_.day_clock(t), text(time_scale_name(w_.times())));
  };
  html += heading("Occupation", escaped(o.mark) + " · " + w_.clock(o.start),
                  o.used ? "used" : "left out: " + escaped(o.left_out_because), o.used ? ink::accepted : ink::unused);
  html +=
      "<table cellspacing='0'>" + row("from", text(iso(o.start).replace(10, 1, " ")) + shown(o.start)) +
      row("to", text(iso(o.stop).replace(10, 1, " ")) + shown(o.stop)) +
      row("epochs", QString("%1 at %2 s").arg(o.epochs).arg(o.interval)) + row("receiver", escaped(o.receiver)) +
      row("antenna", escaped(o.antenna)) + row("read", number(o.measured, 4) + " m") +
      row("to point", escaped(o.measured_to) + (o.slant ? ", slant" : ", vertical")) +
      row("ARP above mark", o.antenna_height ? "<b>" + number(*o.antenna_height, 4) + " m</b>"
                                             : "<span style='color:#A63D2F'>" + escaped(o.height_problem) + "</span>") +
      row("calibration", o.calibration ? "found" : "<span style='color:#A63D2F'>none</span>") + "</table>";
  int n = 0;
  for (const VectorResult &v : w_.job().vectors()) n += v.from_occupation == o.id || v.to_occupation == o.id;
  html += QString("<p style='color:#6F7B83'>%1 vectors depend on it.</p>").arg(n);
  html += trace_html(trace_occupation(o, *w_.job().snapshot()));
  const std::string id = o.id;
  if (o.used)
    add_action(
        "Leave occupation out", "It stays in the job and is not used",
        [this, id] { w_.decide("leave-out", id, nlohmann::json::object(), reason_->text()); }, true);
  else
    add_action(
        "Use occupation", "Take it back into the job",
        [this, id] { w_.decide("use", id, nlohmann::json::object(), reason_->text()); }, false);
}

void EvidencePanel::about_vector(QString &html, const VectorResult &v) {
  const bool fixed = v.error.empty() && v.solved->solution == Solution::fixed;
  QString state = !v.error.empty() ? "not solved" : QString::fromStdString(solution_name(v.solved->solution));
  if (!v.used)
    state = "left out: " + escaped(v.left_out_because);
  else if (v.stale)
    state += " · out of date";
  else if (!v.independent && v.error.empty())
    state += " · dependent, not used";
  html += heading("Vector", escaped(v.from) + " → " + escaped(v.to), state,
                  !v.used           ? ink::unused
                  : fixed           ? ink::accepted
                  : v.error.empty() ? ink::attention
                                    : ink::failed);
  if (!v.error.empty())
    html += "<p>" + escaped(v.error) + "</p>";
  else {
    const auto &q = *v.solved;
    html += "<table cellspacing='0'>";
    const char *names[] = {"ΔX", "ΔY", "ΔZ"};
    for (int i = 0; i < 3; ++i)
      html += row(names[i], number(q.d[i], 4) + " m", "± " + number(std::sqrt(q.cov(i, i)) * 1000, 1) + " mm");
    html += row("length", "<b>" + number(v.length(), 4) + " m</b>") +
            row("frame", escaped(frame_name(v.frame)) + " at " + number(v.epoch, 2)) +
            row("orbits", escaped(v.orbits)) + "</table>";
    if (v.together)
      html += QString("<p>The network takes it from its session's solution, %1 mm from this one.</p>")
                  .arg(number((v.joint.d - q.d).norm() * 1000, 1));
    else if (v.session_due)
      html += "<p style='color:#B87311'>Not solved together with its session yet: solve vectors.</p>";
    const JobSettings &s = w_.job().state().settings;
    const double minutes = (q.last - q.first) / 60;
    html += part("Against its limits") + "<table cellspacing='0'>" +
            against("ratio", number(q.ratio, 1), "≥ " + number(s.ratio_limit, 1), q.ratio >= s.ratio_limit) +
            against("rms", number(q.rms_m * 1000, 1) + " mm", "≤ " + number(s.rms_limit_m * 1000, 0),
                    q.rms_m <= s.rms_limit_m) +
            against("overlap", number(minutes, 0) + " min", "≥ " + number(s.min_overlap_min, 0),
                    minutes >= s.min_overlap_min) +
            "</table>";
    html += QString("<p style='color:#6F7B83'>%1 satellites, %2 epochs, %3 slips, %4 observations set aside. Integers: "
                    "%5 accepted with a success rate of %6. Noise against its model: %7.</p>")
                .arg(q.satellites)
                .arg(q.epochs)
                .arg(q.slips)
                .arg(q.rejected)
                .arg(fixed                                  ? "all that matter"
                     : q.solution == Solution::partly_fixed ? "part"
                                                            : "none")
                .arg(number(q.success_rate, 4))
                .arg(number(q.model_fit, 2));
    for (const auto &n : q.notes) html += "<p style='color:#B87311'>" + escaped(n) + "</p>";
    // The same pair on another occasion: the plainest check there is.
    QString repeats;
    for (const VectorResult &o : w_.job().vectors()) {
      if (o.id == v.id || !o.error.empty() || o.from != v.from || o.to != v.to) continue;
      const Vec3 d = o.solved->d - q.d;
      const Mat3 c = o.solved->cov + q.cov + 4e-6 * Mat3::Identity();
      const double chi = d.dot(c.inverse() * d);
      repeats += row(link("vector:" + text(o.id), text(o.session).mid(8)),
                     "differs by " + number(d.norm() * 1000, 1) + " mm", chi < 16.27 ? "agrees" : "disagrees");
    }
    if (!repeats.isEmpty()) html += part("Measured again") + "<table cellspacing='0'>" + repeats + "</table>";
  }
  html += trace_html(trace_vector(v, *w_.job().snapshot()));
  const std::string id = v.id;
  if (v.used)
    add_action(
        "Leave vector out", "It stays in the job and is not used (Space)",
        [this, id] { w_.decide("leave-out", id, nlohmann::json::object(), reason_->text()); }, true);
  else
    add_action(
        "Use vector", "Take it back into the network (Space)",
        [this, id] { w_.decide("use", id, nlohmann::json::object(), reason_->text()); }, false);
}

void EvidencePanel::about_doubt(QString &html, const std::string &id) {
  for (const Doubt &d : w_.job().doubts()) {
    if (d.id != id) continue;
    const bool open = d.state == Doubt::State::open;
    html += heading("Doubt", escaped(d.about), text(words(d.kind)) + (open ? "" : " · accepted"),
                    open ? ink::attention : ink::unused);
    html += "<p>" + escaped(d.sentence) + ".</p><table cellspacing='0'>";
    if (d.value)
      html += row("found", escaped(measured(*d.value, d.unit)),
                  d.limit ? "limit " + escaped(measured(*d.limit, d.unit)) : "");
    if (d.effect_m) html += row("effect on coordinates", "up to " + size_of(*d.effect_m));
    html += "</table>";
    if (!d.causes.empty()) html += part("Likely causes");
    for (const auto &c : d.causes) html += "<p style='margin:2px 0'>› " + escaped(c) + "</p>";
    if (!open) html += "<p>Accepted: " + escaped(d.accepted_because) + "</p>";
    html += QString("<p><a href='guide:%1'>What this doubt means, and what to do</a></p>")
                .arg(heading_link(text(words(d.kind))));
    const Thing thing = d.thing;
    add_action(
        "Go there", "Show what it is about",
        [this, thing, section = d.section] {
          w_.go(section);
          w_.select(words(thing.kind), thing.id);
        },
        false);
    for (const Correction &c : d.corrections)
      if (open)
        add_action(
            text(c.words),
            !c.hold.empty()         ? "It can be released again"
            : !c.stop.empty()       ? "A decision about this stop; it can be taken back"
            : !c.occupation.empty() ? "A decision about this occupation; it can be taken back"
            : !c.route.empty()      ? "A decision about this traverse; it can be taken back"
                                    : "Said of the whole list; it can be taken back",
            [this, c] {
              if (!c.stop.empty())
                w_.decide_typed<StopThing>({c.stop}, c.field, text(c.value), reason_->text());
              else if (!c.occupation.empty())
                w_.decide_typed<OccupationThing>({c.occupation}, c.field, text(c.value), reason_->text());
              else if (!c.route.empty())
                w_.decide_typed<RouteThing>({c.route}, c.field, text(c.value), reason_->text());
              else if (c.hold.empty())
                w_.decide_typed<SourceThing>({c.source}, c.field, text(c.value), reason_->text());
              else
                w_.decide("hold", c.hold, {{"how", c.value}}, reason_->text());
            },
            false);
    if (open && d.section == Section::traverse) offer_corrections(d);
    if (open && !d.other.empty()) {
      const std::string keep = d.thing.id, other = d.other;
      add_action(
          "Same mark: " + text(keep), "The other name is read as this one everywhere",
          [this, keep, other] {
            w_.decide("set", "mark:" + other, {{"same_as", keep}}, reason_->text());
          },
          false);
    }
    if (open)
      add_action(
          !d.other.empty() ? "Different marks" : "Accept doubt", "It stays in the list and is printed with its reason",
          [this, id] { w_.decide("accept", id, nlohmann::json::object(), reason_->text()); }, true);
    return;
  }
  html += "<p style='color:#0B6E75'>This doubt is settled.</p>";
}

void EvidencePanel::about_decision(QString &html, long seq) {
  const auto stands = standing(w_.job().decisions());
  for (std::size_t i = 0; i < w_.job().decisions().size(); ++i) {
    const Decision &d = w_.job().decisions()[i];
    if (d.seq != seq) continue;
    html += heading("Decision", QString::number(seq), stands[i] ? "stands" : "withdrawn",
                    stands[i] ? ink::accepted : ink::unused);
    html += "<table cellspacing='0'>" + row("when", escaped(d.time)) + row("who", escaped(d.author)) +
            row("what", escaped(d.verb)) + "</table><p>" + escaped(w_.job().words().sentence(d)) + "</p><p>" +
            escaped(d.reason) + "</p>";
    if (stands[i] && d.verb != "withdraw")
      add_action(
          "Withdraw decision", "It stays in the log as withdrawn",
          [this, seq] {
            w_.decide("withdraw", "decision", {{"decision", seq}}, reason_->text());
          },
          false);
  }
}

void EvidencePanel::about_job(QString &html) {
  const auto &s = w_.job().state().settings;
  html += heading("Job", escaped(s.title), text(s.datum.crs) + " · " + number(s.datum.epoch, 2), ink::text);
  const auto open = w_.job().open_doubts();
  const auto left = left_over(*w_.job().snapshot(), w_.job().vectors(), w_.job().network());
  html +=
      w_.judging() ? QString("<p>May I issue? Checking what the last decision changes …</p>")
      : open       ? QString("<p style='color:#B87311'><b>May I issue? Not yet: %1 doubt%2 open.</b></p>")
                   .arg(open)
                   .arg(open == 1 ? " is" : "s are")
      : w_.job().network() && !w_.job().network_stale()
          ? (left.empty()
                 ? "<p style='color:#0B6E75'><b>May I issue? Nothing speaks against it.</b></p>"
                 : "<p style='color:#B87311'><b>May I issue? No doubt is open, but not everything takes part.</b></p>")
          : "<p>May I issue? The network is not adjusted yet.</p>";
  if (!left.empty()) {
    html += part("No part of the result: " + text(left_over_words(left)));
    for (std::size_t i = 0; i < left.size() && i < 8; ++i)
      html += "<p style='margin:2px 0'>" + escaped(left[i].kind + " " + left[i].name) +
              " <span style='color:#6F7B83'>" + escaped(left[i].because) + "</span></p>";
    if (left.size() > 8) html += QString("<p style='margin:2px 0'>and %1 more</p>").arg(left.size() - 8);
  }
  html += "<p style='color:#6F7B83'>Choose an occupation, a vector or a mark: what it rests on appears here.</p>";
}

void EvidencePanel::refresh() {
  QString html;
  const int scroll = text_->verticalScrollBar()->value();
  if (!w_.has_job())
    html = "<p style='color:#6F7B83'>No job is open.</p>";
  else {
    const Selection &s = w_.selection();
    if (s.kind == "occupation" && w_.occupation(s.id))
      about_occupation(html, *w_.occupation(s.id));
    else if (s.kind == "vector" && w_.vector(s.id))
      about_vector(html, *w_.vector(s.id));
    else if (const MeasuredVector *v = s.kind == "measured" ? w_.measured(s.id) : nullptr)
      about_measured(html, *v);
    else if (s.kind == "track" && w_.track(s.id))
      about_track(html, *w_.track(s.id));
    else if (s.kind == "stop" && w_.track_of_stop(s.id))
      about_stop(html, *w_.track_of_stop(s.id), *stop_of(*w_.track_of_stop(s.id), s.id));
    else if (s.kind == "level line" && w_.job().snapshot()->levels().line(s.id))
      about_level_line(html, *w_.job().snapshot()->levels().line(s.id));
    else if (s.kind == "traverse" && w_.job().snapshot()->traverses().line(s.id))
      about_traverse(html, *w_.job().snapshot()->traverses().line(s.id));
    else if (s.kind == "station" && w_.job().snapshot()->traverses().field.find(s.id))
      about_station(html, *w_.job().snapshot()->traverses().field.find(s.id));
    else if (s.kind == "sight")
      about_sight(html, s.id);
    else if (s.kind == "mark")
      about_mark(html, s.id);
    else if (s.kind == "doubt")
      about_doubt(html, s.id);
    else if (s.kind == "source")
      about_source(html, s.id);
    else if (s.kind == "decision")
      about_decision(html, std::atol(s.id.c_str()));
    else
      about_job(html);
  }
  show_actions();
  // Laying a page out costs more than anything else here, and most decisions leave it as it is.
  if (html == shown_) return;
  shown_ = html;
  text_->setHtml(html);
  text_->verticalScrollBar()->setValue(scroll);
}

void EvidencePanel::follow(const QUrl &url) {
  const QString s = url.toString();
  const QStringList parts = s.split(':');
  if (parts[0] == "line" && parts.size() == 3) {
    shown_source_ = parts[1].toStdString();
    shown_line_ = parts[2].toLong();
    refresh();
  } else if (s == "trace:whole") {
    whole_trace_ = true;
    refresh();
  } else if (parts[0] == "guide" && parts.size() == 2)
    Q_EMIT help_wanted("guide/doubts.md", parts[1]);
  else if (parts.size() == 2)
    w_.select(parts[0], parts[1].toStdString());
}

} // namespace ampletie::app
