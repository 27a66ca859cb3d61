// SPDX-License-Identifier: GPL-3.0-or-later
// A part combined with solids that a step makes: every cut of this folder ends here, so that its result is sound.
#pragma once

#include "core/boolean/combine.h"

namespace anvil {

/// The part that is worked on, as the engine wants to know it.
struct Workpiece {
  std::shared_ptr<const Mesh> mesh;
  std::string name;                ///< for messages and the report
  bool free_of_crossings = false;  ///< the part is known not to cross itself
  CombineCache* cache = nullptr;   ///< as for combine()
  std::span<const Index> piece = {};  ///< per face, where the part is in several pieces that may touch each other
  Index pieces = 1;
};

/// A solid that is made for a cut, in the part's frame. May cross itself: what it winds around counts.
struct MadeTool {
  Mesh mesh;
  Operation operation = Operation::difference;
  std::string name;  ///< for messages: "the stencil"
  bool free_of_crossings = false;  ///< known to cross itself nowhere
};

/// Told where tools that only take away took nothing.
inline constexpr Note cut_misses{"cut_misses", "it lies beside {1} and changes nothing", "it lies beside {1} and changes nothing"};

/// Combines the part with what was made, in order. Faces of the tools that come through are faces of the part, made anew, with its most
/// used material. The contact tolerance is that of the part alone, however large the tools are.
/// @param contact  as for combine(), of the part alone
/// @return as combine(). Throws Stopped.
Result<BooleanResult> combine_with_made(const Workpiece& part, std::vector<MadeTool> tools, const Control& control, std::optional<double> contact = {});

/// The contact tolerance for a cut that is only so wide: a millionth of the part's diagonal, or less, so that the cut itself does not count as near faces.
/// @param width  mesh units, above 0
double contact_for(const Mesh& part, double width);

/// A part as it is.
BooleanResult unchanged_part(const Mesh& mesh);

}  // namespace anvil
