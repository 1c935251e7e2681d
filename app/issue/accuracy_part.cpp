#include "app/issue/accuracy_part.h"
#include "app/widgets/painting.h"
#include "base/error.h"
#include "base/text.h"
#include "job/settings.h"
#include "judgement/accuracy_verdict.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
/// Row ids that no group can have: a group's name is never empty and holds no line break.
const std::string whole_job = "\nall", new_group = "\nnew";
constexpr double left_room = 46, right_room = 12, head = 30, foot = 22, between = 20;
} // namespace

AccuracyPicture::AccuracyPicture(QWidget *parent) : Picture(parent) {
  setAccessibleName("Accuracy reached against what is asked");
  setObjectName("accuracy picture");
  setMinimumSize(300, 220);
}

void AccuracyPicture::set(std::vector<Item> items) {
  items_ = std::move(items);
  least_ = 1e9, most_ = 0;
  for (const Item &i : items_)
    for (const Value &v : {i.plan, i.height})
      for (double x : {v.reached, v.asked})
        if (x > 0) least_ = std::min(least_, x), most_ = std::max(most_, x);
  if (most_ == 0) least_ = 0.005, most_ = 0.05;
  least_ = std::max(0.0005, least_ / 1.5), most_ *= 1.5;
  update();
}

QRectF AccuracyPicture::field(int row) const {
  const double each = (height() - head - foot - between) / 2.0;
  return {left_room, head + row * (each + between), width() - left_room - right_room, each};
}
double AccuracyPicture::slot() const {
  return field(0).width() / std::max<double>(1, static_cast<double>(items_.size()));
}
double AccuracyPicture::height_of(const QRectF &f, double metres) const {
  return f.bottom() - f.height() * std::log(metres / least_) / std::log(most_ / least_);
}

QPointF AccuracyPicture::place(const std::string &mark) const {
  for (std::size_t i = 0; i < items_.size(); ++i)
    if (items_[i].mark == mark)
      return {field(0).left() + (static_cast<double>(i) + 0.5) * slot(),
              items_[i].plan.reached > 0 ? height_of(field(0), items_[i].plan.reached) : field(0).bottom()};
  return {};
}

void AccuracyPicture::draw_row(QPainter &p, int row) {
  const QRectF f = field(row);
  p.setFont(sized(7.5));
  double last = 1e9;
  for (double decade = 0.001; decade < 20; decade *= 10)
    for (double step : {1.0, 2.0, 5.0}) {
      const double v = decade * step, y = height_of(f, v);
      if (v < least_ || v > most_) continue;
      p.setPen(QPen(faint, 1));
      p.drawLine(QPointF(f.left(), y), QPointF(f.right(), y));
      if (last - y < 11) continue;
      last = y;
      p.setPen(ink::unused);
      p.drawText(QRectF(0, y - 7, left_room - 6, 14), Qt::AlignRight | Qt::AlignVCenter,
                 QString("%1").arg(v * 1000, 0, 'g', 4));
    }
  p.setPen(QPen(ink::hairline, 1));
  p.setBrush(Qt::NoBrush);
  p.drawRect(f);
  p.setFont(sized(8));
  p.setPen(ink::text);
  p.drawText(QPointF(f.left() + 2, f.top() - 5), row == 0 ? "plan, mm" : "height, mm");
  for (std::size_t i = 0; i < items_.size(); ++i) {
    const Item &item = items_[i];
    const Value &v = row == 0 ? item.plan : item.height;
    const double x = f.left() + (static_cast<double>(i) + 0.5) * slot(), half = std::clamp(slot() * 0.4, 2.0, 12.0);
    if (item.mark == selected_) p.fillRect(QRectF(x - slot() / 2, f.top(), slot(), f.height()), ink::wash);
    if (v.asked > 0) {
      const double y = height_of(f, v.asked);
      p.setPen(QPen(ink::text, 1.6));
      p.drawLine(QPointF(x - half, y), QPointF(x + half, y));
    }
    if (v.reached <= 0) continue;
    const bool fails = v.asked > 0 && v.reached > v.asked;
    const QColor c = fails ? ink::failed : v.asked > 0 ? ink::accepted : ink::unused;
    const QPointF at(x, height_of(f, v.reached));
    p.setPen(QPen(c, 1.5));
    if (v.asked > 0) p.drawLine(QPointF(x, height_of(f, v.asked)), at);
    p.setBrush(fails ? c : ink::panel);
    if (item.held)
      p.drawPolygon(QPolygonF({at + QPointF(0, -4.5), at + QPointF(4.5, 3.5), at + QPointF(-4.5, 3.5)}));
    else if (fails)
      p.drawRect(QRectF(at - QPointF(3.5, 3.5), QSizeF(7, 7)));
    else
      p.drawEllipse(at, 3.5, 3.5);
  }
}

void AccuracyPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  draw_card(p, rect());
  if (items_.empty()) {
    p.setFont(sized(8));
    p.setPen(ink::unused);
    p.drawText(rect().adjusted(16, 30, -16, -16), Qt::AlignCenter | Qt::TextWordWrap,
               "Adjust the network: what each mark reaches of what is asked appears here.");
    return;
  }
  draw_row(p, 0);
  draw_row(p, 1);
  p.setFont(sized(7.5));
  p.setPen(ink::unused);
  p.drawText(QRectF(left_room, 2, width() - left_room - right_room, 14), Qt::AlignRight,
             "bar: asked · circle: reached · filled square: not reached · triangle: held");
  // Names as long as there is room for them.
  const QRectF f = field(1);
  double free_from = 0;
  for (std::size_t i = 0; i < items_.size(); ++i) {
    const QString name = text(items_[i].mark);
    const double x = f.left() + (static_cast<double>(i) + 0.5) * slot(), w = p.fontMetrics().horizontalAdvance(name);
    if (x - w / 2 < free_from) continue;
    p.drawText(QRectF(x - w / 2 - 1, f.bottom() + 3, w + 2, 14), Qt::AlignCenter, name);
    free_from = x + w / 2 + 5;
  }
}

std::string AccuracyPicture::thing_at(const QPointF &at) const {
  const double i = (at.x() - left_room) / slot();
  return i >= 0 && i < static_cast<double>(items_.size()) ? items_[static_cast<std::size_t>(i)].mark : std::string();
}

AccuracyPart::AccuracyPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  table_ = new TableCard("Accuracy asked for",
                         {{"Marks", "A name, or a beginning with *; the longest that fits counts", false, true, 92},
                          {"Plan mm", "95 %; 0: none, empty: as for all", true, true, 58},
                          {"Height mm", "95 %; 0: none, empty: as for all", true, true, 66},
                          {"Of", "network or local; empty: as for all", false, true, 60},
                          {"Count", "Computed marks of this group", true},
                          {"Short", "Marks that do not reach it", true},
                          {"Class", "That all of the group reach (FGDC-STD-007.2): plan, height"}});
  table_->hide_filter();
  table_->model()->edit = [this](const std::string &id, int c, const QString &v) { return edit(id, c, v); };
  connect(table_->model(), &TableModel::refused, this, &AccuracyPart::refused);
  picture_ = new AccuracyPicture;
  connect(picture_, &AccuracyPicture::chosen, this, [this](const std::string &m) { w_.select("mark", m); });
  connect(&w_, &Workspace::selection_changed, this, [this] {
    if (w_.selection().kind == "mark") picture_->select(w_.selection().id);
  });
  auto *words =
      new QLabel("95 % values. The longest group that a mark belongs to counts; what a row leaves empty comes from the "
                 "last one. Classes of FGDC-STD-007.2: 1, 2, 5 mm, 1, 2, 5 cm, 1, 2, 5 dm and so on. Held marks "
                 "are as good as they were published: nothing is asked of them.");
  words->setWordWrap(true);
  words->setStyleSheet("color:#5A666E");
  auto *list = new QVBoxLayout;
  list->addWidget(table_, 1);
  list->addWidget(words);
  auto *all = new QHBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(10);
  all->addLayout(list, 11);
  all->addWidget(picture_, 9);
}

