// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/skin_shells.h"

#include <algorithm>

#include "core/mesh/broad_phase.h"
#include "core/mesh/union_find.h"
#include "core/mesh/winding.h"

namespace anvil::recast {
namespace {

std::vector<SubMesh> shells_of(const Mesh& mesh) {
  UnionFind joined(mesh.positions.size());
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) joined.unite(v, mesh.face(f)[0]);
  std::vector<Index> shell_of_vertex;
  const Index count = joined.number(shell_of_vertex);
  std::vector<Index> shell(mesh.face_count());
  for (Index f = 0; f < mesh.face_count(); ++f) shell[f] = shell_of_vertex[mesh.face(f)[0]];
  std::vector<SubMesh> shells = take_apart(mesh, shell, count);
  std::erase_if(shells, [](const SubMesh& sub) { return sub.mesh.empty(); });
  return shells;
}

/// Of shells, the largest first, which lie within another.
std::vector<char> inner_among(const std::vector<SubMesh>& shells) {
  struct Outer {
    const Mesh& mesh;
    Box3 box;
    TriangleList list;
  };
  std::vector<Outer> outer;
  std::vector<char> inner;
  for (const SubMesh& shell : shells) {
    const Mesh& mesh = shell.mesh;
    const Vec3& p = mesh.positions[0];
    inner.push_back(std::any_of(outer.begin(), outer.end(), [&](const Outer& o) { return overlap(o.box, {p, p}) && std::abs(winding_number(o.mesh.positions, o.list.triangles, p)) > 0.5; }));
    if (!inner.back()) outer.push_back({mesh, bounds(mesh), triangulate(mesh)});
  }
  return inner;
}

}  // namespace

std::size_t drop_small_shells(Recast& made, double smallest) {
  const std::vector<SubMesh> shells = shells_of(made.result.mesh);
  std::vector<double> sizes;
  for (const SubMesh& sub : shells) sizes.push_back(bounds(sub.mesh).diagonal());
  if (sizes.empty() || *std::min_element(sizes.begin(), sizes.end()) >= smallest) return 0;
  const double least = std::min(smallest, *std::max_element(sizes.begin(), sizes.end()));
  Kept kept(made);
  for (std::size_t k = 0; k < shells.size(); ++k)
    if (sizes[k] >= least) kept.add(shells[k]);
  kept.take();
  return static_cast<std::size_t>(std::count_if(sizes.begin(), sizes.end(), [&](double size) { return size < least; }));
}

std::size_t inner_shells(Recast& made, bool drop) {
  std::vector<SubMesh> shells = shells_of(made.result.mesh);
  std::stable_sort(shells.begin(), shells.end(), [](const SubMesh& a, const SubMesh& b) { return std::abs(signed_volume(a.mesh)) > std::abs(signed_volume(b.mesh)); });
  const std::vector<char> inner = inner_among(shells);
  if (drop) {
    Kept outer(made);
    for (std::size_t k = 0; k < shells.size(); ++k)
      if (!inner[k]) outer.add(shells[k]);
    outer.take();
  }
  return static_cast<std::size_t>(std::count(inner.begin(), inner.end(), 1));
}

}  // namespace anvil::recast
