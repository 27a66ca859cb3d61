// SPDX-License-Identifier: GPL-3.0-or-later
// How far points are from a surface or from lines, by CGAL: shares no code with what is measured.
#pragma once

#include <memory>

#include "core/mesh/mesh.h"

namespace anvil::test {

/// Of any mesh: open, crossing itself, not manifold.
class DistanceToSurface {
 public:
  explicit DistanceToSurface(const Mesh& mesh);
  ~DistanceToSurface();
  double operator()(const Vec3& point) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

struct Line {
  Vec3 from, to;
};
class NearestLine {
 public:
  explicit NearestLine(const std::vector<Line>& lines);
  ~NearestLine();
  struct Found {
    double distance;
    Vec3 way;  ///< of the line, length 1
  };
  /// Of the lines that come as near as the nearest but for `slack`, the one that runs most in that direction.
  Found operator()(const Vec3& point, const Vec3& way, double slack) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Edges whose two faces turn by more than so many degrees, by angles between fans' normals computed here.
std::vector<Line> sharp_lines(const Mesh& mesh, double degrees);

}  // namespace anvil::test
