#include "app/window/new_job_page.h"
#include "app/widgets/theme.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "datum/system_offer.h"
#include "job/settings.h"
#include "job/settings_template.h"
#include <QComboBox>
#include <QDateEdit>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
constexpr std::size_t most_shown = 200;

QString line(const QString &name, const QString &value, const char *colour = "#1B2A33") {
  return QString("<p style='margin:3px 0'><span style='color:#5A666E'>%1</span> <span style='color:%2'>%3</span></p>")
      .arg(name, colour, value);
}
} // namespace

// Long because it lays out one page, every field once.
NewJobPage::NewJobPage(QWidget *parent) : QWidget(parent) {
  auto *title = new QLabel("A new job");
  title->setFont(sized(17, true));
  auto *why = new QLabel(
      "What stands here decides whether coordinates are right. All of it can be changed later in the settings; "
      "every change is kept with its reason.");
  why->setWordWrap(true);
  auto field = [](const QString &name, const QString &placeholder, int width = 0) {
    auto *e = new QLineEdit;
    e->setAccessibleName(name);
    e->setPlaceholderText(placeholder);
    if (width) e->setMaximumWidth(width);
    return e;
  };
  title_ = field("Title of the job", "as it stands on every sheet");
  place_ = field("Place of the job", "as 46.29 13.88 or 46d17'N 13d53'E; may stay empty");
  words_ = field("Search grids", "name, country, code … of the grid");
  realisation_ = field("Realisation of the frame", "only where the right side asks for it, as ETRF2000");
  geoid_ = field("Geoid deviation", "as its grid says", 130);
  plan_ = field("Asked in plan", "nothing", 90);
  height_ = field("Asked in height", "nothing", 90);
  kind_ = new QComboBox;
  kind_->setAccessibleName("Kind of coordinates");
  kind_->addItem("a grid of the register");
  kind_->addItem("a plane of the site's own");
  kind_->addItem("heights alone");
  found_ = new QListWidget;
  found_->setAccessibleName("Grids found");
  found_->setMinimumHeight(140);
  found_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  found_->setTextElideMode(Qt::ElideRight);
  found_->setStyleSheet("QListWidget { background:#FFFFFF; border:1px solid #CFC9BB; border-radius:5px; } "
                        "QListWidget::item { padding:2px 6px; }");
  heights_ = new QComboBox;
  heights_->setAccessibleName("Heights of the job");
  heights_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  heights_->setMinimumWidth(320);
  epoch_ = new QDateEdit(QDate::currentDate());
  epoch_->setAccessibleName("Epoch of the job");
  epoch_->setDisplayFormat("yyyy-MM-dd");
  epoch_->setDateRange(QDate(1950, 1, 1), QDate(2100, 1, 1));
  epoch_->setMaximumWidth(130);
  template_name_ = new QLabel;
  template_name_->setAccessibleName("Template of the job");
  template_name_->setStyleSheet("color:#5A666E");
  auto *choose = new QPushButton("Template …");
  choose->setAccessibleName("Begin with a template");
  choose->setToolTip("Settings that were kept from another job, yours or a colleague's");
  means_ = new QLabel;
  means_->setAccessibleName("What the job will be");
  means_->setTextFormat(Qt::RichText);
  means_->setWordWrap(true);
  means_->setAlignment(Qt::AlignTop);
  said_ = new QLabel;
  said_->setObjectName("sheet status");
  said_->setAccessibleName("New job says");
  said_->setWordWrap(true);
  make_ = new QPushButton("Make the job …");
  make_->setObjectName("action");
  make_->setAccessibleName("Make the job");
  auto *cancel = new QPushButton("Cancel");
  cancel->setAccessibleName("No new job");

  auto row = [](std::initializer_list<QWidget *> all) {
    auto *r = new QHBoxLayout;
    r->setSpacing(8);
    for (QWidget *w : all) r->addWidget(w);
    r->addStretch();
    return r;
  };
  auto *form = new QFormLayout;
  form->setHorizontalSpacing(14);
  form->setVerticalSpacing(9);
  form->setFieldGrowthPolicy(QFormLayout::ExpandingFieldsGrow);
  form->addRow("Title", title_);
  form->addRow("Begin with", row({choose, template_name_}));
  form->addRow("Where", place_);
  form->addRow("Coordinates", kind_);
  form->addRow("Grid", words_);
  form->addRow("", found_);
  form->addRow("Realised as", realisation_);
  form->addRow("Heights", heights_);
  form->addRow("Geoid known to", row({geoid_, new QLabel("mm, one standard deviation")}));
  form->addRow("Epoch", row({epoch_, new QLabel("of the coordinates that are issued")}));
  form->addRow("Asked, 95 %", row({new QLabel("plan"), plan_, new QLabel("mm   height"), height_, new QLabel("mm")}));
  auto *left = new QVBoxLayout;
  left->addWidget(title);
  left->addWidget(why);
  left->addSpacing(6);
  left->addLayout(form, 1);
  auto *side = new QWidget;
  side->setObjectName("card");
  side->setAttribute(Qt::WA_StyledBackground);
  side->setFixedWidth(390);
  auto *inner = new QVBoxLayout(side);
  inner->setContentsMargins(16, 14, 16, 14);
  inner->addWidget(means_, 1);
  inner->addWidget(said_);
  auto *buttons = new QHBoxLayout;
  buttons->addWidget(cancel);
  buttons->addWidget(make_, 1);
  inner->addLayout(buttons);
  auto *all = new QHBoxLayout(this);
  all->setContentsMargins(40, 26, 26, 20);
  all->setSpacing(26);
  all->addLayout(left, 1);
  all->addWidget(side);

  auto *soon = new QTimer(this);
  soon->setSingleShot(true);
  soon->setInterval(150);
  connect(soon, &QTimer::timeout, this, [this] { search(), offer_heights(); });
  for (QLineEdit *e : {words_, place_}) connect(e, &QLineEdit::textChanged, soon, qOverload<>(&QTimer::start));
  for (QLineEdit *e : {title_, realisation_, geoid_, plan_, height_})
    connect(e, &QLineEdit::textChanged, this, [this] { describe(); });
  connect(kind_, &QComboBox::activated, this, [this] {
    words_->setEnabled(kind_->currentIndex() == 0), found_->setEnabled(kind_->currentIndex() == 0);
    describe();
  });
  connect(heights_, &QComboBox::activated, this, [this] { describe(); });
  connect(epoch_, &QDateEdit::dateChanged, this, [this] { describe(); });
  connect(found_, &QListWidget::currentRowChanged, this, [this](int r) {
    if (r >= 0 && static_cast<std::size_t>(r) < grids_.size()) grid_ = grids_[static_cast<std::size_t>(r)].code;
    describe();
  });
  connect(choose, &QPushButton::clicked, this, [this] {
    const QString path = QFileDialog::getOpenFileName(this, "Begin with a template", {}, "Templates (*.json)");
    if (path.isEmpty()) return;
    const QString bad = use_template(path);
    if (!bad.isEmpty()) say(bad, true);
  });
  connect(make_, &QPushButton::clicked, this, &NewJobPage::make_wanted);
  connect(cancel, &QPushButton::clicked, this, &NewJobPage::cancelled);
  setFocusProxy(title_);
}

