// SPDX-License-Identifier: GPL-3.0-or-later
// Lines draped over the faces that they fall on: a slim sheet about each piece, which meets that face alone.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil {

/// A straight piece of a line, in the part's frame.
using LinePiece = std::array<Vec3, 2>;

/// Those lines that sweep over something along a direction, one of those that lie behind each other, as the two rims of a bar do.
/// @param size  of what they are thrown onto; a thousand-millionth of it apart is at one place
std::vector<LinePiece> lines_across(std::span<const LinePiece> lines, const Vec3& direction, double size);

/// For every piece of a line on a face a lozenge in the plane that the line sweeps over: it ends on the face's edges and reaches no other face.
/// @param direction  of any length; pieces of lines along it fall on nothing, and nothing falls on faces along it
/// @param faces      only on these; empty: on all
/// @param first      only where nothing lies before the face, as seen along the direction
/// @return an empty mesh where no line falls on such a face. Throws Stopped.
Mesh drape(const Mesh& part, std::span<const LinePiece> lines, const Vec3& direction, std::span<const Index> faces, bool first, const Control& control = {});

}  // namespace anvil
