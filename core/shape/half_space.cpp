// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/half_space.h"

namespace anvil {

HalfSpace::HalfSpace(const Vec3& point, const Vec3& normal) : point_(point) {
  Eigen::Index largest = 0;
  const double most = normal.cwiseAbs().maxCoeff(&largest);
  normal_ = (normal / most).normalized();
  Vec3 rest = normal_;
  rest[largest] = 0;
  // Directions that miss an axis by rounding alone (a face picked, a turn there and back) are meant along it.
  if (rest.cwiseAbs().maxCoeff() < 1e-14) {
    axis_ = static_cast<int>(largest);
    normal_ = Vec3::Unit(axis_) * (normal[largest] < 0 ? -1 : 1);
    u_ = Vec3::Unit((axis_ + 1) % 3);
  } else {
    Eigen::Index least = 0;
    normal_.cwiseAbs().minCoeff(&least);
    u_ = Vec3::Unit(least).cross(normal_).normalized();
  }
  v_ = normal_.cross(u_);
}

double HalfSpace::height(const Vec3& p) const {
  if (axis_ >= 0) return (p[axis_] - point_[axis_]) * normal_[axis_];
  return (p - point_).dot(normal_);
}

Vec3 HalfSpace::projected(const Vec3& p) const {
  Vec3 q = p;
  if (axis_ >= 0)
    q[axis_] = point_[axis_];
  else
    q -= height(p) * normal_;
  return q;
}

Vec3 HalfSpace::reflected(const Vec3& p) const {
  Vec3 q = p;
  if (axis_ >= 0)
    q[axis_] = 2 * point_[axis_] - p[axis_];
  else
    q -= 2 * height(p) * normal_;
  return q;
}

std::vector<double> HalfSpace::heights(const Mesh& mesh) const {
  std::vector<double> heights;
  heights.reserve(mesh.positions.size());
  for (const Vec3& p : mesh.positions) heights.push_back(height(p));
  return heights;
}

}  // namespace anvil
