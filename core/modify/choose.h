// SPDX-License-Identifier: GPL-3.0-or-later
// Ways from chosen elements to others: more, fewer, a loop, a region. All take any polygon mesh and give elements in a
// deterministic order, those that were chosen before first where they stay.
#pragma once

#include "core/modify/elements.h"
#include "core/soundness/report.h"

namespace anvil {

/// Adds the elements that share a vertex with a chosen one (vertices: an edge).
Elements grown(const Mesh& mesh, const Topology& topology, const Elements& chosen);
/// Takes away the elements that are next to one that is not chosen.
Elements shrunk(const Mesh& mesh, const Topology& topology, const Elements& chosen);
Elements inverted(const Mesh& mesh, const Topology& topology, const Elements& chosen);
/// All elements of the shells of the chosen ones: what hangs together over common vertices.
Elements connected(const Mesh& mesh, const Topology& topology, const Elements& chosen);
/// Faces that are reached from the chosen ones (or from the faces at chosen edges and vertices) over edges where the surface
/// turns by at most `degrees`. Edges with other than two faces are not crossed.
Elements smooth_region(const Mesh& mesh, const Topology& topology, const Elements& chosen, double degrees);
/// All faces of the regions of the chosen ones (or of the faces at chosen edges and vertices), as the mesh numbers them.
Elements whole_regions(const Mesh& mesh, const Topology& topology, const Elements& chosen);
/// Edges where the surface turns by more than `degrees`, and those with other than two faces.
Elements sharp_edges(const Mesh& mesh, const Topology& topology, double degrees);
/// For faces: the edges that have a chosen face on one side only. For edges and vertices: all open edges that hang together
/// with the chosen ones along the boundary.
Elements boundary_loop(const Mesh& mesh, const Topology& topology, const Elements& chosen);
/// From each chosen edge on both ways: across a vertex with four edges to the one opposite; along a boundary, or edges with
/// more than two faces, to the next such edge where there is just one; else to the edge that goes on straightest, when it
/// turns by less than 45°. Ends where there is none, or where the loop closes.
Elements edge_loop(const Mesh& mesh, const Topology& topology, const Elements& chosen);
/// The elements of this kind in the defects of a family.
Elements of_defects(const Mesh& mesh, const Topology& topology, const FamilyReport& found, ElementKind kind);
/// The elements of the defects of all families that a chosen element takes part in; of the first family that has elements of
/// this kind, where nothing is chosen.
Elements same_defect(const Mesh& mesh, const Topology& topology, const SoundnessReport& report, const Elements& chosen);
/// The same choice as elements of another kind: of fewer dimensions all that belong to a chosen one, of more dimensions
/// those all of whose vertices are chosen.
Elements converted(const Mesh& mesh, const Topology& topology, const Elements& chosen, ElementKind kind);

}  // namespace anvil
