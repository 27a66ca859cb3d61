// SPDX-License-Identifier: GPL-3.0-or-later
// The soundness check: every family of defects, in one pass over a mesh that is not changed.
#pragma once

#include <stop_token>

#include "core/soundness/report.h"

namespace anvil {

/// Checks a polygon mesh. Every decision is exact; there is no tolerance. Crossings are judged on the
/// triangles of triangulate(), vertices at bit-equal positions counting as shared.
///
/// Sound means: closed, edge- and vertex-manifold, oriented outwards, and free of crossings, zero-length
/// edges, zero-area faces, doubled faces and inner walls. Contact edges and stray shells are only noted.
/// O(n log n) plus the number of box overlaps. Deterministic. Throws Stopped within about 50 ms of a stop.
/// @param table  the families to look for
SoundnessReport check_soundness(const Mesh& mesh, const std::stop_token& stop = {},
                                FamilyTable table = family_table());

/// The same piece by piece: pieces may touch each other along whole faces, as after a split, and each is
/// judged alone. Counts, places and numbers are those of all pieces together.
/// @param piece  per face, 0 … pieces − 1
SoundnessReport check_pieces(const Mesh& mesh, std::span<const Index> piece, Index pieces,
                             const std::stop_token& stop = {});

}  // namespace anvil
