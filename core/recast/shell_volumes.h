// SPDX-License-Identifier: GPL-3.0-or-later
// What each shell of a surface encloses.
#pragma once

#include <span>
#include <vector>

#include "core/types.h"

namespace anvil::recast {

class ShellVolumes {
 public:
  /// @param vertices   how many there are
  /// @param triangles  those with a vertex in common are of one shell
  ShellVolumes(std::size_t vertices, std::span<const Triangle> triangles);

  Index count() const { return count_; }
  Index shell_of(Index vertex) const { return shell_[vertex]; }
  /// Per shell, mesh units cubed; below 0: inside out. With the vertices there, and cut into triangles so; the shells stay those that were asked for at first.
  std::vector<double> at(std::span<const Vec3> positions, std::span<const Triangle> triangles) const;

 private:
  std::vector<Index> shell_;  ///< per vertex
  Index count_;
};

}  // namespace anvil::recast
