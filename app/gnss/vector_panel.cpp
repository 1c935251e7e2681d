#include "app/gnss/vector_panel.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/page.h"
#include "app/widgets/pages.h"
#include "app/widgets/painting.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/whole_words.h"
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "job/settings.h"
#include <Eigen/Dense>
#include <QButtonGroup>
#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {

/// A white card as the others have it.
class Card : public QWidget {
public:
  using QWidget::QWidget;

protected:
  void paintEvent(QPaintEvent *) override {
    QPainter p(this);
    draw_card(p, rect());
  }
};

QString row(const QString &name, const QStringList &cells, bool heading = false) {
  QString out = heading ? "<tr><th align='left'>" : "<tr><td style='color:#5A666E'>";
  out += name + (heading ? "</th>" : "</td>");
  for (const QString &c : cells)
    out += QString(heading ? "<th align='right' style='padding-left:18px'>%1</th>"
                           : "<td align='right' style='padding-left:18px'>%1</td>")
               .arg(c);
  return out + "</tr>";
}

QString table(const QString &rows) {
  return "<table cellspacing='0' cellpadding='1' style='font-size:9pt'>" + rows + "</table>";
}

} // namespace

/// The pictures and tables of one vector.
void VectorPanel::make_pages() {
  chart_ = new SatelliteChart(
      w_, [this] { return charted_vector(w_); }, "A solved vector shows its satellites here when it is chosen");
  sky_ = new SkyPlot(w_);
  stack_ = new Pages;
  pictures_ = new QButtonGroup(this);
  integers_ = new Page;
  integers_->setAccessibleName("How the integers were settled");
  comparison_ = new Page;
  comparison_->setAccessibleName("Before and after");
  for (QTextBrowser *b : {integers_, comparison_}) b->setFrameShape(QFrame::NoFrame);
  settings_ = new TableCard("Settings of this vector", {{"Setting", "", false, false, 120},
                                                        {"Job", "", true, false, 70},
                                                        {"This vector", "Empty: as the job", true, true, 90},
                                                        {"Unit"},
                                                        {"What it does"}});
  settings_->wrap_last();
  settings_->model()->edit = [this](const std::string &id, int, const QString &value) { return edit(id, value); };
  stack_->addWidget(chart_);
  stack_->addWidget(new CountChart(w_));
  stack_->addWidget(integers_);
  stack_->addWidget(comparison_);
  stack_->addWidget(settings_);
}

/// Which of them is shown, and what a drag on the chart leaves out.
FlowLayout *VectorPanel::make_bar() {
  auto *bar = new FlowLayout(3, 2);
  auto picture = [&](const QString &label, int page, std::optional<SatelliteChart::Show> show) {
    auto *b = new QPushButton(label);
    b->setCheckable(true);
    b->setObjectName("tab");
    b->setAccessibleName(label + " of the vector");
    b->setCursor(Qt::PointingHandCursor);
    pictures_->addButton(b);
    bar->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, page, show] {
      if (show) chart_->show_as(*show);
      stack_->setCurrentIndex(page);
      refresh();
    });
    return b;
  };
  picture("Residuals", 0, SatelliteChart::Show::residuals)->setChecked(true);
  picture("Strength", 0, SatelliteChart::Show::strength);
  picture("Multipath", 0, SatelliteChart::Show::multipath);
  picture("Satellites", 1, {});
  picture("Integers", 2, {});
  picture("Compare", 3, {});
  picture("Settings", 4, {});
  bar->add_spring();
  auto combo = [&](const QString &name, const QStringList &items) {
    auto *c = new QComboBox;
    c->addItems(items);
    c->setAccessibleName(name);
    c->setToolTip(name);
    c->setSizeAdjustPolicy(QComboBox::AdjustToContents);
    c->setObjectName("compact");
    keep_whole(c);
    bar->addWidget(c);
    connect(c, &QComboBox::currentIndexChanged, this, [this] { scope_changed(); });
    return c;
  };
  satellites_ = combo("A drag leaves out", {"satellite", "system", "everything"});
  carrier_ = combo("Carrier", {"carriers"});
  where_ = combo("Where", {"this vector", "all vectors"});
  solve_ = new QPushButton("Solve one");
  solve_->setAccessibleName("Solve this vector");
  bar->addWidget(solve_);
  connect(solve_, &QPushButton::clicked, this, [this] {
    if (w_.selection().kind == "vector") w_.solve({w_.selection().id});
  });
  return bar;
}

