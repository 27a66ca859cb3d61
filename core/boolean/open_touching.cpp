// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/open_touching.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

#include "core/boolean/invalid_triangles.h"
#include "core/exact/volume.h"
#include "core/mesh/attributes.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/union_find.h"
#include "core/mesh/weld.h"

namespace anvil {
namespace {

/// Of the width that was asked for; where faces are thinner than it, less is what works.
constexpr double tries[] = {1, 2, 0.5, 4, 1, 0.25, 2, 8, 0.5, 0.125, 4, 1, 16, 0.25, 2, 32, 0.5, 64, 0.0625, 1};

/// The distance of neighbouring numbers at the largest coordinate of a point.
double step_at(const Vec3& p, bool floats) {
  const double largest = std::max(p.cwiseAbs().maxCoeff(), 1e-30);
  return std::ldexp(1.0, std::ilogb(largest) - (floats ? 23 : 52));
}

/// The faces around one vertex, as directions from it: the boundary of a cone of material.
struct Cone {
  struct Sector {
    Vec3 first, second, normal;  ///< of length 1; the normal looks out of the material
  };
  std::vector<Sector> sectors;

  /// Does a direction lead into the material? Told by the pseudonormal of what is nearest to it (Bærentzen and Aanæs,
  /// "Signed Distance Computation Using the Angle Weighted Pseudonormal", 2005).
  bool holds(const Vec3& direction) const {
    double nearest = 4;
    Vec3 pseudonormal = Vec3::Zero();
    auto offer = [&](const Vec3& foot, const Vec3& normal) {
      const double distance = (direction - foot).squaredNorm();
      if (std::abs(distance - nearest) <= 1e-12) {
        pseudonormal += normal;
      } else if (distance < nearest) {
        nearest = distance;
        pseudonormal = normal;
      }
    };
    for (const Sector& s : sectors) {
      const Vec3 across = direction - s.normal * s.normal.dot(direction);
      if (s.first.cross(across).dot(s.normal) > 0 && across.cross(s.second).dot(s.normal) > 0) offer(across, s.normal);
      for (const Vec3& ray : {s.first, s.second})
        if (const double along = ray.dot(direction); along > 0) offer(along * ray, s.normal);
    }
    if (nearest > 1 - 1e-12) {
      pseudonormal.setZero();
      for (const Sector& s : sectors) pseudonormal += std::acos(std::clamp(s.first.dot(s.second), -1.0, 1.0)) * s.normal;
    }
    return pseudonormal.dot(direction) < 0;
  }

  /// The direction that leads deepest behind all planes, or in front of them all.
  /// @return its length is the sine of the least angle to any of them; 0 when there is none
  Vec3 deepest(bool in_front) const {
    std::vector<Vec3> normals;
    for (const Sector& s : sectors) {
      const Vec3 n = in_front ? Vec3(s.normal) : Vec3(-s.normal);
      if (std::none_of(normals.begin(), normals.end(), [&](const Vec3& m) { return (m - n).squaredNorm() < 1e-24; })) normals.push_back(n);
    }
    double most = 0;
    Vec3 best = Vec3::Zero();
    auto look = [&](const Vec3& direction) {
      if (!(direction.norm() > 1e-12)) return;
      const Vec3 d = direction.normalized();
      double least = 2;
      for (const Vec3& n : normals) least = std::min(least, n.dot(d));
      if (least > most) most = least, best = d;
    };
    // The deepest one is as far from one, two or three of the planes.
    const std::size_t n = normals.size();
    for (std::size_t i = 0; i < n && n <= max_planes; ++i) {
      look(normals[i]);
      for (std::size_t j = i + 1; j < n; ++j) {
        look(normals[i] + normals[j]);
        for (std::size_t k = j + 1; k < n; ++k) {
          const Vec3 d = normals[i].cross(normals[j]) + normals[j].cross(normals[k]) + normals[k].cross(normals[i]);
          look(d);
          look(-d);
        }
      }
    }
    if (most > 0) return most * best;
    // Many planes: a perceptron (Rosenblatt 1958), which ends when there is a direction with some room.
    Vec3 d = Vec3::Zero();
    for (int step = 0; step < 10'000; ++step) {
      const auto worst = std::min_element(normals.begin(), normals.end(), [&](const Vec3& a, const Vec3& b) { return a.dot(d) < b.dot(d); });
      d += *worst;
      if (step % 16 == 0) look(d);
    }
    return most * best;
  }
  static constexpr std::size_t max_planes = 30;
};

/// A vertex that shares its position.
struct Doubled {
  Index vertex, group;
  Vec3 from, direction = Vec3::Zero();
  double wanted, width;
  double scale = 1;  ///< so that those at one position come to lie a width apart
  bool wanders = false;  ///< no direction is better than another
  std::size_t tried = 0;
};

class Opening {
 public:
  Opening(Mesh& mesh, const OpeningSettings& settings, const Control& control) : mesh_(mesh), settings_(settings), control_(control) {}