void NewJobPage::begin() {
  base_ = {};
  grid_.clear();
  for (QLineEdit *e : {title_, place_, words_, realisation_, geoid_, plan_, height_}) e->clear();
  template_name_->setText("nothing but what is said below");
  kind_->setCurrentIndex(0);
  words_->setEnabled(true), found_->setEnabled(true);
  epoch_->setDate(QDate::currentDate());
  say({}, false);
  search();
  offer_heights();
}

void NewJobPage::say(const QString &words, bool failed) {
  said_->setText(words);
  said_->setStyleSheet(failed ? "color:#A63D2F; font-weight:bold" : "color:#5A666E");
}

QString NewJobPage::file_name() const {
  QString name = title_->text().simplified();
  name.replace(QRegularExpression("[^\\w .,()-]", QRegularExpression::UseUnicodePropertiesOption), "-");
  name = name.left(80).trimmed();
  return name.isEmpty() || name.startsWith('.') ? QString() : name + ".tie";
}

std::optional<Geodetic> NewJobPage::place() const {
  const QStringList parts = place_->text().simplified().split(QRegularExpression("[ ;,/]+"), Qt::SkipEmptyParts);
  if (parts.size() != 2) return {};
  const auto lat = parse_angle_deg(parts[0].toStdString()), lon = parse_angle_deg(parts[1].toStdString());
  if (!lat || !lon || std::abs(*lat) > 90 || std::abs(*lon) > 360) return {};
  return Geodetic{radians(*lat), radians(*lon), 0};
}

