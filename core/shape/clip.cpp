// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/clip.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/boolean/polygons.h"
#include "core/mesh/sub_mesh.h"
#include "core/mesh/triangulate.h"

namespace anvil {
namespace {

class Clipper {
 public:
  Clipper(const Mesh& mesh, const HalfSpace& plane, double tolerance) : mesh_(mesh), points_(mesh.positions) {
    for (double height : plane.heights(mesh)) height_.push_back(std::abs(height) <= tolerance ? 0 : height);
  }

  Clipped run() {
    for (Index f = 0; f < mesh_.face_count(); ++f) {
      double lowest = 0, highest = 0;
      for (Index v : mesh_.face(f)) lowest = std::min(lowest, height_[v]), highest = std::max(highest, height_[v]);
      if (lowest < 0 && highest > 0)
        cut(f);
      else
        keep(mesh_.face(f), f, highest > 0);
    }
    cut_.positions = points_;
    carry_attributes(mesh_, face_, cut_);
    auto sides = take_apart(cut_, side_, 2);
    Clipped clipped{std::move(sides[1].mesh), std::move(sides[0].mesh), {}, {}};
    for (Index f : sides[1].faces) clipped.above_face.push_back(face_[f]);
    for (Index f : sides[0].faces) clipped.below_face.push_back(face_[f]);
    return clipped;
  }

 private:
  void keep(std::span<const Index> ring, Index face, bool above) {
    cut_.add_face(ring);
    face_.push_back(face);
    side_.push_back(above ? 1 : 0);
  }

  /// The point where the edge between a vertex above and one below meets the plane.
  Index crossing(Index v, Index w) {
    const auto key = std::minmax(v, w);
    const auto [it, is_new] = crossings_.try_emplace({key.first, key.second}, static_cast<Index>(points_.size()));
    if (is_new) {
      const Vec3 &p = points_[key.first], &q = points_[key.second];
      const double a = std::abs(height_[key.first]), b = std::abs(height_[key.second]);
      points_.push_back((p * b + q * a) / (a + b));
    }
    return it->second;
  }

  void cut(Index f) {
    const auto ring = mesh_.face(f);
    std::map<std::pair<Index, Index>, int> boundary;
    for (std::size_t k = 0; k < ring.size(); ++k) ++boundary[std::minmax(ring[k], ring[(k + 1) % ring.size()])];
    std::vector<Index> on_diagonals;  // crossings that only this face needs
    std::vector<Triangle> pieces[2];
    std::vector<Index> origin[2];
    const auto triangles = triangulate(mesh_.positions, ring);
    for (Index t = 0; t < triangles.size(); ++t) {
      std::vector<Index> part[2];
      for (int k = 0; k < 3; ++k) {
        const Index v = triangles[t][static_cast<std::size_t>(k)], w = triangles[t][static_cast<std::size_t>((k + 1) % 3)];
        if (height_[v] >= 0) part[1].push_back(v);
        if (height_[v] <= 0) part[0].push_back(v);
        if (height_[v] * height_[w] < 0) {
          const Index x = crossing(v, w);
          part[0].push_back(x);
          part[1].push_back(x);
          if (!boundary.contains(std::minmax(v, w))) on_diagonals.push_back(x);
        }
      }
      for (int side = 0; side < 2; ++side) {
        // A side that the triangle only touches gets nothing of it.
        const bool reaches = std::any_of(triangles[t].begin(), triangles[t].end(),
                                         [&](Index v) { return side == 1 ? height_[v] > 0 : height_[v] < 0; });
        const bool in_plane = std::all_of(triangles[t].begin(), triangles[t].end(), [&](Index v) { return height_[v] == 0; });
        if (!reaches && !(in_plane && side == 0)) continue;
        for (std::size_t k = 1; k + 1 < part[side].size(); ++k) {
          pieces[side].push_back({part[side][0], part[side][k], part[side][k + 1]});
          origin[side].push_back(t);
        }
      }
    }
    for (int side = 0; side < 2; ++side) {
      const std::vector<unsigned char> kept(pieces[side].size(), 0);
      for (boolean::Joined& joined : boolean::join_triangles(points_, pieces[side], kept, origin[side])) {
        std::vector<Index> straight = joined.ring;
        std::erase_if(straight, [&](Index v) { return std::find(on_diagonals.begin(), on_diagonals.end(), v) != on_diagonals.end(); });
        keep(straight.size() >= 3 ? straight : joined.ring, f, side == 1);
      }
    }
  }

  const Mesh& mesh_;
  std::vector<Vec3> points_;
  std::vector<double> height_;  // of the mesh's own vertices; 0 on the plane
  std::map<std::pair<Index, Index>, Index> crossings_;
  Mesh cut_;
  std::vector<Index> face_, side_;
};

}  // namespace

Clipped clip(const Mesh& mesh, const HalfSpace& plane, double tolerance) { return Clipper(mesh, plane, tolerance).run(); }

}  // namespace anvil
