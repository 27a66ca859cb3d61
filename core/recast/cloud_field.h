// SPDX-License-Identifier: GPL-3.0-or-later
// Clouds of points as fields: balls around the points, or the surface that runs through them.
#pragma once

#include <memory>
#include <span>

#include "core/mesh/cloud.h"
#include "core/recast/dipoles.h"
#include "core/recast/field_lines.h"
#include "core/recast/soup.h"

namespace anvil::recast {

/// The points of several clouds in the common space.
struct Cloud {
  std::vector<Vec3> points;
  std::vector<Vec3> normals;  ///< of length 1; empty where those of some are not known
  std::vector<Index> part;    ///< per point
};
/// Those among the parts that are clouds. @param place_of  receives of the others, which go to `surfaces`, where they stood
Cloud cloud_of(std::span<const Part> parts, std::vector<Part>& surfaces, std::vector<Index>& place_of);

/// The union of balls around points, as a signed distance. Sources are points.
class PointBalls {
 public:
  /// @param points  have to live as long as this
  PointBalls(std::span<const Vec3> points, double radius) : points_(points), tree_(points), radius_(radius) {}
  FieldSample operator()(const Vec3& p) const;
  /// May the field be zero within this reach of a point?
  bool may_vanish(const Vec3& p, double reach) const { return (*this)(p).value <= reach; }

 private:
  std::span<const Vec3> points_;
  PointTree tree_;
  double radius_;
};

/// The surface through points whose normals are known. Near points it is where the weighted mean of their planes is zero (Adamson and Alexa, "Approximating and Intersecting Surfaces from
/// Points", SGP 2003; here of those alone that look to the same side as the nearest, so that thin walls keep their sides); where none is near, in a gap, where the cloud fills half of the view
/// (Barill et al., "Fast Winding Numbers for Soups and Clouds", SIGGRAPH 2018). Sources are points; in gaps there is none.
class PointSurface {
 public:
  /// @param points,normals  have to live as long as this
  /// @param reach  how far a point's plane counts, > 0
  PointSurface(std::span<const Vec3> points, std::span<const Vec3> normals, double reach);
  FieldSample operator()(const Vec3& p) const;
  bool may_vanish(const Vec3& p, double reach) const;
  /// What it encloses, about; negative where the normals look inwards.
  double volume() const { return volume_; }
  /// The area that all of it together faces, as a share of it: 0 of what is closed, 1 of a flat patch.
  double openness() const { return openness_; }

 private:
  std::span<const Vec3> points_, normals_;
  PointTree tree_;
  double reach_, volume_ = 0, openness_ = 1;
  std::unique_ptr<Dipoles> dipoles_;
};

}  // namespace anvil::recast
