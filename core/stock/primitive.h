// SPDX-License-Identifier: GPL-3.0-or-later
// Primitives with real dimensions. One table describes every kind: the makers, the card editor and the
// job file all read it.
#pragma once

#include <string>

#include "core/mesh/mesh.h"

namespace anvil {

enum class PrimitiveKind { box, cylinder, frustum, sphere, icosphere, torus, prism, star_prism, sheet };

/// One editable dimension. Lengths are millimetres; `whole` ones are counts.
struct DimensionSpec {
  const char* key;
  const char* label;
  double initial, least, most;
  bool whole;
};

struct PrimitiveSpec {
  PrimitiveKind kind;
  const char* key;
  const char* label;
  std::vector<DimensionSpec> dimensions;
};

/// All kinds, in the order in which they are offered.
const std::vector<PrimitiveSpec>& primitive_specs();
const PrimitiveSpec& spec_of(PrimitiveKind kind);

/// A primitive by its dimensions, in the order of its spec.
struct Primitive {
  PrimitiveKind kind = PrimitiveKind::box;
  std::vector<double> values;

  /// The kind with its initial dimensions.
  static Primitive of(PrimitiveKind kind);
  /// The kind with these dimensions; must be as many as the spec lists.
  static Primitive of(PrimitiveKind kind, std::initializer_list<double> values);
  bool operator==(const Primitive&) const = default;
  /// "120 × 64 × 48 mm" or "⌀ 20 × 30 mm, 48 sides".
  std::string summary() const;
};

/// Builds the mesh around the origin, its axis along z, faces counter-clockwise from outside. Closed for
/// every kind but the sheet; flat sides are single polygons. Fails when a dimension is out of its range,
/// naming it.
Result<Mesh> make_mesh(const Primitive& primitive);

}  // namespace anvil
