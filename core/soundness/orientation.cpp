// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/exact/predicates.h"
#include "core/exact/volume.h"
#include "core/mesh/orient.h"
#include "core/mesh/winding.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// One patch: faces that hang together over edges with exactly two faces.
struct Patch {
  std::vector<Triangle> triangles;  // turned to agree with the patch's first face
  std::vector<Index> faces;
  Box3 box;
  double volume = 0;  // signed, after turning; about the centre of the box
  double area = 0;
  std::size_t turned = 0;  // faces that disagree with the first one
  bool rim_open = false, rim_non_manifold = false;
  bool closed() const { return !rim_open && !rim_non_manifold; }
};

std::vector<Patch> collect_patches(const Analysis& a, const std::vector<char>& parity) {
  std::vector<Patch> patches(a.patches);
  for (Index f = 0; f < a.mesh.face_count(); ++f) {
    Patch& patch = patches[a.patch[f]];
    patch.faces.push_back(f);
    patch.turned += static_cast<std::size_t>(parity[f]);
    for (Index v : a.mesh.face(f)) patch.box.add(a.mesh.positions[v]);
  }
  for (std::size_t i = 0; i < a.triangles.triangles.size(); ++i) {
    const Index f = a.triangles.face[i];
    Triangle t = a.triangles.triangles[i];
    if (parity[f]) std::swap(t[1], t[2]);
    Patch& patch = patches[a.patch[f]];
    patch.triangles.push_back(t);
    const Vec3 origin = patch.box.centre();
    const Vec3 p = a.mesh.positions[t[0]] - origin, q = a.mesh.positions[t[1]] - origin,
               r = a.mesh.positions[t[2]] - origin;
    patch.volume += p.dot(q.cross(r)) / 6;
    patch.area += (q - p).cross(r - p).norm() / 2;
  }
  for (Index e = 0; e < a.edges.size(); ++e) {
    const auto uses = a.edges.corners_of(e);
    if (uses.size() == 2) continue;
    for (Index c : uses) {
      Patch& patch = patches[a.patch[a.edges.corner_face[c]]];
      (uses.size() == 1 ? patch.rim_open : patch.rim_non_manifold) = true;
    }
  }
  return patches;
}

/// Is a point inside closed triangles? By a line along an axis, exact; nothing when the point lies on one of
/// them or no line misses all their edges.
std::optional<bool> is_inside(const std::vector<Vec3>& points, const std::vector<Triangle>& triangles,
                              const Vec3& p) {
  for (int axis = 0; axis < 3; ++axis) {
    const Projection plane{(axis + 1) % 3, (axis + 2) % 3};
    int winding = 0;
    bool clear = true;
    for (const Triangle& t : triangles) {
      const Vec3 &a = points[t[0]], &b = points[t[1]], &c = points[t[2]];
      const Vec3 lo = a.cwiseMin(b).cwiseMin(c), hi = a.cwiseMax(b).cwiseMax(c);
      if (p[plane.u] < lo[plane.u] || p[plane.u] > hi[plane.u] || p[plane.v] < lo[plane.v] ||
          p[plane.v] > hi[plane.v])
        continue;
      const int sides[] = {orient2d(plane(a), plane(b), plane(p)), orient2d(plane(b), plane(c), plane(p)),
                           orient2d(plane(c), plane(a), plane(p))};
      const auto [least, most] = std::minmax({sides[0], sides[1], sides[2]});
      if (least < 0 && most > 0) continue;
      if (least == 0 || most == 0) {
        clear = false;
        break;
      }
      const int facing = least, side = orient3d(a, b, c, p);
      if (side == 0) return std::nullopt;
      if (side * facing < 0) winding += facing;
    }
    if (clear) return winding != 0;
  }
  return std::nullopt;
}

/// Does closed patch `outer` enclose `inner`? Judged at a corner that does not lie on the other's surface.
bool encloses(const Analysis& a, const Patch& outer, const Patch& inner) {
  if ((inner.box.lo.array() < outer.box.lo.array()).any() ||
      (inner.box.hi.array() > outer.box.hi.array()).any())
    return false;
  const std::size_t step = std::max<std::size_t>(1, inner.triangles.size() / 4);
  for (std::size_t i = 0; i < inner.triangles.size(); i += step) {
    const double w =
        std::abs(winding_number(a.mesh.positions, outer.triangles, a.mesh.positions[inner.triangles[i][0]]));
    if (std::abs(w - std::round(w)) < 1e-6) return w > 0.5;  // on the surface it is a share of the full angle
  }
  for (const Triangle& t : inner.triangles)
    for (Index v : t)
      if (const auto exact = is_inside(a.mesh.positions, outer.triangles, a.mesh.positions[v])) return *exact;
  return false;  // on the other's surface all over
}

