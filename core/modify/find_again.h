// SPDX-License-Identifier: GPL-3.0-or-later
// Chosen elements as a text that a step keeps, and the way back: in a mesh that has changed they are found again by
// provenance, place and shape.
#pragma once

#include "core/control.h"
#include "core/modify/elements.h"
#include "core/result.h"

namespace anvil {

/// Writes elements down, in their order: "faces at 1,2,3 from 0:12 with 0,0,1,4; 4,5,6 from 0:13 ...". Of each its place (see
/// place_of), the origins of the faces it belongs to, and its shape: of a face the unit normal and the number of corners, of
/// an edge the vector between its ends, of a vertex the number of its edges.
std::string describe(const Mesh& mesh, const Topology& topology, const Elements& chosen);

struct FoundElements {
  Elements found;             ///< in the order of the text
  std::vector<Vec3> missing;  ///< where those lay that were not found
};

/// Finds elements again. One is taken when
/// - an element with the same origins lies within the tolerance of its place; else
/// - it is the only one with those origins, or of several (up to a thousand) the nearest that looks the same way; else
/// - one within the tolerance has the same shape; or, of an item without origins (written by hand), it is the nearest to the
///   place, within a hundredth of the size of the mesh.
/// No element is taken twice. "faces all" (edges, vertices) is every one there is.
/// @return an Issue for a text that cannot be read. Throws Stopped.
Result<FoundElements> find_again(const Mesh& mesh, const Topology& topology, const std::string& text, const Control& control = {});

/// The kind and the number of elements a text names; all is no_index. An Issue when it cannot be read.
struct NamedElements {
  ElementKind kind;
  Index count;
};
Result<NamedElements> named_elements(const std::string& text);

}  // namespace anvil
