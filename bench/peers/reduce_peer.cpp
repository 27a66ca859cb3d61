// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/peers/reduce_peer.h"

#include <meshoptimizer.h>

#include <memory>

namespace anvil::bench {

std::function<std::vector<unsigned>()> meshopt_reduction(const Mesh& mesh, std::size_t triangles) {
  auto positions = std::make_shared<std::vector<float>>();
  for (const Vec3& p : mesh.positions)
    for (int k = 0; k < 3; ++k) positions->push_back(static_cast<float>(p[k]));
  auto indices = std::make_shared<std::vector<unsigned>>(mesh.corners.begin(), mesh.corners.end());
  return [=] {
    std::vector<unsigned> out(indices->size());
    constexpr float any_error = 1e9F;
    out.resize(meshopt_simplify(out.data(), indices->data(), indices->size(), positions->data(), positions->size() / 3, 3 * sizeof(float), 3 * triangles, any_error, 0, nullptr));
    return out;
  };
}

Mesh of_indices(const Mesh& mesh, const std::vector<unsigned>& indices) {
  Mesh made;
  std::vector<Index> number(mesh.positions.size(), no_index);
  for (std::size_t k = 0; k < indices.size(); k += 3) {
    Triangle t;
    for (std::size_t j = 0; j < 3; ++j) {
      Index& v = number[indices[k + j]];
      if (v == no_index) v = made.add_vertex(mesh.positions[indices[k + j]]);
      t[j] = v;
    }
    made.add_face(t);
  }
  return made;
}

}  // namespace anvil::bench
