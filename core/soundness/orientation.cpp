// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <optional>

#include "core/exact/predicates.h"
#include "core/exact/volume.h"
#include "core/mesh/orient.h"
#include "core/mesh/winding.h"
#include "core/query/line_winding.h"
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
  Vec3 facing = Vec3::Zero();  // sum of the area vectors; nothing for a closed one
  mutable std::unique_ptr<WindingTree> tree = nullptr;  // these are made when asked for
  mutable std::vector<Index> corner_places;
  std::size_t turned = 0;  // faces that disagree with the first one
  bool rim_open = false, rim_non_manifold = false;
  bool closed() const { return !rim_open && !rim_non_manifold; }
  /// One that is not closed may be open so far that it bounds nothing.
  bool has_inside() const { return closed() || (facing.norm() < 0.6 * area && std::abs(volume) > 1e-3 * area * box.diagonal()); }
  /// Positions of its corners, in order.
  const std::vector<Index>& places(const Analysis& a) const {
    if (!corner_places.empty()) return corner_places;
    for (const Triangle& t : triangles)
      for (Index v : t) corner_places.push_back(a.positions.id[v]);
    std::sort(corner_places.begin(), corner_places.end());
    return corner_places;
  }
  double winding(const std::vector<Vec3>& positions, const Vec3& point) const {
    if (tree == nullptr) tree = std::make_unique<WindingTree>(positions, triangles);
    return (*tree)(point);
  }
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
    const Vec3 area = (q - p).cross(r - p) / 2;
    patch.area += area.norm();
    patch.facing += area;
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

/// Which patches enclose which. One that is closed is asked exactly, at a corner or else at the middle of a triangle that does not
/// lie on it, whatever the order of faces; one that is open by most of the full angle.
class Enclosures {
 public:
  Enclosures(const Analysis& a, const std::vector<Patch>& patches) : a_(a), patches_(patches) {
    for (Index k = 0; k < patches.size(); ++k) {
      if (!patches[k].has_inside()) continue;
      const auto first = static_cast<Index>(corners_.size());
      corners_.insert(corners_.end(), {patches[k].box.lo, patches[k].box.hi});
      boxes_.push_back({first, first + 1, first});
      of_box_.push_back(k);
    }
    tree_.emplace(corners_, boxes_);
  }

  /// The patches that enclose patch k.
  std::vector<Index> around(Index k) {
    if (patches_[k].triangles.empty()) return {};  // nothing but faces of zero area
    const Box3& box = patches_[k].box;
    std::vector<Index> enclosing, closed;
    tree_->for_each_overlapping(Box3{box.lo, box.lo}, [&](Index i) {
      const Patch& other = patches_[of_box_[i]];
      if (of_box_[i] == k || (box.lo.array() < other.box.lo.array()).any() || (box.hi.array() > other.box.hi.array()).any()) return true;
      if (other.closed())
        closed.push_back(of_box_[i]);
      else if (std::abs(other.winding(a_.mesh.positions, first_corner(patches_[k]))) > 0.5)
        enclosing.push_back(of_box_[i]);
      return true;
    });
    a_.check_stop();
    if (!closed.empty()) ask_closed(k, std::move(closed), enclosing);
    return enclosing;
  }

 private:
  static bool before(const Vec3& p, const Vec3& q) { return std::lexicographical_compare(p.begin(), p.end(), q.begin(), q.end()); }
  const Vec3& first_corner(const Patch& patch) const {
    const Vec3* first = &a_.mesh.positions[patch.triangles[0][0]];
    for (const Triangle& t : patch.triangles)
      for (Index v : t)
        if (before(a_.mesh.positions[v], *first)) first = &a_.mesh.positions[v];
    return *first;
  }

  /// Takes those of `open` that are decided at a place, and keeps those on which the place lies.
  void decide(const std::vector<LineWinding::Around>& around, std::vector<Index>& open, std::vector<Index>& enclosing) const {
    std::erase_if(open, [&](Index k) {
      const auto found = std::lower_bound(around.begin(), around.end(), k, [](const LineWinding::Around& one, Index surface) { return one.surface < surface; });
      if (found == around.end() || found->surface != k) return true;
      if (!found->on && found->winding != 0) enclosing.push_back(k);
      return !found->on;
    });
  }

