// SPDX-License-Identifier: GPL-3.0-or-later
// What of a contour lies near its sharp vertices, as a contour of its own: mostly that is little of it.
#pragma once

#include "core/recast/contour.h"

namespace anvil::recast {

class NearEdges {
 public:
  /// Five rings of triangles about sharp vertices, and all that a change of these could come to cross. @param all  has to live as long as this
  explicit NearEdges(Contour& all);

  /// Puts what has become of it into the whole. Triangles and vertices may have been added, none left out.
  void put_back();

  Contour near;                  ///< its first triangles are those of the whole, in order
  std::vector<char> may_change;  ///< per vertex: all its triangles are there

 private:
  Contour& all_;
  std::vector<Index> vertex_, triangle_;  ///< numbers in the whole
};

}  // namespace anvil::recast
