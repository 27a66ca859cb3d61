// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/measure.h"

#include <cmath>

namespace anvil {

double angle_between(const Vec3& a, const Vec3& b) {
  return std::atan2(a.cross(b).norm(), a.dot(b)) * 180 / M_PI;  // good at every angle, where acos is not
}

Measured measure(const Mesh& mesh, const Topology& topology, const Elements& chosen, const Affine& world) {
  Measured out;
  const auto at = [&](Index v) -> Vec3 { return world * mesh.positions[v]; };
  const auto along = [&](Index e) -> Vec3 { return at(topology.edges.vertices[e][1]) - at(topology.edges.vertices[e][0]); };
  const auto normal = [&](Index f) {
    std::vector<Vec3> points;
    std::vector<Index> own;
    for (Index v : mesh.face(f)) own.push_back(static_cast<Index>(points.size())), points.push_back(at(v));
    return newell_normal(points, own);
  };
  if (chosen.kind == ElementKind::edges && !chosen.empty()) {
    out.length = 0;
    for (Index e : chosen.list) *out.length += along(e).norm();
  }
  if (chosen.kind == ElementKind::faces && !chosen.empty()) {
    out.area = 0;
    for (Index f : chosen.list) *out.area += 0.5 * normal(f).norm();
  }
  if (chosen.size() == 2) {
    const Index a = chosen.list[0], b = chosen.list[1];
    out.distance = (world * place_of(mesh, topology, chosen.kind, a) - world * place_of(mesh, topology, chosen.kind, b)).norm();
    if (chosen.kind == ElementKind::edges) {
      const double angle = angle_between(along(a), along(b));
      out.angle = std::min(angle, 180 - angle);
    }
    if (chosen.kind == ElementKind::faces) out.angle = angle_between(normal(a), normal(b));
  }
  if (chosen.size() == 3 && chosen.kind == ElementKind::vertices) {
    const Vec3 middle = at(chosen.list[1]);
    out.angle = angle_between(at(chosen.list[0]) - middle, at(chosen.list[2]) - middle);
  }
  return out;
}

}  // namespace anvil