  void ask_closed(Index k, std::vector<Index> open, std::vector<Index>& enclosing) {
    const Patch& patch = patches_[k];
    const std::vector<Vec3>& points = a_.mesh.positions;
    const LineWinding& lines = surfaces();
    decide(lines.around(first_corner(patch)), open, enclosing);
    if (open.empty()) return;
    // It touches these there; where it has all its corners on another, the middle of a triangle lies beside it.
    std::vector<Index> corners;
    for (const Triangle& t : patch.triangles) corners.insert(corners.end(), t.begin(), t.end());
    const auto is_less = [&](Index v, Index w) { return before(points[v], points[w]); };
    std::sort(corners.begin(), corners.end(), is_less);
    corners.erase(std::unique(corners.begin(), corners.end(), [&](Index v, Index w) { return points[v] == points[w]; }), corners.end());
    for (const Index v : corners) {
      const bool on_all = std::all_of(open.begin(), open.end(), [&](Index outer) {
        const auto& places = patches_[outer].places(a_);
        return std::binary_search(places.begin(), places.end(), a_.positions.id[v]);
      });
      a_.check_stop();
      if (!on_all) decide(lines.around(points[v]), open, enclosing);
      if (open.empty()) return;
    }
    std::vector<std::array<Index, 3>> own;
    for (const Triangle& t : patch.triangles) {
      std::array<Index, 3> sorted = t;
      std::sort(sorted.begin(), sorted.end(), is_less);
      own.push_back(sorted);
    }
    std::sort(own.begin(), own.end(), [&](const auto& s, const auto& t) { return std::lexicographical_compare(s.begin(), s.end(), t.begin(), t.end(), is_less); });
    for (const auto& t : own) {
      a_.check_stop();
      decide(lines.around({points[t[0]], points[t[1]], points[t[2]]}), open, enclosing);
      if (open.empty()) return;
    }  // on their surface all over: it lies within none of these
  }

  const LineWinding& surfaces() {
    if (lines_) return *lines_;
    for (Index k = 0; k < patches_.size(); ++k)
      if (patches_[k].closed()) {
        triangles_.insert(triangles_.end(), patches_[k].triangles.begin(), patches_[k].triangles.end());
        surface_.resize(triangles_.size(), k);
      }
    return lines_.emplace(a_.mesh.positions, triangles_, surface_);
  }

  const Analysis& a_;
  const std::vector<Patch>& patches_;
  std::vector<Vec3> corners_;  ///< of the boxes of patches that have an inside
  std::vector<Triangle> boxes_;
  std::vector<Index> of_box_;
  std::optional<Bvh> tree_;
  std::vector<Triangle> triangles_;  ///< of all closed patches; made with the lines, when first asked for
  std::vector<Index> surface_;
  std::optional<LineWinding> lines_;
};

/// How far the rest of the mesh has its inside on both sides of each patch: the lesser of two winding numbers.
class BothSides {
 public:
  BothSides(const Analysis& a, const std::vector<Patch>& patches) : a_(a), patches_(patches), all_(a.mesh.positions, together(patches)) {
    for (std::size_t k = 0; k < patches.size(); ++k)
      if (patches[k].rim_non_manifold) alike_[outline(patches[k])].push_back(k);
  }
  double inside(std::size_t candidate) {
    a_.check_stop();
    const Patch& patch = patches_[candidate];
    const Triangle* largest = nullptr;
    double most = 0;
    for (const Triangle& t : patch.triangles) {
      const Vec3& p = a_.mesh.positions[t[0]];
      const double area = (a_.mesh.positions[t[1]] - p).cross(a_.mesh.positions[t[2]] - p).norm();
      if (area > most) most = area, largest = &t;
    }
    if (largest == nullptr) return 0;
    // Where a file holds the same face very often, it is asked for once.
    std::array<std::array<double, 3>, 3> place;
    for (std::size_t k = 0; k < 3; ++k)
      for (std::size_t axis = 0; axis < 3; ++axis) place[k][axis] = a_.mesh.positions[(*largest)[k]][static_cast<Eigen::Index>(axis)];
    std::sort(place.begin(), place.end());
    const auto [known, is_new] = known_.try_emplace({outline(patch), place}, 0);
    if (is_new) known->second = least_of(patch, *largest, most);
    return known->second;
  }

