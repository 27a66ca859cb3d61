// SPDX-License-Identifier: GPL-3.0-or-later
// A mesh as the harshest of its readers sees it.
#pragma once

#include <stop_token>

#include "core/soundness/report.h"

namespace anvil {

/// Checks the mesh as it is, and with every polygon cut by a fan from each of its corners in turn: as many readings as
/// the largest polygon has corners of which not all fans are the same surface. They are where it is exactly flat and convex, no three
/// corners in line, and no other face has two of its corners that are no edge of it.
/// Where that would take too long some are looked at, those first that promise to be harsh, until one is not sound.
/// @param left_out  receives how many readings were not looked at
/// @return the report with the most defects; its number of polygons is that of the mesh. Throws Stopped.
SoundnessReport check_any_reader(const Mesh& mesh, const std::stop_token& stop = {}, std::size_t* left_out = nullptr);

}  // namespace anvil
