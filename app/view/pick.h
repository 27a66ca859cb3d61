// SPDX-License-Identifier: GPL-3.0-or-later
// What lies under the pointer, and where a ray meets lines and planes.
#pragma once

#include "app/session.h"
#include "app/view/camera.h"

namespace anvil::app {

/// How near the pointer has to come to what is too thin to be hit.
inline constexpr double catch_pixels = 12;

/// Something that a ray may hit.
struct Target {
  PartId part;
  EvaluatedPtr evaluated;
  Affine world;
};
/// The parts as they are shown now; those without a result yet are left out.
std::vector<Target> targets(const Session& session, const std::vector<PartId>& parts);

struct Picked {
  Target target;
  Index triangle;  ///< no_index: a point of a cloud
  double distance;
  Vec3 point;

  Vec3 towards = Vec3::UnitZ();  ///< where the ray came from
  /// The polygon hit, as corners in the job's space; empty of a cloud.
  std::vector<Vec3> polygon() const;
  /// Outward normal of the triangle hit, in the job's space, of length 1; of a cloud, towards the eye.
  Vec3 normal() const;
};
/// The nearest hit of the ray, if any.
std::optional<Picked> pick(const std::vector<Target>& among, const Ray& ray);
/// The nearest hit on each target, the nearest first.
std::vector<Picked> pick_through(const std::vector<Target>& among, const Ray& ray);

/// What a drag or a click may catch on.
struct SnapSettings {
  bool on = false;
  bool grid = true, vertices = true, edge_middles = true, faces = true;
};
/// The vertex or edge middle of a hit polygon that lies near the pixel; else the point hit, where faces count.
std::optional<Vec3> catch_on(const Picked& hit, const SnapSettings& snap, const Camera& camera, const QPointF& pixel, const QSizeF& size);

/// Where the ray comes nearest to the line through `at` along `axis`, as a distance along the axis; nothing when it is
/// seen end-on.
std::optional<double> along_axis(const Ray& ray, const Vec3& at, const Vec3& axis);
/// Where it meets a plane; nothing when that is seen edge-on.
std::optional<Vec3> on_plane(const Ray& ray, const Vec3& at, const Vec3& normal);

}  // namespace anvil::app
