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
  explicit Rings(const Mesh& mesh);
  std::span<const Index> next(Index v) const { return of(v, 0); }
  std::span<const Index> previous(Index v) const { return of(v, 1); }
  std::span<const Index> faces(Index v) const { return of(v, 2); }

 private:
  std::span<const Index> of(Index v, std::size_t list) const { return {corners_.get() + list * count_ + first_[v], first_[v + 1] - first_[v]}; }

  std::vector<Index> first_;
  std::unique_ptr<Index[]> corners_;  ///< three lists; in each, those of vertex v from first_[v] to first_[v + 1]
  std::size_t count_;
};

}  // namespace anvil::recast
