// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/analysis.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>
#include <tbb/parallel_reduce.h>

#include <algorithm>
#include <atomic>

#include "core/exact/predicates.h"
#include "core/mesh/union_find.h"

namespace anvil {
namespace {

bool is_degenerate(const Vec3& a, const Vec3& b, const Vec3& c) {
  if (!a.allFinite() || !b.allFinite() || !c.allFinite()) return true;
  const Projection plane = Projection::along((b - a).cross(c - a));
  return orient2d(plane(a), plane(b), plane(c)) == 0 && collinear(a, b, c);
}

}  // namespace

Analysis::Analysis(const Mesh& m, double t, const std::stop_token& s) : mesh(m), tolerance(t), stop(s) {
  tbb::parallel_invoke([&] { triangles = triangulate(mesh); },
                       [&] { positions = weld_equal(mesh.positions); }, [&] { edges = build_edges(mesh); });
  check_stop();
  if (!all_welded()) by_position_ = build_edges(mesh, positions.id);
  degenerate.resize(triangles.triangles.size());
  std::atomic<std::size_t> open = 0, non_manifold = 0, inconsistent = 0;
  auto find_shells = [&] {
    UnionFind faces(mesh.face_count());
    for (std::size_t e = 0; e < edges.size(); ++e) {
      const auto uses = edges.corners_of(e);
      for (std::size_t k = 1; k < uses.size(); ++k)
        faces.unite(edges.corner_face[uses[0]], edges.corner_face[uses[k]]);
    }
    shells = faces.number(shell);
  };
  tbb::parallel_invoke(
      [&] {
        const auto& list = triangles.triangles;
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, list.size(), 8192), [&](const auto& range) {
          for (std::size_t i = range.begin(); i < range.end(); ++i)
            degenerate[i] = is_degenerate(mesh.positions[list[i][0]], mesh.positions[list[i][1]],
                                          mesh.positions[list[i][2]]);
        });
      },
      find_shells, [&] { measure(); },
      [&] {
        used.assign(mesh.positions.size(), 0);
        for (Index v : mesh.corners) used[v] = 1;
        const auto& offsets = mesh.face_offsets;
        triangles_only = std::adjacent_find(offsets.begin(), offsets.end(), [](Index from, Index to) { return to - from != 3; }) == offsets.end();
      },
      [&] {
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, edges.size(), 16384), [&](const auto& range) {
          std::size_t o = 0, n = 0, i = 0;
          for (std::size_t e = range.begin(); e < range.end(); ++e) {
            const auto uses = edges.corners_of(e);
            if (uses.size() == 1) ++o;
            if (uses.size() > 2) ++n;
            if (uses.size() == 2 && mesh.corners[uses[0]] == mesh.corners[uses[1]]) ++i;
          }
          open += o;
          non_manifold += n;
          inconsistent += i;
        });
      });
  open_edge_count = open;
  non_manifold_edge_count = non_manifold;
  inconsistent_edge_count = inconsistent;
  check_stop();
  if (non_manifold_edge_count == 0) {
    patch = shell;
    patches = shells;
    return;
  }
  UnionFind faces(mesh.face_count());
  for (std::size_t e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    if (uses.size() == 2) faces.unite(edges.corner_face[uses[0]], edges.corner_face[uses[1]]);
  }
  patches = faces.number(patch);
}

/// Alike on every run: the order of adding up does not depend on the threads.
void Analysis::measure() {
  box = bounds(mesh);
  const Vec3 origin = box.centre();
  using Sums = std::array<double, 2>;  // six volumes, twice the area
  const auto sums = tbb::parallel_deterministic_reduce(
      tbb::blocked_range<std::size_t>(0, triangles.triangles.size(), 16384), Sums{},
      [&](const auto& range, Sums sum) {
        for (std::size_t t = range.begin(); t < range.end(); ++t) {
          const Triangle& corners = triangles.triangles[t];
          const Vec3 p = mesh.positions[corners[0]] - origin, u = mesh.positions[corners[1]] - origin - p, v = mesh.positions[corners[2]] - origin - p;
          const Vec3 normal = u.cross(v);
          sum[0] += p.dot(normal);
          sum[1] += normal.norm();
        }
        return sum;
      },
      [](const Sums& x, const Sums& y) { return Sums{x[0] + y[0], x[1] + y[1]}; });
  volume = sums[0] / 6;
  area = sums[1] / 2;
}

Vec3 Analysis::face_centre(Index face) const {
  Vec3 sum = Vec3::Zero();
  const auto corners = mesh.face(face);
  for (Index v : corners) sum += mesh.positions[v];
  return sum / static_cast<double>(corners.size());
}

Defect defect_around(const Family& family, const std::vector<Vec3>& points, std::string note) {
  Box3 box;
  for (const Vec3& p : points) box.add(p);
  Defect defect;
  defect.family = &family;
  defect.position = box.centre();
  defect.size = box.diagonal() / 2;
  defect.note = std::move(note);
  return defect;
}

Defect defect_of_faces(const Analysis& a, const Family& family, const std::vector<Index>& faces,
                       std::string note) {
  Box3 box;
  for (Index f : faces)
    for (Index v : a.mesh.face(f)) box.add(a.mesh.positions[v]);
  Defect defect;
  defect.family = &family;
  defect.position = box.centre();
  defect.size = box.diagonal() / 2;
  defect.count = faces.size();
  defect.note = std::move(note);
  defect.faces = faces;
  return defect;
}

std::vector<std::vector<Index>> connected_groups(const Analysis& a, const std::vector<Index>& faces) {
  UnionFind sets(faces.size());
  std::vector<std::pair<Index, Index>> corners;  // position, place in `faces`
  for (Index i = 0; i < faces.size(); ++i)
    for (Index v : a.mesh.face(faces[i])) corners.emplace_back(a.positions.id[v], i);
  std::sort(corners.begin(), corners.end());
  for (std::size_t k = 1; k < corners.size(); ++k)
    if (corners[k].first == corners[k - 1].first) sets.unite(corners[k].second, corners[k - 1].second);
  std::vector<Index> set_of;
  std::vector<std::vector<Index>> groups(sets.number(set_of));
  for (Index i = 0; i < faces.size(); ++i) groups[set_of[i]].push_back(faces[i]);
  return groups;
}

bool same_ring(const Analysis& a, Index f, Index g) {
  const auto p = a.mesh.face(f), q = a.mesh.face(g);
  if (p.size() != q.size()) return false;
  auto id = [&](Index v) { return a.positions.id[v]; };
  const std::size_t n = p.size();
  if (n == 3) {  // most faces, and most of these differ
    const Index i = id(q[0]), j = id(q[1]), k = id(q[2]);
    const auto has = [&](Index v) { return v == i || v == j || v == k; };
    if (!has(id(p[0])) || !has(id(p[1])) || !has(id(p[2]))) return false;
  }
  for (std::size_t shift = 0; shift < n; ++shift) {
    if (id(q[shift]) != id(p[0])) continue;
    bool along = true, against = true;
    for (std::size_t k = 1; k < n; ++k) {
      along = along && id(q[(shift + k) % n]) == id(p[k]);
      against = against && id(q[(shift + n - k) % n]) == id(p[k]);
    }
    if (along || against) return true;
  }
  return false;
}

}  // namespace anvil
