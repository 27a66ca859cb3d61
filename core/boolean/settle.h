// SPDX-License-Identifier: GPL-3.0-or-later
// From doubles to the 32-bit coordinates that some files hold.
#pragma once

#include "core/boolean/open_touching.h"
#include "core/report.h"

namespace anvil {

struct FloatSettings {
  bool open = false;   ///< open the places where the mesh touches itself, for files that tell vertices by position
  double opening = 0;  ///< as OpeningSettings::width
  std::uint64_t most_work = 0;  ///< triangles looked at and pairs of them found, in all ways together; 0: what hard cases take, many times over
};

/// A mesh in 32-bit coordinates, cut into the triangles of triangulate(). A sound mesh stays sound: what rounding brings to
/// meet or cross is made to meet and settled as the engine does, and what is thinner than the steps of 32 bits goes the way
/// of what lies beside it (docs/decisions/32-bit.md). A mesh that is not sound is only rounded.
/// @param report  float_settled when something had to be settled, touching_opened; rounding_not_settled, touching_left when
///                that did not lead to a sound mesh; settling_given_up when that was bounded
/// @return empty when all of it is thinner than 32 bits hold. Throws Stopped.
Mesh settle_to_float(const Mesh& mesh, OperationReport& report, const FloatSettings& settings = {}, const Control& control = {});

}  // namespace anvil
