// SPDX-License-Identifier: GPL-3.0-or-later
// Sound bodies, and what bad exports and slips of the hand do to them.
#pragma once

#include <random>
#include <string>
#include <vector>

#include "core/mesh/mesh.h"
#include "core/soundness/report.h"
#include "tests/support/dice.h"

namespace anvil::test {

struct Body {
  std::string name;
  Mesh mesh;
};
/// Polygon and triangle meshes of 100 to 20 000 faces, all sound, coordinates on a binary grid so that middles of edges are
/// exact.
const std::vector<Body>& bodies_to_damage();

/// A mesh on its way down, and what is known of it.
struct Damage {
  explicit Damage(const Mesh& body);

  Mesh mesh;
  std::mt19937 random{1};
  double size;               ///< diagonal of the bounds
  double volume;             ///< of what mending should bring back
  double slack;              ///< that it may be off by
  bool volume_known = true;
  /// Of small shells inside the material, by the way they look. By parity those that look inwards are cavities, so that turning
  /// all of it inside out makes cavities of the others.
  double buried_outwards = 0, buried_inwards = 0;
  bool same_polygons = true;  ///< mending should bring the very polygons back
  struct Expected {
    const Family* family;
    std::size_t count;
    bool at_least = false;
  };
  std::vector<Expected> expected;  ///< of a single kind
  std::string what;

  std::size_t below(std::size_t n) { return n == 0 ? 0 : random() % n; }
  double share() { return static_cast<double>(random() % 4096) / 4096; }
};

struct DamageKind {
  const char* name;
  /// @return false where the mesh has no place for it
  bool (*inflict)(Damage&);
};
const std::vector<DamageKind>& damage_kinds();

/// One of the bodies damaged in one to four ways, which its name lists. @param most_faces  of the body; of a larger one nothing comes back
Body damaged_body(Dice& dice, unsigned seed, std::size_t most_faces);

/// Damages a body in one way, or in three to six; finds, mends, and judges as a stranger would: by CGAL and by the volume.
/// @param kind  place in damage_kinds(); damage_kinds().size(): a mixture
/// @return "" when all holds
std::string what_is_wrong_with_mending(std::size_t body, std::size_t kind, unsigned seed);

}  // namespace anvil::test
