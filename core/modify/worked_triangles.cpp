// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/worked_triangles.h"

#include <algorithm>
#include <numeric>

#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"
#include "core/modify/measure.h"

namespace anvil {

WorkedTriangles::WorkedTriangles(const Mesh& mesh, const Control& control) : positions(mesh.positions), mesh_(mesh), control_(control), cut_(mesh.face_count(), 0) {
  TriangleList list = triangulate(mesh);
  triangles_ = std::move(list.triangles);
  face_ = std::move(list.face);
  gone_.assign(triangles_.size(), 0);
  link();
}

Vec3 WorkedTriangles::vertex_normal(Index v) const {
  Vec3 sum = Vec3::Zero();
  for (Index t : fan(v)) sum += normal(triangles_[t]);
  return sum.stableNormalized();
}

double WorkedTriangles::turn(Index corner) const {
  const Index other = opposite_[corner];
  return other == no_index ? 180 : angle_between(normal(triangles_[corner / 3]), normal(triangles_[other / 3]));
}

bool WorkedTriangles::on_border(Index v) const {
  return std::any_of(fan(v).begin(), fan(v).end(), [&](Index t) {
    const Index c = corner_of(t, v);
    return opposite_[c] == no_index || opposite_[next_in_triangle(next_in_triangle(c))] == no_index;
  });
}

double WorkedTriangles::mean_edge(std::span<const Index> vertices) const {
  double all = 0;
  std::size_t edges = 0;
  for (Index v : vertices)
    for (Index t : fan(v))
      for (Index w : triangles_[t])
        if (w != v) all += (positions[w] - positions[v]).norm(), ++edges;
  return edges == 0 ? 0 : all / static_cast<double>(edges);
}

Index WorkedTriangles::add_vertex(const Vec3& p) {
  positions.push_back(p);
  return static_cast<Index>(positions.size() - 1);
}

void WorkedTriangles::replace(Index t, std::vector<Triangle> by) {
  gone_[t] = 1;
  cut_[face_[t]] = 1;
  for (const Triangle& one : by) added_.push_back(one), added_face_.push_back(face_[t]);
}

void WorkedTriangles::link() {
  hear_stop();
  std::size_t kept = 0;
  for (std::size_t t = 0; t < triangles_.size(); ++t)
    if (!gone_[t]) triangles_[kept] = triangles_[t], face_[kept++] = face_[t];
  triangles_.resize(kept);
  face_.resize(kept);
  triangles_.insert(triangles_.end(), added_.begin(), added_.end());
  face_.insert(face_.end(), added_face_.begin(), added_face_.end());
  added_.clear();
  added_face_.clear();
  gone_.assign(triangles_.size(), 0);
  opposite_ = find_opposites(triangles_, {}, positions.size());
  first_.assign(positions.size() + 1, 0);
  for (const Triangle& t : triangles_)
    for (Index v : t) ++first_[v + 1];
  std::partial_sum(first_.begin(), first_.end(), first_.begin());
  fans_.resize(3 * triangles_.size());
  std::vector<Index> next(first_.begin(), first_.end() - 1);
  for (Index t = 0; t < triangles_.size(); ++t)
    for (Index v : triangles_[t]) fans_[next[v]++] = t;
}

EditedMesh WorkedTriangles::finish() const {
  MeshEditor edit(mesh_);
  for (Index v = static_cast<Index>(mesh_.positions.size()); v < positions.size(); ++v) edit.add_vertex(positions[v]);
  std::vector<char> in_triangles = cut_;
  std::vector<char> moved(mesh_.positions.size(), 0);
  for (Index v = 0; v < moved.size(); ++v)
    if (positions[v] != mesh_.positions[v]) moved[v] = 1, edit.move_vertex(v, positions[v]);
  for (Index f = 0; f < mesh_.face_count(); ++f)
    if (mesh_.face(f).size() > 3) in_triangles[f] = in_triangles[f] || std::any_of(mesh_.face(f).begin(), mesh_.face(f).end(), [&](Index v) { return moved[v] != 0; });
  std::vector<std::vector<std::vector<Index>>> rings(mesh_.face_count());
  for (std::size_t t = 0; t < triangles_.size(); ++t)
    if (in_triangles[face_[t]]) rings[face_[t]].push_back({triangles_[t].begin(), triangles_[t].end()});
  for (Index f = 0; f < mesh_.face_count(); ++f)
    if (in_triangles[f]) edit.split_face(f, std::move(rings[f]));
  return edit.finish();
}

}  // namespace anvil
