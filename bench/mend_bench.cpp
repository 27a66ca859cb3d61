// SPDX-License-Identifier: GPL-3.0-or-later
// Mending a million triangles with a thousand scattered flaws, against finding them; and the deviation of two surfaces of a
// million triangles. Taken as known: nothing; mending finds the flaws itself, and proves the result by a whole check.
#include <benchmark/benchmark.h>

#include <stdexcept>

#include "bench/support/compare.h"
#include "core/mend/mend.h"
#include "core/mesh/deviation.h"
#include "core/mesh/mesh_editor.h"
#include "core/mesh/triangulate.h"
#include "core/stock/primitive.h"

namespace {

using namespace anvil;
using namespace anvil::bench;

/// 1 000 000 triangles.
Mesh torus(double tube) {
  const Mesh polygons = *make_mesh(Primitive::of("torus", {100, tube, 1000, 500}));
  Mesh mesh;
  mesh.positions = polygons.positions;
  for (const Triangle& t : triangulate(polygons).triangles) mesh.add_face(t);
  return mesh;
}

/// Two hundred each of holes, faces turned over, doubled faces, fins and spots with vertices of their own.
Mesh damaged() {
  const Mesh mesh = torus(40);
  MeshEditor edit(mesh);
  for (Index k = 0; k < 1000; ++k) {
    const Index f = 997 * k + 13;
    std::vector<Index> ring = edit.ring(f);
    switch (k % 5) {
      case 0: edit.remove_face(f); break;
      case 1: edit.reverse_face(f); break;
      case 2: edit.add_face(ring); break;
      case 3: {
        const Vec3 &p = mesh.positions[ring[0]], &q = mesh.positions[ring[1]], &r = mesh.positions[ring[2]];
        const Vec3 out = 0.3 * (q - p).cross(r - p).normalized();
        edit.add_face({ring[0], ring[1], edit.add_vertex(q + out), edit.add_vertex(p + out)});
        break;
      }
      default:
        for (Index& v : ring) v = edit.add_vertex(Vec3(mesh.positions[v]));
        edit.set_ring(f, ring);
    }
  }
  return edit.finish().mesh;
}

}  // namespace

int main(int argc, char** argv) {
  compare(
      "mend 1M with 1000 flaws",
      [] {
        std::vector<const Mender*> menders;
        for (const Mender* mender : mender_table())
          if (mender->ticked) menders.push_back(mender);
        return [mesh = damaged(), menders] {
          MendSettings settings;
          settings.menders = menders;
          if (!mend(mesh, settings).after.sound) throw std::runtime_error("it must be sound");
        };
      },
      "finding",
      [] {
        return [mesh = damaged()] {
          const SoundnessReport report = check_soundness(mesh);
          if (report.holes() != 200 + 2 * 200) throw std::runtime_error("not the holes that were made");
        };
      },
      2, 1);
  measure(
      "deviation 2x1M",
      [] {
        return [one = torus(40), other = torus(40.5)] {
          const Deviation deviation = deviation_between(one, other);
          if (!(deviation.max() > 0.24 && deviation.max() < 0.26)) throw std::runtime_error("tubes of 20 and 20.25 lie 0.25 apart");
        };
      },
      2, 1);
  return bench::run(argc, argv);
}
