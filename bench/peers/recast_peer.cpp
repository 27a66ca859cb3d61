// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/peers/recast_peer.h"

#include <openvdb/openvdb.h>
#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/VolumeToMesh.h>

namespace anvil::bench {

Mesh openvdb_recast(const Mesh& triangles, double voxel) {
  openvdb::initialize();
  std::vector<openvdb::Vec3s> points;
  for (const Vec3& p : triangles.positions) points.emplace_back(static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()));
  std::vector<openvdb::Vec3I> faces;
  for (std::size_t f = 0; f < triangles.face_count(); ++f) faces.emplace_back(triangles.face(f)[0], triangles.face(f)[1], triangles.face(f)[2]);
  const auto transform = openvdb::math::Transform::createLinearTransform(voxel);
  const auto field = openvdb::tools::meshToLevelSet<openvdb::FloatGrid>(*transform, points, faces);
  std::vector<openvdb::Vec3s> skin;
  std::vector<openvdb::Vec4I> quads;
  openvdb::tools::volumeToMesh(*field, skin, quads);
  Mesh mesh;
  mesh.positions.reserve(skin.size());
  for (const auto& p : skin) mesh.positions.emplace_back(p.x(), p.y(), p.z());
  for (const auto& q : quads) mesh.add_face({q[3], q[2], q[1], q[0]});
  return mesh;
}

}  // namespace anvil::bench
