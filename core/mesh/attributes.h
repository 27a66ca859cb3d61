// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying what faces have (material slot, region, origin) from old meshes to new ones, by index; nobody does it by hand.
#pragma once

#include <span>

#include "core/mesh/mesh.h"

namespace anvil {

/// Where each face of a result comes from.
struct FaceSources {
  std::vector<Index> input;  ///< per face: which of the operation's inputs; 0 is the part itself
  std::vector<Index> face;   ///< per face: which face of that input's mesh; no_index for one that was made anew

  bool empty() const { return input.empty(); }
  void add(Index from, Index source_face) {
    input.push_back(from);
    face.push_back(source_face);
  }
};

/// Gives each face of `to` the material slot and the region of the face it comes from. One that was made anew gets the slot
/// that its input has most of, and no region. Slots of one name become one; regions of an input are numbered behind those of
/// the inputs before it. Where no input has slots there are none, and likewise of regions.
void carry_slots(std::span<const Mesh* const> inputs, const FaceSources& sources, Mesh& to);

/// The same where all faces come from one mesh: material slots, regions and origins.
/// @param face  per face of `to`; no_index: made anew
void carry_attributes(const Mesh& from, std::span<const Index> face, Mesh& to);

/// The triangles of triangulate(), the very ones that soundness is judged by, as faces with the attributes of theirs.
Mesh cut_to_triangles(const Mesh& mesh);

/// Gives a mesh that is about to have the faces of `other` behind its `before` own ones their attributes.
void append_attributes(Mesh& mesh, std::size_t before, const Mesh& other);

/// The origin of a face: what the mesh says, or itself.
inline FaceOrigin origin_of(const Mesh& mesh, Index face) {
  return mesh.origins.empty() ? FaceOrigin{0, face, no_index} : mesh.origins[face];
}

}  // namespace anvil
