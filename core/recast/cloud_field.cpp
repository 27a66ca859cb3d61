// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/cloud_field.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvil::recast {

Cloud cloud_of(std::span<const Part> parts, std::vector<Part>& surfaces, std::vector<Index>& place_of) {
  Cloud cloud;
  bool normals_known = true;
  for (Index k = 0; k < parts.size(); ++k) {
    if (!parts[k].mesh->cloud) {
      surfaces.push_back(parts[k]);
      place_of.push_back(k);
      continue;
    }
    Mesh placed = *parts[k].mesh;
    place(placed, parts[k].placement);
    cloud.points.insert(cloud.points.end(), placed.positions.begin(), placed.positions.end());
    cloud.normals.insert(cloud.normals.end(), placed.normals.begin(), placed.normals.end());
    cloud.part.resize(cloud.points.size(), k);
    normals_known = normals_known && !placed.normals.empty();
  }
  if (!normals_known) cloud.normals.clear();
  return cloud;
}

FieldSample PointBalls::operator()(const Vec3& p) const {
  thread_local std::vector<PointTree::Near> near;
  tree_.nearest(p, 1, near);
  const Vec3 way = p - points_[near[0].point];
  const double distance = std::sqrt(near[0].square);
  return {distance - radius_, distance > 0 ? Vec3(way / distance) : Vec3(Vec3::UnitZ()), near[0].point};
}

PointSurface::PointSurface(std::span<const Vec3> points, std::span<const Vec3> normals, double reach) : points_(points), normals_(normals), tree_(points), reach_(reach) {
  constexpr std::size_t neighbours = 9;  // itself among them
  std::vector<Vec3> areas(points.size());
  tbb::parallel_for(std::size_t{0}, points.size(), [&](std::size_t k) {
    thread_local std::vector<PointTree::Near> near;
    tree_.nearest(points[k], neighbours, near);
    // As many points as lie in a disc around it share its area; at a border that is too much by the part where none lie.
    const double square = std::min(near.back().square, reach * reach);
    const auto sharing = static_cast<double>(std::count_if(near.begin(), near.end(), [&](const PointTree::Near& n) { return n.square <= square; }));
    areas[k] = std::numbers::pi * square / std::max(sharing - 0.5, 1.0) * normals[k];
  });
  Box3 box;
  for (const Vec3& p : points) box.add(p);
  Vec3 all = Vec3::Zero();
  double size = 0;
  for (std::size_t k = 0; k < points.size(); ++k) {
    volume_ += areas[k].dot(points[k] - box.centre()) / 3;
    all += areas[k];
    size += areas[k].norm();
  }
  openness_ = size > 0 ? all.norm() / size : 1;
  dipoles_ = std::make_unique<Dipoles>(points, areas);
}

FieldSample PointSurface::operator()(const Vec3& p) const {
  thread_local std::vector<PointTree::Near> near;
  tree_.nearest(p, 1, near);
  const Index nearest = near[0].point;
  const double distance = std::sqrt(near[0].square);
  // Up to half the reach by the planes alone, beyond it by the winding alone, between these by both.
  const double share = std::clamp(2 * distance / reach_ - 1, 0.0, 1.0), away = share * share * (3 - 2 * share);
  FieldSample planes{0, Vec3::Zero(), nearest}, winding{0, Vec3::Zero(), no_index};
  if (away < 1) {
    tree_.within(p, reach_, near);
    Vec3 middle = Vec3::Zero(), normal = Vec3::Zero();
    double weights = 0;
    for (const auto& [k, square] : near) {
      const double falling = 1 - square / (reach_ * reach_);
      const double weight = falling * falling * falling * falling * std::max(0.0, normals_[k].dot(normals_[nearest]));
      weights += weight;
      middle += weight * (points_[k] - p);
      normal += weight * normals_[k];
    }
    planes.gradient = weights > 0 ? Vec3(normal.stableNormalized()) : normals_[nearest];
    planes.value = weights > 0 ? -planes.gradient.dot(middle) / weights : planes.gradient.dot(p - points_[nearest]);
  }
  if (away == 0) return planes;
  const Dipoles::Winding view = (*dipoles_)(p);
  const Vec3 outwards = (p - points_[nearest]) / distance;
  winding.value = (1 - 2 * view.number) * distance;
  winding.gradient = (1 - 2 * view.number) * outwards - 2 * distance * view.gradient;
  const double steep = 12 / reach_ * share * (1 - share);  // of `away` along the way out
  const Vec3 gradient = (1 - away) * planes.gradient + away * winding.gradient + steep * (winding.value - planes.value) * outwards;
  return {(1 - away) * planes.value + away * winding.value, gradient.stableNormalized(), away < 0.5 ? nearest : no_index};
}

bool PointSurface::may_vanish(const Vec3& p, double reach) const {
  // Along the border of a gap the winding changes by 1 all around: its share of the field by 1 / π along the way, and the distance by 1.
  constexpr double steepest = 1.5;
  thread_local std::vector<PointTree::Near> near;
  tree_.nearest(p, 1, near);
  const double distance = std::sqrt(near[0].square);
  if (distance <= reach_ + reach) return true;
  return std::abs(1 - 2 * (*dipoles_)(p).number) * distance <= steepest * reach;
}

}  // namespace anvil::recast