 private:
  /// At the middle of a triangle of a patch. @param area  twice its own
  double least_of(const Patch& patch, const Triangle& at, double area) const {
    const Vec3 &p = a_.mesh.positions[at[0]], &q = a_.mesh.positions[at[1]], &r = a_.mesh.positions[at[2]];
    const Vec3 step = 1e-4 * std::sqrt(area) * (q - p).cross(r - p).normalized();
    const Vec3 centre = (p + q + r) / 3;
    double front = all_(centre + step), back = all_(centre - step);
    // Patches with the very same outline of faces (a wall that came in twice) belong to the wall.
    for (std::size_t k : alike_.at(outline(patch))) {
      front -= winding_number(a_.mesh.positions, patches_[k].triangles, centre + step);
      back -= winding_number(a_.mesh.positions, patches_[k].triangles, centre - step);
    }
    return std::min(std::abs(front), std::abs(back));
  }

  using Outline = std::array<double, 7>;
  static Outline outline(const Patch& patch) {
    return {static_cast<double>(patch.triangles.size()), patch.box.lo.x(), patch.box.lo.y(), patch.box.lo.z(), patch.box.hi.x(), patch.box.hi.y(), patch.box.hi.z()};
  }
  static std::vector<Triangle> together(const std::vector<Patch>& patches) {
    std::vector<Triangle> all;
    for (const Patch& patch : patches) all.insert(all.end(), patch.triangles.begin(), patch.triangles.end());
    return all;
  }
  const Analysis& a_;
  const std::vector<Patch>& patches_;
  WindingTree all_;
  std::map<Outline, std::vector<std::size_t>> alike_;
  std::map<std::pair<Outline, std::array<std::array<double, 3>, 3>>, double> known_;
};

/// For each patch the edges with more than two faces where it hangs, and how many of its faces are there.
using HangsAt = std::vector<std::vector<std::pair<Index, Index>>>;
HangsAt find_hangs(const Analysis& a, std::size_t patches) {
  HangsAt hangs_at(patches);
  for (Index e = 0; e < a.edges.size(); ++e) {
    const auto uses = a.edges.corners_of(e);
    if (uses.size() <= 2) continue;
    for (Index c : uses) {
      auto& edges = hangs_at[a.patch[a.edges.corner_face[c]]];
      if (edges.empty() || edges.back().first != e) edges.emplace_back(e, 0);
      ++edges.back().second;
    }
  }
  return hangs_at;
}

/// A wall hangs on edges with more than two faces and has the rest of the mesh's inside on both of its sides. Taken out one
/// by one, those first that are flattest, by area against the square of their rim: where a cavity is cut by a wall, each half of
/// its surface has nearly as much around it, but once the wall is gone it hangs on nothing any more.
void find_walls(const Analysis& a, const std::vector<Patch>& patches, const HangsAt& hangs_at, std::vector<Index>& remaining, std::vector<char>& is_wall,
                Orientation& found) {
  std::vector<std::pair<double, std::size_t>> candidates;
  BothSides sides(a, patches);
  for (std::size_t k = 0; k < patches.size(); ++k) {
    if (!patches[k].rim_non_manifold || patches[k].rim_open) continue;
    // Right before a gap as large as itself it is a half.
    if (sides.inside(k) < 0.6) continue;
    double rim = 0;
    for (const auto& [e, own] : hangs_at[k]) rim += (a.mesh.positions[a.edges.vertices[e][0]] - a.mesh.positions[a.edges.vertices[e][1]]).norm();
    candidates.emplace_back(patches[k].area / (rim * rim), k);
  }
  std::stable_sort(candidates.begin(), candidates.end(), [](const auto& x, const auto& y) { return x.first < y.first; });
  std::vector<std::size_t> walls;
  for (const auto& [flatness, k] : candidates) {
    // A closed surface off which something else hangs has two faces at that edge.
    if (std::none_of(hangs_at[k].begin(), hangs_at[k].end(), [&](const auto& at) { return remaining[at.first] > 2 && at.second % 2 == 1; })) continue;
    for (const auto& [e, own] : hangs_at[k]) remaining[e] -= own;
    is_wall[k] = 1;
    walls.push_back(k);
  }
  std::sort(walls.begin(), walls.end());
  for (std::size_t k : walls)
    found.walls.push_back({patches[k].faces, "wall", fmt::format("wall of {} faces with material on both sides", patches[k].faces.size())});
}

