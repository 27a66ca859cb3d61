// SPDX-License-Identifier: GPL-3.0-or-later
// The plane of the step that is worked on, as it stands in the view. Any step with a direction field that goes through a
// point field has one.
#pragma once

#include "app/session.h"

namespace anvil::app {

struct WorkPlane {
  PartId part = 0;
  StepId step = 0;
  std::size_t point_field = 0, normal_field = 0;
  std::string label;  ///< of the direction field
  // In the job's space:
  Vec3 point, normal;  ///< the normal of length 1
  Vec3 middle;         ///< the point of the plane next to the middle of the part
  Vec3 u, v;           ///< in the plane, of length 1, across each other
  double half_u = 0, half_v = 0;  ///< half the sides of the rectangle that is drawn
};
/// That of the active step; none when it has none.
std::optional<WorkPlane> work_plane(const Session& session);
/// The job with the plane through another point and facing elsewhere, both in the job's space.
Result<Job> with_plane(const Job& job, const WorkPlane& plane, const Vec3& point, const Vec3& normal);

}  // namespace anvil::app
