// SPDX-License-Identifier: GPL-3.0-or-later
// Faces between two boundaries.
#include <algorithm>
#include <optional>
#include <unordered_map>

#include "core/modify/choose.h"
#include "core/modify/edits.h"

namespace anvil {
namespace {

/// A chain of edges in the way its faces run it.
struct Side {
  std::vector<Index> vertices;  ///< of a closed chain the first is not repeated
  bool closed = false;
  std::size_t edges() const { return vertices.size() - (closed ? 0 : 1); }
  Index at(std::size_t k) const { return vertices[k % vertices.size()]; }
};

/// The directed edges as chains; nothing when they branch.
std::optional<std::vector<Side>> chains_of(const std::vector<std::array<Index, 2>>& edges) {
  std::unordered_map<Index, Index> next, before;
  for (const auto& [v, w] : edges)
    if (!next.emplace(v, w).second || !before.emplace(w, v).second) return std::nullopt;
  std::vector<Side> sides;
  const auto walk = [&](Index start) {
    Side side;
    for (Index v = start;;) {
      side.vertices.push_back(v);
      const auto it = next.find(v);
      if (it == next.end()) break;
      v = it->second;
      next.erase(it);
      if (v == start) {
        side.closed = true;
        break;
      }
    }
    sides.push_back(std::move(side));
  };
  for (const auto& [v, w] : edges)
    if (before.count(v) == 0) walk(v);
  for (const auto& [v, w] : edges)
    if (next.count(v) > 0) walk(v);
  return sides;
}

class Span {
 public:
  Span(const Mesh& mesh, Side a, Side b, const Control& control) : mesh_(mesh), control_(control), a_(std::move(a)), b_(std::move(b)) {
    // Faces of the bridge run both boundaries against the faces there: along one, against the other.
    std::reverse(b_.vertices.begin(), b_.vertices.end());
    if (a_.closed) turn_to_nearest();
  }

  std::vector<std::vector<Index>> faces() const {
    std::vector<std::vector<Index>> made;
    const std::size_t n = a_.edges(), m = b_.edges();
    for (std::size_t i = 0, j = 0; i < n || j < m;) {
      if (n == m) {
        made.push_back({a_.at(i + 1), a_.at(i), b_.at(j), b_.at(j + 1)});
        ++i, ++j;
      } else if (j == m || (i < n && (static_cast<double>(i) + 0.5) / static_cast<double>(n) <= (static_cast<double>(j) + 0.5) / static_cast<double>(m))) {
        made.push_back({a_.at(i + 1), a_.at(i), b_.at(j)});
        ++i;
      } else {
        made.push_back({a_.at(i), b_.at(j), b_.at(j + 1)});
        ++j;
      }
    }
    return made;
  }

 private:
  /// Begins the second loop where the edges across are shortest in all.
  void turn_to_nearest() {
    const std::size_t n = a_.vertices.size(), m = b_.vertices.size();
    std::size_t best = 0;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t shift = 0; shift < m; ++shift) {
      check_stop(control_);
      double sum = 0;
      for (std::size_t k = 0; k < std::max(n, m); ++k)
        sum += (mesh_.positions[a_.at(k * n / std::max(n, m))] - mesh_.positions[b_.at(shift + k * m / std::max(n, m))]).squaredNorm();
      if (sum < least) least = sum, best = shift;
    }
    std::rotate(b_.vertices.begin(), b_.vertices.begin() + static_cast<std::ptrdiff_t>(best), b_.vertices.end());
  }

  const Mesh& mesh_;
  const Control& control_;
  Side a_, b_;
};

}  // namespace

Result<Edited> bridge(const Mesh& mesh, const Topology& topology, const Elements& chosen, const Control& control) {
  MeshEditor edit(mesh);
  std::vector<std::array<Index, 2>> edges;
  std::vector<Vec3> crowded;
  const Elements border = chosen.kind == ElementKind::faces ? boundary_loop(mesh, topology, chosen) : chosen;
  std::vector<char> goes(mesh.face_count(), 0);
  if (chosen.kind == ElementKind::faces)
    for (Index f : chosen.list) goes[f] = 1, edit.remove_face(f);
  for (Index e : border.list) {
    std::vector<Index> stay;  // corners of the faces that are still there
    for (Index c : topology.edges.corners_of(e))
      if (!goes[topology.edges.corner_face[c]]) stay.push_back(c);
    if (stay.size() != 1) {
      crowded.push_back(place_of(mesh, topology, ElementKind::edges, e));
      continue;
    }
    edges.push_back({mesh.corners[stay[0]], mesh.corners[next_corner(mesh, topology.edges.corner_face[stay[0]], stay[0])]});
  }
  if (!crowded.empty()) return Issue{"a bridge needs edges with one face", "", crowded, "choose open edges, or two faces that are to go"};
  const auto sides = chains_of(edges);
  if (!sides || sides->size() != 2)
    return Issue{sides ? "a bridge goes between two chains of edges, and there " + std::string(sides->size() == 1 ? "is one" : "are " + std::to_string(sides->size())) : "the chosen edges branch", "", {},
                 "choose two boundaries, or one edge on either side"};
  if ((*sides)[0].closed != (*sides)[1].closed) return Issue{"one of the chains is closed and the other is not", "", {}, "choose two closed boundaries, or two open stretches"};
  std::vector<std::vector<Index>> faces = Span(mesh, (*sides)[0], (*sides)[1], control).faces();
  Edited out;
  out.done = faces.size();
  for (auto& face : faces) edit.add_face(std::move(face));
  out.mesh = edit.finish();
  return out;
}

}  // namespace anvil
