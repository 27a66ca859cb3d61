// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/drawable.h"

#include <meshoptimizer.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <bit>

#include "core/mesh/cloud.h"
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
  if (stop.stop_requested()) throw Stopped{};
  // Open edges first, then creases, then those where the surface bends a little: each knows its place before any is written.
  enum Kind : char { open, crease_edge, smooth, none };
  constexpr std::size_t block = 8192;
  const std::size_t blocks = (edges.size() + block - 1) / block;
  const auto normals_of = [&](std::size_t e) {
    const auto uses = edges.corners_of(e);
    return std::pair<const Vec3&, const Vec3&>(normals[edges.corner_face[uses[0]]], normals[edges.corner_face[uses[uses.size() - 1]]]);
  };
  std::vector<Kind> kinds(edges.size());
  std::vector<std::array<std::size_t, 3>> place(blocks + 1, {0, 0, 0});
  tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t k) {
    for (std::size_t e = k * block; e < std::min(edges.size(), (k + 1) * block); ++e) {
      const auto [n, m] = normals_of(e);
      const double cosine = n.dot(m);
      kinds[e] = edges.corners_of(e).size() != 2 ? open : cosine > coplanar ? none : cosine < crease ? crease_edge : smooth;
      if (kinds[e] != none) ++place[k + 1][static_cast<std::size_t>(kinds[e])];
    }
  });
  for (std::size_t k = 1; k <= blocks; ++k)
    for (std::size_t kind = 0; kind < 3; ++kind) place[k][kind] += place[k - 1][kind];
  drawable.open_count = place[blocks][open];
  drawable.crease_count = drawable.open_count + place[blocks][crease_edge];
  drawable.edges.resize(drawable.crease_count + place[blocks][smooth]);
  const std::array<std::size_t, 3> begin{0, drawable.open_count, drawable.crease_count};
  tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t k) {
    std::array<std::size_t, 3> next = place[k];
    for (std::size_t e = k * block; e < std::min(edges.size(), (k + 1) * block); ++e) {
      if (kinds[e] == none) continue;
      const auto kind = static_cast<std::size_t>(kinds[e]);
      const auto [n, m] = normals_of(e);
      DrawnEdge& edge = drawable.edges[begin[kind] + next[kind]++];
      store(mesh.positions[edges.vertices[e][0]] - drawable.centre, edge.a);
      store(mesh.positions[edges.vertices[e][1]] - drawable.centre, edge.b);
      store(n, edge.normal_a);
      store(m, edge.normal_b);
      edge.kind = static_cast<float>(2 - static_cast<int>(kind));
    }
  });
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

/// Points in an order in which any so many from the first on are spread evenly: as they lie along a curve, the first of every so many before the others.
Drawable drawable_of_cloud(const Mesh& mesh, const std::stop_token& stop) {
  Drawable drawable;
  drawable.box = bounds(mesh);
  drawable.centre = drawable.box.centre();
  const std::size_t count = mesh.positions.size();
  const PointTree tree(mesh.positions);
  const double spacing = spacing_of(mesh.positions, tree);
  if (stop.stop_requested()) throw Stopped{};
  drawable.point_size = static_cast<float>(spacing);
  drawable.two_sided = mesh.normals.empty();
  const std::vector<Vec3> rough = mesh.normals.empty() ? rough_normals(mesh.positions, spacing, stop) : std::vector<Vec3>();
  const std::vector<Vec3>& normals = mesh.normals.empty() ? rough : mesh.normals;
  std::vector<Triangle> dots(count);
  for (Index k = 0; k < count; ++k) dots[k] = {k, k, k};
  const std::vector<Index> along = morton_order(mesh.positions, dots);
  std::vector<Index> order;
  order.reserve(count);
  std::size_t stride = std::bit_ceil(count);
  for (order.push_back(along[0]); stride > 1; stride /= 2)
    for (std::size_t k = stride / 2; k < count; k += stride) order.push_back(along[k]);
  drawable.positions.resize(3 * count);
  drawable.shade.resize(4 * count);
  for (std::size_t k = 0; k < count; ++k) {
    store(mesh.positions[order[k]] - drawable.centre, drawable.positions.data() + 3 * k);
    for (std::size_t axis = 0; axis < 3; ++axis) drawable.shade[4 * k + axis] = static_cast<std::int8_t>(std::lround(127 * normals[order[k]][static_cast<Eigen::Index>(axis)]));
  }
  if (stop.stop_requested()) throw Stopped{};
  return drawable;
}

}  // namespace

bool Drawable::is_heavy() const { return !proxy.empty() || point_count() > points_moving; }

Drawable make_drawable(const Mesh& mesh, const std::stop_token& stop, std::span<const std::array<Index, 2>> fresh_edges,
                       const OneWay* deviation) {
  if (mesh.cloud) return drawable_of_cloud(mesh, stop);
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
  drawable.triangles.reserve(3 * list.size());
  for (const Triangle& t : list) drawable.triangles.insert(drawable.triangles.end(), t.begin(), t.end());
  tbb::parallel_invoke([&] { drawable.tree = std::make_shared<const Bvh>(mesh.positions, list); }, [&] { collect_edges(mesh, drawable, stop); });
  if (stop.stop_requested()) throw Stopped{};
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