void NewJobPage::search() {
  const auto at = place();
  grids_.clear();
  if (at || words_->text().trimmed().size() > 2) grids_ = find_systems(words_->text().toStdString(), at, "projected");
  const std::string kept = grid_;
  found_->clear();
  int row = -1;
  for (std::size_t i = 0; i < std::min(grids_.size(), most_shown); ++i) {
    found_->addItem(text(grids_[i].code + "   " + grids_[i].name + "   " + grids_[i].area));
    found_->item(static_cast<int>(i))->setToolTip(text(grids_[i].area));
    if (grids_[i].code == kept) row = static_cast<int>(i);
  }
  if (grids_.empty())
    found_->addItem(at || words_->text().trimmed().size() > 2 ? "nothing of the register is called so there"
                                                              : "say where, or three letters of its name");
  if (row >= 0) found_->setCurrentRow(row);
  describe();
}

void NewJobPage::offer_heights() {
  const QString kept = heights_->currentData().toString();
  heights_->clear();
  heights_->addItem("not said: ellipsoidal heights alone", "");
  heights_found_.clear();
  if (const auto at = place()) heights_found_ = find_systems("", at, "vertical");
  for (const FoundSystem &s : heights_found_) heights_->addItem(text(s.name + "   " + s.code), text(s.code));
  const QString wanted = kept.isEmpty() ? text(base_.datum.vertical) : kept;
  if (!wanted.isEmpty() && heights_->findData(wanted) < 0) heights_->addItem(wanted, wanted);
  heights_->setCurrentIndex(std::max(0, heights_->findData(wanted)));
  describe();
}

QString NewJobPage::use_template(const QString &path) {
  try {
    base_ = read_template(read_file(path.toStdString()));
  } catch (const InputError &e) {
    return QFileInfo(path).fileName() + ": " + QString::fromUtf8(e.what());
  }
  template_name_->setText(QFileInfo(path).completeBaseName());
  grid_ = base_.datum.crs;
  kind_->setCurrentIndex(grid_.rfind("local:", 0) == 0 ? 1 : grid_.empty() ? 2 : 0);
  words_->setEnabled(kind_->currentIndex() == 0), found_->setEnabled(kind_->currentIndex() == 0);
  if (grid_.rfind("EPSG:", 0) == 0) words_->setText(text(grid_));
  const auto shown = [&](const char *name) { return text(setting_text(base_, name)); };
  realisation_->setText(text(base_.datum.realisation));
  geoid_->setText(base_.datum.geoid_sd > 0 ? shown("geoid_sd") : QString());
  plan_->setText(base_.asked.plan > 0 ? shown("asked-plan") : QString());
  height_->setText(base_.asked.height > 0 ? shown("asked-height") : QString());
  heights_->clear();
  offer_heights();
  search();
  say("settings of " + QFileInfo(path).fileName() + "; title and epoch are this job's own", false);
  return {};
}

JobSettings NewJobPage::settings() const {
  JobSettings s = base_;
  const auto put = [&](const char *name, const QString &value) {
    apply_setting(s, name, setting_value(name, value.trimmed().toStdString()));
  };
  if (title_->text().trimmed().isEmpty()) throw InputError("the job has no title yet");
  if (!place_->text().trimmed().isEmpty() && !place())
    throw InputError("where it is cannot be read: give latitude and longitude, as 46.29 13.88");
  put("title", title_->text());
  if (kind_->currentIndex() == 0) {
    if (grid_.empty()) throw InputError("no grid is chosen: say where the job is, or its name, and choose one");
    put("crs", text(grid_));
  } else if (kind_->currentIndex() == 1) {
    const auto at = place();
    if (at)
      put("crs", QString("local:%1:%2:0").arg(degrees(at->lat), 0, 'f', 6).arg(degrees(at->lon), 0, 'f', 6));
    else if (s.datum.crs.rfind("local:", 0) != 0)
      throw InputError("a plane of the site's own needs the place that it touches the Earth at: say where");
  } else
    s.datum.crs.clear();
  s.datum.vertical = heights_->currentData().toString().toStdString();
  if (s.datum.crs.empty() && s.datum.vertical.empty())
    throw InputError("a job of heights alone needs its height system: say where, and choose one");
  put("realisation", realisation_->text());
  put("epoch", epoch_->date().toString("yyyy-MM-dd"));
  if (!geoid_->text().trimmed().isEmpty()) put("geoid_sd", geoid_->text());
  put("asked-plan", plan_->text().trimmed().isEmpty() ? "0" : plan_->text());
  put("asked-height", height_->text().trimmed().isEmpty() ? "0" : height_->text());
  return s;
}

