// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// What makes an edge have more than two faces.
struct Cause {
  const char *kind, *words;
};
constexpr Cause at_fin{"fin", "a fin hangs there"}, at_wall{"inner_wall", "an inner wall ends there"},
    touching{"touching_shells", "walls touch there"}, unknown{"other", ""};

class Causes {
 public:
  explicit Causes(const Analysis& a) : a_(a), of_face_(a.mesh.face_count(), nullptr) {
    for (const auto& wall : a.orientation().walls)
      for (Index f : wall.faces) of_face_[f] = &at_wall;
    for (const auto& fin : a.orientation().fins)
      for (Index f : fin.faces) of_face_[f] = &at_fin;
  }
  const Cause& of(Index e) const {
    const auto uses = a_.edges.corners_of(e);
    std::size_t along = 0;
    for (Index c : uses) {
      if (const Cause* cause = of_face_[a_.edges.corner_face[c]]) return *cause;
      along += a_.mesh.corners[c] == a_.edges.vertices[e][0];
    }
    return 2 * along == uses.size() ? touching : unknown;
  }

 private:
  const Analysis& a_;
  std::vector<const Cause*> of_face_;
};

std::vector<Defect> find_edges(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.non_manifold_edge_count == 0) return defects;
  const Causes causes(a);
  for (Index e = 0; e < a.edges.size(); ++e) {
    const auto uses = a.edges.corners_of(e);
    if (uses.size() <= 2) continue;
    const auto [v, w] = a.edges.vertices[e];
    const Cause& cause = causes.of(e);
    Defect defect = defect_around(families::non_manifold_edges, {a.mesh.positions[v], a.mesh.positions[w]},
                                  fmt::format("edge with {} faces{}{}", uses.size(), *cause.words == '\0' ? "" : ": ", cause.words));
    defect.kind = cause.kind;
    defect.edges.push_back({v, w});
    for (Index c : uses) defect.faces.push_back(a.edges.corner_face[c]);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Edges with more than two faces; kinds "fin", "inner_wall", "touching_shells" and "other".
const Family families::non_manifold_edges = {"non_manifold_edges",
                                             "Non-manifold edges",
                                             "non-manifold edge",
                                             "non-manifold edges",
                                             Marker::diamond,
                                             FamilyRole::defect,
                                             10,
                                             find_edges};

}  // namespace anvil
