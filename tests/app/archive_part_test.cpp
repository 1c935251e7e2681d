// The archive in the window: seen, fetched, solved; nobody there; another job in between.
#include "app/driver.h"
#include "archive/archive.h"
#include "base/http.h"
#include <QCheckBox>
#include <atomic>
#include <thread>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;
namespace fs = std::filesystem;

namespace {
const std::string archive_data = AMPLETIE_SOURCE_DIR "/demo/data/";

/// The stand-in behind a real connection, on another thread.
class Serving {
public:
  /// `slow`: how long each answer takes.
  explicit Serving(const std::string &folder, std::chrono::milliseconds slow = {}) : archive_(folder, {}) {
    thread_ = std::thread([this, slow] {
      http_serve({0,
                  [this, slow](const std::string &head) {
                    std::this_thread::sleep_for(slow);
                    return archive_.answer(head);
                  },
                  [this](int port) { port_ = port; }, [this] { return stop_.load(); }});
    });
    while (!port_) std::this_thread::sleep_for(std::chrono::milliseconds(5));
  }
  ~Serving() {
    stop_ = true;
    thread_.join();
  }
  QString address() const { return QString("http://127.0.0.1:%1").arg(port_.load()); }

private:
  archive::Archive archive_;
  std::atomic<int> port_ = 0;
  std::atomic<bool> stop_ = false;
  std::thread thread_;
};

bool wait_for(const std::function<bool()> &there) {
  for (int i = 0; i < 2000 && !there(); ++i) settle(10);
  return there();
}
} // namespace

TEST_CASE("the job says what it needs of an archive; fetched by a button, it is in the job and solved") {
  TemporaryFolder folder;
  ::setenv("XDG_CACHE_HOME", (folder / "cache").c_str(), 1);
  fs::create_directory(folder / "archive");
  for (const char *f : {"REFA-s1.rnx.gz", "REFB-s1.rnx.gz", "broadcast.rnx.gz", "antennas.atx.gz", "control.csv"})
    fs::copy_file(archive_data + f, folder / "archive" + "/" + f);
  {
    Job job = Job::create(folder / "a.tie", demo_settings());
    job.take({archive_data + "PN1-s1.rnx.gz", archive_data + "R11-s1.rnx.gz", archive_data + "antenna-points.csv"});
  }
  const Serving served(folder / "archive");
  Driver d(folder / "a.tie");
  Workspace &w = d.window.workspace();
  d.section("Intake");
  d.click("Archive part");
  auto *words = d.named<QLabel>("Archive");
  CHECK_THAT(words->text().toStdString(), Contains("Nothing is asked before"));
  auto *address = d.named<QLineEdit>("Archive address");
  // Nobody is there: said, and nothing else.
  address->setText("http://127.0.0.1:9");
  d.click("See what is there");
  CHECK(wait_for([&] { return words->text().contains("refused"); }));
  CHECK_FALSE(d.named<QPushButton>("Fetch from the archive")->isEnabled());
  address->setText(served.address());
  d.click("See what is there");
  QTableView *t = d.table("Needed of the archive");
  if (!wait_for([&] { return t->model()->rowCount() > 0; })) FAIL(words->text().toStdString());
  CHECK(d.cell(t, 0, "What") == "REFA");
  CHECK(d.cell(t, 0, "State") == "to be fetched");
  CHECK_THAT(words->text().toStdString(), Contains("2 stations"));
  if (const char *shot = std::getenv("SHOT_ARCHIVE")) d.window.grab().save(shot);
  d.named<QCheckBox>("Solve when something came")->setChecked(true);
  auto *fetch = d.named<QPushButton>("Fetch from the archive");
  CHECK(fetch->text() == "Fetch 5 files");
  d.click("Fetch from the archive");
  REQUIRE(wait_for([&] { return w.job().snapshot()->contents().size() == 8; }));
  CHECK_THAT(words->text().toStdString(), Contains("Of 5 asked for 5 came whole"));
  CHECK(d.cell(t, 0, "State") == "in the job");
  CHECK_FALSE(fetch->isEnabled());
  REQUIRE(wait_for([&] { return w.job().vectors().size() >= 4 && !w.busy(); }));
  for (const VectorResult &v : w.job().vectors()) CHECK_FALSE(v.stale);
  if (const char *shot = std::getenv("SHOT_ARCHIVE_AFTER")) d.window.grab().save(shot);
  // Another job: what was seen was not for it.
  { Job::create(folder / "b.tie", demo_settings()); }
  d.window.open(QString::fromStdString(folder / "b.tie"));
  settle(50);
  d.section("Intake");
  CHECK(t->model()->rowCount() == 0);
  ::unsetenv("XDG_CACHE_HOME");
}

TEST_CASE("Stop stops what is fetched, what came until then is taken, and the rest is fetched the next time") {
  TemporaryFolder folder;
  ::setenv("XDG_CACHE_HOME", (folder / "cache").c_str(), 1);
  fs::create_directory(folder / "archive");
  for (const char *f : {"REFA-s1.rnx.gz", "REFB-s1.rnx.gz", "broadcast.rnx.gz", "antennas.atx.gz", "control.csv"})
    fs::copy_file(archive_data + f, folder / "archive" + "/" + f);
  {
    Job job = Job::create(folder / "a.tie", demo_settings());
    job.take({archive_data + "PN1-s1.rnx.gz", archive_data + "R11-s1.rnx.gz", archive_data + "antenna-points.csv"});
  }
  const Serving served(folder / "archive", std::chrono::milliseconds(400));
  Driver d(folder / "a.tie");
  Workspace &w = d.window.workspace();
  d.section("Intake");
  d.click("Archive part");
  d.named<QLineEdit>("Archive address")->setText(served.address());
  d.click("See what is there");
  auto *fetch = d.named<QPushButton>("Fetch from the archive");
  REQUIRE(wait_for([&] { return fetch->isEnabled(); }));
  d.click("Fetch from the archive");
  auto *words = d.named<QLabel>("Archive");
  REQUIRE(wait_for([&] { return words->text().startsWith("Fetching 2 of 5"); }));
  d.click("Stop fetching");
  REQUIRE(wait_for([&] { return !words->text().startsWith("Fetching"); }));
  CHECK(w.job().snapshot()->contents().size() < 7);
  CHECK(w.job().snapshot()->contents().size() > 3);
  CHECK(fetch->isEnabled());
  d.click("Fetch from the archive");
  CHECK(wait_for([&] { return w.job().snapshot()->contents().size() == 8; }));
  ::unsetenv("XDG_CACHE_HOME");
}
