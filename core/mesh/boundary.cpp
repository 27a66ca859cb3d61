// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/boundary.h"

#include <algorithm>
#include <unordered_map>

namespace anvil {
namespace {

class Walk {
 public:
  explicit Walk(const EdgeTable& edges) : edges_(edges) {
    for (Index e = 0; e < edges.size(); ++e)
      if (edges.corners_of(e).size() == 1)
        for (Index v : edges.vertices[e]) ends_.push_back({v, e});
    std::sort(ends_.begin(), ends_.end());
    taken_.assign(edges.size(), 0);
  }

  std::vector<BoundaryChain> run() {
    // Open chains first, from their ends (vertices with an odd number of open edges), then the loops.
    for (std::size_t k = 0; k < ends_.size();) {
      const Index v = ends_[k][0];
      std::size_t here = 0;
      for (; k < ends_.size() && ends_[k][0] == v; ++k) ++here;
      if (here % 2 == 1) walk_from(v);
    }
    for (const auto& [v, e] : ends_)
      if (!taken_[e]) walk_from(v);
    return std::move(chains_);
  }

 private:
  Index untaken_at(Index v) const {
    for (auto it = std::lower_bound(ends_.begin(), ends_.end(), std::array<Index, 2>{v, 0}); it != ends_.end() && (*it)[0] == v; ++it)
      if (!taken_[(*it)[1]]) return (*it)[1];
    return no_index;
  }
  void walk_from(Index v) {
    BoundaryChain chain;
    chain.vertices.push_back(v);
    place_[v] = 0;
    for (Index e = untaken_at(v); e != no_index; e = untaken_at(v)) {
      taken_[e] = 1;
      v = edges_.vertices[e][0] == v ? edges_.vertices[e][1] : edges_.vertices[e][0];
      chain.edges.push_back(e);
      const auto before = place_.find(v);
      if (before == place_.end()) {
        place_[v] = chain.vertices.size();
        chain.vertices.push_back(v);
        continue;
      }
      // Back at a vertex of its own: what lies between is a loop.
      const auto from = static_cast<std::ptrdiff_t>(before->second);
      BoundaryChain loop;
      loop.edges.assign(chain.edges.begin() + from, chain.edges.end());
      loop.vertices.assign(chain.vertices.begin() + from, chain.vertices.end());
      loop.closed = loop.edges.size() > 2;
      if (!loop.closed) loop.vertices.push_back(v);
      chains_.push_back(std::move(loop));
      for (std::size_t k = before->second + 1; k < chain.vertices.size(); ++k) place_.erase(chain.vertices[k]);
      chain.edges.resize(before->second);
      chain.vertices.resize(before->second + 1);
    }
    for (Index w : chain.vertices) place_.erase(w);
    if (!chain.edges.empty()) chains_.push_back(std::move(chain));
  }

  const EdgeTable& edges_;
  std::vector<std::array<Index, 2>> ends_;  // vertex, edge
  std::vector<char> taken_;
  std::unordered_map<Index, std::size_t> place_;  // of each vertex in the chain that is walked
  std::vector<BoundaryChain> chains_;
};

}  // namespace

std::vector<BoundaryChain> boundary_chains(const EdgeTable& edges) { return Walk(edges).run(); }

bool is_flat(const std::vector<Vec3>& positions, std::span<const Index> ring, double tolerance) {
  const Vec3 origin = positions[ring[0]];
  Vec3 normal = newell_normal(positions, ring), middle = Vec3::Zero();
  for (Index v : ring) middle += (positions[v] - origin) / static_cast<double>(ring.size());
  if (!(normal.norm() > 0)) return false;
  normal.normalize();
  // Coordinates themselves are rounded.
  const double slack = std::max(tolerance, 0x1p-50 * origin.cwiseAbs().maxCoeff());
  return std::all_of(ring.begin(), ring.end(), [&](Index v) { return std::abs(normal.dot(positions[v] - origin - middle)) <= slack; });
}

bool is_closed(const Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  for (Index e = 0; e < edges.size(); ++e) {
    int net = 0;
    for (Index c : edges.corners_of(e)) net += mesh.corners[c] == edges.vertices[e][0] ? 1 : -1;
    if (net != 0) return false;
  }
  return true;
}

}  // namespace anvil
