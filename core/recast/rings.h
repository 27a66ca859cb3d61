// SPDX-License-Identifier: GPL-3.0-or-later
// What lies around each vertex of a mesh.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "core/mesh/mesh.h"

namespace anvil::recast {

/// The faces around each vertex, in order: who follows it in each, and who comes before it.
class Rings {
 public:
  struct Corner {
    Index previous, face;
  };

  explicit Rings(const Mesh& mesh);
  std::span<const Index> next(Index v) const { return {next_.get() + first_[v], size(v)}; }
  /// The rest of the same corners.
  std::span<const Corner> corners(Index v) const { return {corners_.get() + first_[v], size(v)}; }

 private:
  std::size_t size(Index v) const { return first_[v + 1] - first_[v]; }

  std::vector<Index> first_;  ///< those of vertex v are from first_[v] to first_[v + 1]
  std::unique_ptr<Index[]> next_;
  std::unique_ptr<Corner[]> corners_;
};

}  // namespace anvil::recast
