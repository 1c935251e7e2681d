#pragma once
#include "base/vector.h"
#include "formats/gnss_data.h"
#include <Eigen/Dense>
#include <tuple>
#include <variant>
#include <vector>

namespace ampletie {

/// Something that moves several vectors of a session at once, as each of them sees it.
struct CommonProcess {
  enum class Kind : std::uint8_t { none, phase, code, reflection, ionosphere, zenith, base_zenith };
  Kind kind = Kind::none;
  SatId sat{};
  std::uint8_t band = 0; ///< of the ionosphere's: axis
  auto operator<=>(const CommonProcess &) const = default;
};

/// What a filter of one leg did, step by step, so that its answer can be followed back to what went in. Indices are
/// those of the state at that time; `common`: the part of a variance that the other legs share.
struct FilterTape {
  struct Added {
    Eigen::Index i;
    CommonProcess process;
    double common;
    int arc; ///< of a drift; −1
  };
  struct Renewed {
    Eigen::Index i;
    double common;
    int arc;
  };
  struct Removed {
    std::vector<Eigen::Index> keep;
    Eigen::Index before;
  };
  struct Moved {
    Eigen::Index i;
    CommonProcess process;
    double phi, common;
  };
  struct Advanced {
    GpsTime to;
    double ionosphere_phi, reflection_phi;
    std::vector<Moved> states;
  };
  struct Updated {
    struct Row {
      std::vector<std::pair<Eigen::Index, double>> h;
      CommonProcess process;
      double common;
    };
    GpsTime time;
    std::vector<Row> rows;
    Eigen::MatrixXd gain;
  };
  std::vector<std::variant<Added, Renewed, Removed, Advanced, Updated>> steps;
};

/// By how much a unit of what is common to the legs of a session moved one leg's vector, m per standard deviation.
struct CommonShare {
  struct Value {
    GpsTime time; ///< when it acted; of the first value of a process: {}
    CommonProcess process;
    Eigen::Vector3f by;
    auto order() const { return std::tuple(time.ns, process); }
  };
  std::vector<Value> values;                ///< sorted
  std::vector<std::pair<int, Vec3>> drifts; ///< by arc: of all of its drift
};

/// Follows `outputs` (state × 3: the weight of every state of the end in the vector) back through the tape: the adjoint
/// of the filter. `direction` is the unit vector along the leg, with which the ionosphere's common part goes.
CommonShare common_share(const FilterTape &tape, Eigen::MatrixX3d outputs, const Vec3 &direction);

} // namespace ampletie
