// The window does not stand still: what takes long is computed on another thread, and only what is seen is refreshed.
#include "app/driver.h"
#include "app/judge.h"
#include "app/widgets/plan_labels.h"
#include "results/job_results.h"
#include <set>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;

namespace {
/// Results that the window's thread has computed for the job as it is now.
std::set<std::string> computed_here(const Job &job) {
  std::set<std::string> out;
  for (const ResultStatus &r : job.snapshot()->status())
    if (r.anew && r.by == std::this_thread::get_id()) out.insert(r.result->name);
  return out;
}

struct Resets {
  explicit Resets(QTableView *t) {
    QObject::connect(t->model(), &QAbstractItemModel::modelReset, t, [this] { ++count; });
  }
  int count = 0;
};
} // namespace

TEST_CASE("after a decision neither doubts nor closures nor causes are computed by the window's thread") {
  DemoDriver demo;
  Driver &d = demo.d;
  Workspace &w = d.window.workspace();
  d.section("GNSS");
  d.click("Solve vectors");
  d.wait();
  const std::string vector = w.job().vectors().front().id, occupation = w.job().snapshot()->occupations().front().id;
  const std::vector<std::function<QString()>> decisions{
      [&] { return w.decide("leave-out", vector, nlohmann::json::object(), "tried"); },
      [&] {
        return w.decide("set", occupation, {{"height", 1.5}}, "tried");
      },
      [&] {
        return w.decide("hold", "REFA", {{"how", "plan"}}, "tried");
      },
      [&] {
        return w.decide("set", "limit", {{"loop", 3}}, "tried");
      },
      [&] {
        return w.decide("set", "job", {{"title", "tried"}}, "tried");
      },
  };
  const auto bar = [&] { return d.named<QPushButton>("Doubts")->text(); };
  for (const auto &decide : decisions) {
    CHECK(decide() == "");
    // Until it is known nobody is told that there is no doubt.
    if (w.judging()) CHECK_FALSE(bar().startsWith("No"));
    settle(10);
    CHECK_FALSE(bar().contains("hecking"));
    CHECK_FALSE(w.judging());
    for (const std::string &r : computed_here(w.job())) {
      INFO(r);
      CHECK(r.find("doubts") == std::string::npos);
      CHECK(r != "loops");
      CHECK(r != "findings of traverses");
    }
    w.undo();
    settle(10);
  }
  // What was found on the other thread is what is shown.
  CHECK(w.decide("set", "limit", {{"loop", 0.01}, {"loop-ppm", 0.001}}, "too tight for anything") == "");
  settle(10);
  const auto misses = std::count_if(w.job().doubts().begin(), w.job().doubts().end(),
                                    [](const Doubt &x) { return x.section == Section::gnss; });
  CHECK(misses > 0);
  CHECK_THAT(d.verdict(Section::gnss).toStdString(), Catch::Matchers::Contains("in doubt"));
  const std::string first = w.job().doubts().front().id;
  CHECK(w.decide("accept", first, nlohmann::json::object(), "known") == "");
  settle(10);
  CHECK(computed_here(w.job()).count("doubts") == 0);
  const auto &all = w.job().doubts();
  const auto found = std::find_if(all.begin(), all.end(), [&](const Doubt &x) { return x.id == first; });
  REQUIRE(found != all.end());
  CHECK(found->state == Doubt::State::accepted);
}

TEST_CASE("a sheet that is hidden is not filled, and is right when it is shown") {
  DemoDriver demo;
  Driver &d = demo.d;
  Workspace &w = d.window.workspace();
  d.section("Intake");
  QTableView *occupations = d.table("Occupations");
  Resets seen(occupations);
  d.section("Datum");
  const std::string id = w.job().snapshot()->occupations().front().id;
  CHECK(w.decide("set", id, {{"height", 1.777}}, "tried") == "");
  settle(10);
  CHECK(seen.count == 0);
  d.section("Intake");
  CHECK(seen.count == 1);
  bool shown = false;
  for (int r = 0; r < occupations->model()->rowCount(); ++r)
    for (int c = 0; c < occupations->model()->columnCount(); ++c)
      shown = shown || occupations->model()->index(r, c).data().toString().contains("1.777");
  CHECK(shown);
}

TEST_CASE("of snapshots that come while another is judged only the last one is told of") {
  std::mutex mutex;
  std::vector<const JobSnapshot *> told;
  Judge judge([&](std::shared_ptr<const JobSnapshot> s, std::exception_ptr mistake) {
    const std::lock_guard lock(mutex);
    CHECK_FALSE(mistake);
    told.push_back(s.get());
  });
  const auto one = std::make_shared<const JobSnapshot>(), two = std::make_shared<const JobSnapshot>();
  CHECK(judge.judge(one, std::chrono::seconds(60))); // waited for: nobody need be told
  CHECK(one->ready(doubts_result()) != nullptr);
  judge.judge(two, std::chrono::milliseconds(0));
  for (int i = 0; i < 2000 && !two->ready(doubts_result()); ++i) QTest::qWait(5);
  CHECK(two->ready(doubts_result()) != nullptr);
  const std::lock_guard lock(mutex);
  CHECK(std::count(told.begin(), told.end(), one.get()) == 0);
}

TEST_CASE("names on a plan do not lie over one another, and find no room where there is none") {
  TakenPlaces taken(QSizeF(200, 200));
  const QPointF mark(100, 100);
  taken.take({92, 92, 16, 16});
  const auto first = room_for_name(mark, {40, 12}, {200, 200}, taken);
  REQUIRE(first);
  taken.take(*first);
  const auto second = room_for_name(mark, {40, 12}, {200, 200}, taken);
  REQUIRE(second);
  CHECK_FALSE(first->intersects(*second));
  taken.take({0, 0, 90, 200});
  taken.take({110, 0, 90, 200});
  taken.take({80, 0, 40, 89});
  taken.take({80, 111, 40, 89});
  CHECK_FALSE(room_for_name(mark, {40, 12}, {200, 200}, taken));
  CHECK_FALSE(room_for_name({199, 199}, {40, 12}, {20, 20}, TakenPlaces(QSizeF(20, 20))));
}
