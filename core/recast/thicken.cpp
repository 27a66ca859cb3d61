// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/thicken.h"

#include <tbb/parallel_for.h>

#include <Eigen/Eigenvalues>
#include <algorithm>

#include "core/mesh/bvh.h"
#include "core/mesh/triangulate.h"
#include "core/recast/move_vertices.h"
#include "core/report.h"

namespace anvil::recast {
namespace {

constexpr double none = -1;

Vec3 middle_of(const Mesh& mesh, Index f) {
  Vec3 sum = Vec3::Zero();
  for (Index v : mesh.face(f)) sum += mesh.positions[v];
  return sum / static_cast<double>(mesh.face(f).size());
}

/// Per face, how thick the wall behind it is where that is less than asked for; else none.
std::vector<double> thin_walls(const Mesh& mesh, double least, const Control& control) {
  constexpr double away = -0.7;  // cosine: so much the far side looks the other way
  const TriangleList list = triangulate(mesh);
  const Bvh tree(mesh.positions, list.triangles);
  std::vector<double> wall(mesh.face_count(), none);
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(mesh.face_count()), 256), [&](const auto& range) {
    if (control.stop.stop_requested()) return;
    for (Index f = range.begin(); f < range.end(); ++f) {
      const auto ring = mesh.face(f);
      const Vec3 n = newell_normal(mesh.positions, ring).stableNormalized(), middle = middle_of(mesh, f);
      // The face itself is met at the start. From more places than one: a ray may slip through between two triangles.
      const double skip = 1e-6 * least;
      for (std::size_t k = 0; k <= ring.size(); ++k) {
        const Vec3 from = k == 0 ? middle : Vec3(0.7 * middle + 0.3 * mesh.positions[ring[k - 1]]);
        const auto hit = tree.nearest_hit(mesh.positions, list.triangles, from - skip * n, -n, least);
        if (!hit || hit->distance + skip >= least || newell_normal(mesh.positions, mesh.face(list.face[hit->triangle])).stableNormalized().dot(n) >= away) continue;
        if (wall[f] == none || hit->distance + skip < wall[f]) wall[f] = hit->distance + skip;
      }
    }
  });
  check_stop(control);
  return wall;
}

}  // namespace

Thickened thicken(const Mesh& mesh, double least, const Control& control) {
  Thickened done{mesh.positions, 0, least, {}, {}};
  const std::vector<double> wall = thin_walls(mesh, least, control);
  std::vector<char> movable(mesh.positions.size(), 0);
  for (Index f = 0; f < wall.size(); ++f) {
    if (wall[f] == none) continue;
    ++done.thin;
    done.thinnest = std::min(done.thinnest, wall[f]);
    if (done.places.size() < OperationReport::max_places) done.places.push_back(middle_of(mesh, f));
    for (Index v : mesh.face(f)) movable[v] = 1;
  }
  if (done.thin == 0) return done;
  // Where both sides of a wall run into each other the rim stays, and faces there have no say.
  std::vector<Vec3> side(mesh.positions.size(), Vec3::Zero());
  std::vector<char> is_rim(mesh.positions.size(), 0);
  for (Index f = 0; f < wall.size(); ++f) {
    if (wall[f] == none) continue;
    const Vec3 n = newell_normal(mesh.positions, mesh.face(f)).stableNormalized();
    for (Index v : mesh.face(f)) {
      if (side[v] == Vec3::Zero()) side[v] = n;
      if (side[v].dot(n) < 0) is_rim[v] = 1, movable[v] = 0;
    }
  }
  // Each vertex by the least that moves the planes of its faces out as far as each has to.
  std::vector<Eigen::Matrix3d> planes(mesh.positions.size(), Eigen::Matrix3d::Zero());
  std::vector<Vec3> wanted(mesh.positions.size(), Vec3::Zero());
  for (Index f = 0; f < wall.size(); ++f) {
    const Vec3 n = newell_normal(mesh.positions, mesh.face(f));
    const double area = n.norm();
    const auto ring = mesh.face(f);
    if (!(area > 0) || std::any_of(ring.begin(), ring.end(), [&](Index v) { return is_rim[v]; })) continue;
    const double out = wall[f] == none ? 0 : (least - wall[f]) / 2;
    for (Index v : mesh.face(f)) {
      planes[v] += n * n.transpose() / area;
      wanted[v] += out * n;
    }
  }
  tbb::parallel_for(std::size_t{0}, wanted.size(), [&](std::size_t v) {
    if (!movable[v]) {
      wanted[v] = mesh.positions[v];
      return;
    }
    constexpr double flat = 0.02;  // of the largest eigenvalue: planes that turn by less are one
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(planes[v]);
    Vec3 way = Vec3::Zero();
    for (int k = 0; k < 3; ++k)
      if (solver.eigenvalues()[k] > flat * solver.eigenvalues()[2]) way += solver.eigenvectors().col(k) * (solver.eigenvectors().col(k).dot(wanted[v]) / solver.eigenvalues()[k]);
    if (way.norm() > 2 * least) way *= 2 * least / way.norm();
    wanted[v] = mesh.positions[v] + way;
  });
  MovedVertices moved = move_vertices(mesh, std::move(wanted), movable, control);
  if (moved.is_sound) done.positions = std::move(moved.positions);
  Mesh after = mesh;
  after.positions = done.positions;
  constexpr double enough = 0.95;
  const std::vector<double> left = thin_walls(after, enough * least, control);
  for (Index f = 0; f < left.size() && done.short_of.size() < OperationReport::max_places; ++f)
    if (left[f] != none) done.short_of.push_back(middle_of(after, f));
  return done;
}

}  // namespace anvil::recast
