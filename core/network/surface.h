#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <vector>

namespace ampletie {

/// A random field over the network (a geoid's corrections, deflections). Up to some hundred marks it is known by its
/// values at the marks themselves; beyond that by nodes a fifth of a correlation length apart, bilinear between (off by
/// 2 % of its standard deviation).
struct Surface {
  std::vector<Eigen::Vector2d> places; // m, from the first mark
  std::size_t columns = 0;             // 0: the places are the marks
  Eigen::Vector2d low = Eigen::Vector2d::Zero();
  double step = 1;

  Surface(const std::vector<Eigen::Vector2d> &marks, double correlation) {
    if (marks.size() <= 300) {
      places = marks;
      return;
    }
    low = marks.front();
    Eigen::Vector2d high = marks.front();
    for (const auto &m : marks) low = low.cwiseMin(m), high = high.cwiseMax(m);
    step = correlation / 5;
    // Very wide networks get a coarser surface rather than thousands of nodes.
    while (std::max(1.0, (high - low).x() / step + 1) * std::max(1.0, (high - low).y() / step + 1) > 600) step *= 1.5;
    const Eigen::Vector2d middle = (low + high) / 2;
    columns = static_cast<std::size_t>(std::ceil((high - low).x() / step)) + 1;
    const auto rows = static_cast<std::size_t>(std::ceil((high - low).y() / step)) + 1;
    low = middle - Eigen::Vector2d(static_cast<double>(columns - 1), static_cast<double>(rows - 1)) * step / 2;
    for (std::size_t r = 0; r < rows; ++r)
      for (std::size_t c = 0; c < columns; ++c)
        places.push_back(low + step * Eigen::Vector2d(static_cast<double>(c), static_cast<double>(r)));
  }
  std::vector<std::pair<int, double>> weights(std::size_t mark, const Eigen::Vector2d &at, int first) const {
    if (columns == 0) return {{first + static_cast<int>(mark), 1.0}};
    const Eigen::Vector2d q = (at - low) / step;
    const std::size_t rows = places.size() / columns;
    const auto cell = [](double x, std::size_t n) {
      return static_cast<std::size_t>(std::clamp(std::floor(x), 0.0, std::max(0.0, static_cast<double>(n) - 2)));
    };
    const std::size_t c = cell(q.x(), columns), r = cell(q.y(), rows);
    const double u = columns > 1 ? q.x() - static_cast<double>(c) : 0,
                 v = rows > 1 ? q.y() - static_cast<double>(r) : 0;
    std::vector<std::pair<int, double>> out;
    for (const auto &[dc, dr, w] :
         {std::tuple{0, 0, (1 - u) * (1 - v)}, {1, 0, u * (1 - v)}, {0, 1, (1 - u) * v}, {1, 1, u * v}})
      if (w != 0)
        out.emplace_back(
            first + static_cast<int>((r + static_cast<std::size_t>(dr)) * columns + c + static_cast<std::size_t>(dc)),
            w);
    return out;
  }
};

} // namespace ampletie