/// Takes the fins off one by one, the smallest first: patches with an open rim that leave at least two faces, or none, at
/// every edge with more than two where they hang. What is a wall is gone before, so that a solid with a hole and a wall
/// in it loses no half of itself.
/// @param remaining  faces at each edge, without those of walls
void find_fins(const Analysis& a, const std::vector<Patch>& patches, const HangsAt& hangs_at, std::vector<Index>& remaining, const std::vector<char>& is_wall,
               Orientation& found) {
  // The largest patch of a shell is what the others hang off.
  std::vector<double> largest(a.shells, 0);
  for (const Patch& patch : patches) {
    double& most = largest[a.shell[patch.faces[0]]];
    most = std::max(most, patch.area);
  }
  std::vector<Index> waiting;
  const auto reaches_out = [&](const Patch& patch) {
    return !a.scope.empty() && std::any_of(patch.faces.begin(), patch.faces.end(), [&](Index f) { return a.scope[f] == 0; });
  };
  for (Index k = 0; k < patches.size(); ++k) {
    const Patch& patch = patches[k];
    // In a scope the rest of the shell may be larger than what is seen of it.
    const bool is_base = a.scope.empty() ? patch.area == largest[a.shell[patch.faces[0]]] : reaches_out(patch);
    if (patch.rim_open && patch.rim_non_manifold && !is_wall[k] && !is_base) waiting.push_back(k);
  }
  std::stable_sort(waiting.begin(), waiting.end(), [&](Index k, Index l) { return patches[k].area < patches[l].area; });
  const auto is_fin = [&](Index k) {
    bool any = false;
    for (const auto& [e, own] : hangs_at[k]) {
      any = any || remaining[e] > 2;
      if (remaining[e] - own == 1 || (remaining[e] <= 2 && remaining[e] != own)) return false;
      if (remaining[e] > 2 && own % 2 == 0) return false;  // a surface that passes there; something hangs off it
    }
    return any;
  };
  for (bool again = true; again;) {
    again = false;
    for (Index& k : waiting) {
      if (k == no_index || !is_fin(k)) continue;
      for (const auto& [e, own] : hangs_at[k]) remaining[e] -= own;
      found.fins.push_back({patches[k].faces, "fin", fmt::format("fin of {} {}", patches[k].faces.size(), patches[k].faces.size() == 1 ? "face" : "faces")});
      k = no_index;
      again = true;
    }
  }
}

/// Less than rounding may have made of it.
bool is_thin(double volume, std::size_t triangles, const Box3& box) {
  const double size = box.diagonal(), reach = std::max(box.lo.cwiseAbs().maxCoeff(), box.hi.cwiseAbs().maxCoeff());
  return std::abs(volume) < 1e-14 * static_cast<double>(triangles) * size * size * reach;
}