  Opened run() {
    Opened opened;
    find_doubled();
    if (doubled_.empty()) return opened;
    opened.source = cut_polygons();
    find_directions();
    find_shells();
    std::vector<Index> failing(doubled_.size());
    for (Index k = 0; k < failing.size(); ++k) failing[k] = k;
    for (std::size_t round = 0; round < std::size(tries) && !failing.empty(); ++round) {
      check_stop(control_);
      for (Index k : failing) move(doubled_[k]);
      failing = still_failing();
      for (Index k : failing) try_other(doubled_[k]);
    }
    for (Index k : failing) {
      opened.left.push_back(doubled_[k].from);
      mesh_.positions[doubled_[k].vertex] = doubled_[k].from;
    }
    tell_places(opened);
    return opened;
  }

 private:
  void find_doubled() {
    std::vector<char> used(mesh_.positions.size(), 0);
    for (Index v : mesh_.corners) used[v] = 1;
    const WeldMap weld = weld_equal(mesh_.positions);
    std::vector<Index> count(weld.first.size(), 0);
    for (Index v = 0; v < used.size(); ++v) count[weld.id[v]] += static_cast<Index>(used[v]);
    place_.assign(mesh_.positions.size(), no_index);
    for (Index v = 0; v < used.size(); ++v) {
      if (!used[v] || count[weld.id[v]] < 2) continue;
      const Vec3& p = mesh_.positions[v];
      // Each goes half of the way, and by no less than one step.
      const double width = std::max(settings_.width > 0 ? settings_.width : min_opening, 2 * step_at(p, settings_.floats));
      place_[v] = static_cast<Index>(doubled_.size());
      doubled_.push_back({v, weld.id[v], p, Vec3::Zero(), width, width});
    }
  }

  /// @return the face that each was before
  std::vector<Index> cut_polygons() {
    const TriangleList list = triangulate(mesh_);
    Mesh cut;
    cut.positions = mesh_.positions;
    std::vector<Index> source;
    for (std::size_t i = 0; i < list.triangles.size();) {
      const Index f = list.face[i];
      const auto face = mesh_.face(f);
      const bool whole = face.size() == 3 || std::none_of(face.begin(), face.end(), [&](Index v) { return place_[v] != no_index; });
      if (whole) cut.add_face(face), source.push_back(f);
      for (; i < list.triangles.size() && list.face[i] == f; ++i)
        if (!whole) cut.add_face(list.triangles[i]), source.push_back(f);
    }
    carry_attributes(mesh_, source, cut);
    mesh_ = std::move(cut);
    list_ = triangulate(mesh_);
    return source;
  }

  /// Each goes where no other at its position lies: into its material, or into its air where that is the tip of a cavity.
  void find_directions() {
    std::vector<Cone> cones(doubled_.size());
    for (const Triangle& t : list_.triangles)
      for (std::size_t k = 0; k < 3; ++k) {
        if (place_[t[k]] == no_index) continue;
        const Vec3 &p = mesh_.positions[t[k]], &q = mesh_.positions[t[(k + 1) % 3]], &r = mesh_.positions[t[(k + 2) % 3]];
        const Vec3 normal = (q - p).cross(r - p).stableNormalized();
        if (normal.norm() > 0.5) cones[place_[t[k]]].sectors.push_back({(q - p).stableNormalized(), (r - p).stableNormalized(), normal});
      }
    std::map<Index, std::vector<Index>> groups;
    for (Index k = 0; k < doubled_.size(); ++k) groups[doubled_[k].group].push_back(k);
    for (const auto& [group, members] : groups)
      for (Index k : members) {
        if (cones[k].sectors.empty()) continue;
        std::size_t inside = 0, outside = 0;
        for (Index other : members)
          if (other != k && !cones[other].sectors.empty()) {
            const Cone::Sector& s = cones[other].sectors.front();
            ++(cones[k].holds((s.first + s.second).normalized()) ? inside : outside);
          }
        if (inside > 0 && outside > 0) continue;  // between others, which make room
        const Vec3 d = cones[k].deepest(inside > 0);
        if (d.norm() > 0) doubled_[k].direction = d.normalized();
      }
    for (const auto& [group, members] : groups) {
      double least = 2;
      for (Index a : members)
        for (Index b : members)
          if (a != b) least = std::min(least, (doubled_[a].direction - doubled_[b].direction).norm());
      for (Index k : members) doubled_[k].scale = 2 / std::max(least, 0.5);
    }
  }

  /// Shells with a vertex that shares its position: they must not turn inside out.
  void find_shells() {
    UnionFind joined(mesh_.positions.size());
    for (const auto& [a, b, c] : list_.triangles) joined.unite(a, b), joined.unite(b, c);
    std::map<Index, Index> number;
    for (const Doubled& one : doubled_) number.try_emplace(joined.find(one.vertex), static_cast<Index>(number.size()));
    shells_.resize(number.size());
    for (const Triangle& t : list_.triangles)
      if (const auto shell = number.find(joined.find(t[0])); shell != number.end()) shells_[shell->second].triangles.push_back(t);
    for (Index k = 0; k < doubled_.size(); ++k) shells_[number[joined.find(doubled_[k].vertex)]].doubled.push_back(k);
    for (Shell& shell : shells_) shell.sign = volume_sign(mesh_.positions, shell.triangles);
  }

