// SPDX-License-Identifier: GPL-3.0-or-later
// Where the lines of a grid pass through the zero of a field.
#pragma once

#include <functional>

#include "core/control.h"
#include "core/recast/grid.h"
#include "core/recast/signed_distance.h"
#include "core/recast/skin.h"

namespace anvil::recast {

/// A function of space that is negative inside. Asked from several threads.
struct Field {
  std::function<FieldSample(const Vec3&)> at;
  double steepest = 1;  ///< its value changes by no more than this times the way, where `may_vanish` does not say otherwise
  /// May it be zero within this reach of a point? Empty: by its value there.
  std::function<bool(const Vec3&, double)> may_vanish = {};
  bool closed = false;  ///< its zero is a surface without holes: all of a skin lies on it, and is looked at for that
};

struct FieldCrossings {
  Crossings crossings;          ///< their triangles count these two, one for each
  std::vector<Vec3> normals;    ///< of the field there, length 1
  std::vector<Index> source;    ///< as FieldSample::source
};

/// One crossing on every edge of the grid at whose ends the field has different signs; zero counts as outside. Two on one at whose ends it has the same, where it changes it in between and
/// the planes that it has at the ends tell where. Cells in which it cannot be zero are not looked into.
/// O(cells that it passes through). Deterministic. Throws Stopped.
FieldCrossings crossings_of_field(const Field& field, const Grid& grid, const Control& control = {});

/// The ground of a field's zero. @param field,control  have to live as long as this
Ground ground_of(const Field& field, const Box3& box, const Control& control);

/// What lies farther outside of a surface than that, or inside. @param distance  has to live as long as the field
Field offset_field(const SignedDistance& distance, double offset);

/// The nearest point of the zero, about: the field followed down, or up, a few times.
Tangent nearest_on_field(const Field& field, const Vec3& p);

}  // namespace anvil::recast
