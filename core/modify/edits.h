// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of chosen elements, where judgement is needed. All take any polygon mesh and change what is named and nothing else:
// other faces keep their vertices bit for bit, their polygons and their attributes. Those that mend edges (lead_edge() and what
// follows it) refuse to make a sound mesh unsound; the others do not look, that is told by the check. Those with a Control throw Stopped.
#pragma once

#include "core/control.h"
#include "core/mesh/attributes.h"
#include "core/mesh/mesh_editor.h"
#include "core/modify/elements.h"

namespace anvil {

/// What an edit came to.
struct Edited {
  EditedMesh mesh;
  std::size_t done = 0;    ///< of what the edit counts: faces deleted, edges split, holes filled
  std::vector<Vec3> left;  ///< where it could not be done
  std::string why_left;    ///< and why, in words; "" when nothing was left
};

/// Takes faces away; vertices and edges that no other face has go with them. Counts faces.
Edited delete_faces(const Mesh& mesh, std::span<const Index> faces);
/// Turns faces over. Counts faces.
Edited turn_faces(const Mesh& mesh, std::span<const Index> faces);
/// Cuts faces into the triangles of triangulate(). Counts faces that had more than three corners.
Edited triangulate_faces(const Mesh& mesh, std::span<const Index> faces);

enum class WeldTo { middle, last };
/// Makes vertices one, in the middle of them or where the last one is. Faces that lose their extent by it go.
/// Counts vertices that went. An Issue for fewer than two.
Result<Edited> weld_chosen(const Mesh& mesh, std::span<const Index> vertices, WeldTo to);
/// Moves vertex `v` by `share` (0 to 1) of the way along its edge to vertex `towards`. An Issue when no edge joins them.
Result<Edited> slide_vertex(const Mesh& mesh, const Topology& topology, Index v, Index towards, double share);

/// Cuts each edge into `parts` pieces of one length, in every face that has it. Counts edges.
Edited split_edges(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, Index parts, const Control& control = {});
/// Cuts faces in two along the line from each vertex to the next one in the list: a face that has both, where the line lies
/// inside of it. Counts faces cut. An Issue when there is none at all.
Result<Edited> connect_vertices(const Mesh& mesh, const Topology& topology, std::span<const Index> vertices, const Control& control = {});
/// The faces on both sides of each edge become one, with the attributes of the first. Left are edges with other than two
/// faces that run it against each other, and edges whose faces would become a ring. Counts edges gone.
Result<Edited> take_out_edges(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, const Control& control = {});
/// The faces around each vertex become one; a vertex with two edges only leaves its faces. Left are those whose faces would
/// become a ring or nothing. Counts vertices gone.
Result<Edited> take_out_vertices(const Mesh& mesh, const Topology& topology, std::span<const Index> vertices, const Control& control = {});

enum class FillShape { fitting, flat, smooth };
/// Closes the holes that the edges lie on: flat where the boundary is planar, else (FillShape::fitting) by a smooth surface of
/// least area. Counts holes. An Issue when no edge lies on a hole.
Result<Edited> fill_holes(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, FillShape shape, const Control& control = {});
/// A face between three or four vertices, in the order in which it follows most open edges, turned as the faces beside it.
/// An Issue when a side of it has two faces already, or it would have no extent.
Result<Edited> fill_between(const Mesh& mesh, const Topology& topology, std::span<const Index> vertices);
/// Faces between two chains of open edges, both of them closed or neither: quads where they have as many edges, else
/// triangles. Chosen faces are taken away first, and the two boundaries that they leave are bridged. Counts faces made.
Result<Edited> bridge(const Mesh& mesh, const Topology& topology, const Elements& chosen, const Control& control = {});

/// How an edge is given back by hand.
struct EdgeSettings {
  double bend = 1;         ///< of an edge led on: 0 straight from each vertex to the next, 1 as one smooth line that goes on as the edge does
  bool to_sides = true;    ///< the vertices near it go on to the surface on their side, and its own to where these meet; else it lies on the surface as that is
  double reach = 0;        ///< how far beside it the surface is rounded, mesh units; 0: two and a half of the edges there
};
/// Leads an edge on from the first vertex over those between to the last: its line is cut into the faces. Counts the new edges.
/// Where a sound mesh would not be sound any more by going on to its sides, it does not, which is told. An Issue for fewer than two vertices, or where one is not in sight of the next.
Result<Edited> lead_edge(const Mesh& mesh, const Topology& topology, std::span<const Index> vertices, const EdgeSettings& settings, const Control& control = {});
/// Takes the zigzag out of runs of edges: what is shorter than some edges is smoothed away, their course stays (Taubin, "A signal processing approach to fair surface
/// design", SIGGRAPH 1995, along the run). Ends and corners of runs stay, and vertices where runs meet. Counts vertices moved.
/// @param passes  at least 1
Result<Edited> even_out(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, Index passes, const EdgeSettings& settings, const Control& control = {});
/// Makes one of vertices that edges of at most `distance` join: where the one of them lies that has most sharp edges, else in their middle. One that has no such neighbour among them
/// goes to a vertex on a sharp edge next to it. Left are those where that would make faces meet that did not, or turn one over. Counts vertices gone.
/// An Issue where none goes, and where a sound mesh would not be sound any more.
/// @param distance  mesh units; 0: however long the edges are
Result<Edited> bring_together(const Mesh& mesh, const Topology& topology, std::span<const Index> vertices, double distance, const Control& control = {});
/// Takes faces away and closes the hole by a smooth surface that goes on from those around; sharp edges that end at the hole are led on through it: two into each other, three
/// into a corner. Counts faces rebuilt. An Issue where a patch has a hole in itself or reaches a border.
/// An Issue as well where a sound mesh would not be sound any more.
/// @param sharper_than  degrees: the edges that are led on; 180: none
Result<Edited> rebuild_patch(const Mesh& mesh, const Topology& topology, std::span<const Index> faces, double sharper_than, const Control& control = {});

/// Meshes put into one.
struct Joined {
  Mesh mesh;
  FaceSources sources;
  std::size_t welded = 0;  ///< vertices that went
};
/// Appends meshes to the first and welds vertices on open edges of different ones that lie within `distance` of each other,
/// where that turns no face over and takes away none of more extent than the gap.
/// @param distance  mesh units, at least 0; 0 welds what is at one place
Joined join(std::span<const Mesh* const> meshes, double distance);

}  // namespace anvil
