// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/nearest.h"

#include <CGAL/AABB_segment_primitive.h>
#include <CGAL/AABB_traits.h>
#include <CGAL/AABB_tree.h>
#include <CGAL/AABB_triangle_primitive.h>
#include <CGAL/Simple_cartesian.h>

#include <map>
#include <numbers>

namespace anvil::test {
namespace {

using Kernel = CGAL::Simple_cartesian<double>;
Kernel::Point_3 point_of(const Vec3& p) { return {p.x(), p.y(), p.z()}; }

}  // namespace

struct DistanceToSurface::State {
  using Primitive = CGAL::AABB_triangle_primitive<Kernel, std::vector<Kernel::Triangle_3>::const_iterator>;
  std::vector<Kernel::Triangle_3> triangles;
  CGAL::AABB_tree<CGAL::AABB_traits<Kernel, Primitive>> tree;
};

DistanceToSurface::DistanceToSurface(const Mesh& mesh) : state_(std::make_unique<State>()) {
  for (std::size_t f = 0; f < mesh.face_count(); ++f)
    for (std::size_t k = 1; k + 1 < mesh.face(f).size(); ++k) {
      const Vec3 &a = mesh.positions[mesh.face(f)[0]], &b = mesh.positions[mesh.face(f)[k]], &c = mesh.positions[mesh.face(f)[k + 1]];
      if ((b - a).cross(c - a).norm() > 0) state_->triangles.emplace_back(point_of(a), point_of(b), point_of(c));
    }
  state_->tree.insert(state_->triangles.begin(), state_->triangles.end());
}
DistanceToSurface::~DistanceToSurface() = default;
double DistanceToSurface::operator()(const Vec3& point) const { return std::sqrt(state_->tree.squared_distance(point_of(point))); }

struct NearestLine::State {
  using Primitive = CGAL::AABB_segment_primitive<Kernel, std::vector<Kernel::Segment_3>::const_iterator>;
  std::vector<Kernel::Segment_3> segments;
  CGAL::AABB_tree<CGAL::AABB_traits<Kernel, Primitive>> tree;
};

NearestLine::NearestLine(const std::vector<Line>& lines) : state_(std::make_unique<State>()) {
  for (const Line& line : lines) state_->segments.emplace_back(point_of(line.from), point_of(line.to));
  state_->tree.insert(state_->segments.begin(), state_->segments.end());
}
NearestLine::~NearestLine() = default;

NearestLine::Found NearestLine::operator()(const Vec3& point, const Vec3& way, double slack) const {
  if (state_->segments.empty()) return {std::numeric_limits<double>::infinity(), Vec3::Zero()};
  const double distance = std::sqrt(state_->tree.squared_distance(point_of(point)));
  std::vector<State::Primitive::Id> near;
  state_->tree.all_intersected_primitives(Kernel::Iso_cuboid_3(point_of(point - Vec3::Constant(distance + slack)), point_of(point + Vec3::Constant(distance + slack))), std::back_inserter(near));
  Found best{distance, Vec3::Zero()};
  for (const auto& id : near) {
    if (std::sqrt(CGAL::squared_distance(*id, point_of(point))) > distance + slack) continue;
    const auto v = id->to_vector();
    const Vec3 along = Vec3(v.x(), v.y(), v.z()).normalized();
    if (std::abs(along.dot(way)) > std::abs(best.way.dot(way))) best.way = along;
  }
  return best;
}

std::vector<Line> sharp_lines(const Mesh& mesh, double degrees) {
  std::map<std::pair<Index, Index>, std::vector<Vec3>> normals;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    const auto ring = mesh.face(f);
    Vec3 n = Vec3::Zero();
    for (std::size_t k = 1; k + 1 < ring.size(); ++k) n += (mesh.positions[ring[k]] - mesh.positions[ring[0]]).cross(mesh.positions[ring[k + 1]] - mesh.positions[ring[0]]);
    n.normalize();
    for (std::size_t k = 0; k < ring.size(); ++k) normals[std::minmax(ring[k], ring[(k + 1) % ring.size()])].push_back(n);
  }
  std::vector<Line> lines;
  const double least = std::cos(degrees * std::numbers::pi / 180);
  for (const auto& [edge, n] : normals)
    if (n.size() == 2 && n[0].dot(n[1]) < least) lines.push_back({mesh.positions[edge.first], mesh.positions[edge.second]});
  return lines;
}

}  // namespace anvil::test
