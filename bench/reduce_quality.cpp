// SPDX-License-Identifier: GPL-3.0-or-later
// How far reduced surfaces lie from what they were, ours and meshoptimizer's at the same count, and whether ours are sound.
// Distances are sampled by core/mesh/deviation.h for both. Ours decides the count: the peer is asked for just as many. Exits with 1 where ours lies farther or is not sound.
#include <fmt/format.h>

#include "bench/peers/reduce_peer.h"
#include "bench/support/scans.h"
#include "core/boolean/combine.h"
#include "core/recast/reduce.h"
#include "core/soundness/check.h"

namespace {

using namespace anvil;
using namespace anvil::bench;

Mesh in_triangles(const Mesh& mesh) {
  Mesh made;
  made.positions = mesh.positions;
  for (const Triangle& t : triangulate(mesh).triangles) made.add_face(t);
  return made;
}

Mesh stock(const char* kind, std::initializer_list<double> values) { return in_triangles(*make_mesh(Primitive::of(kind, values))); }

/// A ball with a ring sunk into it: smooth sides and one sharp edge.
Mesh machined() {
  const auto ball = std::make_shared<const Mesh>(stock("sphere", {100, 900, 450})), ring = std::make_shared<const Mesh>(stock("torus", {90, 30, 600, 200}));
  Result<BooleanResult> made = combine({{ball, "ball"}, {ring, "ring", Operation::difference}});
  return in_triangles(made->mesh);
}

}  // namespace

int main() {
  bool good = true;
  fmt::print("{:<28} {:>9} {:>9}  {:>10} {:>10}  {}\n", "", "triangles", "to", "ours", "peer", "ours is");
  const std::pair<const char*, Mesh> meshes[] = {{"scan", scan(1002)}, {"ball", stock("sphere", {100, 1002, 501})}, {"ring", stock("torus", {100, 40, 1000, 500})}, {"ball with a groove", machined()}};
  for (const auto& [name, mesh] : meshes)
    for (double keep : {0.1, 0.01}) {
      ReduceSettings settings;
      settings.held.sharper_than = 180;  // the peer holds none
      settings.triangles = static_cast<std::size_t>(keep * static_cast<double>(mesh.face_count()));
      const Reduced ours = reduce(mesh, name, settings);
      const Mesh theirs = of_indices(mesh, meshopt_reduction(mesh, ours.mesh.face_count())());
      const double off = deviation_between(mesh, ours.mesh).max(), peer_off = deviation_between(mesh, theirs).max();
      const bool sound = is_sound(ours.mesh, {}, 1);
      good = good && sound && off <= peer_off;
      fmt::print("{:<28} {:>9} {:>9}  {:>10.5f} {:>10.5f}  {}{}\n", name, mesh.face_count(), ours.mesh.face_count(), off, peer_off, sound ? "sound" : "NOT SOUND", off <= peer_off ? "" : ", FARTHER");
    }
  return good ? 0 : 1;
}
