// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/regions.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <numeric>
#include <optional>

#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/union_find.h"

namespace anvil {
namespace {

struct Shape {
  std::vector<Vec3> normals;  ///< of length 1
  std::vector<double> areas;
};

Shape shape_of(const Mesh& mesh) {
  Shape shape{std::vector<Vec3>(mesh.face_count()), std::vector<double>(mesh.face_count())};
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    const Vec3 normal = newell_normal(mesh.positions, mesh.face(f));
    shape.areas[f] = normal.norm() / 2;
    shape.normals[f] = normal.stableNormalized();
  }
  return shape;
}

/// Numbers from 1, the largest first; of equal ones that with the first face.
std::vector<Index> by_size(const std::vector<Index>& group, Index count, const std::vector<double>& areas) {
  std::vector<double> size(count, 0);
  for (std::size_t f = 0; f < group.size(); ++f) size[group[f]] += areas[f];
  std::vector<Index> order(count), number(count), numbers(group.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return size[a] > size[b] * (1 + 1e-9); });
  for (Index k = 0; k < count; ++k) number[order[k]] = k + 1;
  for (std::size_t f = 0; f < group.size(); ++f) numbers[f] = number[group[f]];
  return numbers;
}

}  // namespace

std::vector<Index> regions_by_angle(const Mesh& mesh, double sharper_than, std::size_t least) {
  const EdgeTable edges = build_edges(mesh);
  const Shape shape = shape_of(mesh);
  const double cosine = std::cos(sharper_than * std::numbers::pi / 180) - 1e-12;
  UnionFind joined(mesh.face_count());
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    if (uses.size() != 2) continue;
    const Index f = edges.corner_face[uses[0]], g = edges.corner_face[uses[1]];
    // A face without area turns nowhere.
    if (shape.areas[f] == 0 || shape.areas[g] == 0 || shape.normals[f].dot(shape.normals[g]) >= cosine) joined.unite(f, g);
  }
  std::vector<Index> group;
  Index count = joined.number(group);
  for (bool changed = least > 1; changed;) {
    changed = false;
    std::vector<std::size_t> faces(count, 0);
    for (Index g : group) ++faces[g];
    std::vector<std::map<Index, double>> border(count);
    for (Index e = 0; e < edges.size(); ++e) {
      const auto uses = edges.corners_of(e);
      if (uses.size() != 2) continue;
      const Index f = group[edges.corner_face[uses[0]]], g = group[edges.corner_face[uses[1]]];
      if (f == g) continue;
      const double length = (mesh.positions[edges.vertices[e][0]] - mesh.positions[edges.vertices[e][1]]).norm();
      border[f][g] += length;
      border[g][f] += length;
    }
    UnionFind merged(count);
    for (Index g = 0; g < count; ++g) {
      if (faces[g] >= least || border[g].empty()) continue;
      const auto most = std::max_element(border[g].begin(), border[g].end(), [](const auto& a, const auto& b) { return a.second < b.second; });
      merged.unite(g, most->first);
      changed = true;
    }
    if (!changed) break;
    std::vector<Index> now;
    count = merged.number(now);
    for (Index& g : group) g = now[g];
  }
  return by_size(group, count, shape.areas);
}

std::vector<Index> region_numbers(const Mesh& mesh) { return mesh.regions.empty() ? regions_by_angle(mesh, usual_sharp_angle) : mesh.regions; }

std::vector<Region> regions_of(const Mesh& mesh, const std::vector<Index>& numbers) {
  const TriangleList list = triangulate(mesh);
  struct Piece {
    Vec3 middle, normal;
    double area;
  };
  std::map<Index, std::vector<Piece>> pieces;
  std::map<Index, Region> regions;
  for (std::size_t f = 0; f < numbers.size(); ++f)
    if (numbers[f] != 0) ++regions[numbers[f]].faces;
  for (std::size_t t = 0; t < list.triangles.size(); ++t) {
    const Index number = numbers[list.face[t]];
    if (number == 0) continue;
    const auto& [a, b, c] = list.triangles[t];
    const Vec3 normal = (mesh.positions[b] - mesh.positions[a]).cross(mesh.positions[c] - mesh.positions[a]);
    pieces[number].push_back({(mesh.positions[a] + mesh.positions[b] + mesh.positions[c]) / 3, normal.stableNormalized(), normal.norm() / 2});
  }
  std::vector<Region> all;
  for (auto& [number, region] : regions) {
    region.number = number;
    const std::vector<Piece>& own = pieces[number];
    Vec3 sum = Vec3::Zero();
    for (const Piece& piece : own) region.area += piece.area, sum += piece.area * piece.middle;
    // Slivers are no places: a tenth of what each has on average is asked for.
    const double least = 0.1 * region.area / static_cast<double>(std::max<std::size_t>(own.size(), 1));
    std::vector<double> away(own.size());
    for (std::size_t k = 0; k < own.size(); ++k) away[k] = region.area > 0 ? (own[k].middle - sum / region.area).squaredNorm() : 0;
    constexpr std::size_t most = 8;
    for (std::size_t n = 0; n < std::min(most, own.size()); ++n) {
      std::optional<std::size_t> best;
      for (std::size_t k = 0; k < own.size(); ++k)
        if (own[k].area >= least && (!best || (n == 0 ? away[k] < away[*best] : away[k] > away[*best]))) best = k;
      if (!best) break;
      if (n == 0) region.place = own[*best].middle, region.normal = own[*best].normal;
      region.places.push_back(own[*best].middle);
      for (std::size_t k = 0; k < own.size(); ++k) {
        const double now = (own[k].middle - own[*best].middle).squaredNorm();
        away[k] = n == 0 ? now : std::min(away[k], now);
      }
    }
    all.push_back(std::move(region));
  }
  return all;
}

}  // namespace anvil
