// SPDX-License-Identifier: GPL-3.0-or-later
// Which vertices, edges and faces of a part lie under the pointer, or in a region drawn over the picture.
#pragma once

#include <QPolygonF>

#include "app/view/camera_rig.h"
#include "app/view/pick.h"
#include "core/modify/elements.h"
#include "job/recipe_runner.h"

namespace anvil::app {

/// Is nothing of a part in front of a point on or near its surface?
/// @param point  in the part's own frame
/// @param depth  how far behind the surface it may lie, mm
bool is_seen(const Evaluated& evaluated, const Affine& world, const Picture& picture, const Vec3& point, double depth = 0);

/// A part as it stands in a picture.
class ElementView {
 public:
  /// @param through  what is hidden counts too
  ElementView(const Evaluated& evaluated, const Topology& topology, const Affine& world, const Picture& picture, bool through);

  /// The face under a pixel; the vertex or edge nearest to it, within a few pixels.
  std::optional<Index> at(ElementKind kind, const QPointF& pixel) const;
  /// Those with all their corners inside of a region.
  std::vector<Index> inside(ElementKind kind, const QPolygonF& region) const;
  /// Those that a round brush touches.
  std::vector<Index> touched(ElementKind kind, const QPointF& pixel, double radius) const;
  /// Is nothing of the part in front of a point of its surface (in its own frame)?
  bool is_visible(const Vec3& point) const { return is_seen(evaluated_, world_, picture_, point); }

 private:
  bool is_visible(ElementKind kind, Index element) const;
  /// Pixels of all vertices; those behind the eye are NaN.
  const std::vector<QPointF>& pixels() const;

  const Evaluated& evaluated_;
  const Mesh& mesh_;
  const Topology& topology_;
  Affine world_, own_;
  Picture picture_;
  bool through_;
  mutable std::vector<QPointF> pixels_;
};

}  // namespace anvil::app
