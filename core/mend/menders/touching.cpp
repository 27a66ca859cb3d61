// SPDX-License-Identifier: GPL-3.0-or-later
// Gives every solid wedge at an edge with four or more faces, and every fan at a vertex, vertices of its own: the surface
// touches itself there and is manifold.
#include <algorithm>
#include <cmath>
#include <map>

#include "core/mend/mender.h"
#include "core/mesh/union_find.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

class Separate {
 public:
  explicit Separate(MendJob& job)
      : job_(job), mesh_(job.mesh), edges_(job.analysis.edges), asked_(mesh_.positions.size(), 0), same_(mesh_.corners.size()) {}

  void run(Deed& deed) {
    for (const Defect& defect : job_.of(families::non_manifold_vertices)) asked_[defect.vertices[0]] = 1;
    for (const Defect& defect : job_.of(families::non_manifold_edges))
      for (Index v : defect.edges[0]) asked_[v] = 1;
    for (Index e = 0; e < edges_.size(); ++e)
      if (asked_[edges_.vertices[e][0]] || asked_[edges_.vertices[e][1]]) tie(e);
    std::map<Index, std::map<Index, Index>> vertex_of;  // vertex, class of corners
    std::map<Index, std::vector<Index>> rings;
    for (Index f = 0; f < mesh_.face_count(); ++f)
      for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
        const Index v = mesh_.corners[c];
        if (!asked_[v]) continue;
        auto& classes = vertex_of[v];
        const auto [it, is_new] = classes.try_emplace(same_.find(c), v);
        if (is_new && classes.size() > 1) it->second = job_.edit.add_vertex(mesh_.positions[v]);
        if (it->second == v) continue;
        auto& ring = rings[f];
        if (ring.empty()) ring.assign(mesh_.face(f).begin(), mesh_.face(f).end());
        ring[c - mesh_.face_offsets[f]] = it->second;
      }
    for (auto& [f, ring] : rings) job_.edit.set_ring(f, std::move(ring));
    for (const auto& [v, classes] : vertex_of) {
      if (classes.size() < 2) continue;
      ++deed.count;
      deed.places.push_back(mesh_.positions[v]);
    }
  }

 private:
  /// Ties the corners of two faces that bound one solid wedge at an edge; of all faces where that cannot be told.
  void tie(Index e) {
    const auto uses = edges_.corners_of(e);
    std::size_t along = 0;
    for (Index c : uses) along += mesh_.corners[c] == edges_.vertices[e][0];
    if (uses.size() <= 2 || 2 * along != uses.size()) {
      for (std::size_t k = 1; k < uses.size(); ++k) tie(uses[0], uses[k]);
      return;
    }
    const Vec3 axis = (mesh_.positions[edges_.vertices[e][1]] - mesh_.positions[edges_.vertices[e][0]]).normalized();
    const Vec3 x = axis.unitOrthogonal(), y = axis.cross(x);
    struct Use {
      double angle;
      bool along;
      Index corner;
    };
    std::vector<Use> around;
    for (Index c : uses) {
      const bool runs_along = mesh_.corners[c] == edges_.vertices[e][0];
      const Vec3 inwards = normal(edges_.corner_face[c]).cross(runs_along ? axis : Vec3(-axis));
      around.push_back({std::atan2(inwards.dot(y), inwards.dot(x)), runs_along, c});
    }
    std::sort(around.begin(), around.end(), [](const Use& a, const Use& b) { return std::tie(a.angle, a.along) < std::tie(b.angle, b.along); });
    // Going around, a face that runs against the axis opens a solid wedge and one that runs along closes the last opened.
    std::vector<Index> open;
    for (int turn = 0; turn < 2; ++turn)
      for (Use& use : around) {
        if (use.corner == no_index) continue;
        if (!use.along) {
          if (turn == 0) open.push_back(use.corner);
        } else if (!open.empty()) {
          tie(open.back(), use.corner);
          open.pop_back();
          use.corner = no_index;
        }
      }
  }
  /// Both ends of two uses of one edge.
  void tie(Index c, Index d) {
    const Index c_end = next_corner(mesh_, edges_.corner_face[c], c), d_end = next_corner(mesh_, edges_.corner_face[d], d);
    const bool same_way = mesh_.corners[c] == mesh_.corners[d];
    same_.unite(c, same_way ? d : d_end);
    same_.unite(c_end, same_way ? d_end : d);
  }
  Vec3 normal(Index f) const { return newell_normal(mesh_.positions, mesh_.face(f)).stableNormalized(); }

  MendJob& job_;
  const Mesh& mesh_;
  const EdgeTable& edges_;
  std::vector<char> asked_;  // vertices
  UnionFind same_;           // corners at one vertex that stay together
};

void apply_touching(MendJob& job, Deed& deed) {
  if (job.of(families::non_manifold_edges).empty() && job.of(families::non_manifold_vertices).empty()) return;
  Separate(job).run(deed);
}

constexpr Note did_touching{"walls_separated", "touching walls separated at 1 vertex", "touching walls separated at {0} vertices", Note::Place::card};

}  // namespace

const Mender menders::touching = {"touching", "Separate touching walls", &families::non_manifold_edges,
                                  "separate the walls that touch at 1 vertex", "separate the walls that touch at {0} vertices", 90, true,
                                  "Where walls touch along an edge or at a vertex, each gets vertices of its own.", apply_touching, &did_touching,
                                  &families::non_manifold_vertices, true};

}  // namespace anvil
