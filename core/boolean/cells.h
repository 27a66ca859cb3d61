// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 6 to 8: patches, cells, winding numbers, and which faces bound the result.
#pragma once

#include <functional>
#include <string>

#include "core/boolean/arrangement.h"

namespace anvil::boolean {

/// How the cells of an arrangement are read.
struct CellClassifier {
  std::function<std::string(std::span<const int>)> label_of;  ///< as Expression::label_of
  std::function<bool(std::span<const int>)> trims_away;       ///< null: none
  bool by_place = false;                                      ///< as Expression::pieces_by_place
  bool makes_pieces = false;
  /// Per part, the winding number by which it would change no label: is it idle wherever it has another? Empty: none
  /// is asked for.
  std::vector<int> neutral_winding;
  double tolerance = 0;  ///< cells thinner than this go with a neighbour; 0: none are
};
inline constexpr int not_watched = -1;

/// Stages 6 to 8: which faces bound which pieces of the result.
struct Selection {
  std::vector<Index> patch_of_triangle;  ///< per soup triangle; no_index for touched ones
  std::vector<Index> patch_of_face;      ///< per face of the arrangement
  std::vector<Index> patch_of_region;       ///< per untouched region of the soup's seam
  /// Per patch, the piece behind it and the piece in front of it; no_index for none or when both are the same.
  struct Sides {
    Index behind = no_index, in_front = no_index;
    bool trimmed_behind = false, trimmed_in_front = false;  ///< an open trim takes such a face away
  };
  std::vector<Sides> sides;
  /// Edges that a score draws: triangle or face, and bit k for the edge from corner k to corner k + 1.
  std::vector<std::pair<Index, unsigned char>> scored_triangles, scored_faces;
  Index pieces = 0;
  std::vector<char> bounds;  ///< per part: it has an inside
  std::vector<char> idle;    ///< per part, if asked for: the labels are the same without it
  std::size_t dissolved = 0;       ///< thin sheets that went with a neighbour of another label
  std::vector<Vec3> dissolved_at;  ///< at most OperationReport::max_places
  std::size_t left_out = 0;  ///< closed sheets thinner than rounding, which cannot be told in or out
};
Selection classify(const Soup& soup, const Arrangement& arrangement, const CellClassifier& classifier, const Control& control);

}  // namespace anvil::boolean
