// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/carried_on.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>

namespace anvil::recast {
namespace {

/// How a piece of surface may bend: not at all, as a cylinder does, or any way.
enum class Bends { no, one_way, both_ways };

/// The direction in which normals differ most.
Vec3 bending_way(const FacePlaces& faces, std::span<const Index> piece) {
  Vec3 mean = Vec3::Zero();
  for (Index f : piece) mean += faces.normals[f] / static_cast<double>(piece.size());
  Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
  for (Index f : piece) spread += (faces.normals[f] - mean) * (faces.normals[f] - mean).transpose();
  return Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread).eigenvectors().col(2);
}

Side fitted_to(const FacePlaces& faces, std::span<const Index> piece, const Vec3& at, double unit, const std::vector<double>& base, Bends bends, const Vec3& across) {
  constexpr int rounds = 8;
  constexpr double scale = 0.02;  // of a normal's deviation, radians
  std::vector<double> weights = base;
  Side side{Vec3::Zero(), 0, piece.size(), 0};
  for (int round = 0; round < rounds; ++round) {
    Eigen::Matrix4d squares = Eigen::Matrix4d::Zero();
    Eigen::Matrix<double, 4, 3> sums = Eigen::Matrix<double, 4, 3>::Zero();
    double all = 0;
    Vec3 mean = Vec3::Zero();
    const auto row_of = [&](std::size_t k) {
      const Vec3 way = (faces.middles[piece[k]] - at) / unit;
      if (bends == Bends::one_way) return Eigen::Vector4d(1, way.dot(across), 0, 0);
      return bends == Bends::both_ways ? Eigen::Vector4d(1, way.x(), way.y(), way.z()) : Eigen::Vector4d(1, 0, 0, 0);
    };
    for (std::size_t k = 0; k < piece.size(); ++k) {
      const Eigen::Vector4d row = row_of(k);
      squares += weights[k] * row * row.transpose();
      sums += weights[k] * row * faces.normals[piece[k]].transpose();
      mean += weights[k] * faces.normals[piece[k]];
      all += weights[k];
    }
    // Across the surface nothing is known: there it is taken not to change.
    squares.diagonal().tail<3>().array() += 1e-3 * all;
    const Eigen::Matrix<double, 4, 3> fitted = squares.ldlt().solve(sums);
    side.normal = fitted.row(0).transpose();
    // A fit that leads far away from what there is follows noise.
    if (!(side.normal.norm() > 0.5) || side.normal.normalized().dot(mean.normalized()) < 0.8) side.normal = mean;
    side.normal.normalize();
    // The vertex's height above it by the chord that leads there, which is right for circles.
    side.height = 0;
    for (std::size_t k = 0; k < piece.size(); ++k) side.height += weights[k] / all * (at - faces.middles[piece[k]]).dot((faces.normals[piece[k]] + side.normal).normalized());
    side.fitting = 0;
    for (std::size_t k = 0; k < piece.size(); ++k) {
      const double off = (fitted.transpose() * row_of(k) - faces.normals[piece[k]]).norm() / scale;
      weights[k] = base[k] / ((1 + off * off) * (1 + off * off));
      side.fitting += off < 1;
    }
  }
  return side;
}

}  // namespace

FacePlaces::FacePlaces(const Mesh& mesh) : normals(mesh.face_count()), middles(mesh.face_count(), Vec3::Zero()) {
  for (Index f = 0; f < mesh.face_count(); ++f) {
    normals[f] = newell_normal(mesh.positions, mesh.face(f)).stableNormalized();
    for (Index v : mesh.face(f)) middles[f] += mesh.positions[v] / static_cast<double>(mesh.face(f).size());
  }
}

Side carried_on(const FacePlaces& faces, std::span<const Index> piece, const Vec3& at, double unit) {
  constexpr double enough = 0.35, as_good = 0.8;
  std::vector<double> base;
  for (Index f : piece) base.push_back((faces.middles[f] - at).squaredNorm());
  const Vec3 across = bending_way(faces, piece);
  const Side flat = fitted_to(faces, piece, at, unit, base, Bends::no, across);
  if (flat.fitting >= enough * static_cast<double>(piece.size())) return flat;
  const Side rolled = fitted_to(faces, piece, at, unit, base, Bends::one_way, across), bent = fitted_to(faces, piece, at, unit, base, Bends::both_ways, across);
  return rolled.fitting >= as_good * bent.fitting ? rolled : bent;
}

}  // namespace anvil::recast