VectorPanel::VectorPanel(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setObjectName("vector panel");
  make_pages();

  auto *card = new Card;
  auto *inside = new QHBoxLayout(card);
  inside->setContentsMargins(6, 4, 6, 4);
  inside->addWidget(stack_, 4);
  inside->addWidget(sky_, 1);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(4);
  all->addLayout(make_bar());
  all->addWidget(card, 1);
  connect(chart_, &SatelliteChart::satellite_chosen, sky_, &SkyPlot::highlight);
  connect(sky_, &SkyPlot::satellite_chosen, chart_, &SatelliteChart::highlight);
  refresh_with_selection(this, w_, [this] { refresh(); });
  refresh();
}

void VectorPanel::scope_changed() {
  chart_->set_scope(satellites_->currentIndex(), carrier_->currentIndex() > 0 ? carrier_->currentText() : QString(),
                    where_->currentIndex() == 1);
}

void VectorPanel::refresh() {
  const VectorResult *v = w_.selected_vector();
  solve_->setEnabled(v != nullptr && !w_.busy());
  for (QComboBox *c : {satellites_, carrier_, where_}) c->setVisible(v && stack_->currentIndex() == 0);
  if (const std::string key = v ? v->id + v->fingerprint : ""; key != carriers_for_) {
    carriers_for_ = key;
    const QString now = carrier_->currentText();
    const QSignalBlocker quiet(carrier_);
    carrier_->clear();
    carrier_->addItem("carriers");
    for (const QString &c : chart_->carriers()) carrier_->addItem(c);
    carrier_->setCurrentIndex(std::max(0, carrier_->findText(now)));
    scope_changed();
  }
  if (stack_->currentIndex() == 2) integers_->setHtml(v ? integers(*v) : "Choose a vector.");
  if (stack_->currentIndex() == 3) comparison_->setHtml(v ? comparison(*v) : "Choose a vector.");
  if (stack_->currentIndex() == 4) fill_settings(v);
}

QString VectorPanel::integers(const VectorResult &v) const {
  if (!v.error.empty()) return text(v.error).toHtmlEscaped();
  const StaticVector &q = *v.solved;
  QString out =
      QString("<p><b>%1 → %2</b>: %3, ratio %4, success rate %5 %. %6 carrier arcs, %7 combinations of them fixed.</p>")
          .arg(text(v.from).toHtmlEscaped(), text(v.to).toHtmlEscaped(), text(solution_name(q.solution)))
          .arg(q.ratio, 0, 'f', 1)
          .arg(q.success_rate * 100, 0, 'f', 2)
          .arg(std::count_if(q.arcs.begin(), q.arcs.end(), [](const auto &a) { return !a.reference; }))
          .arg(q.integers.values.size());
  QString rows = row("step", {"open before", "fixed", "ratio", "success", "position after"}, true);
  int n = 0;
  for (const FixingStep &s : q.story)
    rows += row(QString::number(++n),
                {QString::number(s.tried), QString::number(s.accepted),
                 s.ratio > 0 ? QString::number(s.ratio, 'f', 1) : "–", QString::number(s.success * 100, 'f', 2) + " %",
                 QString("±%1 mm").arg(s.sd_mm, 0, 'f', 1)});
  if (!q.story.empty()) out += table(rows);
  const Vec3 moved = q.d - q.d_float;
  out += QString("<p>The integers moved the position by %1 mm. Noise in the residuals: %2 of what was assumed "
                 "(multipath %4 mm, %5 % of it lasting, ionosphere %6 ppm), model fit %3.</p>")
             .arg(moved.norm() * 1000, 0, 'f', 1)
             .arg(q.noise_ratio, 0, 'f', 2)
             .arg(q.model_fit, 0, 'f', 2)
             .arg(q.noise.phase_multipath * 1000, 0, 'f', 1)
             .arg(q.noise.diffuse_share * 100, 0, 'f', 0)
             .arg(q.noise.ionosphere_ppm, 0, 'f', 1);
  if (v.together)
    out += QString("<p>In the session's solution of %1 vectors: %2 mm from this one%3.</p>")
               .arg(v.joint.count)
               .arg((v.joint.d - q.d).norm() * 1000, 0, 'f', 1)
               .arg(v.joint.window_s > 0 ? QString(", from means over %1 s").arg(v.joint.window_s, 0, 'f', 0) : "");
  for (const auto &note : q.notes) out += "<p style='color:#5A666E'>" + text(note).toHtmlEscaped() + "</p>";
  return out;
}