/// A wall hangs on non-manifold edges and has the rest of the mesh's inside on both of its sides.
bool is_wall(const Analysis& a, const std::vector<Patch>& patches, std::size_t candidate) {
  const Patch& patch = patches[candidate];
  const Triangle* largest = nullptr;
  double most = 0;
  for (const Triangle& t : patch.triangles) {
    const Vec3& p = a.mesh.positions[t[0]];
    const double area = (a.mesh.positions[t[1]] - p).cross(a.mesh.positions[t[2]] - p).norm();
    if (area > most) {
      most = area;
      largest = &t;
    }
  }
  if (largest == nullptr) return false;
  const Vec3 &p = a.mesh.positions[(*largest)[0]], &q = a.mesh.positions[(*largest)[1]],
             &r = a.mesh.positions[(*largest)[2]];
  const Vec3 step = 1e-4 * std::sqrt(most) * (q - p).cross(r - p).normalized();
  const Vec3 centre = (p + q + r) / 3;
  double front = 0, back = 0;
  for (std::size_t k = 0; k < patches.size(); ++k) {
    a.check_stop();
    // Patches with the very same outline of faces (a wall that came in twice) belong to the wall.
    const bool twin = patches[k].triangles.size() == patch.triangles.size() && patches[k].rim_non_manifold &&
                      patches[k].box.lo == patch.box.lo && patches[k].box.hi == patch.box.hi;
    if (k == candidate || twin) continue;
    front += winding_number(a.mesh.positions, patches[k].triangles, centre + step);
    back += winding_number(a.mesh.positions, patches[k].triangles, centre - step);
  }
  return std::abs(front) > 0.5 && std::abs(back) > 0.5;
}

Orientation orientation_of(const Analysis& a) {
  Orientation found;
  // Faces that must be turned over to agree with the first of their patch.
  const std::vector<char> parity = a.inconsistent_edge_count == 0
                                       ? std::vector<char>(a.mesh.face_count(), 0)
                                       : orient_patches(a.mesh, a.edges).against_first;
  a.check_stop();
  const std::vector<Patch> patches = collect_patches(a, parity);

  std::vector<std::size_t> closed_by_size;
  for (std::size_t k = 0; k < patches.size(); ++k)
    if (patches[k].closed()) closed_by_size.push_back(k);
  std::stable_sort(closed_by_size.begin(), closed_by_size.end(), [&](std::size_t x, std::size_t y) {
    return std::abs(patches[x].volume) > std::abs(patches[y].volume);
  });

  // turn_first[k]: the patch's first face (and all that agree with it) has to be turned over.
  std::vector<char> turn_first(patches.size(), 0);
  std::vector<int> corrected(patches.size(), 0);
  for (std::size_t rank = 0; rank < closed_by_size.size(); ++rank) {
    const std::size_t k = closed_by_size[rank];
    const Patch& patch = patches[k];
    int around = 0;  // winding number just outside this shell
    for (std::size_t earlier = 0; earlier < rank; ++earlier) {
      a.check_stop();
      if (encloses(a, patches[closed_by_size[earlier]], patch)) around += corrected[closed_by_size[earlier]];
    }
    // Shells of a few units in the last place are told exactly.
    const double size = patch.box.diagonal(),
                 reach = std::max(patch.box.lo.cwiseAbs().maxCoeff(), patch.box.hi.cwiseAbs().maxCoeff());
    const bool thin =
        std::abs(patch.volume) < 1e-14 * static_cast<double>(patch.triangles.size()) * size * size * reach;
    const int sign = (thin               ? volume_sign(a.mesh.positions, patch.triangles)
                      : patch.volume < 0 ? -1
                                         : 1) < 0
                         ? -1
                         : 1;
    const bool mostly_first = 2 * patch.turned <= patch.faces.size();
    const int as_stored = mostly_first ? sign : -sign;  // sign of the orientation that most faces have
    int wanted = 1;
    if (around > 0) {
      wanted = as_stored;
      if (wanted > 0) {
        found.walls.push_back(
            {patch.faces, fmt::format("shell of {} faces inside another, not a cavity", patch.faces.size())});
      }
    }
    corrected[k] = wanted;
    turn_first[k] = sign != wanted;
  }
  for (std::size_t k = 0; k < patches.size(); ++k) {
    const Patch& patch = patches[k];
    if (patch.closed()) continue;
    const bool has_inside = std::abs(patch.volume) > 1e-3 * patch.area * patch.box.diagonal();
    turn_first[k] = has_inside ? patch.volume < 0 : 2 * patch.turned > patch.faces.size();
    if (patch.rim_non_manifold && !patch.rim_open && is_wall(a, patches, k)) {
      found.walls.push_back(
          {patch.faces, fmt::format("wall of {} faces with material on both sides", patch.faces.size())});
    }
  }
  for (Index f = 0; f < a.mesh.face_count(); ++f)
    if ((parity[f] != 0) != (turn_first[a.patch[f]] != 0)) found.flipped.push_back(f);
  return found;
}

}  // namespace

const Orientation& Analysis::orientation() const {
  tbb::collaborative_call_once(orientation_once_, [this] { orientation_ = orientation_of(*this); });
  return orientation_;
}

}  // namespace anvil
