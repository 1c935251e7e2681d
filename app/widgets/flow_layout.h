#pragma once
#include <QLayout>
#include <vector>

namespace ampletie::app {

/// Widgets in a row that goes on below where it finds no room, as words do. Each line is as high as its highest.
class FlowLayout : public QLayout {
public:
  /// `across`, `down`: between neighbours and between lines, px.
  explicit FlowLayout(int across = 8, int down = 4, QWidget *parent = nullptr);
  ~FlowLayout() override;
  /// A name and its field, which stay together.
  void add_labelled(const QString &name, QWidget *field);
  /// What comes after it stands at the right end of its line.
  void add_spring() { spring_ = items_.size(); }
  /// Width of everything beside each other, px.
  int one_line() const;

  void addItem(QLayoutItem *item) override { items_.push_back(item); }
  int count() const override { return static_cast<int>(items_.size()); }
  QLayoutItem *itemAt(int i) const override {
    return i >= 0 && i < count() ? items_[static_cast<std::size_t>(i)] : nullptr;
  }
  QLayoutItem *takeAt(int i) override;
  Qt::Orientations expandingDirections() const override { return {}; }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int width) const override { return place(QRect(0, 0, width, 0), false); }
  QSize sizeHint() const override;
  QSize minimumSize() const override;
  void setGeometry(const QRect &r) override;

private:
  /// Where each comes; gives the height.
  int place(const QRect &r, bool really) const;
  int across_, down_;
  std::size_t spring_ = static_cast<std::size_t>(-1); ///< first item at the right end
  std::vector<QLayoutItem *> items_;
};

} // namespace ampletie::app
