// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 6 and 7: patches of faces and the cells of space between them.
#pragma once

#include "core/boolean/arrangement.h"

namespace anvil::boolean {

/// Sides of patches are numbered 2 p (where the faces look to) and 2 p + 1 (behind).
struct Cells {
  std::vector<Index> patch_of_triangle, patch_of_face, patch_of_region;  ///< as in Selection
  std::vector<Index> first;  ///< of each patch: a soup triangle, or the number of triangles plus a face
  std::vector<Index> cell;   ///< per side
  Index count = 0;
  std::vector<std::pair<Index, unsigned char>> scored_triangles, scored_faces;
};

/// Faces of both kinds by one number: soup triangles first, then what the touched ones came apart into.
class Faces {
 public:
  Faces(const Soup& soup, const Arrangement& arrangement)
      : soup_(soup), arrangement_(arrangement), triangles_(static_cast<Index>(soup.triangles.size())) {}

  Index triangles() const { return triangles_; }
  const Triangle& corners(Index f) const {
    return f < triangles_ ? soup_.triangles[f] : arrangement_.faces[f - triangles_];
  }
  /// Calls visit(soup triangle, same way) for all that lies at a face.
  template <class Visit>
  void sources(Index f, Visit&& visit) const {
    if (f < triangles_)
      visit(f, true);
    else
      for (const auto& s : arrangement_.sources_of(f - triangles_)) visit(s.triangle, s.same_way);
  }
  Arrangement::Source source(Index f) const {
    return f < triangles_ ? Arrangement::Source{f, true, 0} : arrangement_.sources_of(f - triangles_)[0];
  }

 private:
  const Soup& soup_;
  const Arrangement& arrangement_;
  Index triangles_;
};

Cells find_cells(const Soup& soup, const Arrangement& arrangement, const Control& control);

}  // namespace anvil::boolean
