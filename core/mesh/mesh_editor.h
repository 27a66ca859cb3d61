// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of single faces and vertices of a mesh, written down one by one and carried out together. What is not named stays
// as it is, bit for bit, and every face keeps its attributes.
#pragma once

#include <unordered_map>

#include "core/mesh/mesh.h"

namespace anvil {

/// A mesh and what each of its faces was in some mesh before it.
struct EditedMesh {
  Mesh mesh;
  std::vector<Index> source;  ///< per face, which face it was; no_index: made anew
  std::vector<Index> vertex_source = {};  ///< per vertex, likewise; empty where that is not known
};

/// Numbers of vertices and faces are those of the mesh it began with; vertices that are added count on from there.
/// Edits cost what they touch; finish() costs the whole mesh, once.
class MeshEditor {
 public:
  explicit MeshEditor(const Mesh& mesh) : mesh_(mesh) {}

  Index add_vertex(const Vec3& p);
  void move_vertex(Index v, const Vec3& p) { moved_[v] = p; }
  /// Every face that uses `v` uses `into` instead. Chains of merges are followed.
  void merge_vertex(Index v, Index into);
  /// Drops a vertex that no face uses; others that lose their last face by an edit go by themselves.
  void drop_vertex(Index v) { dropped_.push_back(v); }

  void remove_face(Index f) { rings_[f].clear(); }
  bool is_removed(Index f) const;
  /// Turns a face over, as it is after the edits so far.
  void reverse_face(Index f);
  /// The face's corners, as they are after the edits so far, but for merges.
  std::vector<Index> ring(Index f) const;
  /// The face has these corners from now on.
  void set_ring(Index f, std::vector<Index> ring) { rings_[f] = std::move(ring); }
  /// The face becomes the first of several, which all have its attributes.
  void split_face(Index f, std::vector<std::vector<Index>> rings);
  /// Puts vertices between two corners that follow each other in face f, either way round; nothing happens where they do not.
  /// @param between  as they lie from the one to the other
  void insert_on_edge(Index f, Index from, Index to, std::span<const Index> between);
  /// A face with the attributes of `like`, or none of its own.
  /// @param source  what it is said to be; no_index: made anew
  void add_face(std::vector<Index> ring, Index source = no_index);

  bool any() const { return !rings_.empty() || !added_.empty() || !merged_.empty() || !moved_.empty() || !dropped_.empty(); }

  /// Carries everything out. Corners that became equal to the one before them are left out; a face that passes a vertex twice
  /// falls apart there; what has fewer than three corners then is gone.
  /// Faces keep their order, new ones come last.
  EditedMesh finish() const;

 private:
  struct Added {
    std::vector<Index> ring;
    Index source;
  };
  const Mesh& mesh_;
  std::vector<Vec3> new_vertices_;
  std::unordered_map<Index, Vec3> moved_;
  std::unordered_map<Index, Index> merged_;
  std::unordered_map<Index, std::vector<Index>> rings_;  // of faces that changed; empty: removed
  std::vector<Added> added_;
  std::vector<Index> dropped_;
};

}  // namespace anvil
