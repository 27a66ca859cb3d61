// SPDX-License-Identifier: GPL-3.0-or-later
// Stray vertices made one with others near them.
#include <algorithm>
#include <limits>
#include <map>
#include <set>

#include "core/mesh/edges.h"
#include "core/mesh/union_find.h"
#include "core/modify/edits.h"
#include "core/modify/worked_triangles.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

constexpr double sharp = 30;  // degrees

int sharp_edges_at(const WorkedTriangles& work, Index v, double sharper_than) {
  int count = 0;
  for (Index t : work.fan(v)) {
    const Index c = work.corner_of(t, v);
    count += work.turn(c) > sharper_than;
    const Index before = next_in_triangle(next_in_triangle(c));
    count += work.opposite(before) == no_index;  // a border, else each edge is seen from one of its triangles
  }
  return count;
}

/// The vertex of an edge collapse goes where none of its triangles turns over, and none meet that did not.
bool may_collapse(const WorkedTriangles& work, Index v, Index into) {
  const auto neighbours = [&](Index u) {
    std::set<Index> all;
    for (Index t : work.fan(u))
      for (Index w : work.triangles()[t])
        if (w != u) all.insert(w);
    return all;
  };
  const std::set<Index> a = neighbours(v), b = neighbours(into);
  std::size_t common = 0;
  for (Index u : a) common += b.contains(u);
  if (common != 2 || work.on_border(v) || work.on_border(into)) return false;
  for (Index t : work.fan(v)) {
    Triangle moved = work.triangles()[t];
    if (std::find(moved.begin(), moved.end(), into) != moved.end()) continue;
    std::replace(moved.begin(), moved.end(), v, into);
    const Vec3 before = work.normal(work.triangles()[t]), after = work.normal(moved);
    if (after.isZero(0) || after.dot(before) < 0) return false;
  }
  return true;
}

/// To be linked anew afterwards.
void collapse(WorkedTriangles& work, Index v, Index into) {
  for (Index t : work.fan(v)) {
    Triangle moved = work.triangles()[t];
    const bool goes = std::find(moved.begin(), moved.end(), into) != moved.end();
    std::replace(moved.begin(), moved.end(), v, into);
    work.replace(t, goes ? std::vector<Triangle>() : std::vector<Triangle>{moved});
  }
}

bool is_beside(const WorkedTriangles& work, Index v, Index w) {
  return std::any_of(work.fan(v).begin(), work.fan(v).end(), [&](Index t) { return std::find(work.triangles()[t].begin(), work.triangles()[t].end(), w) != work.triangles()[t].end(); });
}
bool untouched(const WorkedTriangles& work, Index v, const std::set<Index>& touched) {
  return std::none_of(work.fan(v).begin(), work.fan(v).end(),
                      [&](Index t) { return std::any_of(work.triangles()[t].begin(), work.triangles()[t].end(), [&](Index w) { return touched.contains(w); }); });
}

/// Vertices that go to one.
struct Gathering {
  Index into;
  std::vector<Index> go;
};

/// Moves a vertex, unless a triangle turned over that does not go.
void move_to_middle(WorkedTriangles& work, const Gathering& group) {
  const Vec3 was = work.positions[group.into];
  Vec3 sum = Vec3::Zero();
  for (Index v : group.go) sum += work.positions[v] - was;
  std::vector<Vec3> normals;
  for (Index t : work.fan(group.into)) normals.push_back(work.normal(work.triangles()[t]));
  work.positions[group.into] += sum / static_cast<double>(group.go.size() + 1);
  for (std::size_t k = 0; k < normals.size(); ++k) {
    const Triangle& t = work.triangles()[work.fan(group.into)[k]];
    const bool goes = std::any_of(t.begin(), t.end(), [&](Index v) { return std::find(group.go.begin(), group.go.end(), v) != group.go.end(); });
    if (!goes && work.normal(t).dot(normals[k]) <= 0) work.positions[group.into] = was;
  }
}

