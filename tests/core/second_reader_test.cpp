// SPDX-License-Identifier: GPL-3.0-or-later
// Every writer's files read by somebody else: assimp has to find the very same triangles.
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <catch2/catch.hpp>

#include <algorithm>
#include <array>

#include "core/io/mesh_file.h"
#include "core/mesh/triangulate.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

using Corners = std::array<std::array<float, 3>, 3>;

/// Triangles by their places, begun at the least corner, in order.
std::vector<Corners> in_order(std::vector<Corners> triangles) {
  for (Corners& t : triangles) std::rotate(t.begin(), std::min_element(t.begin(), t.end()), t.end());
  std::sort(triangles.begin(), triangles.end());
  return triangles;
}

std::vector<Corners> of_mesh(const Mesh& mesh) {
  std::vector<Corners> all;
  for (const Triangle& t : triangulate(mesh).triangles) {
    Corners corners;
    for (std::size_t k = 0; k < 3; ++k)
      for (std::size_t axis = 0; axis < 3; ++axis) corners[k][axis] = static_cast<float>(mesh.positions[t[k]][static_cast<Eigen::Index>(axis)]);
    all.push_back(corners);
  }
  return in_order(std::move(all));
}

void gather(const aiScene& scene, const aiNode& node, aiMatrix4x4 placed, std::vector<Corners>& all) {
  placed = placed * node.mTransformation;
  for (unsigned m = 0; m < node.mNumMeshes; ++m) {
    const aiMesh& mesh = *scene.mMeshes[node.mMeshes[m]];
    for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
      REQUIRE(mesh.mFaces[f].mNumIndices == 3);
      Corners corners;
      for (unsigned k = 0; k < 3; ++k) {
        const aiVector3D p = placed * mesh.mVertices[mesh.mFaces[f].mIndices[k]];
        corners[k] = {p.x, p.y, p.z};
      }
      all.push_back(corners);
    }
  }
  for (unsigned k = 0; k < node.mNumChildren; ++k) gather(scene, *node.mChildren[k], placed, all);
}

}  // namespace

TEST_CASE("assimp reads back the triangles of every format that is written") {
  const TemporaryFolder folder;
  // Coordinates of 32 bits, so that every format holds them.
  Mesh ball = stock("icosphere", {20, 3}), block = in_triangles(placed(stock("box", {10, 20, 30}), {40, 0, 0}, {10, 20, 30}));
  Mesh both = ball;
  append(both, block);
  for (Vec3& p : both.positions) p = p.cast<float>().cast<double>();
  const std::vector<Corners> expected = of_mesh(both);
  for (const char* name : {"a.stl", "a.obj", "a.ply", "a.off", "a.3mf"}) {
    INFO(name);
    WriteSettings settings;
    settings.faces = FacesWritten::triangles;
    REQUIRE(write_mesh(both, folder / name, nullptr, settings));
    Assimp::Importer importer;
    const aiScene* scene = importer.ReadFile((folder / name).string(), aiProcess_Triangulate);
    REQUIRE(scene != nullptr);
    std::vector<Corners> found;
    gather(*scene, *scene->mRootNode, aiMatrix4x4(), found);
    CHECK(found.size() == expected.size());
    CHECK(in_order(std::move(found)) == expected);
  }
}
