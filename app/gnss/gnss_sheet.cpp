#include "app/gnss/gnss_sheet.h"
#include "adjustment/statistics.h"
#include "app/gnss/track_part.h"
#include "app/gnss/vector_panel.h"
#include "app/widgets/closure_plot.h"
#include "app/widgets/pages.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "results/vector_pairs.h"
#include <Eigen/Dense>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace ampletie::app {

GnssSheet::GnssSheet(Workspace &w, QWidget *parent) : Sheet(w, "GNSS", parent) {
  vectors_ = new TableCard("Vectors", {{"From"},
                                       {"To"},
                                       {"Length m", "", true},
                                       {"Result"},
                                       {"Ratio", "Second-best over best set of integers", true},
                                       {"Rms mm", "Phase residuals between receivers, ionosphere removed", true},
                                       {"Sats", "", true},
                                       {"95 % mm", "Plan (semi-major axis) · height of the vector", true},
                                       {"Session"}});
  occupations_ = new TableCard("GNSS occupations", {{"Mark", "", false, false, 60},
                                                    {"From", "", false, false, 96},
                                                    {"To", "", false, false, 56},
                                                    {"ARP m", "", true, false, 70},
                                                    {"Antenna", "", false, false, 160},
                                                    {"Vectors", "", true, false, 60}});
  closures_ = new TableCard(
      "Closures", {{"Marks", "", false, false, 130},
                   {"Verdict"},
                   {"Plan mm", "Length of the misclosure in plan", true},
                   {"Up mm", "Misclosure in height", true},
                   {"Limit mm", "The job's limit in mm + ppm", true},
                   {"χ²", "Against its propagated covariance; the limit is χ² with three degrees at 0.001, 16.3", true},
                   {"Length m", "", true}});
  stack_ = new Pages;
  add_part("Vectors", vectors_, stack_);
  add_part("Occupations", occupations_, stack_);
  add_part("Closures", closures_, stack_);
  tracks_ = new TrackPart(w_);
  add_part("Tracks", tracks_, stack_);
  auto *upper = new QHBoxLayout;
  upper->setSpacing(10);
  upper->addWidget(stack_, 19);
  closure_plot_ = new ClosurePlot;
  auto *beside = new Pages;
  beside->addWidget(new PlanView(w_, false));
  beside->addWidget(closure_plot_);
  upper->addWidget(beside, 9);
  auto *panel = new VectorPanel(w_);
  connect(stack_, &QStackedWidget::currentChanged, this, [this, beside, panel] {
    beside->setCurrentIndex(stack_->currentWidget() == closures_ ? 1 : 0);
    // Tracks bring their own pictures.
    const bool tracks = stack_->currentWidget() == tracks_;
    beside->setVisible(!tracks), panel->setVisible(!tracks);
  });
  body()->addLayout(upper, 5);
  body()->addWidget(panel, 5);
  set_action("Solve vectors", "Solve vectors");
  auto *report = add_side_action("Report …", "GNSS evidence report");
  report->setToolTip("Everything a checker wants to see of the GNSS work, as a page or a PDF");
  connect(report, &QPushButton::clicked, this, [this] {
    if (!w_.has_job() || (w_.job().vectors().empty() && w_.job().tracks().empty())) {
      say("there is nothing to report yet: solve vectors first", true);
      return;
    }
    const QString file = QFileDialog::getSaveFileName(this, "GNSS evidence report", "gnss-evidence.pdf",
                                                      "PDF (*.pdf);;Web page (*.html)");
    if (!file.isEmpty()) w_.report(file);
  });
  connect(vectors_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("vector", id); });
  connect(occupations_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("occupation", id); });
  connect(closures_, &TableCard::chosen, this, [this](const std::string &id) { choose_closure(id); });
  connect(closure_plot_, &ClosurePlot::chosen, this, [this](const std::string &id) {
    closures_->select(id);
    choose_closure(id);
  });
  const auto follow = [this] {
    if (w_.selection().kind == "vector") vectors_->select(w_.selection().id);
  };
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh_when_seen(vectors_, w_, [this, follow] { fill_vectors(), follow(); });
  refresh_when_seen(occupations_, w_, [this] { fill_occupations(); });
  refresh_when_seen(tracks_, w_, [this] { tracks_->refresh(); });
  refresh_with_judgement(closures_, w_, [this] { fill_closures(); });
  connect(&w_, &Workspace::judged, this, [this] { refresh(); });
  connect(&w_, &Workspace::selection_changed, this, follow);
  refresh();
}

void GnssSheet::choose_closure(const std::string &id) {
  closure_plot_->select(id);
  for (const Loop &l : w_.job().loops().loops)
    if (l.id == id) w_.select("vector", l.vectors.back());
}

void GnssSheet::toggle_use() {
  if (stack_->currentWidget() == tracks_) {
    tracks_->toggle_use();
    return;
  }
  const VectorResult *v = w_.selected_vector();
  if (v)
    w_.decide(v->used ? "leave-out" : "use", v->id, nlohmann::json::object(),
              v->used ? "left out with the space bar" : "");
}

void GnssSheet::refresh() {
  const bool job = w_.has_job();
  const auto count = [](const auto &list) { return static_cast<int>(list.size()); };
  set_count(0, job ? count(w_.job().vectors()) : 0);
  set_count(1, job ? count(w_.job().snapshot()->occupations()) : 0);
  set_count(2, job ? count(w_.job().loops().loops) : 0);
  set_count(3, job ? count(w_.job().tracks()) : 0);
  // Before anything is solved the occupations are what there is to see; of a job of tracks alone, those.
  const int first = !job ? 1 : !w_.job().vectors().empty() ? 0 : w_.job().tracks().empty() ? 1 : 3;
  if (first != first_part_) show_part(first_part_ = first);
}

