// SPDX-License-Identifier: GPL-3.0-or-later
// Welds vertices on open edges: in one turn those at one position, or, where there are none, the nearest ones. The planner
// comes back for those farther apart, up to the tolerance, as long as edges are open.
#include <algorithm>
#include <map>

#include "core/mend/mender.h"
#include "core/mesh/near_points.h"
#include "core/mesh/union_find.h"
#include "core/modify/weld.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

class Weld {
 public:
  Weld(MendJob& job, Deed& deed) : job_(job), deed_(deed), mesh_(job.mesh) {
    for (const Defect& defect : job.of(families::unwelded_vertices)) vertices_.insert(vertices_.end(), defect.vertices.begin(), defect.vertices.end());
    std::sort(vertices_.begin(), vertices_.end());
  }

  void run() {
    const double level = find_level();
    UnionFind clusters(vertices_.size());
    for (const auto& [i, j] : pairs_) clusters.unite(i, j);
    std::vector<Index> set_of;
    std::vector<std::vector<Index>> members(clusters.number(set_of));
    for (Index i = 0; i < set_of.size(); ++i) members[set_of[i]].push_back(vertices_[i]);
    const FacesAt faces = faces_at(mesh_, vertices_);
    for (const auto& cluster : members) {
      if (cluster.size() < 2) continue;
      const Vec3 at = meeting_place(mesh_, cluster);
      if (level > 0 && !is_harmless_weld(mesh_, cluster, at, level, faces)) continue;
      weld(cluster, at);
    }
  }

 private:
  /// Collects the pairs to weld: equal ones, or those within a few times the least gap there is.
  double find_level() {
    const Analysis& a = job_.analysis;
    std::map<Index, Index> first;
    for (Index i = 0; i < vertices_.size(); ++i) {
      const auto [it, is_new] = first.try_emplace(a.positions.id[vertices_[i]], i);
      if (!is_new) pairs_.push_back({it->second, i});
    }
    if (!pairs_.empty() || job_.tolerance == 0) return 0;
    std::vector<Vec3> points;
    for (Index v : vertices_) points.push_back(mesh_.positions[v]);
    std::vector<std::pair<double, std::array<Index, 2>>> near;
    double least = job_.tolerance;
    for_each_near_pair(points, job_.tolerance, [&](Index i, Index j) {
      const double gap = (points[i] - points[j]).norm();
      near.push_back({gap, {i, j}});
      least = std::min(least, gap);
    });
    constexpr double step = 10;
    const double level = std::min(job_.tolerance, step * least);
    for (const auto& [gap, pair] : near)
      if (gap <= level) pairs_.push_back(pair), deed_.longest = std::max(deed_.longest, gap);
    return level;
  }

  void weld(const std::vector<Index>& cluster, const Vec3& at) {
    for (std::size_t k = 1; k < cluster.size(); ++k) job_.edit.merge_vertex(cluster[k], cluster[0]);
    if (at != mesh_.positions[cluster[0]]) job_.edit.move_vertex(cluster[0], at);
    deed_.count += cluster.size() - 1;
    deed_.places.push_back(at);
  }

  MendJob& job_;
  Deed& deed_;
  const Mesh& mesh_;
  std::vector<Index> vertices_;              // of all groups, in order
  std::vector<std::array<Index, 2>> pairs_;  // places in vertices_
};

void apply_weld(MendJob& job, Deed& deed) { Weld(job, deed).run(); }

constexpr Note did_weld{"vertices_welded", "1 vertex welded", "{0} vertices welded", Note::Place::card};

}  // namespace

const Mender menders::weld = {"weld", "Weld seams", &families::unwelded_vertices,
                              "weld 1 vertex to one at its place", "weld {0} vertices to those at their place", 10, true,
                              "Vertices of open edges that lie at one place become one, the nearest first.", apply_weld, &did_weld, nullptr, true};

}  // namespace anvil
