// SPDX-License-Identifier: GPL-3.0-or-later
// A surface that crosses itself, sent through the engine as one part.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil::recast {

/// Makes a closed mesh sound by the engine, which keeps what it bounds.
/// @param face  receives, per face, which face of the old mesh it comes from; no_index: none
/// @param impatient  as CombineSettings::impatient
/// @return false where even that does not make it sound; the mesh is then as it was. Throws Stopped.
bool settle_skin(Mesh& mesh, std::vector<Index>& face, bool impatient, const Control& control = {});

}  // namespace anvil::recast
