// SPDX-License-Identifier: GPL-3.0-or-later
// The soundness check: every family of defects, in one pass over a mesh that is not changed.
#pragma once

#include <stop_token>

#include "core/soundness/report.h"

namespace anvil {

struct CheckSettings {
  FamilyTable families = family_table();  ///< to look for
  /// What people take as the same place, mesh units: short edges are shorter, T-junctions and flat holes off by no more.
  /// 0: only what is so exactly; negative: 1e-6 of the diagonal of the bounds. What decides the verdict does not depend on it.
  double tolerance = -1;
  std::vector<char> scope = {};  ///< per face: only defects in which one of these takes part; empty: all
};

/// Checks a polygon mesh. What decides the verdict is exact; there is no tolerance in it. Crossings are judged on the
/// triangles of triangulate(), vertices at bit-equal positions counting as shared.
///
/// Sound means: closed, edge- and vertex-manifold, oriented outwards, and free of crossings, zero-length
/// edges, zero-area faces, doubled faces and inner walls. Contact edges and stray shells are only noted.
/// O(n log n) plus the number of box overlaps. Deterministic. Throws Stopped within about 50 ms of a stop.
SoundnessReport check_soundness(const Mesh& mesh, const std::stop_token& stop = {}, const CheckSettings& settings = {});
/// The same for whoever needs the analysis as well; the tolerance is that of the analysis.
SoundnessReport check_soundness(const Analysis& analysis, const CheckSettings& settings);

/// The same piece by piece: pieces may touch each other along whole faces, as after a split, and each is
/// judged alone. Counts, places and numbers are those of all pieces together.
/// @param piece     per face, 0 … pieces − 1
/// @param settings  the scope per face of the whole mesh; a tolerance that is left open goes by the size of each piece
SoundnessReport check_pieces(const Mesh& mesh, std::span<const Index> piece, Index pieces,
                             const std::stop_token& stop = {}, const CheckSettings& settings = {});

/// The answer of check_pieces() alone: what tells at once that a mesh is not sound comes first, and what does not decide the
/// verdict is not looked for.
/// @param crossings_of  per face: only whether these cross any others is not known yet; empty: nothing is
bool is_sound(const Mesh& mesh, std::span<const Index> piece, Index pieces, const std::stop_token& stop = {}, std::span<const char> crossings_of = {});

/// Does none of the faces in question cross any other? Only what lies about them is looked at.
/// @param in_question  per face
bool crosses_nowhere(const Mesh& mesh, std::span<const char> in_question, const std::stop_token& stop = {});

}  // namespace anvil
