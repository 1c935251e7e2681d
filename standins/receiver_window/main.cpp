// A receiver on a tripod as a small window: it is set up, keyed in and started, and whether it logs has to be asked. It
// sees what a file of the sky's stand-in saw, and writes into a folder while time goes on, sixty times as fast.
#include "base/error.h"
#include "base/text.h"
#include "formats/recognise.h"
#include "receiver/receiver.h"
#include <QApplication>
#include <QComboBox>
#include <QElapsedTimer>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTimer>
#include <memory>

using namespace ampletie;

namespace {
class ReceiverWindow : public QWidget {
public:
  ReceiverWindow() {
    setWindowTitle("Receiver (stand-in)");
    for (const auto &[edit, name] : {std::pair{&seen_, "What its antenna sees"},
                                     {&folder_, "Memory (a folder)"},
                                     {&mark_, "Mark"},
                                     {&height_, "Antenna height, m"},
                                     {&session_, "Session"},
                                     {&others_, "Other marks"}}) {
      *edit = new QLineEdit;
      (*edit)->setAccessibleName(name);
    }
    session_->setText("1");
    height_->setText("1.500");
    mistake_ = new QComboBox;
    mistake_->setAccessibleName("What goes wrong");
    mistake_->addItem("nothing", 0);
    for (const receiver::Mistake m : receiver::all_mistakes())
      mistake_->addItem(receiver::mistake_name(m), static_cast<int>(m));
    seed_ = new QSpinBox;
    seed_->setAccessibleName("Seed");
    seed_->setRange(1, 1000000);
    button_ = new QPushButton("Log");
    auto *ask = new QPushButton("Is it logging?");
    says_ = new QLabel(unasked);
    says_->setAccessibleName("Its answer");
    says_->setWordWrap(true);
    auto *form = new QFormLayout(this);
    auto *choose_file = new QPushButton("Choose …"), *choose_folder = new QPushButton("Choose …");
    const auto beside = [](QLineEdit *edit, QPushButton *button) {
      auto *row = new QHBoxLayout;
      row->addWidget(edit, 1), row->addWidget(button);
      return row;
    };
    form->addRow("What its antenna sees (RINEX 3)", beside(seen_, choose_file));
    form->addRow("Memory (a folder)", beside(folder_, choose_folder));
    form->addRow("Mark", mark_);
    form->addRow("Antenna height, m", height_);
    form->addRow("Session", session_);
    form->addRow("Other marks", others_);
    form->addRow("What goes wrong", mistake_);
    form->addRow("Seed", seed_);
    form->addRow(button_);
    form->addRow(ask);
    form->addRow(says_);
    connect(choose_file, &QPushButton::clicked, this,
            [this] { seen_->setText(QFileDialog::getOpenFileName(this, "What its antenna sees")); });
    connect(choose_folder, &QPushButton::clicked, this,
            [this] { folder_->setText(QFileDialog::getExistingDirectory(this, "Memory")); });
    connect(button_, &QPushButton::clicked, this, [this] { press(); });
    connect(ask, &QPushButton::clicked, this, [this] {
      says_->setText(receiver_ ? QString::fromStdString(receiver_->is_it_logging()) : QString("standing by"));
    });
    connect(&timer_, &QTimer::timeout, this, [this] { go_on(); });
    form->setRowWrapPolicy(QFormLayout::DontWrapRows);
    resize(520, sizeHint().height());
  }

private:
  static constexpr const char *unasked = "Nothing shows whether it logs: ask it.";
  /// Begins, or ends. Nothing on it says whether that did what it should: it has to be asked.
  void press() {
    says_->setText(unasked);
    if (timer_.isActive()) {
      receiver_->stop(now());
      put();
      timer_.stop();
      button_->setText("Log");
      return;
    }
    try {
      receiver::KeyedIn keyed{mark_->text().toStdString(), "", session_->text().toStdString(), 0};
      const auto height = parse_decimal(height_->text().toStdString());
      if (keyed.mark.empty() || !height) throw InputError("key in mark and height");
      if (!QFileInfo(folder_->text()).isDir() || folder_->text().isEmpty())
        throw InputError("say which folder is its memory");
      keyed.height = *height;
      std::vector<std::string> others;
      for (const QString &m : others_->text().split(' ', Qt::SkipEmptyParts)) others.push_back(m.toStdString());
      receiver_ = std::make_unique<receiver::Receiver>(plain_content(read_file(seen_->text().toStdString())), keyed,
                                                       static_cast<receiver::Mistake>(mistake_->currentData().toInt()),
                                                       static_cast<std::uint64_t>(seed_->value()), others);
      receiver_->start(receiver_->first());
      clock_.start();
      timer_.start(500);
      button_->setText("Stop");
    } catch (const std::exception &e) {
      says_->setText(QString::fromUtf8(e.what()));
    }
  }
  GpsTime now() const {
    constexpr double speed = 60;
    return std::min(receiver_->last(), receiver_->first() + speed * static_cast<double>(clock_.elapsed()) / 1000);
  }
  void go_on() {
    receiver_->run_until(now());
    put();
  }
  void put() {
    try {
      for (const auto &[name, bytes] : receiver_->files())
        write_file(folder_->text().toStdString() + "/" + name, bytes);
    } catch (const std::exception &e) {
      says_->setText(QString::fromUtf8(e.what()));
    }
  }
  QLineEdit *seen_, *folder_, *mark_, *height_, *session_, *others_;
  QComboBox *mistake_;
  QSpinBox *seed_;
  QPushButton *button_;
  QLabel *says_;
  std::unique_ptr<receiver::Receiver> receiver_;
  QElapsedTimer clock_;
  QTimer timer_;
};
} // namespace

int main(int argc, char **argv) {
  QApplication app(argc, argv);
  ReceiverWindow window;
  window.show();
  return QApplication::exec();
}
