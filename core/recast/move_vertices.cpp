// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/move_vertices.h"

#include <algorithm>

#include "core/boolean/invalid_triangles.h"
#include "core/mesh/shared_diagonals.h"
#include "core/recast/shell_volumes.h"
#include "core/soundness/check.h"

namespace anvil::recast {
namespace {

/// Triangles that cross others, meet others at a line that a face is only cut along, or have no area, among those that may have moved.
std::vector<char> crossing_in(const Mesh& mesh, const TriangleList& list, const std::vector<char>& movable, const Control& control) {
  const std::vector<Triangle>& triangles = list.triangles;
  std::vector<char> suspect(triangles.size());
  for (std::size_t t = 0; t < suspect.size(); ++t) suspect[t] = movable[triangles[t][0]] || movable[triangles[t][1]] || movable[triangles[t][2]];
  std::vector<char> invalid = boolean::find_invalid_triangles(mesh.positions, triangles, std::vector<Index>(triangles.size(), 0), suspect, boolean::Across::no, control);
  std::vector<char> about;
  if (!mesh.triangles_only()) about.assign(mesh.face_count(), 0);
  for (std::size_t t = 0; t < suspect.size() && !about.empty(); ++t) about[list.face[t]] |= suspect[t];
  std::vector<char> joined(mesh.face_count(), 0);
  for (const auto& [f, g] : shared_diagonals(mesh, list, {}, about)) joined[f] = joined[g] = 1;
  if (std::find(joined.begin(), joined.end(), 1) == joined.end()) return invalid;
  invalid.resize(triangles.size(), 0);
  for (std::size_t t = 0; t < invalid.size(); ++t) invalid[t] |= joined[list.face[t]];
  return invalid;
}

/// Vertices of shells that have turned inside out, as ones do that shrink to a point and beyond.
class TurnedShells {
 public:
  explicit TurnedShells(const Mesh& mesh) : TurnedShells(mesh, triangulate(mesh).triangles) {}
  /// Marks them. @return is there one?
  bool mark(const std::vector<Vec3>& at, const std::vector<Triangle>& triangles, std::vector<char>& vertices) const {
    const std::vector<double> now = shells_.at(at, triangles);
    bool any = false;
    for (Index v = 0; v < vertices.size(); ++v)
      if (now[shells_.shell_of(v)] * before_[shells_.shell_of(v)] < 0) vertices[v] = any = true;
    return any;
  }

 private:
  TurnedShells(const Mesh& mesh, const std::vector<Triangle>& triangles) : shells_(mesh.positions.size(), triangles), before_(shells_.at(mesh.positions, triangles)) {}
  ShellVolumes shells_;
  std::vector<double> before_;
};

/// Vertices on their way to where they are wanted, held back where faces cross or shells turn inside out.
class HeldBack {
 public:
  HeldBack(const Mesh& mesh, std::vector<Vec3> wanted, const std::vector<char>& movable)
      : mesh_(mesh), wanted_(std::move(wanted)), movable_(movable), turned_(mesh), share_(wanted_.size(), 1), is_back_(wanted_.size(), 0), now_(mesh) {
    now_.positions = wanted_;
  }
  const Mesh& now() const { return now_; }

  /// All of them half as far.
  void halve() {
    for (Index v = 0; v < wanted_.size(); ++v)
      if (movable_[v]) put(v, share_[v] / 2);
  }

  void until_nothing_crosses(const Control& control) {
    constexpr int rounds = 40;
    for (int round = 0; round < rounds; ++round) {
      // Polygons are cut by the places of their corners, so triangles are those of now.
      const TriangleList list = triangulate(now_);
      const std::vector<char> crossing = crossing_in(now_, list, movable_, control);
      std::vector<char> back(wanted_.size(), 0);
      if (crossing.empty() && !turned_.mark(now_.positions, list.triangles, back)) return;
      for (std::size_t t = 0; t < crossing.size(); ++t)
        for (Index v : list.triangles[t]) back[v] |= crossing[t];
      std::vector<char> wider = back;
      for (const Triangle& t : list.triangles)
        if (back[t[0]] || back[t[1]] || back[t[2]])
          for (Index v : t) wider[v] = 1;
      bool any = false;
      constexpr double least = 1.0 / 16;
      for (Index v = 0; v < wider.size(); ++v) {
        if (!wider[v] || !movable_[v] || share_[v] == 0) continue;
        put(v, share_[v] > least && round + 1 < rounds ? share_[v] / 2 : 0);
        any = true;
      }
      if (!any) return;  // what is left crossed before
    }
  }

  const std::vector<char>& held_back() const { return is_back_; }

 private:
  void put(Index v, double share) {
    share_[v] = share;
    now_.positions[v] = share == 0 ? mesh_.positions[v] : Vec3(mesh_.positions[v] + share * (wanted_[v] - mesh_.positions[v]));
    is_back_[v] = 1;
  }

  const Mesh& mesh_;
  std::vector<Vec3> wanted_;
  const std::vector<char>& movable_;
  TurnedShells turned_;
  std::vector<double> share_;
  std::vector<char> is_back_;
  Mesh now_;
};

}  // namespace

MovedVertices move_vertices(const Mesh& mesh, std::vector<Vec3> wanted, const std::vector<char>& movable, const Control& control) {
  HeldBack surface(mesh, std::move(wanted), movable);
  surface.until_nothing_crosses(control);
  bool sound = is_sound(surface.now(), {}, 1, control.stop);
  // A shell may have gone right through another: then all go less far.
  constexpr int halvings = 8;
  for (int k = 0; k < halvings && !sound && (k > 0 || is_sound(mesh, {}, 1, control.stop)); ++k) {
    surface.halve();
    surface.until_nothing_crosses(control);
    sound = is_sound(surface.now(), {}, 1, control.stop);
  }
  return {surface.now().positions, surface.held_back(), sound};
}

}  // namespace anvil::recast