  void move(const Doubled& one) {
    Vec3 p = one.from + 0.5 * one.width * one.scale * one.direction;
    if (settings_.floats) p = p.cast<float>().cast<double>();
    mesh_.positions[one.vertex] = p;
  }

  /// Of the doubled ones: those still at a position of another, with a face that crosses or has collapsed, or of a shell that has turned.
  std::vector<Index> still_failing() {
    std::vector<char> fails(doubled_.size(), 0), suspect(list_.triangles.size(), 0);
    const WeldMap weld = weld_equal(mesh_.positions);
    std::vector<char> used(mesh_.positions.size(), 0);
    for (Index v : mesh_.corners) used[v] = 1;
    std::vector<Index> here(weld.first.size(), no_index);
    for (Index v = 0; v < used.size(); ++v) {
      if (!used[v]) continue;
      Index& other = here[weld.id[v]];
      if (other != no_index)
        for (Index w : {v, other})
          if (place_[w] != no_index) fails[place_[w]] = 1;
      other = v;
    }
    for (std::size_t i = 0; i < suspect.size(); ++i)
      for (Index v : list_.triangles[i]) suspect[i] = suspect[i] || place_[v] != no_index;
    // Vertices at one position are one here, as they will be for the reader.
    std::vector<Triangle> triangles = list_.triangles;
    for (Triangle& t : triangles)
      for (Index& v : t) v = weld.first[weld.id[v]];
    const std::vector<Index> piece(triangles.size(), 0);
    const std::vector<char> invalid = boolean::find_invalid_triangles(mesh_.positions, triangles, piece, suspect, boolean::Across::yes, control_);
    for (std::size_t i = 0; i < invalid.size(); ++i)
      for (Index v : list_.triangles[i])
        if (invalid[i] && place_[v] != no_index) fails[place_[v]] = 1;
    for (const Shell& shell : shells_)
      if (shell.sign != 0 && volume_sign(mesh_.positions, shell.triangles) != shell.sign)
        for (Index k : shell.doubled) fails[k] = 1;
    std::vector<Index> failing;
    for (Index k = 0; k < fails.size(); ++k)
      if (fails[k]) failing.push_back(k);
    return failing;
  }

  /// Another width, and aside from the third time on. Where faces lie all around and no direction leads behind them all, any
  /// may do: what moves by far less than the faces are large does not come to cross itself by it, only what touches it.
  void try_other(Doubled& one) {
    if (++one.tried == std::size(tries)) return;
    one.width = std::max(tries[one.tried] * one.wanted, 2 * step_at(one.from, settings_.floats));
    const bool all_around = one.direction.norm() == 0 || one.wanders;
    if (one.tried < 4 && !all_around) return;
    std::uint32_t random = 7919u * one.vertex + 104729u * static_cast<std::uint32_t>(one.tried);
    auto any = [&] {
      random = random * 1664525u + 1013904223u;
      return (random >> 8) / 8388608.0 - 1;
    };
    const Vec3 aside(any(), any(), any());
    one.direction = all_around ? aside.normalized() : (one.direction + 0.2 * aside).normalized();
    one.wanders = all_around;
  }

  void tell_places(Opened& opened) const {
    // Groups are tied by edges that are doubled as well.
    UnionFind sets(doubled_.size());
    std::map<Index, Index> first;
    for (Index k = 0; k < doubled_.size(); ++k) sets.unite(k, first.try_emplace(doubled_[k].group, k).first->second);
    std::map<std::pair<Index, Index>, int> edges;
    for (const Triangle& t : list_.triangles)
      for (std::size_t k = 0; k < 3; ++k) {
        const Index a = place_[t[k]], b = place_[t[(k + 1) % 3]];
        if (a == no_index || b == no_index) continue;
        ++edges[std::minmax(doubled_[a].group, doubled_[b].group)];
      }
    for (const auto& [edge, uses] : edges)
      if (uses > 2) sets.unite(first[edge.first], first[edge.second]);
    std::set<Index> seen;
    for (Index k = 0; k < doubled_.size(); ++k) {
      opened.width = std::max(opened.width, doubled_[k].width);
      if (!seen.insert(sets.find(k)).second) continue;
      ++opened.places;
      opened.at.push_back(doubled_[k].from);
    }
  }

  Mesh& mesh_;
  const OpeningSettings& settings_;
  const Control& control_;
  struct Shell {
    std::vector<Triangle> triangles;
    std::vector<Index> doubled;
    int sign = 0;
  };
  std::vector<Doubled> doubled_;
  std::vector<Shell> shells_;
  std::vector<Index> place_;  ///< per vertex, in doubled_; no_index for one that is alone
  TriangleList list_;
};

}  // namespace

Opened open_touching(Mesh& mesh, const OpeningSettings& settings, const Control& control) { return Opening(mesh, settings, control).run(); }

}  // namespace anvil
