// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/pick.h"

#include <algorithm>
#include <cmath>

namespace anvil::app {

std::vector<Target> targets(const Session& session, const std::vector<PartId>& parts) {
  std::vector<Target> result;
  for (PartId id : parts) {
    const PartResult r = session.result(id);
    if (r.evaluated && r.evaluated->drawable && (r.evaluated->drawable->tree || r.evaluated->drawable->is_cloud()))
      result.push_back({id, r.evaluated, session.job().world_of(id)});
  }
  return result;
}

/// The nearest point of a cloud that a ray passes so close by that none of the others is in between, and how far that is.
static std::optional<std::pair<Vec3, double>> hit_point(const Drawable& drawable, const Affine& world, const Ray& ray) {
  constexpr std::size_t most = 300'000;
  const std::size_t count = std::min(most, drawable.point_count());
  const Affine own = world.inverse();
  const Vec3 origin = own * ray.origin - drawable.centre, direction = own.linear() * ray.direction;
  const double reach = drawable.point_size * std::sqrt(static_cast<double>(drawable.point_count()) / static_cast<double>(std::max<std::size_t>(count, 1)));
  const double square = direction.squaredNorm();
  std::optional<std::pair<Vec3, double>> nearest;
  for (std::size_t k = 0; k < count; ++k) {
    const Vec3 p(drawable.positions[3 * k], drawable.positions[3 * k + 1], drawable.positions[3 * k + 2]);
    const double along = (p - origin).dot(direction) / square;
    if (along <= 0 || (nearest && along >= nearest->second) || (origin + along * direction - p).squaredNorm() > reach * reach) continue;
    nearest = {world * (p + drawable.centre), along};
  }
  return nearest;
}

std::vector<Picked> pick_through(const std::vector<Target>& among, const Ray& ray) {
  std::vector<Picked> hits;
  for (const Target& target : among) {
    const Affine own = target.world.inverse();
    const Drawable& drawable = *target.evaluated->drawable;
    if (drawable.is_cloud()) {
      if (const auto point = hit_point(drawable, target.world, ray)) hits.push_back({target, no_index, point->second, point->first, -ray.direction.normalized()});
      continue;
    }
    const auto hit = drawable.tree->nearest_hit(target.evaluated->mesh->positions, drawable.triangle_list.triangles, own * ray.origin, own.linear() * ray.direction);
    if (hit) hits.push_back({target, hit->triangle, hit->distance, Vec3(ray.origin + hit->distance * ray.direction), -ray.direction.normalized()});
  }
  std::stable_sort(hits.begin(), hits.end(), [](const Picked& a, const Picked& b) { return a.distance < b.distance; });
  return hits;
}

std::optional<Picked> pick(const std::vector<Target>& among, const Ray& ray) {
  std::vector<Picked> hits = pick_through(among, ray);
  return hits.empty() ? std::nullopt : std::optional(std::move(hits.front()));
}

std::vector<Vec3> Picked::polygon() const {
  std::vector<Vec3> corners;
  if (triangle == no_index) return corners;
  for (Index v : target.evaluated->mesh->face(target.evaluated->drawable->triangle_list.face[triangle]))
    corners.push_back(target.world * target.evaluated->mesh->positions[v]);
  return corners;
}

Vec3 Picked::normal() const {
  if (triangle == no_index) return towards;
  const Triangle& t = target.evaluated->drawable->triangle_list.triangles[triangle];
  const auto& points = target.evaluated->mesh->positions;
  const Vec3 a = target.world * points[t[0]], b = target.world * points[t[1]], c = target.world * points[t[2]];
  const Vec3 normal = (b - a).cross(c - a).stableNormalized();
  return target.world.linear().determinant() < 0 ? Vec3(-normal) : normal;
}

std::optional<Vec3> catch_on(const Picked& hit, const SnapSettings& snap, const Camera& camera, const QPointF& pixel, const QSizeF& size) {
  const std::vector<Vec3> polygon = hit.polygon();
  std::optional<Vec3> best;
  double nearest = catch_pixels;
  auto consider = [&](const Vec3& point) {
    QPointF at;
    if (!camera.project(point, size, at)) return;
    const double distance = std::hypot(at.x() - pixel.x(), at.y() - pixel.y());
    if (distance < nearest) {
      nearest = distance;
      best = point;
    }
  };
  for (std::size_t k = 0; k < polygon.size(); ++k) {
    if (snap.vertices) consider(polygon[k]);
    if (snap.edge_middles) consider(0.5 * (polygon[k] + polygon[(k + 1) % polygon.size()]));
  }
  if (!best && snap.faces) best = hit.point;
  return best;
}

std::optional<double> along_axis(const Ray& ray, const Vec3& at, const Vec3& axis) {
  const Vec3 between = at - ray.origin;
  const double b = axis.dot(ray.direction);
  const double denominator = 1 - b * b;
  if (denominator < 1e-6) return std::nullopt;  // looking straight along it
  return (b * between.dot(ray.direction) - between.dot(axis)) / denominator;
}

std::optional<Vec3> on_plane(const Ray& ray, const Vec3& at, const Vec3& normal) {
  const double slope = ray.direction.dot(normal);
  if (std::abs(slope) < 1e-4) return std::nullopt;
  return Vec3(ray.origin + ray.direction * ((at - ray.origin).dot(normal) / slope));
}

}  // namespace anvil::app
