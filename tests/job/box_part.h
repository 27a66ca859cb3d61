// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "job/job.h"

namespace anvil::test {

inline Part box_part(const std::string& name, const Vec3& size, const Vec3& at = Vec3::Zero()) {
  Part part;
  part.name = name;
  part.source = Primitive::of("box", {size.x(), size.y(), size.z()});
  part.placement.position = at;
  return part;
}

}  // namespace anvil::test
