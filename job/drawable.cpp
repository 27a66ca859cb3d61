// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/drawable.h"

#include <meshoptimizer.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include "core/mesh/edges.h"

namespace anvil {
namespace {

void store(const Vec3& v, float* out) {
  for (int k = 0; k < 3; ++k) out[k] = static_cast<float>(v[k]);
}

void collect_edges(const Mesh& mesh, Drawable& drawable, const std::stop_token& stop) {
  constexpr double crease = 0.93969262;   // cos 20°
  constexpr double coplanar = 0.9999996;  // cos 0.05°
  const EdgeTable edges = build_edges(mesh);
  std::vector<Vec3> normals(mesh.face_count());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, normals.size(), 4096), [&](const auto& range) {
    for (std::size_t f = range.begin(); f < range.end(); ++f)
      normals[f] = newell_normal(mesh.positions, mesh.face(f)).stableNormalized();
  });
  for (std::size_t e = 0; e < edges.size(); ++e) {
    if (e % 65536 == 0 && stop.stop_requested()) throw Stopped{};
    const auto uses = edges.corners_of(e);
    const Vec3& n = normals[edges.corner_face[uses[0]]];
    const Vec3& m = normals[edges.corner_face[uses[uses.size() - 1]]];
    const double cosine = n.dot(m);
    if (uses.size() == 2 && cosine > coplanar) continue;
    DrawnEdge edge;
    store(mesh.positions[edges.vertices[e][0]] - drawable.centre, edge.a);
    store(mesh.positions[edges.vertices[e][1]] - drawable.centre, edge.b);
    store(n, edge.normal_a);
    store(m, edge.normal_b);
    edge.kind = uses.size() != 2 ? 2.0F : cosine < crease ? 1.0F : 0.0F;
    drawable.edges.push_back(edge);
  }
  auto& list = drawable.edges;
  const auto creases =
      std::stable_partition(list.begin(), list.end(), [](const DrawnEdge& e) { return e.kind > 1; });
  const auto smooth =
      std::stable_partition(creases, list.end(), [](const DrawnEdge& e) { return e.kind > 0; });
  drawable.open_count = static_cast<std::size_t>(creases - list.begin());
  drawable.crease_count = static_cast<std::size_t>(smooth - list.begin());
}

/// Where the middle of a triangle lies farther off than its corners, as in the flat face over a hole, it gets corners of its
/// own that say so.
void show_inside_of_triangles(const OneWay& deviation, Drawable& drawable) {
  for (std::size_t t = 0; t < drawable.triangle_list.triangles.size(); ++t) {
    const Triangle& corners = drawable.triangle_list.triangles[t];
    float most = 0;
    for (Index v : corners) most = std::max(most, deviation.at_vertex[v]);
    if (deviation.in_triangle[t] <= most + 1e-3F * drawable.max_deviation) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      drawable.triangles[3 * t + k] = static_cast<std::uint32_t>(drawable.positions.size() / 3);
      for (std::size_t axis = 0; axis < 3; ++axis) drawable.positions.push_back(drawable.positions[3 * corners[k] + axis]);
      drawable.deviation.push_back(deviation.in_triangle[t]);
    }
  }
}

}  // namespace

Drawable make_drawable(const Mesh& mesh, const std::stop_token& stop, std::span<const std::array<Index, 2>> fresh_edges,
                       const OneWay* deviation) {
  Drawable drawable;
  if (deviation != nullptr) {
    drawable.deviation = deviation->at_vertex;
    drawable.max_deviation = static_cast<float>(deviation->max);
  }
  drawable.box = bounds(mesh);
  drawable.centre = drawable.box.centre();
  drawable.positions.resize(3 * mesh.positions.size());
  for (std::size_t v = 0; v < mesh.positions.size(); ++v)
    store(mesh.positions[v] - drawable.centre, drawable.positions.data() + 3 * v);
  drawable.triangle_list = triangulate(mesh);
  if (stop.stop_requested()) throw Stopped{};
  const auto& list = drawable.triangle_list.triangles;
  for (const Triangle& t : list) drawable.triangles.insert(drawable.triangles.end(), t.begin(), t.end());
  drawable.tree = std::make_shared<const Bvh>(mesh.positions, list);
  if (stop.stop_requested()) throw Stopped{};
  collect_edges(mesh, drawable, stop);
  for (const auto& [a, b] : fresh_edges) {
    DrawnEdge edge{};
    store(mesh.positions[a] - drawable.centre, edge.a);
    store(mesh.positions[b] - drawable.centre, edge.b);
    edge.kind = 1;
    drawable.fresh.push_back(edge);
  }
  if (list.size() > proxy_threshold) {
    constexpr std::size_t target = 3 * 60'000;
    std::vector<std::uint32_t>& light = drawable.proxy;
    light.resize(drawable.triangles.size());
    light.resize(meshopt_simplifySloppy(light.data(), drawable.triangles.data(), drawable.triangles.size(),
                                        drawable.positions.data(), mesh.positions.size(), 3 * sizeof(float),
                                        target, 1.0F, nullptr));
    // Its vertices once more, close together and in the order of use: a software renderer fetches what lies
    // between them as well.
    meshopt_optimizeVertexCache(light.data(), light.data(), light.size(), mesh.positions.size());
    if (deviation != nullptr) {
      std::vector<unsigned> place(mesh.positions.size());
      const std::size_t used = meshopt_optimizeVertexFetchRemap(place.data(), light.data(), light.size(), place.size());
      drawable.deviation.resize(place.size() + used);
      for (std::size_t v = 0; v < place.size(); ++v)
        if (place[v] != ~0u) drawable.deviation[place.size() + place[v]] = deviation->at_vertex[v];
    }
    std::vector<float> own(drawable.positions.size());
    own.resize(3 * meshopt_optimizeVertexFetch(own.data(), light.data(), light.size(),
                                               drawable.positions.data(), mesh.positions.size(),
                                               3 * sizeof(float)));
    for (std::uint32_t& index : light) index += static_cast<std::uint32_t>(mesh.positions.size());
    drawable.positions.insert(drawable.positions.end(), own.begin(), own.end());
    drawable.proxy.shrink_to_fit();
  }
  if (deviation != nullptr) show_inside_of_triangles(*deviation, drawable);
  return drawable;
}

}  // namespace anvil
