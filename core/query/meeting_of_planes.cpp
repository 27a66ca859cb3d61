// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/meeting_of_planes.h"

#include <Eigen/Eigenvalues>

namespace anvil {

Vec3 meeting_of(std::span<const PlaneAt> planes, double spread) {
  Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
  Vec3 sums = Vec3::Zero();
  for (const auto& [normal, height] : planes) {
    squares += normal * normal.transpose();
    sums += height * normal;
  }
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(squares);
  const Vec3 values = solver.eigenvalues();  // ascending
  Vec3 meeting = Vec3::Zero();
  for (int k = 0; k < 3; ++k)
    if (values[k] > spread * values[2]) meeting += solver.eigenvectors().col(k).dot(sums) / values[k] * solver.eigenvectors().col(k);
  return meeting;
}

}  // namespace anvil