/// The vertices by groups that edges of at most `within` join, and single ones with a sharp edge beside them.
std::vector<Gathering> gatherings(WorkedTriangles& work, std::span<const Index> vertices, double within) {
  const std::set<Index> chosen(vertices.begin(), vertices.end());
  const std::vector<Index> list(chosen.begin(), chosen.end());
  std::map<Index, Index> place;
  for (Index k = 0; k < list.size(); ++k) place[list[k]] = k;
  const auto distance = [&](Index v, Index w) { return (work.positions[v] - work.positions[w]).norm(); };
  UnionFind sets(list.size());
  for (Index v : list) {
    work.hear_stop();
    for (Index t : work.fan(v))
      for (Index w : work.triangles()[t])
        if (w != v && chosen.contains(w) && distance(v, w) <= within) sets.unite(place[v], place[w]);
  }
  std::map<Index, std::vector<Index>> groups;
  for (Index k = 0; k < list.size(); ++k) groups[sets.find(k)].push_back(list[k]);
  std::vector<Gathering> all;
  for (const auto& [first, group] : groups) {
    work.hear_stop();
    if (group.size() == 1) {
      const Index v = group[0];
      double nearest = within;
      Index into = no_index;
      for (Index t : work.fan(v))
        for (Index w : work.triangles()[t])
          if (w != v && distance(v, w) <= nearest && sharp_edges_at(work, w, sharp) >= 2) nearest = distance(v, w), into = w;
      if (into != no_index) all.push_back({into, {v}});
      continue;
    }
    std::map<Index, int> sharpness;
    for (Index v : group) {
      work.hear_stop();
      sharpness[v] = sharp_edges_at(work, v, sharp);
    }
    Gathering one{*std::max_element(group.begin(), group.end(), [&](Index v, Index w) { return sharpness[v] < sharpness[w]; }), {}};
    for (Index v : group)
      if (v != one.into) one.go.push_back(v);
    if (std::all_of(group.begin(), group.end(), [&](Index v) { return sharpness[v] == sharpness[one.into]; })) move_to_middle(work, one);
    all.push_back(std::move(one));
  }
  return all;
}

}  // namespace

Result<Edited> bring_together(const Mesh& mesh, const Topology&, std::span<const Index> vertices, double distance, const Control& control) {
  WorkedTriangles work(mesh, control);
  const double within = distance > 0 ? distance : std::numeric_limits<double>::max();
  Edited out;
  std::vector<Gathering> groups = gatherings(work, vertices, within);
  // Round by round, each next to nothing that changed in the same one.
  for (bool any = true; any;) {
    any = false;
    std::set<Index> touched;
    for (Gathering& group : groups)
      for (auto v = group.go.begin(); v != group.go.end();) {
        work.hear_stop();
        if (!is_beside(work, *v, group.into) || !untouched(work, *v, touched) || !untouched(work, group.into, touched) || !may_collapse(work, *v, group.into)) {
          ++v;
          continue;
        }
        for (Index u : {*v, group.into})
          for (Index t : work.fan(u)) touched.insert(work.triangles()[t].begin(), work.triangles()[t].end());
        collapse(work, *v, group.into);
        v = group.go.erase(v);
        ++out.done;
        any = true;
      }
    work.link();
  }
  for (const Gathering& group : groups)
    for (Index v : group.go) out.left.push_back(work.positions[v]);
  if (!out.left.empty()) out.why_left = "faces would turn over or meet that do not";
  if (out.done == 0)
    return Issue{out.left.empty() ? "no edge of that length joins two of the vertices, or one of them to a sharp edge" : "none of the vertices can be brought to another: " + out.why_left, "", out.left,
                 "choose vertices that edges join, or raise the distance"};
  out.mesh = work.finish();
  if (is_sound(mesh, {}, 1, control.stop) && !is_sound(out.mesh.mesh, {}, 1, control.stop))
    return Issue{"brought together the vertices would make faces cross", "", {mesh.positions[vertices[0]]}, "choose fewer vertices, or a smaller distance"};
  return out;
}

}  // namespace anvil
