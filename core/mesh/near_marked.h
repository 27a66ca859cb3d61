// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil {

/// Triangles that may come to one of some marked ones, those among them; may hold too many, never too few.
struct NearMarked {
  std::vector<Index> chosen;        ///< which of all they are, in order
  std::vector<Triangle> triangles;  ///< those
  std::vector<Index> groups;        ///< of each, no_index where it is marked and else 0, as a hierarchy takes them to find the pairs with a marked one

  NearMarked(std::span<const Vec3> points, std::span<const Triangle> all, std::span<const char> marked);
};

}  // namespace anvil