QString VectorPanel::comparison(const VectorResult &v) const {
  const VectorResult *b = w_.job().before(v.id);
  const bool joint = v.together;
  if (!v.error.empty()) return text(v.error).toHtmlEscaped();
  const Occupation *o = w_.occupation(v.from_occupation);
  const Mat3 axes = o ? local_axes(to_geodetic(o->file->approximate)) : Mat3(Mat3::Identity());
  auto sd = [&](const Mat3 &cov, int i) { return std::sqrt((axes * cov * axes.transpose())(i, i)) * 1000; };
  struct Side {
    QString name;
    Vec3 d;
    Mat3 cov;
    const StaticVector *q;
  };
  std::vector<Side> sides;
  if (b && b->error.empty()) sides.push_back({"before", b->solved->d, b->solved->cov, &*b->solved});
  sides.push_back({b ? "after" : "now", v.solved->d, v.solved->cov, &*v.solved});
  if (joint) sides.push_back({"with its session", v.joint.d, v.joint.cov.block<3, 3>(0, 3 * v.joint.index), nullptr});
  QStringList heads, result, ratio, rms, sats, length;
  std::array<QStringList, 3> parts, sds;
  for (const Side &s : sides) {
    heads << s.name;
    result << (s.q ? text(solution_name(s.q->solution)) : "together");
    ratio << (s.q ? QString::number(s.q->ratio, 'f', 1) : "–");
    rms << (s.q ? QString::number(s.q->rms_m * 1000, 'f', 1) : "–");
    sats << (s.q ? QString::number(s.q->satellites) : "–");
    length << QString::number(s.d.norm(), 'f', 4);
    const Vec3 enu = axes * s.d;
    for (int k = 0; k < 3; ++k) {
      parts[static_cast<std::size_t>(k)] << QString::number(enu[k], 'f', 4);
      sds[static_cast<std::size_t>(k)] << QString("±%1").arg(sd(s.cov, k), 0, 'f', 1);
    }
  }
  for (std::size_t i = 1; i < sides.size(); ++i) {
    heads << QString("%1 less %2, mm").arg(sides[i].name, sides[0].name);
    const Vec3 d = axes * (sides[i].d - sides[0].d) * 1000;
    for (int k = 0; k < 3; ++k) parts[static_cast<std::size_t>(k)] << QString("<b>%1</b>").arg(d[k], 0, 'f', 1);
    length << QString("<b>%1</b>").arg((sides[i].d.norm() - sides[0].d.norm()) * 1000, 0, 'f', 1);
  }
  QString rows = row("", heads, true) + row("result", result) + row("east m", parts[0]) + row("north m", parts[1]) +
                 row("up m", parts[2]) + row("length m", length) + row("sd east mm", sds[0]) +
                 row("sd north mm", sds[1]) + row("sd up mm", sds[2]) + row("ratio", ratio) + row("rms mm", rms) +
                 row("satellites", sats);
  QString out = table(rows);
  if (!b)
    out += "<p style='color:#5A666E'>Solve this vector again with other settings or spans to compare with now.</p>";
  return out;
}

void VectorPanel::fill_settings(const VectorResult *v) {
  std::vector<Row> rows;
  if (v)
    for (const SettingInfo &i : setting_catalogue()) {
      if (!i.per_vector) continue;
      const JobState &s = w_.job().state();
      const auto own = s.vector_settings.find(v->id);
      const bool set = own != s.vector_settings.end() && own->second.count(i.name);
      rows.push_back({i.name,
                      {{i.label, {}, {}, true},
                       {text(setting_text(s.settings, i.name)), {}, {}, false},
                       {set ? text(setting_text(settings_of_vector(s, v->id), i.name)) : QString(), {}, {}, set},
                       {i.unit, {}, {}, false},
                       {i.sentence, {}, {}, false}},
                      false,
                      set ? ink::warm : QColor()});
    }
  settings_->set_rows(std::move(rows));
}

QString VectorPanel::edit(const std::string &name, const QString &value) {
  if (w_.selection().kind != "vector") return "no vector is chosen";
  try {
    const nlohmann::json v =
        value.trimmed().isEmpty() ? nlohmann::json() : setting_value(name, value.trimmed().toStdString());
    return w_.decide("set", w_.selection().id, {{name, v}}, "for this vector alone");
  } catch (const InputError &e) {
    return text(e.reason());
  }
}

} // namespace ampletie::app
