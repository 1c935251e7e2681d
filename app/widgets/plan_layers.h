#pragma once
#include <QPushButton>
#include <set>
#include <string>
#include <vector>

class QListWidget;

namespace ampletie::app {

/// Something of a plan that can be hidden. Its key is the same in every plan and in every job: "vectors",
/// "site/roads.dxf/KERB".
struct PlanLayer {
  std::string key;
  QString words;
};

/// A button on a plan that opens its layers, each with a box, and says how many of them are hidden. What is hidden
/// stays so for the next time, by person and not by job, in every plan that has it.
class PlanLayers : public QPushButton {
  Q_OBJECT
public:
  explicit PlanLayers(QWidget *plan);
  /// Those that the plan has now.
  void offer(std::vector<PlanLayer> layers);
  bool shows(const std::string &key) const { return !hidden_.count(key); }
  bool everything() const { return hidden_.empty(); }
  /// Takes over what was hidden in other plans meanwhile; whether that is something else.
  bool remember();

Q_SIGNALS:
  void changed();

private:
  void open();
  void keep();
  void say();
  std::vector<PlanLayer> layers_;
  std::set<std::string> hidden_;
  QWidget *popup_;
  QListWidget *list_;
};

} // namespace ampletie::app
