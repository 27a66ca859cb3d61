// SPDX-License-Identifier: GPL-3.0-or-later
// Taking edges and vertices out: the faces around them become one.
#include <algorithm>
#include <map>
#include <set>
#include <unordered_map>

#include "core/mesh/union_find.h"
#include "core/modify/edits.h"

namespace anvil {
namespace {

/// Is the edge one between two different faces that run it against each other?
bool is_regular(const Mesh& mesh, const Topology& t, Index e) {
  const auto corners = t.edges.corners_of(e);
  return corners.size() == 2 && t.edges.corner_face[corners[0]] != t.edges.corner_face[corners[1]] && mesh.corners[corners[0]] != mesh.corners[corners[1]];
}

class Merge {
 public:
  Merge(const Mesh& mesh, const Topology& topology, const Control& control)
      : mesh_(mesh), t_(topology), control_(control), sets_(mesh.face_count()), touched_(mesh.face_count(), 0), dropped_(mesh.positions.size(), 0) {}

  void join_over(Index edge) {
    const auto corners = t_.edges.corners_of(edge);
    sets_.unite(t_.edges.corner_face[corners[0]], t_.edges.corner_face[corners[1]]);
    for (Index c : corners) touch(t_.edges.corner_face[c]);
  }
  void drop(Index v) { dropped_[v] = 1; }
  void touch(Index f) { touched_[f] = 1; }

  /// The groups of faces that become one, each with its outline; an empty one where that is no single ring.
  std::map<Index, std::pair<std::vector<Index>, std::vector<Index>>> groups() {
    std::map<Index, std::pair<std::vector<Index>, std::vector<Index>>> all;
    for (Index f = 0; f < touched_.size(); ++f) {
      if (!touched_[f]) continue;
      check_stop(control_);
      all[sets_.find(f)].first.push_back(f);
    }
    for (auto& [first, group] : all) group.second = outline(group.first);
    return all;
  }
  /// Stands for all faces that become one with this one.
  Index whole(Index f) { return sets_.find(f); }

 private:
  std::vector<Index> outline(const std::vector<Index>& faces) {
    std::unordered_map<Index, Index> next;
    Index start = no_index;
    std::size_t sides = 0;
    for (Index f : faces) {
      check_stop(control_);
      for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
        const Index e = t_.edges.corner_edge[c];
        if (e == no_index || (is_regular(mesh_, t_, e) && inner(e))) continue;
        const Index v = mesh_.corners[c], w = mesh_.corners[next_corner(mesh_, f, c)];
        if (!next.emplace(v, w).second) return {};  // the outline passes a vertex twice
        if (start == no_index) start = v;
        ++sides;
      }
    }
    std::vector<Index> ring;
    for (Index v = start; start != no_index;) {
      ring.push_back(v);
      const auto it = next.find(v);
      if (it == next.end() || ring.size() > sides) return {};
      v = it->second;
      if (v == start) break;
    }
    if (ring.size() != sides) return {};  // more than one ring
    std::erase_if(ring, [&](Index v) { return dropped_[v] != 0; });
    return ring.size() < 3 ? std::vector<Index>() : ring;
  }
  bool inner(Index e) {
    const auto corners = t_.edges.corners_of(e);
    return whole(t_.edges.corner_face[corners[0]]) == whole(t_.edges.corner_face[corners[1]]);
  }

  const Mesh& mesh_;
  const Topology& t_;
  const Control& control_;
  UnionFind sets_;
  std::vector<char> touched_, dropped_;  ///< per face; per vertex
};

}  // namespace

Result<Edited> take_out_edges(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, const Control& control) {
  Merge merge(mesh, topology, control);
  Edited out;
  std::vector<Index> regular;
  for (Index e : edges) {
    check_stop(control);
    if (is_regular(mesh, topology, e)) {
      merge.join_over(e);
      regular.push_back(e);
    } else {
      out.left.push_back(place_of(mesh, topology, ElementKind::edges, e));
      out.why_left = "an edge taken out needs one face on either side";
    }
  }
  MeshEditor edit(mesh);
  std::set<Index> refused;
  for (const auto& [first, group] : merge.groups()) {
    check_stop(control);
    if (group.second.empty()) {
      refused.insert(group.first.begin(), group.first.end());
      continue;
    }
    edit.set_ring(first, group.second);
    for (Index f : group.first)
      if (f != first) edit.remove_face(f);
  }
  for (Index e : regular) {
    check_stop(control);
    if (refused.count(topology.faces_on(e)[0]) == 0) {
      ++out.done;
    } else {
      out.left.push_back(place_of(mesh, topology, ElementKind::edges, e));
      out.why_left = "the faces around would become a ring, which no face can be";
    }
  }
  if (out.done == 0) return Issue{"no edge can be taken out: " + out.why_left, "", out.left, "choose other edges"};
  out.mesh = edit.finish();
  return out;
}

Result<Edited> take_out_vertices(const Mesh& mesh, const Topology& topology, std::span<const Index> vertices, const Control& control) {
  Merge merge(mesh, topology, control);
  Edited out;
  for (Index v : vertices) {
    check_stop(control);
    merge.drop(v);
    for (Index f : topology.faces_at(v)) merge.touch(f);
    if (topology.edges_at(v).size() == 2) continue;  // its two faces stay two
    for (Index e : topology.edges_at(v))
      if (is_regular(mesh, topology, e)) merge.join_over(e);
  }
  MeshEditor edit(mesh);
  std::set<Index> refused;
  const auto groups = merge.groups();
  for (const auto& [first, group] : groups)
    if (group.second.empty()) refused.insert(group.first.begin(), group.first.end());
  std::map<Index, const std::vector<Index>*> group_of;
  for (const auto& [first, group] : groups) group_of[merge.whole(first)] = &group.first;
  // A vertex goes from all its faces or from none; what is left takes its neighbours' faces along.
  std::set<Index> stays;
  for (bool more = true; more;) {
    more = false;
    for (Index v : vertices) {
      check_stop(control);
      for (Index f : topology.faces_at(v))
        if (refused.count(f) > 0 && stays.insert(v).second) {
          more = true;
          for (Index g : topology.faces_at(v))
            if (const auto group = group_of.find(merge.whole(g)); group != group_of.end()) refused.insert(group->second->begin(), group->second->end());
        }
    }
  }
  for (const auto& [first, group] : groups) {
    if (refused.count(first) > 0) continue;
    edit.set_ring(first, group.second);
    for (Index f : group.first)
      if (f != first) edit.remove_face(f);
  }
  for (Index v : vertices) {
    if (stays.count(v) == 0 && !topology.faces_at(v).empty()) {
      ++out.done;
      continue;
    }
    if (topology.faces_at(v).empty()) {
      edit.drop_vertex(v);
      ++out.done;
      continue;
    }
    out.left.push_back(mesh.positions[v]);
    out.why_left = "the faces around would become a ring, or nothing";
  }
  if (out.done == 0) return Issue{"no vertex can be taken out: " + out.why_left, "", out.left, "choose other vertices"};
  out.mesh = edit.finish();
  return out;
}

}  // namespace anvil
