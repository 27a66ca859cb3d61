// SPDX-License-Identifier: GPL-3.0-or-later
// Re-skinning a scan with its sharp edges, against OpenVDB's plain way without: time and peak memory.
// Taken as known: nothing, by either side. Ours holds the proof that the skin is sound; the peer's has none.
#include <stdexcept>

#include "bench/peers/recast_peer.h"
#include "bench/support/compare.h"
#include "core/recast/recast.h"
#include "core/stock/primitive.h"

namespace {

using namespace anvil;
using namespace anvil::bench;

/// A worn ball of about 50 000 triangles: bumps of a hundredth of its size, and the unevenness of a scanner.
Mesh scan() {
  Mesh ball = *make_mesh(Primitive::of("sphere", {100, 224, 112}));
  Mesh mesh;
  mesh.positions = ball.positions;
  for (const Triangle& t : triangulate(ball).triangles) mesh.add_face(t);
  std::uint32_t random = 7;
  for (Vec3& p : mesh.positions) {
    random = random * 1664525u + 1013904223u;
    const double noise = (random >> 8) / 16777216.0 - 0.5;
    p *= 1 + 0.01 * std::sin(0.3 * p.x()) * std::sin(0.23 * p.y() + 1) * std::sin(0.27 * p.z() + 2) + 0.0004 * noise;
  }
  return mesh;
}

void add(const std::string& name, double share) {
  compare(
      name,
      [share] {
        auto mesh = std::make_shared<const Mesh>(scan());
        return [mesh, share] {
          const recast::Part part{mesh, "scan"};
          RecastSettings settings;
          settings.detail = bounds(*mesh).diagonal() / share;
          const auto result = recast_parts({&part, 1}, settings);
          if (!result || result->mesh.empty()) throw std::runtime_error("the recast failed");
        };
      },
      "openvdb",
      [share] {
        auto mesh = std::make_shared<const Mesh>(scan());
        return [mesh, share] {
          if (openvdb_recast(*mesh, bounds(*mesh).diagonal() / share).empty()) throw std::runtime_error("the peer's recast failed");
        };
      },
      1.2, 0.8, true);
  require_memory(name, 1.5, 1.5);
}

}  // namespace

int main(int argc, char** argv) {
  add("recast scan of 50 000 faces at 1/300", 300);
  add("recast scan of 50 000 faces at 1/600", 600);
  return run(argc, argv);
}
