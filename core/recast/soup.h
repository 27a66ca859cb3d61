// SPDX-License-Identifier: GPL-3.0-or-later
// What is re-skinned, whatever it is: parts of any kind as one heap of triangles.
#pragma once

#include <memory>
#include <string>

#include "core/control.h"
#include "core/mesh/triangulate.h"
#include "core/report.h"

namespace anvil::recast {

/// One of the parts that are re-skinned together.
struct Part {
  std::shared_ptr<const Mesh> mesh;
  std::string name;  ///< for messages and the report
  Affine placement = Affine::Identity();
};

struct Soup {
  std::vector<Vec3> positions;
  std::vector<Triangle> triangles;  ///< none without area
  std::vector<Vec3> normals;        ///< per triangle, of length 1
  std::vector<Index> part, face;    ///< per triangle, where it comes from
  bool closed = true;               ///< every edge is passed as often one way as the other
};

/// Puts parts together; in each, vertices at one position become one, and faces that look the wrong way are turned over (core/soundness/orientation), which is told. Of
/// what is open, triangles that are there several times count once. Throws Stopped.
Soup soup_of(std::span<const Part> parts, OperationReport& report, const Control& control = {});

}  // namespace anvil::recast
