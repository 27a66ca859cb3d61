// SPDX-License-Identifier: GPL-3.0-or-later
// Re-skinning a scan with its sharp edges, against OpenVDB's plain way without: time and peak memory. Taken as known: nothing, by either side. Ours holds the proof that the skin is
// sound; the peer's has none.
// Reducing a million triangles against meshoptimizer at the same count, without and with the proof. Taken as known: triangles, by both; floats, by the peer.
// Smoothing a million triangles, without the proof, against computing their vertex normals ten times. Taken as known: nothing, by either side.
#include <stdexcept>

#include "bench/peers/recast_peer.h"
#include "bench/peers/reduce_peer.h"
#include "bench/support/compare.h"
#include "bench/support/scans.h"
#include "core/mesh/edges.h"
#include "core/recast/collapse.h"
#include "core/recast/recast.h"
#include "core/recast/reduce.h"
#include "core/recast/smooth.h"

namespace {

using namespace anvil;
using namespace anvil::bench;

std::function<void()> scan_recast(double share) {
  auto mesh = std::make_shared<const Mesh>(scan(224));
  return [mesh, share] {
    const recast::Part part{mesh, "scan"};
    RecastSettings settings;
    settings.detail = bounds(*mesh).diagonal() / share;
    const auto result = recast_parts({&part, 1}, settings);
    if (!result || result->mesh.empty()) throw std::runtime_error("the recast failed");
  };
}

void add(const std::string& name, double share) {
  compare(
      name, [share] { return scan_recast(share); },
      "openvdb",
      [share] {
        auto mesh = std::make_shared<const Mesh>(scan(224));
        return [mesh, share] {
          if (openvdb_recast(*mesh, bounds(*mesh).diagonal() / share).empty()) throw std::runtime_error("the peer's recast failed");
        };
      },
      1.2, 0.8, true);
  require_memory(name, 1.5, 1.5);
}

Mesh million() { return scan(1002); }

void add_reduce(const std::string& name, double share, bool proof, double bar) {
  const auto goal = [share](const Mesh& mesh) { return static_cast<std::size_t>(share * static_cast<double>(mesh.face_count())); };
  compare(
      name,
      [=] {
        auto mesh = std::make_shared<const Mesh>(million());
        auto list = std::make_shared<const TriangleList>(triangulate(*mesh));
        return [=] {
          ReduceSettings settings;
          settings.triangles = goal(*mesh);
          settings.held.sharper_than = 180;  // the peer holds none
          const auto collapsed = [&] {
            std::vector<Index> opposite = find_opposites(list->triangles, {}, mesh->positions.size());
            std::vector<char> held = recast::held_edges(*mesh, *list, opposite, settings.held);
            return recast::collapse({mesh->positions, list->triangles, std::move(held), std::move(opposite), {}, settings.triangles, 0}).triangles.size();
          };
          const std::size_t left = proof ? reduce(*mesh, "scan", settings).mesh.face_count() : collapsed();
          if (static_cast<double>(left) > 1.02 * static_cast<double>(settings.triangles)) throw std::runtime_error("the reduction failed");
        };
      },
      "meshoptimizer",
      [=] {
        auto mesh = std::make_shared<const Mesh>(million());
        return [run = meshopt_reduction(*mesh, goal(*mesh))] {
          if (run().empty()) throw std::runtime_error("the peer's reduction failed");
        };
      },
      bar, bar);
}

/// Normals of vertices, as anybody would: areas of triangles added up, by corners.
std::vector<Vec3> vertex_normals(const Mesh& mesh) {
  std::vector<Vec3> normals(mesh.positions.size(), Vec3::Zero());
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    const auto t = mesh.face(f);
    const Vec3 n = (mesh.positions[t[1]] - mesh.positions[t[0]]).cross(mesh.positions[t[2]] - mesh.positions[t[0]]);
    for (Index v : t) normals[v] += n;
  }
  for (Vec3& n : normals) n.normalize();
  return normals;
}

void add_smooth(const std::string& name, bool keep_volume) {
  compare(
      name,
      [=] {
        auto mesh = std::make_shared<const Mesh>(million());
        return [=] {
          SmoothSettings settings;
          settings.keep_volume = keep_volume;
          if (smooth_passes(*mesh, settings).empty()) throw std::runtime_error("the smoothing failed");
        };
      },
      "normals",
      [] {
        auto mesh = std::make_shared<const Mesh>(million());
        return [=] {
          for (int k = 0; k < 10; ++k)
            if (vertex_normals(*mesh).empty()) throw std::runtime_error("no normals");
        };
      },
      1, 1);
}

}  // namespace

int main(int argc, char** argv) {
  add("recast scan of 50 000 faces at 1/300", 300);
  add("recast scan of 50 000 faces at 1/600", 600);
  limit_memory("recast scan of 50 000 faces at 1/1000", [] { return scan_recast(1000); }, 3000, 3000);
  add_reduce("reduce 1M to 10 %, before the proof", 0.1, false, 1.5);
  add_reduce("reduce 1M to 10 %, with the proof", 0.1, true, 4);
  add_reduce("reduce 1M to 1 %, before the proof", 0.01, false, 1.5);
  add_reduce("reduce 1M to 1 %, with the proof", 0.01, true, 4);
  add_smooth("smooth 1M, 10 passes, against 10 times normals", false);
  add_smooth("smooth 1M, 10 passes, volume kept, against 10 times normals", true);
  return run(argc, argv);
}
