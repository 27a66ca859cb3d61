// SPDX-License-Identifier: GPL-3.0-or-later
// OpenVDB's plain way of re-skinning: mesh → distance field → mesh, without sharp edges.
#pragma once

#include "core/mesh/mesh.h"

namespace anvil::bench {

/// @param voxel  mesh units; the field is three voxels wide on both sides, as is usual
/// @return quads
Mesh openvdb_recast(const Mesh& triangles, double voxel);

}  // namespace anvil::bench
