// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/mesh_editor.h"

#include <algorithm>

#include "core/mesh/attributes.h"

namespace anvil {
namespace {

/// A ring without corners equal to the one before, cut apart where it passes a vertex twice.
void simple_rings(std::vector<Index> ring, std::vector<std::vector<Index>>& out) {
  std::vector<Index> stack;
  for (Index v : ring) {
    const auto before = std::find(stack.begin(), stack.end(), v);
    if (before != stack.end()) {
      if (stack.end() - before > 2) out.emplace_back(before, stack.end());
      stack.erase(before + 1, stack.end());
    } else {
      stack.push_back(v);
    }
  }
  if (stack.size() > 2) out.push_back(std::move(stack));
}

}  // namespace

Index MeshEditor::add_vertex(const Vec3& p) {
  new_vertices_.push_back(p);
  return static_cast<Index>(mesh_.positions.size() + new_vertices_.size() - 1);
}

void MeshEditor::merge_vertex(Index v, Index into) {
  const auto end_of = [&](Index w) {
    for (auto it = merged_.find(w); it != merged_.end(); it = merged_.find(w)) w = it->second;
    return w;
  };
  v = end_of(v);
  into = end_of(into);
  if (v != into) merged_[v] = into;
}

bool MeshEditor::is_removed(Index f) const {
  const auto it = rings_.find(f);
  return it != rings_.end() && it->second.empty();
}

std::vector<Index> MeshEditor::ring(Index f) const {
  const auto it = rings_.find(f);
  if (it != rings_.end()) return it->second;
  const auto face = mesh_.face(f);
  return {face.begin(), face.end()};
}

void MeshEditor::reverse_face(Index f) {
  std::vector<Index> turned = ring(f);
  if (!turned.empty()) std::reverse(turned.begin() + 1, turned.end());
  rings_[f] = std::move(turned);
}

void MeshEditor::split_face(Index f, std::vector<std::vector<Index>> rings) {
  for (std::size_t k = 1; k < rings.size(); ++k) add_face(std::move(rings[k]), f);
  set_ring(f, rings.empty() ? std::vector<Index>() : std::move(rings[0]));
}

void MeshEditor::insert_on_edge(Index f, Index from, Index to, std::span<const Index> between) {
  std::vector<Index> corners = ring(f);
  for (std::size_t k = 0; k < corners.size(); ++k) {
    const Index p = corners[k], q = corners[(k + 1) % corners.size()];
    const auto place = corners.begin() + static_cast<std::ptrdiff_t>(k) + 1;
    if (p == from && q == to)
      corners.insert(place, between.begin(), between.end());
    else if (p == to && q == from)
      corners.insert(place, between.rbegin(), between.rend());
    else
      continue;
    return set_ring(f, std::move(corners));
  }
}

void MeshEditor::add_face(std::vector<Index> ring, Index source) { added_.push_back({std::move(ring), source}); }

EditedMesh MeshEditor::finish() const {
  const std::size_t vertices = mesh_.positions.size() + new_vertices_.size();
  // Merges, as chains followed to their ends; most vertices have none.
  std::vector<Index> into;
  if (!merged_.empty()) {
    into.resize(vertices);
    for (Index v = 0; v < vertices; ++v) into[v] = v;
    for (const auto& [v, w] : merged_) {
      Index end = w;
      for (auto it = merged_.find(end); it != merged_.end(); it = merged_.find(end)) end = it->second;
      into[v] = end;
    }
  }
  const auto end_of = [&](Index v) { return into.empty() ? v : into[v]; };

  EditedMesh out;
  Mesh& mesh = out.mesh;
  std::vector<std::vector<Index>> rings;
  /// What nothing was done to goes through as it is, whatever its ring looks like.
  const auto take = [&](std::span<const Index> corners, Index source, bool changes) {
    if (!changes) {
      mesh.add_face(corners);
      out.source.push_back(source);
      return;
    }
    std::vector<Index> ring(corners.begin(), corners.end());
    for (Index& v : ring) v = end_of(v);
    rings.clear();
    simple_rings(std::move(ring), rings);
    for (const auto& one : rings) {
      mesh.add_face(one);
      out.source.push_back(source);
    }
  };
  mesh.corners.reserve(mesh_.corners.size());
  mesh.face_offsets.reserve(mesh_.face_offsets.size());
  for (Index f = 0; f < mesh_.face_count(); ++f) {
    const auto changed = rings_.empty() ? rings_.end() : rings_.find(f);
    const std::span<const Index> ring = changed == rings_.end() ? mesh_.face(f) : std::span<const Index>(changed->second);
    take(ring, f, changed != rings_.end() || std::any_of(ring.begin(), ring.end(), [&](Index v) { return end_of(v) != v; }));
  }
  for (const Added& added : added_) take(added.ring, added.source, true);

  // Vertices that lost all their faces go, those that never had one stay unless they are named.
  std::vector<char> used(vertices, 0), stays(vertices, 0);
  for (Index v : mesh.corners) used[v] = 1;
  for (Index v : mesh_.corners) stays[v] = 1;
  for (Index v = 0; v < vertices; ++v) stays[v] = used[v] || (v < mesh_.positions.size() && stays[v] == 0);
  for (Index v : dropped_) stays[v] = used[v];
  std::vector<Index> number(vertices, no_index);
  mesh.positions.reserve(vertices);
  for (Index v = 0; v < vertices; ++v) {
    if (!stays[v]) continue;
    const auto moved = moved_.find(v);
    out.vertex_source.push_back(v < mesh_.positions.size() ? v : no_index);
    number[v] = mesh.add_vertex(moved != moved_.end() ? moved->second : v < mesh_.positions.size() ? mesh_.positions[v] : new_vertices_[v - mesh_.positions.size()]);
  }
  for (Index& v : mesh.corners) v = number[v];
  carry_attributes(mesh_, out.source, mesh);
  return out;
}

}  // namespace anvil
