// SPDX-License-Identifier: GPL-3.0-or-later
// Where some boxes are, for quick answers about many others.
#pragma once

#include "core/mesh/broad_phase.h"

namespace anvil {

/// Few boxes are asked one by one; more mark the cells of a grid.
class BoxCover {
 public:
  explicit BoxCover(std::vector<Box3> boxes);
  /// Does it overlap one of them? May say yes too often, never no.
  bool may_overlap(const Box3& box) const;
  bool empty() const { return all_.empty(); }

 private:
  std::array<Index, 6> cells_of(const Box3& box) const;

  Box3 all_;
  std::vector<Box3> few_;
  std::array<Index, 3> count_{};  ///< cells along each axis
  Vec3 per_length_ = Vec3::Zero();
  std::vector<char> marked_;  ///< empty: the boxes are few
};

/// Of each box, what it has in common with each of the others, where all are larger by a margin on every side.
std::vector<std::vector<Box3>> common_boxes(std::span<const Box3> boxes, double margin);

}  // namespace anvil
