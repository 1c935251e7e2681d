// How long the window stands still: opens a job, goes through its sections and decides, and prints for each the time of
// the call and the longest pause of the event loop. Figures, not a test: they are those of the machine.
// Usage: window_stillness JOB.tie [results]   (a copy: the job is changed; "results" also names what was computed)
#include "app/driver.h"
#include "app/widgets/theme.h"
#include "app/window/application.h"
#include <QComboBox>
#include <cstdio>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;

namespace {
class Stillness {
public:
  Stillness(Workspace &w, bool results) : w_(w), results_(results) {
    QObject::connect(&tick_, &QTimer::timeout, [this] {
      worst_ = std::max(worst_, static_cast<double>(since_.nsecsElapsed()) / 1e6);
      since_.start();
    });
    since_.start();
    // As urgent as a key or the mouse: a timer of nought would wait until everything else is done.
    tick_.setTimerType(Qt::PreciseTimer);
    tick_.start(1);
  }
  void operator()(const QString &what, const std::function<void()> &act) {
    settle(300);
    worst_ = 0;
    since_.start();
    QElapsedTimer call;
    call.start();
    act();
    const double direct = static_cast<double>(call.nsecsElapsed()) / 1e6;
    settle(500);
    std::printf("%-24s call %5.0f ms, still %5.0f ms\n", what.toUtf8().constData(), direct, worst_);
    if (!results_) return;
    for (const ResultStatus &r : w_.job().snapshot()->status())
      if (r.anew && r.seconds > 0.004)
        std::printf("    %s %.0f ms%s\n", r.result->name, r.seconds * 1000,
                    r.by == std::this_thread::get_id() ? ", by the window" : "");
  }

private:
  Workspace &w_;
  bool results_;
  double worst_ = 0;
  QElapsedTimer since_;
  QTimer tick_;
};
} // namespace

/// Names events that take long, with what they were for.
class Timed : public Application {
public:
  Timed(int &argc, char **argv) : Application(argc, argv), talk_(argc > 2) {}
  bool notify(QObject *to, QEvent *e) override {
    const int type = e->type();
    const QString name = to->metaObject()->className() + QString(" ") + to->objectName();
    QElapsedTimer t;
    t.start();
    const bool out = Application::notify(to, e);
    if (const double ms = static_cast<double>(t.nsecsElapsed()) / 1e6; talk_ && ms > 8)
      std::printf("      event %d to %s: %.0f ms\n", type, name.toUtf8().constData(), ms);
    return out;
  }

private:
  bool talk_;
};

int main(int argc, char **argv) {
  Timed app(argc, argv);
  apply_theme(app);
  QElapsedTimer open;
  open.start();
  Driver d;
  std::printf("empty window after %lld ms\n", static_cast<long long>(open.elapsed()));
  open.restart();
  d.window.open(argv[1]);
  d.window.repaint();
  std::printf("job painted after %lld ms\n", static_cast<long long>(open.elapsed()));
  settle(0);
  std::printf("doubts known after %lld ms\n", static_cast<long long>(open.elapsed()));
  settle(2000);
  Workspace &w = d.window.workspace();
  Stillness measure(w, argc > 2);
  for (const char *s : {"Intake", "GNSS", "Levels", "Traverse", "Network", "Datum", "Issue"})
    measure(QString("to ") + s, [&] { d.section(s); });
  d.section("GNSS");
  std::string occupation, vector, mark;
  for (const Occupation &o : w.job().snapshot()->occupations())
    if (o.used) occupation = o.id, mark = o.mark;
  for (const VectorResult &v : w.job().vectors())
    if (v.used && v.independent) vector = v.id;
  const nlohmann::json nothing = nlohmann::json::object();
  const std::vector<std::pair<const char *, std::function<QString()>>> decisions{
      {"a vector left out", [&] { return w.decide("leave-out", vector, nothing, "tried"); }},
      {"a height",
       [&] {
         return w.decide("set", occupation, {{"height", 1.5}}, "tried");
       }},
      {"an occupation left out", [&] { return w.decide("leave-out", occupation, nothing, "tried"); }},
      {"a mark held in plan",
       [&] {
         return w.decide("hold", mark, {{"how", "plan"}}, "tried");
       }},
      {"a limit",
       [&] {
         return w.decide("set", "limit", {{"loop", 12}}, "tried");
       }},
      {"the title",
       [&] {
         return w.decide("set", "job", {{"title", "tried"}}, "tried");
       }},
  };
  for (const auto &[what, decide] : decisions) {
    measure(what, [&] {
      if (const QString why = decide(); !why.isEmpty()) std::printf("refused: %s\n", why.toUtf8().constData());
    });
    measure("taken back", [&] { w.undo(); });
  }
  measure("a vector chosen", [&] { w.select("vector", vector); });
  measure("a mark chosen", [&] { w.select("mark", mark); });
  if (w.job().tracks().empty()) return 0;
  d.section("GNSS");
  measure("to Tracks", [&] { d.click("Tracks part"); });
  auto *epochs = d.named<QComboBox>("Epochs shown");
  for (int i = 1; i < epochs->count(); ++i)
    measure("epochs: " + epochs->itemText(i), [&] {
      epochs->setCurrentIndex(i);
      Q_EMIT epochs->activated(i);
    });
  const TrackResult &t = w.job().tracks().front();
  if (!t.stops.empty()) measure("a stop chosen", [&] { w.select("stop", t.stops.front().id); });
  const std::string moved = t.rover_occupations.front();
  measure("a height of the track", [&] { w.decide("set", moved, {{"height", 1.5}}, "tried"); });
  measure("taken back", [&] { w.undo(); });
  return 0;
}
