// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 10 and 11: from rounded triangles to the polygons of the result.
#pragma once

#include "core/boolean/rounded.h"

namespace anvil::boolean {

/// Stages 10 and 11: separates solid wedges that touch, puts uncut polygons back and joins what is left of others.
enum class Assembly {
  polygons,   ///< as above
  unproven,   ///< likewise, and what rounding moved has not been looked at yet: nothing is given that is not sound
  triangles,  ///< what was cut stays in the triangles that the rounding stage looked at
  anyhow      ///< likewise, and what rounding has left is not complained of
};
extern const Note skins_dissolved;
extern const Note contact_edges;  ///< told by assemble: the result touches itself
extern const Note polygons_untouched;
struct AssemblySettings {
  Assembly how = Assembly::polygons;
  double tolerance = 0;  ///< how far a vertex may lie off a straight edge that it is taken out of
  double thinnest = 0;   ///< shells thinner than this go; 0: none do
};
/// Tells of shells that went as skins_dissolved.
/// @return false when unproven triangles did not come out sound; the result is not made then
bool assemble(const std::vector<PreparedPtr>& parts, const std::vector<const Operand*>& operands, Rounded rounded,
              const AssemblySettings& settings, BooleanResult& result, const Control& control);

}  // namespace anvil::boolean
