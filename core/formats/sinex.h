#pragma once
#include "formats/control_list.h"
#include <Eigen/Core>
#include <optional>

namespace ampletie {

bool looks_like_sinex(std::string_view text);
/// Stations of a SINEX solution (version 1.00 to 2.02: International Earth Rotation and Reference Systems Service,
/// SINEX format description) as a control list: estimates of X, Y, Z with their epoch, velocities, the covariance of
/// each station from the matrix (covariances or correlations, either triangle) else from the standard deviations;
/// receiver, antenna, eccentricity and span of the data where the blocks are there. Of several solutions of one station
/// the last is taken and the others counted as passed over. The format has no field for the frame: it is taken from the
/// comments where they name exactly one that is known, else it is `frame_not_stated`. Other blocks, normal equations
/// among them, are passed over. Throws `InputError` with the line for a file that is cut off, for estimates that are no
/// numbers, for stations with a part of their coordinates, and for covariances that are none.
ControlList read_sinex(std::string_view text);

/// The same as what was estimated together: stations with their joint covariance, without what was put in beforehand.
struct SinexSolution {
  struct Station {
    std::string name;        ///< as in the control list
    double epoch = 0;        ///< decimal year; 0: not stated
    std::string start, stop; ///< of the data, ISO; empty: not stated
    long line = 0;
  };
  std::vector<Station> stations;
  std::string frame;                ///< as in the control list
  bool constraints_removed = false; ///< a-priori values and their matrix stood in the file
  /// A station that nothing was estimated of: its variances are none, as of a held mark.
  bool errorless(std::size_t station) const;
  /// Vectors from station `from` to all others, in their order, m, without those between two errorless ones, and their
  /// joint covariance, m². Where constraints were removed what remains has no datum of its own; differences need none.
  /// Throws `InputError` where the observations do not determine them.
  struct Differences {
    std::vector<std::size_t> to;
    Eigen::VectorXd d;
    Eigen::MatrixXd cov;
  };
  Differences from(std::size_t station) const;

  Eigen::VectorXd estimate, apriori;   ///< three to a station, m
  Eigen::MatrixXd cov, apriori_weight; ///< m²; of the constraints, 1/m², empty without them
};
constexpr std::size_t most_sinex_stations = 400; ///< of a solution that is taken as vectors

/// A file read once: its stations as a list, and what was estimated together where vectors can be taken from it.
struct SinexFile {
  ControlList list;
  std::optional<SinexSolution> solution;
  std::string no_solution; ///< why there is none
};
/// Throws `InputError` as `read_sinex`.
SinexFile read_sinex_file(std::string_view text);

/// Reads it. With the matrices of estimates and a-priori values (SOLUTION/APRIORI, SOLUTION/MATRIX_APRIORI) the
/// constraints are taken off: N = Σ⁻¹ − Σₐ⁻¹, N x = Σ⁻¹ x̂ − Σₐ⁻¹ xₐ (Brockmann 1997, on stacking normal equations of
/// SINEX files). Throws `InputError` as `read_sinex`, for a solution of one station, of more than
/// `most_sinex_stations`, or without a whole matrix of them.
SinexSolution read_sinex_solution(std::string_view text);

} // namespace ampletie