void GnssSheet::fill_vectors() {
  std::vector<Row> rows;
  if (w_.has_job()) {
    std::vector<const VectorResult *> sorted;
    for (const VectorResult &v : w_.job().vectors()) sorted.push_back(&v);
    // What needs the eye first: not fixed, then what counts in the network, then the dependent ones.
    std::stable_sort(sorted.begin(), sorted.end(), [](const VectorResult *a, const VectorResult *b) {
      auto rank = [](const VectorResult *v) {
        return !v->used ? 3 : !v->error.empty() || v->solved->solution != Solution::fixed ? 0 : v->independent ? 1 : 2;
      };
      const int ra = rank(a), rb = rank(b);
      return std::tie(ra, a->session, a->from, a->to) < std::tie(rb, b->session, b->from, b->to);
    });
    for (const VectorResult *v : sorted) {
      Row r;
      r.id = v->id;
      r.dim = !v->used || (!v->independent && v->error.empty());
      const bool ok = v->error.empty(), fixed = ok && v->solved->solution == Solution::fixed;
      QString result = !ok     ? QString("✕ not solved")
                       : fixed ? QString("■ fixed")
                               : "≈ " + text(solution_name(v->solved->solution));
      if (!v->used)
        result = "– left out";
      else if (v->stale)
        result += ", out of date";
      else if (v->together)
        result += ", together";
      else if (ok && !v->independent)
        result += ", dependent";
      Mat3 enu = Mat3::Zero();
      if (ok)
        if (const Occupation *o = w_.occupation(v->from_occupation)) {
          const Mat3 axes = local_axes(to_geodetic(o->file->approximate));
          enu = axes * v->solved->cov * axes.transpose();
        }
      const double plan = factor95(2) * ellipse(enu.topLeftCorner<2, 2>()).major * 1000,
                   up = factor95(1) * std::sqrt(enu(2, 2)) * 1000;
      const QColor colour = !v->used ? QColor() : !ok ? ink::failed : fixed ? QColor() : ink::attention;
      auto num = [&](double x, int d) { return ok ? QString::number(x, 'f', d) : QString("–"); };
      r.cells = {{text(v->from), {}, {}, true},
                 {text(v->to), {}, {}, true},
                 {num(v->length(), 4), v->length(), {}, false},
                 {result, {}, colour, colour.isValid()},
                 {num(v->solved->ratio, 1), v->solved->ratio, {}, false},
                 {num(v->solved->rms_m * 1000, 1), v->solved->rms_m, {}, false},
                 {ok ? QString::number(v->solved->satellites) : "–", v->solved->satellites, {}, false},
                 {ok ? QString("%1 · %2").arg(plan, 0, 'f', 0).arg(up, 0, 'f', 0) : "–", up, {}, false},
                 {text(v->session).mid(13).replace("T", " "), {}, {}, false}};
      if (v->used && (!ok || !fixed)) r.wash = ink::warm;
      rows.push_back(std::move(r));
    }
  }
  const QString thinned = w_.has_job() ? text(thinned_pairs(*w_.job().snapshot())) : QString();
  vectors_->set_note(thinned.section(':', 0, 0), thinned);
  vectors_->set_rows(std::move(rows));
}

void GnssSheet::fill_occupations() {
  std::vector<Row> occ;
  if (w_.has_job()) {
    std::unordered_map<std::string, int> ends;
    for (const VectorResult &v : w_.job().vectors()) ++ends[v.from_occupation], ++ends[v.to_occupation];
    for (const Occupation &o : w_.job().snapshot()->occupations()) {
      const int n = ends[o.id];
      occ.push_back({o.id,
                     {{text(o.mark), {}, {}, true},
                      {w_.day_clock(o.start), {}, {}, false},
                      {w_.clock(o.stop), {}, {}, false},
                      {o.antenna_height ? QString::number(*o.antenna_height, 'f', 4) : "?", {}, {}, false},
                      {text(o.antenna), {}, {}, false},
                      {QString::number(n), n, {}, false}},
                     !o.used,
                     {}});
    }
  }
  occupations_->set_rows(std::move(occ));
}

void GnssSheet::fill_closures() {
  std::vector<Row> closures;
  std::vector<PlottedClosure> plotted;
  if (w_.has_job())
    for (const Loop &l : w_.job().loops().loops) {
      const bool fine = l.closes();
      const bool tested = l.statistic_limit > 0;
      const Vec3 &m = l.misclosure_enu;
      plotted.push_back({l.id, text(l.name()), m.x(), m.y(), m.z(), l.limit_m, fine, l.check == LoopCheck::full});
      const double plan = m.head<2>().norm() * 1000;
      closures.push_back(
          {l.id,
           {{text(l.name()), {}, {}, true},
            {QString(fine ? "■ " : "✕ ") + l.verdict() +
                 (l.check == LoopCheck::full ? "" : ", " + text(loop_check_name(l.check))),
             {},
             fine ? QColor() : ink::failed,
             !fine},
            {QString::number(plan, 'f', 1), plan, {}, false},
            {QString::number(l.misclosure_enu.z() * 1000, 'f', 1), std::abs(l.misclosure_enu.z()), {}, false},
            {QString::number(l.limit_m * 1000, 'f', 1), l.limit_m, {}, false},
            {tested ? QString::number(l.statistic, 'f', 1) : "–", tested ? l.statistic : -1, {}, false},
            {QString::number(l.length, 'f', 0), l.length, {}, false}},
           l.check == LoopCheck::none,
           fine ? QColor() : ink::warm});
    }
  closures_->set_rows(std::move(closures));
  closure_plot_->set(std::move(plotted));
}

} // namespace ampletie::app
