// SPDX-License-Identifier: GPL-3.0-or-later
// Reading a binary STL of a million triangles, and checking a closed mesh of a million triangles.
#include <benchmark/benchmark.h>

#include <filesystem>
#include <stdexcept>

#include "bench/peers/soundness_peer.h"
#include "bench/support/compare.h"
#include "core/io/mesh_file.h"
#include "core/mesh/triangulate.h"
#include "core/soundness/check.h"
#include "core/stock/primitive.h"

namespace {

using namespace anvil;
using namespace anvil::bench;

/// A torus of 1 000 by 500 quads: 1 000 000 triangles, no vertex with more than six of them.
Mesh million() {
  const Mesh torus = *make_mesh(Primitive::of("torus", {100, 40, 1000, 500}));
  Mesh mesh;
  mesh.positions = torus.positions;
  for (const Triangle& t : triangulate(torus).triangles) mesh.add_face({t[0], t[1], t[2]});
  if (mesh.face_count() != 1'000'000) throw std::runtime_error("not a million triangles");
  return mesh;
}

std::filesystem::path stl_of_a_million() {
  const auto path = std::filesystem::temp_directory_path() / "clean-anvil-bench-million.stl";
  if (const auto written = write_mesh(million(), path); !written.ok())
    throw std::runtime_error(written.issue().message());
  return path;
}

}  // namespace

int main(int argc, char** argv) {
  const auto path = stl_of_a_million();
  compare(
      "read STL 1M",
      [&] {
        return [&] {
          auto mesh = read_mesh(path);
          if (!mesh.ok()) throw std::runtime_error(mesh.issue().message());
          benchmark::DoNotOptimize(mesh->mesh.positions.size());
        };
      },
      "cgal", [&] { return [&] { benchmark::DoNotOptimize(cgal_read_and_merge(path)); }; }, 1.0 / 3, 1.0 / 6,
      true);
  compare(
      "soundness 1M",
      [] {
        return [mesh = million()] {
          if (!check_soundness(mesh).sound) throw std::runtime_error("the torus must be sound");
        };
      },
      "cgal",
      [] {
        return [crosses = cgal_does_self_intersect(million())] {
          if (crosses()) throw std::runtime_error("the torus must not cross itself");
        };
      },
      1.0 / 2, 1.0 / 4, true);
  const int code = bench::run(argc, argv);
  std::filesystem::remove(path);
  return code;
}
