// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/stencil.h"

#include <fmt/format.h>

#include <algorithm>

namespace anvil {

PlaneFrame frame_seen(const Vec3& point, const Vec3& normal, const Vec3& right) {
  PlaneFrame frame;
  frame.origin = point;
  frame.normal = normal.stableNormalized();
  Vec3 u = right - right.dot(frame.normal) * frame.normal;
  if (u.norm() < 1e-9 * right.norm() || u.norm() == 0) u = std::abs(frame.normal.x()) < 0.9 ? Vec3::UnitX().cross(frame.normal).cross(frame.normal) * -1 : frame.normal.unitOrthogonal();
  frame.u = u.stableNormalized();
  frame.v = frame.normal.cross(frame.u);
  return frame;
}

Result<Mesh> stencil_solid(const StencilSettings& settings, const Box3& part) {
  const PlanarRegion region = planar_region(settings.loops, Inside::wound);
  // Thinner than what counts as one place it is a line drawn to and fro.
  double around = 0;
  for (const auto& [from, to] : region.boundary) around += (region.points[to] - region.points[from]).norm();
  if (region.empty() || 2 * region.area() < contact_tolerance({}, part) * around) return Issue{"the outline encloses nothing", "", {}, "draw it with some width"};
  double nearest = 1e300, farthest = -1e300;
  for (int k = 0; k < 8; ++k) {
    const Vec3 corner(k & 1 ? part.hi.x() : part.lo.x(), k & 2 ? part.hi.y() : part.lo.y(), k & 4 ? part.hi.z() : part.lo.z());
    const double depth = -settings.frame.height(corner);
    nearest = std::min(nearest, depth);
    farthest = std::max(farthest, depth);
  }
  const double beyond = 0.0213 * part.diagonal();
  double from = settings.from.value_or(nearest - beyond);
  const double to = settings.to.value_or(farthest + beyond);
  if (settings.eye > 0) from = std::max(from, -settings.eye * 0.999);
  if (!(to > from)) return Issue{fmt::format("it would reach from a depth of {:.6g} to one of {:.6g}, which is nothing", from, to), "", {}, "let it reach deeper"};
  // Lines of sight meet in the eye.
  const auto share = [&](double depth) { return settings.eye > 0 ? (settings.eye + depth) / settings.eye : 1; };
  return solid_between(region, [&](const Vec2& p, bool upper) {
    const double depth = upper ? from : to;
    return settings.frame.at(share(depth) * p, -depth);
  });
}

Result<BooleanResult> stencil_cut(const Workpiece& part, const StencilSettings& settings, const Control& control) {
  if (part.mesh->empty()) return Issue{"it has no faces", part.name, {}, "leave the cut out"};
  Result<Mesh> solid = stencil_solid(settings, bounds(*part.mesh));
  if (!solid) return solid.issue();
  return combine_with_made(part, {{std::move(*solid), settings.operation, "the stencil"}}, control);
}

}  // namespace anvil
