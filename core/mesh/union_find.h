// SPDX-License-Identifier: GPL-3.0-or-later
// Disjoint sets over 0 … n−1; the representative of a set is its smallest member.
#pragma once

#include <numeric>
#include <utility>

#include "core/mesh/mesh.h"

namespace anvil {

class UnionFind {
 public:
  explicit UnionFind(std::size_t n) : parent_(n) { std::iota(parent_.begin(), parent_.end(), Index{0}); }

  Index find(Index i) {
    while (parent_[i] != i) {
      parent_[i] = parent_[parent_[i]];
      i = parent_[i];
    }
    return i;
  }
  void unite(Index a, Index b) {
    a = find(a);
    b = find(b);
    if (a == b) return;
    if (b < a) std::swap(a, b);
    parent_[b] = a;
  }
  /// Numbers the sets 0, 1, … by their smallest members; returns how many there are.
  Index number(std::vector<Index>& set_of) {
    set_of.resize(parent_.size());
    Index sets = 0;
    for (Index i = 0; i < parent_.size(); ++i) set_of[i] = find(i) == i ? sets++ : set_of[find(i)];
    return sets;
  }

 private:
  std::vector<Index> parent_;
};

}  // namespace anvil
