// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/shell_volumes.h"

#include "core/mesh/union_find.h"

namespace anvil::recast {

ShellVolumes::ShellVolumes(std::size_t vertices, std::span<const Triangle> triangles) {
  UnionFind joined(vertices);
  for (const Triangle& t : triangles) joined.unite(t[0], t[1]), joined.unite(t[1], t[2]);
  count_ = joined.number(shell_);
}

std::vector<double> ShellVolumes::at(std::span<const Vec3> positions, std::span<const Triangle> triangles) const {
  std::vector<double> volume(count_, 0);
  std::vector<Index> origin(count_, no_index);
  for (const auto& [a, b, c] : triangles) {
    Index& from = origin[shell_[a]];
    if (from == no_index) from = a;
    volume[shell_[a]] += (positions[a] - positions[from]).dot((positions[b] - positions[from]).cross(positions[c] - positions[from])) / 6;
  }
  return volume;
}

}  // namespace anvil::recast