QString AccuracyPart::edit(const std::string &group, int column, const QString &value) {
  const std::string typed(trimmed(value.toStdString()));
  const QString because = "asked for, entered in the sheet";
  try {
    if (column == 0) {
      if (group == whole_job) return "this row is for every mark that no other row names";
      if (typed == group || (typed.empty() && group == new_group)) return {};
      if (typed.find('*') < typed.size() - 1) return "a * stands at the end only";
      const auto &asked = w_.job().state().asked;
      nlohmann::json nothing{{"plan", nullptr}, {"height", nullptr}, {"of", nullptr}};
      if (typed.empty()) return w_.decide("set", "asked:" + group, nothing, "no longer asked");
      if (asked.count(typed)) return "there is such a row already";
      // A new row begins with what holds for all, so that it stands there; a renamed one takes its values along.
      nlohmann::json values{{"plan", w_.job().state().settings.asked.plan}};
      if (group != new_group) {
        const AskedOfGroup &old = asked.at(group);
        if (old.plan) values["plan"] = *old.plan;
        if (old.height) values["height"] = *old.height;
        if (old.local) values["of"] = *old.local ? "local" : "network";
        if (const QString why = w_.decide("set", "asked:" + group, nothing, because); !why.isEmpty()) return why;
      }
      return w_.decide("set", "asked:" + typed, values, because);
    }
    const char *names[] = {"", "plan", "height", "of"};
    if (group == new_group) return "say first for which marks";
    if (group == whole_job) {
      const std::string name = std::string("asked-") + names[column];
      return w_.decide("set", "limit", {{name, setting_value(name, typed == "none" ? "0" : typed)}}, because);
    }
    return w_.decide_typed<AskedThing>({group}, names[column], value, because);
  } catch (const InputError &e) {
    return QString::fromStdString(e.reason());
  }
}

void AccuracyPart::refresh() {
  std::vector<AccuracyPicture::Item> items;
  struct Sum {
    int count = 0, fails = 0;
    double plan = 0, height = 0;
  };
  std::map<std::string, Sum> sums;
  std::vector<Row> rows;
  short_of_it_ = 0;
  if (w_.has_job()) {
    const JobState &state = w_.job().state();
    if (const NetworkRun *run = w_.job().network())
      for (const AdjustedMark &m : run->result.marks) {
        const AccuracyVerdict v = accuracy_verdict(state, *run, m);
        AccuracyPicture::Item item{
            m.name, {}, {std::isfinite(v.height95) ? v.height95 : 0, v.asked.height}, m.hold == Hold::full};
        if (m.plan_known) item.plan = {v.plan95, v.asked.plan};
        items.push_back(item);
        if (item.held) continue;
        const auto *group = state.asked_group(m.name);
        Sum &s = sums[group ? group->first : whole_job];
        ++s.count, s.fails += !v.reached(), short_of_it_ += !v.reached();
        if (m.plan_known) s.plan = std::max(s.plan, v.plan95);
        if (std::isfinite(v.height95)) s.height = std::max(s.height, v.height95);
      }
    auto add = [&](const std::string &id, const QString &name, const QString &plan, const QString &height,
                   const QString &of) {
      const Sum &s = sums[id];
      auto class_of = [](double x) { return x > 0 ? text(accuracy_class(x)) : QString("–"); };
      rows.push_back({id,
                      {{name, {}, {}, true},
                       {plan, {}, {}, false},
                       {height, {}, {}, false},
                       {of, {}, {}, false},
                       {s.count ? QString::number(s.count) : QString(), s.count, {}, false},
                       Cell{s.count ? QString::number(s.fails) : QString(), s.fails, s.fails ? ink::failed : QColor(),
                            s.fails > 0},
                       {s.count ? class_of(s.plan) + ", " + class_of(s.height) : QString(), {}, {}, false}},
                      false,
                      {}});
    };
    const AskedAccuracy &all = state.settings.asked;
    auto mm = [](double m) { return m > 0 ? QString::number(m * 1000, 'g', 6) : QString("none"); };
    for (const auto &[group, of] : state.asked)
      add(group, text(group), of.plan ? mm(*of.plan) : QString(), of.height ? mm(*of.height) : QString(),
          of.local ? *of.local ? "local" : "network" : "");
    add(whole_job, state.asked.empty() ? "all marks" : "all others", mm(all.plan), mm(all.height),
        all.local ? "local" : "network");
    rows.push_back({new_group,
                    {{"name or begin* …", {}, ink::unused, false},
                     {"", {}, {}, false},
                     {"", {}, {}, false},
                     {"", {}, {}, false},
                     {"", {}, {}, false},
                     {"", {}, {}, false},
                     {"", {}, {}, false}},
                    true,
                    {}});
  }
  table_->set_rows(std::move(rows));
  picture_->set(std::move(items));
}

} // namespace ampletie::app