void NewJobPage::describe() {
  QString html = "<h3 style='margin:0 0 6px 0'>What the job will be</h3>";
  constexpr const char *good = "#0B6E75", *bad = "#A63D2F", *open = "#8A5508";
  const auto at = place();
  const auto chosen = std::find_if(grids_.begin(), grids_.end(), [&](const FoundSystem &s) { return s.code == grid_; });
  if (kind_->currentIndex() == 0 && chosen != grids_.end()) {
    html += line("grid", escaped(chosen->name) + " · " + text(chosen->code));
    if (at) {
      const SystemOffer o = offer_system(*chosen, *at);
      html += o.usable ? line("", "can be used there", good) : line("", escaped(o.why_not), bad);
      if (!realisation_->text().trimmed().isEmpty())
        html += line("realised as", realisation_->text().trimmed().toHtmlEscaped() + ", as said");
      else if (!o.frame.empty())
        html += line("realised as", escaped(o.frame), o.frame.rfind("to be said", 0) == 0 ? open : "#1B2A33");
      constexpr double for_control = 0.02; // m: what an operation may be worth for control
      if (o.way_m)
        html += *o.way_m > for_control ? line("way from the orbits",
                                              QString("%1 mm: not good enough for control without a grid of shifts")
                                                  .arg(1000 * *o.way_m, 0, 'f', 0),
                                              open)
                                       : line("way from the orbits", QString("%1 mm").arg(1000 * *o.way_m, 0, 'f', 0));
      if (o.scale)
        html += line("scale factor there", QString::number(*o.scale, 'f', 8)) +
                line("convergence there", text(format_dms(degrees(*o.convergence_rad), 1)));
    } else
      html += line("", "say where, and it is tried there", open);
  } else if (kind_->currentIndex() == 0)
    html += grid_.empty() ? line("grid", "not chosen yet", open) : line("grid", text(grid_));
  else if (kind_->currentIndex() == 1)
    html += line("plane", at ? "touches the Earth at the place said" : "say the place where it touches the Earth",
                 at ? good : open);
  else
    html += line("coordinates", "none: levels and heights alone");
  const std::string vertical = heights_->currentData().toString().toStdString();
  const auto height = std::find_if(heights_found_.begin(), heights_found_.end(),
                                   [&](const FoundSystem &s) { return s.code == vertical; });
  if (vertical.empty())
    html += line("heights", "above the ellipsoid: levels and benchmarks cannot take part", open);
  else if (height != heights_found_.end() && at) {
    const SystemOffer o = offer_system(*height, *at);
    html += line("heights", escaped(height->name) + (o.frame.empty() ? QString() : ", " + escaped(o.frame)));
    if (!o.usable) html += line("", escaped(o.why_not), bad);
    html += geoid_->text().trimmed().isEmpty()
                ? (o.way_m ? line("geoid", QString("stated to %1 mm").arg(1000 * *o.way_m, 0, 'f', 0))
                           : line("geoid", "nobody states how well it is known: without it levels do not join vectors",
                                  open))
                : line("geoid", "known to " + escaped(geoid_->text().toStdString()) + " mm, as said");
  } else
    html += line("heights", text(vertical));
  html += line("epoch", epoch_->date().toString("yyyy-MM-dd"));
  html += plan_->text().trimmed().isEmpty() && height_->text().trimmed().isEmpty()
              ? line("accuracy", "none is asked for: no verdict will be given", open)
              : line("accuracy asked",
                     QString("%1 mm in plan, %2 mm in height, 95 %")
                         .arg(plan_->text().trimmed().isEmpty() ? "–" : plan_->text().toHtmlEscaped(),
                              height_->text().trimmed().isEmpty() ? "–" : height_->text().toHtmlEscaped()));
  try {
    static_cast<void>(settings());
    html += "<p style='margin:10px 0 0 0'>Next: drop everything that came in from the field on the window, all "
            "together and in "
            "any order.</p>";
    make_->setEnabled(true);
    make_->setToolTip({});
  } catch (const std::exception &e) {
    html += QString("<p style='margin:10px 0 0 0;color:%1'>Missing: %2</p>").arg(open, escaped(std::string(e.what())));
    make_->setEnabled(false);
    make_->setToolTip(QString::fromUtf8(e.what()));
  }
  means_->setText(html);
}

} // namespace ampletie::app