/// One closed surface that runs one way lies in nothing: the sign of its volume says all. Nothing where that is not the case,
/// or the sign is in doubt.
std::optional<Orientation> of_one_closed_patch(const Analysis& a) {
  if (a.patches != 1 || a.inconsistent_edge_count + a.open_edge_count + a.non_manifold_edge_count > 0) return std::nullopt;
  if (is_thin(a.volume, a.triangles.triangles.size(), a.box)) return std::nullopt;
  Orientation found;
  if (a.volume < 0)
    for (Index f = 0; f < a.mesh.face_count(); ++f) found.flipped.push_back(f);
  return found;
}

Orientation orientation_of(const Analysis& a) {
  if (auto quick = of_one_closed_patch(a)) return std::move(*quick);
  Orientation found;
  // Faces that must be turned over to agree with the first of their patch.
  const std::vector<char> parity = a.inconsistent_edge_count == 0
                                       ? std::vector<char>(a.mesh.face_count(), 0)
                                       : orient_patches(a.mesh, a.edges).against_first;
  a.check_stop();
  const std::vector<Patch> patches = collect_patches(a, parity);

  // Those within fewer others come first: whatever encloses one has been looked at before it.
  std::vector<Index> in_order;
  std::vector<std::vector<Index>> enclosing(patches.size());
  Enclosures enclosures(a, patches);
  for (Index k = 0; k < patches.size(); ++k)
    if (patches[k].has_inside()) {
      enclosing[k] = enclosures.around(k);
      in_order.push_back(k);
    }
  std::stable_sort(in_order.begin(), in_order.end(), [&](Index x, Index y) {
    const std::size_t n = enclosing[x].size(), m = enclosing[y].size();
    return n != m ? n < m : std::abs(patches[x].volume) > std::abs(patches[y].volume);
  });
  std::vector<std::size_t> rank(patches.size(), patches.size());

  // turn_first[k]: the patch's first face (and all that agree with it) has to be turned over.
  std::vector<char> turn_first(patches.size(), 0);
  std::vector<int> corrected(patches.size(), 0);
  std::vector<char> was_turned(patches.size(), 0);
  for (std::size_t place = 0; place < in_order.size(); ++place) {
    const Index k = in_order[place];
    rank[k] = place;
    const Patch& patch = patches[k];
    int around = 0;  // winding number just outside this shell
    Index innermost = no_index;
    for (const Index outer : enclosing[k]) {
      if (rank[outer] >= place) continue;  // shells that cross may enclose each other's corners
      around += corrected[outer];
      if (innermost == no_index || rank[outer] > rank[innermost]) innermost = outer;
    }
    const bool in_turned = innermost != no_index && was_turned[innermost] != 0;  // the last shell around it was turned over
    const int sign = volume_sign(a.mesh.positions, patch.triangles) < 0 ? -1 : 1;
    const bool mostly_first = 2 * patch.turned <= patch.faces.size();
    const int as_stored = mostly_first ? sign : -sign;  // sign of the orientation that most faces have
    int wanted = 1;
    if (around > 0) {
      // Of a hollow that is inside out as a whole the cavity is turned with it.
      wanted = in_turned ? -1 : as_stored;
      if (wanted > 0 && patch.closed()) {
        found.walls.push_back(
            {patch.faces, "buried_shell", fmt::format("shell of {} faces inside another, not a cavity", patch.faces.size())});
      }
    }
    corrected[k] = wanted;
    was_turned[k] = as_stored != wanted;
    turn_first[k] = sign != wanted;
  }
  for (std::size_t k = 0; k < patches.size(); ++k) {
    const Patch& patch = patches[k];
    if (patch.closed()) continue;
    if (!patch.has_inside()) turn_first[k] = 2 * patch.turned > patch.faces.size();
  }
  if (a.non_manifold_edge_count > 0) {
    const HangsAt hangs_at = find_hangs(a, patches.size());
    std::vector<Index> remaining(a.edges.size(), 0);
    for (Index e = 0; e < remaining.size(); ++e) remaining[e] = static_cast<Index>(a.edges.corners_of(e).size());
    std::vector<char> is_wall(patches.size(), 0);
    find_walls(a, patches, hangs_at, remaining, is_wall, found);
    find_fins(a, patches, hangs_at, remaining, is_wall, found);
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
