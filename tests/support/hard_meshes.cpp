// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/hard_meshes.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "tests/support/dice.h"
#include "tests/support/meshes.h"

namespace anvil::test {

Mesh boxes_beside(int count) {
  const Mesh box = stock("box", {1, 1, 1});
  const int side = static_cast<int>(std::ceil(std::sqrt(count)));
  Mesh all;
  for (int k = 0; k < count; ++k) {
    const auto first = static_cast<Index>(all.positions.size());
    for (const Vec3& p : box.positions) all.add_vertex(p + Vec3(2 * (k % side), 2 * (k / side), 0));
    for (Index f = 0; f < box.face_count(); ++f) {
      std::vector<Index> ring;
      for (Index v : box.face(f)) ring.push_back(first + v);
      all.add_face(ring);
    }
  }
  return all;
}

Mesh double_cone(int sides) {
  Mesh mesh;
  const Index low = mesh.add_vertex({0, 0, -10}), high = mesh.add_vertex({0, 0, 10});
  for (int k = 0; k < sides; ++k) {
    const double angle = 2 * std::numbers::pi * k / sides;
    mesh.add_vertex({10 * std::cos(angle), 10 * std::sin(angle), 0});
  }
  for (int k = 0; k < sides; ++k) {
    const Index v = 2 + static_cast<Index>(k), w = 2 + static_cast<Index>((k + 1) % sides);
    mesh.add_face({v, w, high});
    mesh.add_face({w, v, low});
  }
  return mesh;
}

Mesh shuffled_with_stray(unsigned seed) {
  const Mesh ball = stock("icosphere", {50, 6});
  std::vector<Index> order(ball.face_count());
  for (Index f = 0; f < order.size(); ++f) order[f] = f;
  std::shuffle(order.begin(), order.end(), std::mt19937(seed));
  Mesh mesh;
  mesh.positions = ball.positions;
  for (Index f : order) mesh.add_face({ball.face(f)[0], ball.face(f)[1], ball.face(f)[2]});
  append(mesh, placed(stock("box", {1, 1, 1}), {1e5, 0, 0}));
  return mesh;
}

Mesh wound_cube(int times) {
  const Mesh cube = stock("box", {1, 1, 1});
  Mesh mesh;
  mesh.positions = cube.positions;
  for (Index f = 0; f < cube.face_count(); ++f) {
    std::vector<Index> ring;
    for (int k = 0; k < (f == 0 ? times : 1); ++k) ring.insert(ring.end(), cube.face(f).begin(), cube.face(f).end());
    mesh.add_face(ring);
  }
  return mesh;
}

/// A prism of height 5 whose corners lie by turns at two radii.
static Mesh prism_by_turns(int corners, double radius, double next_radius) {
  Mesh mesh;
  const auto n = static_cast<Index>(corners);
  std::vector<Index> bottom, top;
  for (double z : {0.0, 5.0})
    for (Index k = 0; k < n; ++k) {
      const double r = k % 2 == 0 ? radius : next_radius, angle = 2 * std::numbers::pi * k / n;
      mesh.add_vertex({r * std::cos(angle), r * std::sin(angle), z});
    }
  for (Index k = 0; k < n; ++k) {
    bottom.push_back(n - 1 - k);
    top.push_back(n + k);
    mesh.add_face({k, (k + 1) % n, n + (k + 1) % n, n + k});
  }
  mesh.add_face(bottom);
  mesh.add_face(top);
  return mesh;
}
Mesh toothed_wheel(int corners) { return prism_by_turns(corners, 20, 19); }
Mesh long_rimmed_prism(int sides) { return prism_by_turns(sides, 10, 10); }

Mesh ragged_tube(int around, unsigned seed) {
  Dice dice(seed);
  Mesh mesh;
  std::vector<Index> base;
  for (int k = 0; k < around; ++k) {
    const double angle = 2 * std::numbers::pi * k / around;
    base.push_back(mesh.add_vertex({20 * std::cos(angle), 20 * std::sin(angle), 0}));
  }
  for (int k = 0; k < around; ++k) mesh.add_vertex(mesh.positions[base[static_cast<std::size_t>(k)]] + Vec3(0, 0, 20 + dice.between(-0.01, 0.01)));
  const auto n = static_cast<Index>(around);
  for (Index k = 0; k < n; ++k) {
    const Index next = (k + 1) % n;
    mesh.add_face({k, next, n + next});
    mesh.add_face({k, n + next, n + k});
  }
  std::reverse(base.begin(), base.end());
  mesh.add_face(base);
  return mesh;
}

}  // namespace anvil::test
