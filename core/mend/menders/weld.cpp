// SPDX-License-Identifier: GPL-3.0-or-later
// Welds vertices on open edges: in one turn those at one position, or, where there are none, the nearest ones. The planner
// comes back for those farther apart, up to the tolerance, as long as edges are open.
#include <algorithm>
#include <map>
#include <unordered_map>

#include "core/mend/mender.h"
#include "core/mesh/near_points.h"
#include "core/mesh/union_find.h"
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
    find_faces();
    for (const auto& cluster : members) {
      if (cluster.size() < 2) continue;
      const Vec3 at = middle_of(cluster);
      if (level > 0 && !is_harmless(cluster, at, level)) continue;
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

  void find_faces() {
    std::vector<char> asked(mesh_.positions.size(), 0);
    for (Index v : vertices_) asked[v] = 1;
    for (Index f = 0; f < mesh_.face_count(); ++f)
      for (Index v : mesh_.face(f))
        if (asked[v]) faces_at_[v].push_back(f);
  }

  /// What lies at one place stays there, bit for bit; what is apart meets in the middle.
  Vec3 middle_of(const std::vector<Index>& cluster) const {
    const Vec3& first = mesh_.positions[cluster[0]];
    Vec3 sum = Vec3::Zero();
    for (Index v : cluster) sum += mesh_.positions[v] - first;
    return first + sum / static_cast<double>(cluster.size());
  }

  /// Does welding turn no face over, and take none away but those of no more extent than the gap?
  bool is_harmless(const std::vector<Index>& cluster, const Vec3& at, double level) const {
    for (Index v : cluster)
      for (Index f : faces_at_.at(v)) {
        const auto ring = mesh_.face(f);
        std::vector<Vec3> before, after;
        std::size_t runs = 0;  // stretches of the ring that are welded
        for (std::size_t k = 0; k < ring.size(); ++k) {
          const bool in = is_in(cluster, ring[k]), next_in = is_in(cluster, ring[(k + 1) % ring.size()]);
          runs += in && !next_in;
          before.push_back(mesh_.positions[ring[k]]);
          if (!in || !next_in) after.push_back(in ? at : mesh_.positions[ring[k]]);
        }
        if (runs > 1) return false;
        if (after.size() < 3) continue;
        const Vec3 n = newell(before), m = newell(after);
        double around = 0;
        for (std::size_t k = 0; k < before.size(); ++k) around += (before[(k + 1) % before.size()] - before[k]).norm();
        if (n.norm() > 4 * level * around && n.dot(m) <= 0) return false;
      }
    return true;
  }
  static bool is_in(const std::vector<Index>& cluster, Index v) { return std::binary_search(cluster.begin(), cluster.end(), v); }
  static Vec3 newell(const std::vector<Vec3>& ring) {
    Vec3 normal = Vec3::Zero();
    for (std::size_t k = 1; k + 1 < ring.size(); ++k) normal += (ring[k] - ring[0]).cross(ring[k + 1] - ring[0]);
    return normal;
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
  std::unordered_map<Index, std::vector<Index>> faces_at_;
};

void apply(MendJob& job, Deed& deed) { Weld(job, deed).run(); }

constexpr Note did{"vertices_welded", "1 vertex welded", "{0} vertices welded", Note::Place::card};

}  // namespace

const Mender menders::weld = {"weld", "Weld seams", &families::unwelded_vertices,
                              "weld 1 vertex to one at its place", "weld {0} vertices to those at their place", 10, true,
                              "Vertices of open edges that lie at one place become one, the nearest first.", apply, &did, nullptr, true};

}  // namespace anvil
