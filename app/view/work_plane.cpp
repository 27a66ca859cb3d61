// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/work_plane.h"

#include <cmath>

#include "core/shape/half_space.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// What rounding alone has put beside a round number goes.
Vec3 tidy(const Vec3& v, double step) {
  Vec3 rounded = v;
  for (double& x : rounded) {
    const double nearest = std::round(x / step) * step;
    if (std::abs(x - nearest) < 1e-9 * std::max(1.0, std::abs(x))) x = nearest == 0 ? 0 : nearest;
  }
  return rounded;
}

}  // namespace

std::optional<WorkPlane> work_plane(const Session& session) {
  const auto found = session.job().find_step(session.active_step());
  if (!found) return std::nullopt;
  WorkPlane plane;
  plane.part = found.part->id;
  plane.step = found.step->id;
  const auto& fields = found.step->kind->fields;
  for (plane.normal_field = 0; plane.normal_field < fields.size(); ++plane.normal_field) {
    const Field& field = fields[plane.normal_field];
    const auto through = field_place(fields, field.through);
    if (field.kind != FieldKind::direction || !through) continue;
    plane.point_field = *through;
    plane.label = field.label;
    const Affine world = session.job().world_of(plane.part);
    plane.point = world * std::get<Vec3>(found.step->fields[plane.point_field]);
    // Normals go by the inverse transpose.
    plane.normal = (world.linear().inverse().transpose() * std::get<Vec3>(found.step->fields[plane.normal_field])).normalized();
    const HalfSpace half(plane.point, plane.normal);
    const Box3 box = session.world_bounds(plane.part);
    plane.middle = box.empty() ? plane.point : half.projected(box.centre());
    plane.u = half.u();
    plane.v = half.v();
    // As large as what it cuts, and something more.
    const double margin = box.empty() ? 20 : 0.05 * box.diagonal();
    plane.half_u = margin + (box.empty() ? 0 : 0.5 * plane.u.cwiseAbs().dot(box.size()));
    plane.half_v = margin + (box.empty() ? 0 : 0.5 * plane.v.cwiseAbs().dot(box.size()));
    return plane;
  }
  return std::nullopt;
}

Result<Job> with_plane(const Job& job, const WorkPlane& plane, const Vec3& point, const Vec3& normal) {
  const Affine world = job.world_of(plane.part);
  return edit::change_step(job, plane.step, [&](Step& step) {
    step.fields[plane.point_field] = tidy(world.inverse() * point, 1e-6);
    step.fields[plane.normal_field] = tidy((world.linear().transpose() * normal).normalized(), 1);
  });
}

}  // namespace anvil::app
