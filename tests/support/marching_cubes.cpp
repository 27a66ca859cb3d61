// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/marching_cubes.h"

#include <algorithm>
#include <array>
#include <map>

#include "core/recast/signed_distance.h"

namespace anvil::test {

Mesh marching_cubes(const Mesh& solid, double voxel) {
  const TriangleList list = triangulate(solid);
  const recast::SignedDistance distance(solid.positions, list.triangles);
  const Box3 box = bounds(solid);
  const Vec3 origin = box.lo - voxel * Vec3(2.37, 2.41, 2.29);
  std::array<int, 3> size{};
  for (int axis = 0; axis < 3; ++axis) size[static_cast<std::size_t>(axis)] = static_cast<int>((box.hi[axis] - origin[axis]) / voxel) + 3;
  const auto [nx, ny, nz] = size;
  const auto place = [&](int p) { return Vec3(origin + voxel * Vec3(p % nx, p / nx % ny, p / nx / ny)); };
  std::vector<double> value(static_cast<std::size_t>(nx) * static_cast<std::size_t>(ny) * static_cast<std::size_t>(nz));
  for (std::size_t p = 0; p < value.size(); ++p) value[p] = distance(place(static_cast<int>(p))).value;
  const auto at = [&](int p) { return value[static_cast<std::size_t>(p)]; };

  Mesh mesh;
  std::map<std::array<int, 2>, Index> vertices;
  const auto vertex_between = [&](int p, int q) {
    const auto [it, is_new] = vertices.emplace(std::array{std::min(p, q), std::max(p, q)}, static_cast<Index>(mesh.positions.size()));
    constexpr double least = 0.001;  // of the edge: so far from its ends
    if (is_new) mesh.add_vertex(place(p) + std::clamp(at(p) / (at(p) - at(q)), least, 1 - least) * (place(q) - place(p)));
    return it->second;
  };
  for (int z = 0; z + 1 < nz; ++z)
    for (int y = 0; y + 1 < ny; ++y)
      for (int x = 0; x + 1 < nx; ++x) {
        const auto corner = [&](int i, int j, int k) { return ((z + k) * ny + y + j) * nx + x + i; };
        // Seen from outside, each the same way round.
        const int faces[6][4] = {{corner(0, 0, 0), corner(0, 1, 0), corner(1, 1, 0), corner(1, 0, 0)}, {corner(0, 0, 1), corner(1, 0, 1), corner(1, 1, 1), corner(0, 1, 1)},
                                 {corner(0, 0, 0), corner(1, 0, 0), corner(1, 0, 1), corner(0, 0, 1)}, {corner(0, 1, 0), corner(0, 1, 1), corner(1, 1, 1), corner(1, 1, 0)},
                                 {corner(0, 0, 0), corner(0, 0, 1), corner(0, 1, 1), corner(0, 1, 0)}, {corner(1, 0, 0), corner(1, 1, 0), corner(1, 1, 1), corner(1, 0, 1)}};
        std::map<Index, Index> next;
        for (const auto& face : faces)
          for (std::size_t k = 0; k < 4; ++k) {
            // Around a run of inside corners, from where it ends to where it begins.
            if (at(face[k]) >= 0 || at(face[(k + 1) % 4]) < 0) continue;
            std::size_t first = k;
            while (at(face[(first + 3) % 4]) < 0) first = (first + 3) % 4;
            next[vertex_between(face[k], face[(k + 1) % 4])] = vertex_between(face[(first + 3) % 4], face[first]);
          }
        while (!next.empty()) {
          std::vector<Index> loop;
          for (auto it = next.begin(); it != next.end(); it = next.find(loop.back())) {
            loop.push_back(it->second);
            next.erase(it);
          }
          for (std::size_t k = 1; k + 1 < loop.size(); ++k) mesh.add_face(Triangle{loop[0], loop[k], loop[k + 1]});
        }
      }
  if (signed_volume(mesh) < 0) reverse_faces(mesh);
  return mesh;
}

}  // namespace anvil::test
